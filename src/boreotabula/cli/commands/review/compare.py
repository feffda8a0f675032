"""`boreotabula compare`: two outputs, or an output and its state a month ago."""

from __future__ import annotations

from dataclasses import dataclass
from pathlib import Path
from typing import TYPE_CHECKING, Any

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
)
from boreotabula.cli.printing import say, say_json
from boreotabula.errors import CallError
from boreotabula.texts import counted, plain_number

if TYPE_CHECKING:
    from boreotabula.review.compare.compare import Comparison
    from boreotabula.review.compare.layouts import LayoutSides
    from boreotabula.review.compare.sides import Side

EPILOG = """\b
Examples:
  boreotabula compare march.csv april.csv
  boreotabula compare march.csv april.parquet --key nursery,month,lot \\
      --by nursery
  boreotabula compare by_hand.xlsx stock.csv \\
      --key nursery,month,lot -o changes.xlsx
  boreotabula compare stock.csv --before
  boreotabula compare stock.toml changed.toml

Records are matched by --key, else by the key of the layout, else by the cell they come from. The
order of rows and columns does not matter. Numbers are compared digit by digit, and a blank is not
zero. A table made by hand (.csv, .xlsx) needs --key and the same column names. Of two layouts it
tells what they say differently, and compares the records that each gives of the files of the
second.

\b
Exit status:
  0 compared, whatever differs
  2 wrong call, or records that cannot be compared"""


@dataclass(frozen=True)
class CompareOptions:
    """The arguments and options of `boreotabula compare`."""

    before: Path
    after: Path | None
    with_before: bool
    key: tuple[str, ...]
    by: str | None
    limit: int
    output: Path | None
    chart: Path | None
    overwrite: bool
    table: str | None
    as_json: bool


@click.command("compare", cls=Command, epilog=EPILOG)
@click.argument("before", type=PLACE)
@click.argument("after", type=PLACE, required=False)
@click.option(
    "--before", "with_before", is_flag=True,
    help="Compare the output with what it held before its last change.",
)  # fmt: skip
@fields_option("--key", "Fields that identify a record")
@click.option(
    "--by", metavar="FIELD", help="Show the sums before and after for each value of a field."
)
@click.option(
    "--limit", type=click.IntRange(min=1), default=20, show_default=True, metavar="N",
    help="Show at most N differences of each kind.",
)  # fmt: skip
@cross_option
@chart_option
@overwrite_option
@table_option
@json_option
@options_as(CompareOptions)
def command(options: CompareOptions) -> int:
    """Compare two sets of records: which are new, gone or changed, and by how much."""
    from boreotabula.batch.claims import check_claim
    from boreotabula.batch.output_checks import check_apart
    from boreotabula.review.charts.differences import draw_differences
    from boreotabula.review.charts.figure import check_chart
    from boreotabula.review.compare.compare import compare
    from boreotabula.review.compare.files import check_changes, write_changes
    from boreotabula.review.compare.layouts import is_layout, layout_sides
    from boreotabula.stores.records import source_folders

    # Exactly one of the two says what to compare with.
    if options.with_before == (options.after is not None):
        raise CallError("name two outputs, or one output with --before")
    for path, check in ((options.output, check_changes), (options.chart, check_chart)):
        if path is not None:
            check(path)
            check_apart(path, source_folders(options.before))
            check_claim(path, (options.before, options.after), overwrite=options.overwrite)
    layouts = None
    if is_layout(options.before) and is_layout(options.after):
        assert options.after is not None
        layouts = layout_sides(options.before, options.after, options.table)
    old, new = (
        (layouts.before, layouts.after)
        if layouts
        else _sides(options.before, options.after, options.table)
    )
    comparison = compare(old, new, options.key, options.by or "")
    if options.output is not None:
        write_changes(comparison, options.output)
    if options.chart is not None:
        draw_differences(comparison, options.chart)
    if options.as_json:
        say_json(_described(comparison) | (_described_layouts(layouts) if layouts else {}))
        return 0
    if layouts:
        _print_layouts(layouts)
    _print(comparison, options.limit)
    for path in (path for path in (options.output, options.chart) if path is not None):
        say(f"{path}: {counted(comparison.changes.num_rows, 'difference')}")
    return 0


def _sides(before: Path, after: Path | None, table: str | None) -> tuple[Side, Side]:
    """The sides to compare; a table made by hand is read by the columns of the other side."""
    from boreotabula.review.compare.sides import saved_side, side_of
    from boreotabula.stores.saved import output_before, saved_output

    if after is None:
        saved = saved_output(before, table)
        return saved_side(output_before(saved)), saved_side(saved)
    new = side_of(after, table)
    old = side_of(before, table, new)
    # Both may be made by hand: each gets the types that the other one shows.
    if all(not kind for kind in new.kinds.values()) or not new.traced:
        new = side_of(after, table, old)
    return old, new


