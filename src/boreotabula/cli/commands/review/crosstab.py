"""`boreotabula crosstab`: records aggregated for people, as a table or a picture."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from pathlib import Path
from typing import TYPE_CHECKING

import click

from boreotabula.cli.options import (
    PLACE,
    Command,
    chart_option,
    cross_option,
    fields_option,
    json_option,
    options_as,
    overwrite_option,
    table_option,
    where_option,
)
from boreotabula.cli.printing import say, say_json
from boreotabula.errors import CallError
from boreotabula.review.crosstab.cross import AGGREGATES
from boreotabula.texts import counted

if TYPE_CHECKING:
    import pyarrow as pa
    from rich.table import Table

    from boreotabula.review.crosstab.cross import Cross

EPILOG = """\b
Examples:
  boreotabula crosstab stock.csv --rows nursery --across month \\
      --value seedlings
  boreotabula crosstab stock.csv --rows nursery,species \\
      --value seedlings --how mean
  boreotabula crosstab stock.csv --rows lot --across month \\
      --value seedlings --top 10 --by-value
  boreotabula crosstab stock.csv --rows nursery --across month \\
      --value seedlings --chart n.png
  boreotabula crosstab stock.toml --rows nursery --how count \\
      --where month=2026-04

Months and weekdays are in time order, numbers by size, choices as the layout lists them, other
texts in natural order (2 before 10). A dot means no record, 0 means zero. A share is per cent
of the column total; of dates, min is the first and max the last. Totals are those of the
records, not of the rows shown. A table made by hand (.csv, .xlsx) is summed up as well.

Without --chart-kind the chart is lines over time for up to 12 rows; bars without --across, or for
up to 60 of them; otherwise a heat map. --chart needs the extra [charts].

