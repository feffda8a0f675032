"""`boreotabula coverage`: who reported when, and who did not."""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from dataclasses import dataclass, replace
from datetime import date, datetime
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
)
from boreotabula.cli.printing import say, say_json
from boreotabula.errors import CallError
from boreotabula.texts import brief, counted

if TYPE_CHECKING:
    import pyarrow as pa

    from boreotabula.review.coverage import Coverage
    from boreotabula.review.crosstab.cross import Label
    from boreotabula.review.due import Report, Sender
    from boreotabula.stores.bases.base import BasePlace

EPILOG = """\b
Examples:
  boreotabula coverage stock.csv --rows nursery --across month
  boreotabula coverage stock.csv --rows nursery --across month \\
      --expect sites.csv
  boreotabula coverage stock.csv --rows nursery \\
      --across month -o coverage.xlsx --require-complete
  boreotabula coverage stock.csv --rows nursery --across month --due 10

Each cell counts records; a dot is a gap. Months without any report are shown too. SITES is a CSV
file with a column for each field of --rows, so that senders who never reported are shown as well.
With --due, or a column “due” in SITES (days after a period), it says what is missing, what came
late by the date of its file, and what is still due.

\b
Exit status:
  0 done
  1 with --require-complete, if something is missing by now
  2 wrong call"""

_MOST = 8


@dataclass(frozen=True)
class CoverageOptions:
    """The arguments and options of `boreotabula coverage`."""

    records: Path
    rows: tuple[str, ...]
    across: str
    expect: Path | None
    due: int | None
    day: datetime | None
    require_complete: bool
    output: Path | None
    chart: Path | None
    overwrite: bool
    table: str | None
    as_json: bool


@click.command("coverage", cls=Command, epilog=EPILOG)
@click.argument("records", type=PLACE, metavar="RECORDS|LAYOUT")
@fields_option("--rows", "Fields with the sender")
@click.option(
    "--across", required=True, metavar="FIELD", help="Field with the period, usually the month."
)
@click.option(
    "--expect",
    type=click.Path(path_type=Path),
    metavar="SITES",
    help="List of senders who should report (CSV).",
)
@click.option("--due", type=click.IntRange(min=0), metavar="DAYS",
              help="Days after a period until its report is due.")  # fmt: skip
@click.option("--on", "day", type=click.DateTime(["%Y-%m-%d"]), metavar="DATE",
              help="With --due: as of this day. Default: today.")  # fmt: skip
@click.option("--require-complete", is_flag=True, help="Exit with 1 if something is missing.")
@cross_option
@chart_option
@overwrite_option
@table_option
@json_option
@options_as(CoverageOptions)
def command(options: CoverageOptions) -> int:
    """Count the records of an output of extract, or of a LAYOUT, by sender and period."""
    from boreotabula.batch.read_all import ReadOptions
    from boreotabula.cli.commands.review.crosstab import print_cross
    from boreotabula.review.charts.cross import draw_cross
    from boreotabula.review.charts.figure import check_chart
    from boreotabula.review.coverage import coverage, expected_senders
    from boreotabula.review.crosstab.cross_files import check_cross, write_cross
    from boreotabula.stores.records import load_records

    for path, check in ((options.output, check_cross), (options.chart, check_chart)):
        if path is not None:
            check(path)
            _check_written(path, options.records, options.expect, overwrite=options.overwrite)
    listed = (
        expected_senders(options.expect, options.rows, options.due)
        if options.expect is not None
        else []
    )
    labels = [sender.label for sender in listed]
    read = load_records(options.records, options.table, ReadOptions(None))
    met = coverage(read, options.rows, options.across, labels)
    lateness = _lateness(
        read, (options.rows, options.across), options.records, listed, options.due, options.day
    )
    summary, result = _summary(met, lateness), met
    # Periods that are due belong into the table, though nobody has reported for them yet.
    if lateness.reports:
        until = max(report.period for report in lateness.reports)
        result = coverage(read, options.rows, options.across, labels, until)
    if options.output is not None:
        write_cross(result.cross, options.output)
    if options.chart is not None:
        draw_cross(result.cross, options.chart, "heat")
    if options.as_json:
        say_json(_described(result, lateness, complete=summary.complete))
    else:
        if options.output is None and options.chart is None:
            print_cross(result.cross)
        for line in _said(summary, lateness):
            say(line)
        for path in (path for path in (options.output, options.chart) if path is not None):
            say(f"{path}: {result.cross.records:,} records")
    return 1 if options.require_complete and not summary.complete else 0


def _check_written(path: Path, records: Path, expect: Path | None, *, overwrite: bool) -> None:
    """Raises CallError if a file may not be written."""
    from boreotabula.batch.claims import check_claim
    from boreotabula.batch.output_checks import check_apart
    from boreotabula.stores.records import source_folders

    check_apart(path, source_folders(records))
    check_claim(path, (records, expect), overwrite=overwrite)