def _print_layouts(layouts: LayoutSides) -> None:
    """How two layouts differ, and the effect on errors and cells in no record."""
    from boreotabula.cli import screen

    console = screen.out()
    if not layouts.differences:
        console.print("The layouts say the same.\n", style="bold")
        return
    console.print("What the layouts say differently", style="bold")
    for line in layouts.differences:
        console.tell(f"  {line}")
    errors, unplaced = layouts.errors, layouts.unplaced
    console.tell(
        f"\n  {counted(errors[0], 'error')} → {errors[1]:,},"
        f" {counted(unplaced[0], 'cell')} in no record → {unplaced[1]:,}\n"
    )


def _described_layouts(layouts: LayoutSides) -> dict[str, Any]:
    return {
        "layouts": layouts.differences,
        "errors": layouts.errors,
        "cells_unplaced": layouts.unplaced,
    }


_LABELS = {"changed": "values changed", "new": "new records", "gone": "records gone"}


def _print(comparison: Comparison, rows: int) -> None:
    from rich.text import Text

    from boreotabula.cli import screen

    console = screen.out()
    console.print(Text.assemble((f"{comparison.before.name} → {comparison.after.name}", "bold")))
    before, after = comparison.records
    console.tell(
        f"  {counted(before, 'record')} → {counted(after, 'record')}:"
        f" {comparison.same:,} the same, {comparison.changed:,} changed, {comparison.new:,} new,"
        f" {comparison.gone:,} gone"
    )
    console.tell(f"  matched by {', '.join(comparison.key)}")
    for names, side in (
        (comparison.only_before, comparison.before),
        (comparison.only_after, comparison.after),
    ):
        if names:
            console.tell(f"  only in {side.name}: {', '.join(names)}")
    if comparison.alike:
        console.print("\nNothing differs.")
        return
    _print_sums(console, comparison)
    for what in _LABELS:
        _print_changes(console, comparison, what, rows)


def _print_changes(console: Any, comparison: Comparison, what: str, most: int) -> None:
    """The changes of a kind, at most this many."""
    import pyarrow.compute as pc

    from boreotabula.cli.tables import print_table

    changes = comparison.changes.filter(pc.equal(comparison.changes.column("what"), what))
    if not changes.num_rows:
        return
    shown = _columns_shown(comparison, what)
    lines = changes.slice(0, most).to_pylist()
    # Mostly a value is where it was: once is enough, and leaves room for the names of files.
    stays = {"before_cell", "after_cell"} <= set(shown)
    if stays and all(line["before_cell"] == line["after_cell"] for line in lines):
        shown.remove("before_cell")
    console.print(f"\n{changes.num_rows:,} {_LABELS[what]}:", style="bold")
    titles = [
        "cell" if name == "after_cell" and "before_cell" not in shown else name.replace("_", " ")
        for name in shown
    ]
    rows = [["·" if line[name] is None else str(line[name]) for name in shown] for line in lines]
    print_table(console, titles, rows, ("before", "after"))
    if changes.num_rows > most:
        console.print(
            f"… {changes.num_rows - most:,} more: -o changes.csv, or --limit", style="dim"
        )


def _columns_shown(comparison: Comparison, what: str) -> list[str]:
    """The columns that are informative for changes of a kind."""
    from boreotabula.layout.model import PROVENANCE

    hidden = {"what", "before_file", "before_tab", "after_file", "after_tab"}
    if comparison.key == PROVENANCE:  # what else would tell which record it is
        when = "before" if what == "gone" else "after"
        hidden -= {f"{when}_file", f"{when}_tab"}
    return [
        name
        for name in comparison.changes.schema.names
        if name not in hidden
        and not (what != "changed" and name in ("field", "before", "after"))
        and not (name.endswith("_cell") and what == ("new" if "before" in name else "gone"))
    ]


def _print_sums(console: Any, comparison: Comparison) -> None:
    from boreotabula.cli.tables import print_table

    rows = [
        [
            *([group] if comparison.by else []), name, plain_number(sums.before),
            plain_number(sums.after), plain_number(sums.difference, signed=True),
        ]
        for (group, name), sums in comparison.sums.items() if comparison.by or sums.difference
    ]  # fmt: skip
    if rows:
        console.print()
        numbers = ("before", "after", "difference")
        heads = [*([comparison.by] if comparison.by else []), "sum of", *numbers]
        print_table(console, heads, rows, numbers)


def _described(comparison: Comparison) -> dict[str, Any]:
    return {
        "before": comparison.before.name,
        "after": comparison.after.name,
        "key": comparison.key,
        "records_before": comparison.records[0],
        "records_after": comparison.records[1],
        "same": comparison.same,
        "changed": comparison.changed,
        "new": comparison.new,
        "gone": comparison.gone,
        "only_before": comparison.only_before,
        "only_after": comparison.only_after,
        "sums": [
            {
                **({comparison.by: group} if comparison.by else {}),
                "field": name,
                "before": sums.before,
                "after": sums.after,
                "difference": sums.difference,
            }
            for (group, name), sums in comparison.sums.items()
        ],
        "changes": comparison.changes.to_pylist(),
    }
