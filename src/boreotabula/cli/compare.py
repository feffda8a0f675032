"""`boreotabula compare`: two outputs, or an output and itself a month ago."""

from __future__ import annotations

from pathlib import Path
from typing import TYPE_CHECKING, Any

import click

from boreotabula.cli.options import (
    PLACE,
    Command,
    chart_option,
    cross_option,
    json_option,
    overwrite_option,
    table_option,
)
from boreotabula.cli.printing import say, say_json
from boreotabula.errors import CallError
from boreotabula.texts import counted, plain_number

if TYPE_CHECKING:
    from boreotabula.review.compare.compare import Comparison
    from boreotabula.review.compare.sides import Side

EPILOG = """\b
Examples:
  boreotabula compare march.csv april.csv
  boreotabula compare march.csv april.parquet --key nursery,month,lot \\
      --by nursery
  boreotabula compare by_hand.xlsx stock.csv \\
      --key nursery,month,lot -o changes.xlsx
  boreotabula compare stock.csv --before

Records are matched by --key, else by the key of the layout, else by the cell they come from. The
order of rows and columns does not matter. Numbers are compared digit by digit, and a blank is not
zero. A table made by hand (.csv, .xlsx) needs --key and the same column names."""


@click.command("compare", cls=Command, epilog=EPILOG)
@click.argument("before", type=PLACE)
@click.argument("after", type=PLACE, required=False)
@click.option(
    "--before", "with_before", is_flag=True,
    help="Compare the output with what it held before its last change.",
)  # fmt: skip
@click.option("--key", multiple=True, metavar="FIELD,…", help="Fields that identify a record.")
@click.option(
    "--by", metavar="FIELD", help="Show the sums before and after for each value of a field."
)
@click.option(
    "--rows", type=click.IntRange(min=1), default=20, show_default=True, metavar="N",
    help="Show at most N differences of each kind.",
)  # fmt: skip
@cross_option
@chart_option
@overwrite_option
@table_option
@json_option
def command(
    before: Path,
    after: Path | None,
    with_before: bool,
    key: tuple[str, ...],
    by: str | None,
    rows: int,
    output: Path | None,
    chart: Path | None,
    overwrite: bool,
    table: str | None,
    as_json: bool,
) -> int:
    """Compare two sets of records: which are new, gone or changed, and by how much."""
    from boreotabula.batch.claims import check_claim
    from boreotabula.batch.inputs import check_apart
    from boreotabula.review.charts import check_chart, draw_differences
    from boreotabula.review.compare.compare import compare
    from boreotabula.review.compare.files import check_changes, write_changes
    from boreotabula.stores.records import source_folders

    if with_before == (after is not None):
        raise CallError("name two outputs, or one output with --before")
    for path, check in ((output, check_changes), (chart, check_chart)):
        if path is not None:
            check(path)
            check_apart(path, source_folders(before))
            check_claim(path, (before, after), overwrite=overwrite)
    old, new = _sides(before, after, table)
    names = [name.strip() for one in key for name in one.split(",") if name.strip()]
    found = compare(old, new, names, by or "")
    if output is not None:
        write_changes(found, output)
    if chart is not None:
        draw_differences(found, chart)
    if as_json:
        say_json(_described(found))
        return 0
    _print(found, rows)
    for path in (one for one in (output, chart) if one is not None):
        say(f"{path}: {counted(found.changes.num_rows, 'difference')}")
    return 0


def _sides(before: Path, after: Path | None, table: str | None) -> tuple[Side, Side]:
    """What is compared; a table made by hand is read by the columns of the other one."""
    from boreotabula.review.compare.sides import saved_side, side_of
    from boreotabula.stores.saved import output_before, saved_output

    if after is None:
        saved = saved_output(before, table)
        return saved_side(output_before(saved)), saved_side(saved)
    new = side_of(after, table)
    old = side_of(before, table, new)
    if all(not kind for kind in new.kinds.values()) or not new.traced:
        new = side_of(after, table, old)
    return old, new