\b
Exit status:
  0 summed up
  2 wrong call, or records that cannot be read"""


@dataclass(frozen=True)
class CrosstabOptions:
    """The arguments and options of `boreotabula crosstab`."""

    records: Path
    rows: tuple[str, ...]
    across: str | None
    value: str | None
    how: str
    where: tuple[tuple[str, str], ...]
    by_value: bool
    top: int | None
    change: bool
    no_totals: bool
    output: Path | None
    chart: Path | None
    chart_kind: str | None
    overwrite: bool
    table: str | None
    as_json: bool


@click.command("crosstab", cls=Command, epilog=EPILOG)
@click.argument("records", type=PLACE, metavar="RECORDS|LAYOUT")
@fields_option("--rows", "Fields for the rows")
@click.option("--across", metavar="FIELD", help="Field for the columns.")
@click.option("--value", metavar="FIELD", help="Field to sum up.")
@click.option(
    "--how", type=click.Choice(AGGREGATES),
    default="sum", show_default=True, help="How to combine values.",
)  # fmt: skip
@where_option
@click.option("--by-value", is_flag=True, help="Sort rows by size instead of name.")
@click.option(
    "--top", type=click.IntRange(min=1), metavar="N", help="Show only the N largest rows."
)
@click.option("--change", is_flag=True, help="Show the change from the column before.")
@click.option("--no-totals", is_flag=True, help="Leave out the totals.")
@cross_option
@chart_option
@click.option("--chart-kind", type=click.Choice(["lines", "bars", "heat"]), help="Kind of chart.")
@overwrite_option
@table_option
@json_option
@options_as(CrosstabOptions)
def command(options: CrosstabOptions) -> int:
    """Sum up the records of an output of extract, or of a LAYOUT, by some of their fields."""
    if options.chart_kind and options.chart is None:
        raise CallError("--chart-kind says how --chart OUT is drawn; name a file with --chart")
    from boreotabula.batch.claims import check_claim
    from boreotabula.batch.output_checks import check_apart
    from boreotabula.review.charts.cross import draw_cross
    from boreotabula.review.charts.figure import check_chart
    from boreotabula.review.crosstab.cross import CrosstabSpec
    from boreotabula.review.crosstab.cross_files import check_cross, write_cross
    from boreotabula.review.crosstab.crosstab import crosstab
    from boreotabula.stores.records import source_folders

    for path, check in ((options.output, check_cross), (options.chart, check_chart)):
        if path is not None:
            check(path)
            check_apart(path, source_folders(options.records))
            check_claim(path, (options.records,), overwrite=options.overwrite)
    spec = CrosstabSpec(
        rows=options.rows,
        across=options.across,
        value=options.value,
        how=options.how,
        where=options.where,
        by_value=options.by_value,
        top=options.top,
        change=options.change,
        totals=not options.no_totals,
    )
    cross = crosstab(_records(options.records, options.table), spec)
    if options.output is not None:
        write_cross(cross, options.output)
    if options.chart is not None:
        draw_cross(cross, options.chart, options.chart_kind)
    if options.as_json:
        say_json(_described(cross))
    elif options.output is None and options.chart is None:
        print_cross(cross)
    else:
        for path in (path for path in (options.output, options.chart) if path is not None):
            say(f"{path}: {cross.measure}, {counted(cross.records, 'record')}")
    return 0


def _described(cross: Cross) -> dict[str, object]:
    from boreotabula.review.crosstab.cross_files import as_cell_value

    return {
        "measure": cross.measure,
        "unit": cross.unit,
        "rows": cross.rows,
        "columns": cross.columns,
        "cells": [as_cell_value(cross, row) for row in cross.cells],
        **(
            {
                "row_totals": as_cell_value(cross, cross.row_totals),
                "column_totals": as_cell_value(cross, cross.column_totals),
                "total": as_cell_value(cross, [cross.total])[0],
            }
            if cross.spec.totals
            else {}
        ),
        "records": cross.records,
    }


def _records(place: Path, table: str | None) -> pa.Table:
    """The records of an output, of a layout, or of a table that was made by hand."""
    from boreotabula.batch.read_all import ReadOptions
    from boreotabula.review.compare.sides import is_by_hand, records_by_hand
    from boreotabula.stores.records import load_records

    # A named table exists only in outputs.
    if table is None and is_by_hand(place):
        return records_by_hand(place)
    return load_records(place, table, ReadOptions(None))


def print_cross(cross: Cross) -> None:
    """The cross-tab on screen; if it is too wide, it continues below, with row names repeated."""
    from rich.text import Text

    from boreotabula.cli import screen
    from boreotabula.review.crosstab.crosstab import (
        decimals_needed,
        readable_number,
        with_brief_names,
    )

    console = screen.out()
    cross = with_brief_names(cross)
    places = decimals_needed(cross)

    def shown(number: float | None) -> str:
        return readable_number(number, cross.value_kind, places)

    texts = [[shown(number) for number in row] for row in cross.cells]
    totals = [shown(column_total) for column_total in cross.column_totals]
    columns = [
        [head or cross.spec.value or "records", *(row[column] for row in texts), totals[column]]
        for column, head in enumerate(cross.columns)
    ]
    if cross.row_totals and cross.spec.totals:
        columns.append(["total", *map(shown, cross.row_totals), shown(cross.total)])
    names = list(cross.spec.rows) or [""]
    sides = [[row[index] for row in cross.rows] for index in range(len(names))]
    side = sum(
        max(map(len, [name, "total", *side])) + 2 for name, side in zip(names, sides, strict=True)
    )
    unit = f", {cross.unit}" if cross.unit else ""
    records = counted(cross.records, "record")
    console.print(Text.assemble((f"{cross.measure}{unit}", "bold"), f" · {records}"))
    for part in _parts(columns, max(console.width - side, 20)):
        console.print()
        console.print(_table_of(cross, names, part))


def _table_of(cross: Cross, names: Sequence[str], part: Sequence[Sequence[str]]) -> Table:
    """The rows of a cross-tab with some of its columns, each as heading, numbers and total."""
    from rich.table import Table
    from rich.text import Text

    table = Table(box=None, pad_edge=False, padding=(0, 2, 0, 0), header_style="bold")
    for name in names:
        table.add_column(Text(name))
    for head, *_ in part:
        table.add_column(Text(head), justify="right", no_wrap=True)
    before: tuple[str, ...] = ()
    for position, label in enumerate(cross.rows):
        table.add_row(
            *map(Text, _new(label, before)), *(Text(texts[position + 1]) for texts in part)
        )
        before = label
    if len(cross.rows) > 1 and cross.spec.totals:
        blank = [""] * (len(names) - 1)
        last = [Text(texts[-1], "bold") for texts in part]
        table.add_row(Text("total", "bold"), *blank, *last)
    return table


def _new(label: tuple[str, ...], before: tuple[str, ...]) -> list[str]:
    """The names of a row, without those already printed above."""
    same = 0
    while same < len(label) - 1 and label[: same + 1] == before[: same + 1]:
        same += 1
    return [*[""] * same, *label[same:]]


def _parts(columns: list[list[str]], width: int) -> list[list[list[str]]]:
    """Columns in parts that fit into a width."""
    parts: list[list[list[str]]] = []
    room = 0
    for column in columns:
        wide = max(map(len, column)) + 2
        if not parts or wide > room:
            parts.append([])
            room = width
        parts[-1].append(column)
        room -= wide
    return parts