@dataclass(frozen=True)
class _Lateness:
    """Which reports are late, missing or due on a day."""

    reports: Sequence[Report]
    on: date
    judged: frozenset[Label] = frozenset()
    """The senders whose deadlines are known, in small letters."""

    def judges(self, label: Label) -> bool:
        """Whether the deadlines of a sender are known."""
        return tuple(text.casefold() for text in label) in self.judged


def _lateness(
    table: pa.Table,
    fields: tuple[Sequence[str], str],
    place: BasePlace,
    listed: Sequence[Sender],
    due: int | None,
    day: datetime | None,
) -> _Lateness:
    """The standing of all reports. Without a list, all who have ever reported are judged."""
    from boreotabula.review.due import came_by_files, reports, senders_met
    from boreotabula.stores.records import source_paths

    # The only place of this command that reads the clock.
    on = day.date() if day is not None else date.today()
    senders = listed or (senders_met(table, fields[0], due) if due is not None else [])
    if not any(sender.due is not None for sender in senders):
        if day is not None:
            raise CallError("--on goes with --due, or with a column “due” in the list of --expect")
        return _Lateness((), on)
    came = came_by_files(source_paths(place))
    judged = frozenset(
        tuple(text.casefold() for text in sender.label)
        for sender in senders
        if sender.due is not None
    )
    return _Lateness(reports(table, fields, senders, on, came), on, judged)


@dataclass(frozen=True)
class _Summary:
    """What is missing and what is not: for senders with deadlines by these, for all others by the
    periods for which anybody reported."""

    coverage: Coverage
    """Without the statements about senders with deadlines."""
    reports: Sequence[Report]
    """Late, missing and due ones; senders who never reported are in `coverage`."""
    complete: bool
    """Whether nothing is missing; reports that are not due yet do not count."""


def _summary(met: Coverage, lateness: _Lateness) -> _Summary:
    from boreotabula.review.due import missing_of

    # A sender with deadlines is judged by these alone: one cause, one line.
    others = replace(
        met,
        gaps=tuple(gap for gap in met.gaps if not lateness.judges(gap[0])),
        late=tuple(late for late in met.late if not lateness.judges(late[0])),
    )
    complete = others.complete and not missing_of(lateness.reports)
    never = set(met.never)
    # Who never reported has a line of their own instead of one for each period.
    reports = [report for report in lateness.reports if report.label not in never]
    return _Summary(others, reports, complete)


def _said(summary: _Summary, lateness: _Lateness) -> Iterator[str]:
    """What stands out, in words."""
    from boreotabula.review.due import Standing, said

    yield ""
    for row in summary.coverage.never:
        yield f"missing   {_name(row)} has never reported"
    yield from said(summary.reports, lateness.on)
    yield from _gaps_said(summary.coverage)
    for row, period, files in summary.coverage.double:
        yield f"double    {_name(row)}, {brief(period, 30)}: {', '.join(files)}"
    if summary.complete and any(report.standing is Standing.DUE for report in lateness.reports):
        yield "Complete up to now: all that was due has been reported."
    elif summary.complete:
        yield "Complete: everybody reported for every period."


def _gaps_said(coverage: Coverage) -> Iterator[str]:
    """What is missing, where no deadline is known."""
    gaps: dict[tuple[str, ...], list[str]] = {}
    for row, period in coverage.gaps:
        gaps.setdefault(row, []).append(brief(period, 30))
    for row, gap in gaps.items():
        extra = f" and {len(gap) - _MOST} more" if len(gap) > _MOST else ""
        yield f"gap       {_name(row)}: {', '.join(gap[:_MOST])}{extra}"
    for row, period, behind in coverage.late:
        periods = counted(behind, "period")
        yield f"late      {_name(row)}: last report for {brief(period, 30)}, {periods} behind"


def _name(row: tuple[str, ...]) -> str:
    return " · ".join(brief(text, 80) for text in row)


def _described(coverage: Coverage, lateness: _Lateness, *, complete: bool) -> dict[str, object]:
    due = {
        "on": lateness.on,
        "reports": [
            {"row": report.label, "period": report.period, "standing": report.standing,
             "due": report.due, "came": report.came, "files": report.files}
            for report in lateness.reports
        ],
    }  # fmt: skip
    return {
        "rows": coverage.cross.rows,
        "columns": coverage.cross.columns,
        "records": coverage.cross.cells,
        "complete": complete,
        **({"due": due} if lateness.judged else {}),
        "never": coverage.never,
        "gaps": [{"row": row, "period": period} for row, period in coverage.gaps],
        "late": [
            {"row": row, "last": period, "behind": behind} for row, period, behind in coverage.late
        ],
        "double": [
            {"row": row, "period": period, "files": files} for row, period, files in coverage.double
        ],
    }
