"""`boreotabula trace`: from a record to its cells, and from a cell to its records."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass
from itertools import islice
from pathlib import Path
from typing import TYPE_CHECKING, Any

import click

from boreotabula.cli.options import (
    PLACE,
    Command,
    json_option,
    limits,
    memory_per_file,
    options_as,
    record_number,
    table_option,
    where_option,
)
from boreotabula.cli.printing import say, say_json
from boreotabula.errors import CallError
from boreotabula.texts import counted

if TYPE_CHECKING:
    from boreotabula.limits import Limits
    from boreotabula.reading.inspect.trace import CellFate, FieldOrigin
    from boreotabula.review.trace import OpenedTab, Traced

Pairs = tuple[tuple[str, str], ...]
"""Fields and their values."""

EPILOG = """\b
Examples:
  boreotabula trace stock.csv 1742
  boreotabula trace stock.csv --where nursery=Lomlia \\
      --where month=2026-04 --where lot=P731
  boreotabula trace report.xlsx "Greenhouse 2" D10 --layout stock.toml
  boreotabula trace report.xlsx "Greenhouse 2" D10 --records stock.csv

NUMBER counts the records from 1. For a text file give the cell without a tab. With --records the
records of the cell are numbered as in that output.

\b
Exit status:
  0 found
  1 no such record, or its tab now gives another one
  2 wrong call or layout"""

_MOST = 10


@dataclass(frozen=True)
class TraceOptions:
    """The arguments and options of `boreotabula trace`."""

    file: Path
    what: tuple[str, ...]
    where: Pairs
    table: str | None
    layout_path: Path | None
    output: Path | None
    memory_per_file: int
    as_json: bool


@click.command("trace", cls=Command, epilog=EPILOG)
@click.argument("file", type=PLACE, metavar="RECORDS|FILE")
@click.argument("what", nargs=-1, metavar="NUMBER | TAB CELL")
@where_option
@table_option
@click.option(
    "--layout", "layout_path", type=click.Path(path_type=Path), metavar="LAYOUT",
    help="Read the FILE by this layout.",
)  # fmt: skip
@click.option(
    "--records", "output", type=PLACE, metavar="RECORDS",
    help="Read the FILE by the layout of these records.",
)  # fmt: skip
@memory_per_file
@json_option
@options_as(TraceOptions)
def command(options: TraceOptions) -> int:
    """Show where a record comes from: its file, tab and cell, the headings and stamps around it,
    and each step from the text of the cell to the field.

    Or show what became of a CELL of a FILE, and if it is in no record, why.
    """

    if isinstance(options.file, Path) and not options.file.exists():
        raise CallError(f"there is no file “{options.file}”")
    bounds = limits(options.memory_per_file)
    if options.layout_path is not None or options.output is not None:
        return _trace_cell(options, bounds)
    return _trace_records(
        options.file, options.what, options.where, options.table, bounds, options.as_json
    )


# --- from a record to its cells -----------------------------------------------------------------


def _trace_records(
    out: Path, what: tuple[str, ...], where: Pairs, table: str | None, bounds: Limits,
    as_json: bool,
) -> int:  # fmt: skip
    from boreotabula.review.trace import Tracer
    from boreotabula.stores.records import chosen_records
    from boreotabula.stores.saved import saved_output

    number = record_number(what, where)
    saved = saved_output(out, table)
    tracer = Tracer(saved, bounds)
    # One more than is shown, to know whether there are more.
    trace_records = list(islice(chosen_records(saved, number, dict(where)), _MOST + 1))
    if not trace_records:
        text = f"record {number}" if number else f"record with {', '.join(map('='.join, where))}"
        say(f"“{out}” has no {text}.", err=True)
        return 1
    traced = [(index, tracer.trace(record)) for index, record in trace_records[:_MOST]]
    if as_json:
        described = [_described(index, trace) for index, trace in traced]
        say_json(described)
    else:
        for place, (position, trace) in enumerate(traced):
            if place:
                say()
            _print_record(position, trace, brief=place > 0 and len(traced) > 2)
        if len(trace_records) > _MOST:
            say(f"\n… and more: only the first {_MOST} are shown; ask for more FIELD=VALUE")
    # Scripts can check that the sources still hold what the output says.
    return 0 if all(trace.holds for _, trace in traced) else 1


def _print_record(number: int, traced: Traced, *, brief: bool) -> None:
    from rich.text import Text

    from boreotabula.batch.views import TabView
    from boreotabula.cli import screen, sheetview
    from boreotabula.cli.tables import print_table
    from boreotabula.reading.inspect.trace import cells_around

    console = screen.out()
    record = traced.record
    place = " › ".join(
        part for part in (record[f"source_{n}"] for n in ("file", "tab", "cell")) if part
    )
    console.tell(Text.assemble((f"record {number}", "bold"), f"  {place}"))
    for message in traced.changed:
        console.tell(f"! {message}", "bold magenta")
    if traced.trace is None:
        console.print(
            f"! {place} does not give this record any more", style="bold red", markup=False
        )
        return
    differing = traced.differing
    rows: list[list[str | Text]] = []
    for origin in traced.trace.origins:
        value = record.get(origin.field, "")
        # Databases keep a month as its first day.
        value = value[:7] if origin.kind == "month" else value
        other_text = (
            f"  now {traced.trace.values[origin.field]}" if origin.field in differing else ""
        )
        rows.append([
            f"  {origin.field}", origin.kind, Text(value) + Text(other_text, "bold red"),
            origin.what, origin.where, Text(_step(origin)),
        ])  # fmt: skip
    heads = ("  field", "type", "value", "from", "where", "what is there")
    print_table(console, heads, rows)
    if brief:
        return
    spots = traced.trace.spots
    if spots:
        console.print()
        view = TabView(traced.tab.sheet, traced.tab.reading)
        own = _own_spot(traced)
        lines, columns = cells_around([*spots, own or spots[-1]], traced.tab.sheet)
        sheetview.print_part(console, view, traced.tab.file, lines, columns, spots)


def _own_spot(traced: Traced) -> tuple[int, int] | None:
    """The cell that a record's `source_cell` names."""
    from boreotabula.layout.addresses import parse_address

    cell = traced.record["source_cell"]
    return parse_address(cell) if cell else None


