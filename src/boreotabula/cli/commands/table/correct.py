"""`boreotabula correct`: write down what a cell should hold, beside the layout."""

from __future__ import annotations

from dataclasses import dataclass
from itertools import islice
from pathlib import Path
from typing import TYPE_CHECKING

import click

from boreotabula.cli.options import (
    PLACE,
    Command,
    decided_by,
    json_option,
    limits,
    memory_per_file,
    options_as,
    record_number,
    table_option,
    until_option,
    where_option,
    who_option,
    why_option,
)
from boreotabula.cli.printing import say, say_decided, say_json
from boreotabula.errors import CallError
from boreotabula.texts import counted

if TYPE_CHECKING:
    from boreotabula.batch.inputs import SourceFile
    from boreotabula.batch.layouts.load import Layout
    from boreotabula.limits import Limits
    from boreotabula.review.trace import OpenedTab, Traced

    Target = tuple[Layout, SourceFile, OpenedTab, tuple[int, int]]

EPILOG = """\b
Examples:
  boreotabula correct stock.csv 1742 --to 21 --why "said on the phone"
  boreotabula correct stock.csv --where lot=P731 --where grade=B \\
      --to 21 --why "said on the phone"
  boreotabula correct stock.csv 1742 --field lot --to P371 --why "a slip"
  boreotabula correct report.xlsx "Greenhouse 2" D10 --layout stock.toml \\
      --to 120 --why "counted again"

The line goes into the file of corrections of the layout; if it has none, corrections.csv is
created next to it. The report itself is not changed: `boreotabula mark` asks its sender.

\b
Exit status:
  0 the correction is written
  1 no such record, or its tab now gives another one
  2 wrong call or layout, or a correction that cannot be read"""


@dataclass(frozen=True)
class CorrectOptions:
    """The arguments and options of `boreotabula correct`."""

    file: Path
    what: tuple[str, ...]
    where: tuple[tuple[str, str], ...]
    table: str | None
    field: str | None
    layout_path: Path | None
    now: str
    why: str
    who: str | None
    until: str | None
    memory_per_file: int
    as_json: bool


@click.command("correct", cls=Command, epilog=EPILOG)
@click.argument("file", type=PLACE, metavar="RECORDS|FILE")
@click.argument("what", nargs=-1, metavar="NUMBER | TAB CELL")
@where_option
@table_option
@click.option("--field", metavar="FIELD", help="The field of the record; else its value.")
@click.option(
    "--layout", "layout_path", type=click.Path(path_type=Path), metavar="LAYOUT",
    help="Read the FILE by this layout.",
)  # fmt: skip
@click.option("--to", "now", required=True, metavar="TEXT", help="What the cell is read as.")
@why_option
@who_option
@until_option
@memory_per_file
@json_option
@options_as(CorrectOptions)
def command(options: CorrectOptions) -> int:
    """Correct a cell for the table: a line beside the layout says what is read instead.

    Name a record of RECORDS, or a CELL of a FILE. It holds while the cell is as it is now.
    """
    if not options.file.exists():
        raise CallError(f"there is no file “{options.file}”")
    bounds = limits(options.memory_per_file)
    if options.layout_path is not None:
        if options.where or options.table or options.field:
            raise CallError("--where, --table and --field name a record; --layout names a cell")
        target = _cell(options.file, options.what, options.layout_path, bounds)
    else:
        record_target = _record_cell(
            options.file, options.what, options.where, options.table, options.field, bounds
        )
        if record_target is None:
            return 1
        target = record_target
    values = {
        "is": options.now.strip(),
        "why": options.why.strip(),
        "until": (options.until or "").strip(),
    }
    # Only then is it known which output the next run writes.
    records = options.file if options.layout_path is None else None
    return _correct(
        target, {**values, "who": decided_by(options.who)}, bounds, records, as_json=options.as_json
    )


