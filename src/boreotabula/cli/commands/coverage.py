"""`boreotabula coverage`: who reported when, and who did not."""

from __future__ import annotations

from collections.abc import Iterator
from pathlib import Path
from typing import TYPE_CHECKING

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
from boreotabula.texts import brief, counted

if TYPE_CHECKING:
    from boreotabula.review.coverage import Coverage

EPILOG = """\b
Examples:
  boreotabula coverage stock.csv --rows nursery --across month
  boreotabula coverage stock.csv --rows nursery --across month \\
      --expect sites.csv
  boreotabula coverage stock.csv --rows nursery \\
      --across month -o coverage.xlsx --require-complete

Each cell counts records; a dot is a gap. Months without any report are shown too. SITES is a CSV
file with a column for each field of --rows, so that senders who never reported are shown as well.

\b
Exit status:
  0 done
  1 with --require-complete, if something is missing
  2 wrong call"""

_MOST = 8


@click.command("coverage", cls=Command, epilog=EPILOG)
@click.argument("records", type=PLACE, metavar="RECORDS|LAYOUT")
@click.option("--rows", multiple=True, metavar="FIELD", help="Field with the sender (repeatable).")
@click.option(
    "--across", required=True, metavar="FIELD", help="Field with the period, usually the month."
)
@click.option(
    "--expect",
    type=click.Path(path_type=Path),
    metavar="SITES",
    help="List of senders who should report (CSV).",
)
@click.option("--require-complete", is_flag=True, help="Exit with 1 if something is missing.")
@cross_option
@chart_option
@overwrite_option
@table_option
@json_option
def command(
    records: Path,
    rows: tuple[str, ...],
    across: str,
    expect: Path | None,
    require_complete: bool,
    output: Path | None,
    chart: Path | None,
    overwrite: bool,
    table: str | None,
    as_json: bool,
) -> int:
    """Count the records of an output of extract, or of a LAYOUT, by sender and period."""
    from boreotabula.batch.claims import check_claim
    from boreotabula.batch.inputs import check_apart
    from boreotabula.batch.read_all import ReadOptions
    from boreotabula.cli.commands.crosstab import print_cross
    from boreotabula.review.charts import check_chart, draw_cross
    from boreotabula.review.coverage import coverage, expected_rows
    from boreotabula.review.cross_files import check_cross, write_cross
    from boreotabula.stores.records import load_records, source_folders

    for path, check in ((output, check_cross), (chart, check_chart)):
        if path is not None:
            check(path)
            check_apart(path, source_folders(records))
            check_claim(path, (records, expect), overwrite=overwrite)
    expected = expected_rows(expect, rows) if expect is not None else []
    result = coverage(load_records(records, table, ReadOptions(None)), rows, across, expected)
    if output is not None:
        write_cross(result.cross, output)
    if chart is not None:
        draw_cross(result.cross, chart, "heat")
    if as_json:
        say_json(_described(result))
    else:
        if output is None and chart is None:
            print_cross(result.cross)
        for line in _said(result):
            say(line)
        for path in (path for path in (output, chart) if path is not None):
            say(f"{path}: {result.cross.records:,} records")
    return 1 if require_complete and not result.complete else 0


def _said(coverage: Coverage) -> Iterator[str]:
    """What stands out, in words."""
    yield ""
    for row in coverage.never:
        yield f"missing   {_name(row)} has never reported"
    gaps: dict[tuple[str, ...], list[str]] = {}
    for row, period in coverage.gaps:
        gaps.setdefault(row, []).append(brief(period, 30))
    for row, gap in gaps.items():
        extra = f" and {len(gap) - _MOST} more" if len(gap) > _MOST else ""
        yield f"gap       {_name(row)}: {', '.join(gap[:_MOST])}{extra}"
    for row, period, behind in coverage.late:
        periods = counted(behind, "period")
        yield f"late      {_name(row)}: last report for {brief(period, 30)}, {periods} behind"
    for row, period, files in coverage.double:
        yield f"double    {_name(row)}, {brief(period, 30)}: {', '.join(files)}"
    if coverage.complete:
        yield "Complete: everybody reported for every period."


def _name(row: tuple[str, ...]) -> str:
    return " · ".join(brief(one, 80) for one in row)


def _described(coverage: Coverage) -> dict[str, object]:
    return {
        "rows": [list(row) for row in coverage.cross.rows],
        "columns": list(coverage.cross.columns),
        "records": [list(row) for row in coverage.cross.cells],
        "complete": coverage.complete,
        "never": [list(texts) for texts in coverage.never],
        "gaps": [{"row": list(row), "period": period} for row, period in coverage.gaps],
        "late": [
            {"row": list(row), "last": period, "behind": behind}
            for row, period, behind in coverage.late
        ],
        "double": [
            {"row": list(row), "period": period, "files": list(files)}
            for row, period, files in coverage.double
        ],
    }