def _step(origin: FieldOrigin) -> str:
    if origin.means:
        return f"“{origin.text}”, which means “{origin.means}”"
    return f"“{origin.text}”" if origin.text else ""


def _described(number: int, traced: Traced) -> dict[str, Any]:
    return {
        "number": number,
        "record": traced.record,
        "changed": traced.changed,
        "differs_now": traced.differing,
        "found": traced.trace is not None,
        "fields": [
            {
                "field": origin.field,
                "type": origin.kind,
                "from": origin.what,
                "where": origin.where,
                "text": origin.text,
                **({"means": origin.means} if origin.means else {}),
            }
            for origin in (traced.trace.origins if traced.trace else ())
        ],
    }


# --- from a cell to its records -----------------------------------------------------------------


def _trace_cell(options: TraceOptions, bounds: Limits) -> int:
    from boreotabula.batch.evidence import decided_layout, from_plain, kept_evidence
    from boreotabula.batch.layouts.load import Layout
    from boreotabula.review.trace import fate, open_tab, source_of
    from boreotabula.stores.records import records_as_texts
    from boreotabula.stores.saved import saved_output

    what, output = options.what, options.output
    if not 1 <= len(what) <= 2:
        raise CallError('name a tab and a cell, such as "Greenhouse 2" D10')
    if options.layout_path is not None and output is not None:
        raise CallError("--layout and --records both name a layout; use one of them")
    saved = saved_output(output, options.table) if output is not None else None
    layout = Layout.load(options.layout_path or (saved.layout_path if saved else Path()))
    # The cell is read as in the run that made the records, not as in a later one.
    known_evidence = from_plain(saved.record.get("evidence")) if saved else kept_evidence(layout)
    layout = decided_layout(layout, known_evidence)
    tab, cell = (what[0], what[1]) if len(what) == 2 else ("", what[0])
    current_tab = open_tab(source_of(options.file, layout), tab, layout, bounds)
    cell_fate = fate(current_tab, layout, cell)
    numbers = _numbers(records_as_texts(saved), current_tab) if saved is not None else {}
    if options.as_json:
        say_json(_fate_described(cell_fate, current_tab, numbers))
        return 0
    _print_fate(cell_fate, current_tab, cell.upper(), numbers)
    return 0


def _numbers(records: Any, current_tab: OpenedTab) -> dict[str, int]:
    """The numbers of the records of a tab in an output, by cell."""
    return {
        record["source_cell"]: index
        for index, record in enumerate(records, 1)
        if record["source_file"] == current_tab.file
        and record["source_tab"] == current_tab.sheet.name
    }


def _cells_of(cell_fate: CellFate, current_tab: OpenedTab) -> list[tuple[str, str]]:
    """Table and cell of each record that a cell is part of."""
    return [
        (table, current_tab.reading.tables[table].column("source_cell")[index].as_py())
        for table, index in cell_fate.records
    ]


def _print_fate(
    cell_fate: CellFate, current_tab: OpenedTab, cell: str, numbers: Mapping[str, int]
) -> None:
    from rich.text import Text

    from boreotabula.batch.views import TabView
    from boreotabula.cli import screen, sheetview
    from boreotabula.layout.addresses import parse_address
    from boreotabula.reading.inspect.trace import cells_around

    console = screen.out()
    place = " › ".join(part for part in (current_tab.file, current_tab.sheet.name, cell) if part)
    console.tell(Text.assemble((place, "bold"), f"  “{cell_fate.text}”"))
    why = f": {cell_fate.why}" if cell_fate.why else ""
    console.print(f"  {cell_fate.role.word}{why}", markup=False)
    records = _cells_of(cell_fate, current_tab)
    if records:
        many = counted(len(records), "record")
        shown = ", ".join(
            f"record {numbers[text]}" if text in numbers else f"that of {text}"
            for _, text in records[:5]
        )
        extra = " …" if len(records) > 5 else ""
        console.print(f"  part of {many}: {shown}{extra}", markup=False)
    else:
        console.print("  part of no record", markup=False)
    for message in cell_fate.said:
        console.tell(f"  {message}")
    console.print()
    spot = parse_address(cell)
    heads = {
        row
        for block in current_tab.reading.blocks
        if not block.view.turned
        for row in range(block.place.top, block.place.bottom + 1)
    }
    lines, columns = cells_around([spot], current_tab.sheet)
    # With the headings above, or nobody could tell what the cell is about.
    lines = sorted({*lines, *(row for row in heads if 0 <= row <= spot[0])})
    view = TabView(current_tab.sheet, current_tab.reading)
    sheetview.print_part(console, view, current_tab.file, lines, columns, [spot])


def _fate_described(
    cell_fate: CellFate, current_tab: OpenedTab, numbers: Mapping[str, int]
) -> dict[str, Any]:
    return {
        "file": current_tab.file,
        "tab": current_tab.sheet.name,
        "text": cell_fate.text,
        "role": cell_fate.role.word,
        "why": cell_fate.why,
        "said": cell_fate.said,
        "records": [
            {"table": table, "cell": cell} | ({"number": numbers[cell]} if cell in numbers else {})
            for table, cell in _cells_of(cell_fate, current_tab)
        ],
    }