def _cell(file: Path, what: tuple[str, ...], layout_path: Path, bounds: Limits) -> Target:
    """A cell of a file. Raises CallError if it does not exist."""
    from boreotabula.batch.evidence import decided_layout, kept_evidence
    from boreotabula.batch.layouts.load import Layout
    from boreotabula.layout.addresses import parse_address
    from boreotabula.review.trace import open_tab, source_of

    if not 1 <= len(what) <= 2:
        raise CallError('name a tab and a cell, such as "Greenhouse 2" D10')
    try:
        spot = parse_address(what[-1])
    except ValueError as error:
        raise CallError(str(error)) from None
    layout = Layout.load(layout_path)
    layout = decided_layout(layout, kept_evidence(layout))
    source = source_of(file, layout)
    return layout, source, open_tab(source, what[0] if len(what) == 2 else "", layout, bounds), spot


def _record_cell(
    records: Path, what: tuple[str, ...], where: tuple[tuple[str, str], ...], table: str | None,
    field: str | None, bounds: Limits,
) -> Target | None:  # fmt: skip
    """The cell of a field of a record; None, with a message, if the record no longer exists."""
    from boreotabula.review.trace import Tracer
    from boreotabula.stores.records import chosen_records
    from boreotabula.stores.saved import saved_output

    number = record_number(what, where)
    saved = saved_output(records, table)
    tracer = Tracer(saved, bounds)
    # Two are enough to see that the choice is ambiguous.
    chosen = list(islice(chosen_records(saved, number, dict(where)), 2))
    if len(chosen) > 1:
        raise CallError("several records are like that; name one more --where, or its number")
    traced = tracer.trace(chosen[0][1]) if chosen else None
    if traced is None:
        say(f"“{records}” has no such record.", err=True)
        return None
    # Where rows were put in since, the cell is that of another record.
    if not traced.holds:
        say(
            f"“{traced.tab.file}” does not give this record any more; run extract again and look",
            err=True,
        )
        return None
    return tracer.layout, tracer.source(traced.tab.file), traced.tab, _spot(traced, field)


def _spot(traced: Traced, field: str | None) -> tuple[int, int]:
    """The cell of a field of a record, or of its value. Raises CallError if there is none."""
    assert traced.trace is not None
    origins = [origin for origin in traced.trace.origins if origin.spot is not None]
    named = [
        origin for origin in origins
        if (origin.field == field if field else origin.what == "value")
    ]  # fmt: skip
    if len(named) == 1 and named[0].spot is not None:
        return named[0].spot
    listed = ", ".join(origin.field for origin in origins)
    asked = f"“{field}” comes from no cell of its tab" if field else "say which field"
    raise CallError(f"{asked}: --field may be {listed}")


def _correct(
    target: Target, decision: dict[str, str], bounds: Limits, records: Path | None, *, as_json: bool
) -> int:
    """Try the correction of a cell, write it, and report its effect."""
    from boreotabula.review.correct import write_correction

    layout, source, tab, spot = target
    written = write_correction(layout, source, tab, spot, decision, bounds)
    line, trial = written.line, written.trial
    before, after = trial.totals
    if as_json:
        say_json(
            {
                **line, "file": tab.file, "tab": tab.sheet.name, "corrections": written.path.name,
                "layout_edited": written.layout_edited, "records": trial.records,
                "errors_before": trial.errors[0], "errors_after": trial.errors[1],
                "totals_before": before, "totals_after": after,
            }
        )  # fmt: skip
        return 0
    was = f"“{line['was']}”" if line["was"] else "the blank cell"
    place = " › ".join(part for part in (tab.file, tab.sheet.name, line["cell"]) if part)
    say(f"{place}: {was} is read as “{line['is']}”")
    part = f"part of {counted(trial.records, 'record')}" if trial.records else "part of no record"
    say(f"  {part}; errors of its tab: {trial.errors[0]} before, {trial.errors[1]} with it")
    if after.printed:
        say(
            "  printed totals of its tab that agree:"
            f" {before.agree:,} of {before.printed:,} before,"
            f" {after.agree:,} of {after.printed:,} with it"
        )
    say_decided("corrections", written.path, layout.path, records, edited=written.layout_edited)
    return 0