_LABELS = {"changed": "values changed", "new": "new records", "gone": "records gone"}


def _print(found: Comparison, rows: int) -> None:
    from rich.table import Table
    from rich.text import Text

    from boreotabula.cli import screen
    from boreotabula.layout.model import PROVENANCE

    console = screen.out()
    console.print(Text.assemble((f"{found.before.name} → {found.after.name}", "bold")))
    console.tell(
        f"  {counted(found.records[0], 'record')} → {counted(found.records[1], 'record')}:"
        f" {found.same:,} the same, {found.changed:,} changed, {found.new:,} new,"
        f" {found.gone:,} gone"
    )
    console.tell(f"  matched by {', '.join(found.key)}")
    for names, side in ((found.only_before, found.before), (found.only_after, found.after)):
        if names:
            console.tell(f"  only in {side.name}: {', '.join(names)}")
    if found.alike:
        console.print("\nNothing differs.")
        return
    _print_sums(console, found)
    whats = found.changes.column("what")
    names = found.changes.schema.names
    for what, label in _LABELS.items():
        import pyarrow.compute as pc

        some = found.changes.filter(pc.equal(whats, what))
        if not some.num_rows:
            continue
        hidden = {"what", "before_file", "before_tab", "after_file", "after_tab"}
        if found.key == PROVENANCE:  # what else would tell which record it is
            when = "before" if what == "gone" else "after"
            hidden -= {f"{when}_file", f"{when}_tab"}
        shown = [
            name
            for name in names
            if name not in hidden
            and not (what != "changed" and name in ("field", "before", "after"))
            and not (name.endswith("_cell") and what == ("new" if "before" in name else "gone"))
        ]
        console.print(f"\n{some.num_rows:,} {label}:", style="bold")
        table = Table(box=None, pad_edge=False, padding=(0, 2, 0, 0), header_style="bold")
        for name in shown:
            right = name in ("before", "after")
            table.add_column(Text(name.replace("_", " ")), justify="right" if right else "left")
        for line in some.slice(0, rows).select(shown).to_pylist():
            table.add_row(*(Text("·" if one is None else str(one)) for one in line.values()))
        console.print(table)
        if some.num_rows > rows:
            console.print(
                f"… {some.num_rows - rows:,} more: -o changes.csv, or --rows", style="dim"
            )


def _print_sums(console: Any, found: Comparison) -> None:
    from rich.table import Table
    from rich.text import Text

    lines = [(one, sums) for one, sums in found.sums.items() if found.by or sums.difference]
    if not lines:
        return
    table = Table(box=None, pad_edge=False, padding=(0, 2, 0, 0), header_style="bold")
    heads = [found.by] if found.by else []
    for name in [*heads, "sum of"]:
        table.add_column(Text(name))
    for name in ("before", "after", "difference"):
        table.add_column(name, justify="right")
    for (group, name), sums in lines:
        numbers = (
            plain_number(sums.before),
            plain_number(sums.after),
            plain_number(sums.difference, signed=True),
        )
        table.add_row(*map(Text, [*([group] if found.by else []), name, *numbers]))
    console.print()
    console.print(table)


def _described(found: Comparison) -> dict[str, Any]:
    return {
        "before": found.before.name,
        "after": found.after.name,
        "key": list(found.key),
        "records_before": found.records[0],
        "records_after": found.records[1],
        "same": found.same,
        "changed": found.changed,
        "new": found.new,
        "gone": found.gone,
        "only_before": list(found.only_before),
        "only_after": list(found.only_after),
        "sums": [
            {
                **({found.by: group} if found.by else {}),
                "field": name,
                "before": str(sums.before),
                "after": str(sums.after),
                "difference": str(sums.difference),
            }
            for (group, name), sums in found.sums.items()
        ],
        "changes": found.changes.to_pylist(),
    }
