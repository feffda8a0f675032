"""Who is late: the days on which reports are due, and whether they have come.

Nothing here reads the clock: the day `on` is given. A report is taken to have come on the day on
which its file was last changed, because nothing else is known: a file that was corrected and
replaced counts by its last version. Where several files hold a report, the first to come counts.
"""

from __future__ import annotations

from calendar import monthrange
from collections import Counter
from collections.abc import Callable, Iterator, Mapping, Sequence
from dataclasses import dataclass
from datetime import date, timedelta
from enum import Enum
from pathlib import Path

import pyarrow as pa

from boreotabula.errors import CallError
from boreotabula.layout.field_types import TextStyle
from boreotabula.review.crosstab.cross import Label
from boreotabula.review.crosstab.ordering import BLANK
from boreotabula.stores.csv import field_type
from boreotabula.stores.records import texts_of
from boreotabula.texts import brief, counted

Came = Callable[[str], date | None]
"""The day on which a file came, by its name in the records; None if unknown."""


class Standing(Enum):
    """The standing of a report that did not come in time."""

    MISSING = "missing"
    """Its day is past, and it has not come."""
    LATE = "late"
    """It came after its day."""
    DUE = "due"
    """It has not come, and need not yet."""


@dataclass(frozen=True)
class Sender:
    """Who must report, with the entries of the list of senders."""

    label: Label
    due: int | None = None
    """A report is due this many days after its period ends."""
    language: str = ""


def senders_met(table: pa.Table, rows: Sequence[str], due: int) -> list[Sender]:
    """Everybody who has ever reported, with the same number of days for all reports."""
    names = [[text or BLANK for text in texts_of(table, name)] for name in rows]
    return [Sender(label, due) for label in sorted(set(zip(*names, strict=True)))]


@dataclass(frozen=True)
class Report:
    """A report of a sender for a period that is late, missing or still to come."""

    label: Label
    period: str
    standing: Standing
    due: date
    came: date | None = None
    files: tuple[str, ...] = ()

    def days(self, on: date) -> int:
        """The number of days from its due day to another; negative before it."""
        return (on - self.due).days


def reports(
    table: pa.Table,
    fields: tuple[Sequence[str], str],
    senders: Sequence[Sender],
    on: date,
    came: Came,
) -> list[Report]:
    """The reports that are late, missing or due, by sender and period; `fields` are those that name
    senders, and the one of the period.

    The deadline counts from the end of the period. Raises CallError if the periods have no known
    end.
    """
    rows, across = fields
    written = field_type(table.schema.field(across)).written
    if not _has_ends(table, across):
        raise CallError(
            f"“{across}” is no month, date or year, so no day is known on which it ends"
        )
    return standings(_files(table, rows, across), written, senders, on, came)


def standings(
    there: Mapping[tuple[Label, str], tuple[str, ...]],
    written: TextStyle,
    senders: Sequence[Sender],
    on: date,
    came: Came,
) -> list[Report]:
    """The reports that are late, missing or due.

    `there` gives the files of each sender, in small letters, and period; `written` the form of the
    periods.
    """
    # A period that nobody has reported is missing for everybody, so all are needed.
    periods = _ended(sorted({period for _, period in there} - {BLANK}), written, on)
    result = []
    for sender in senders:
        # Lists of senders are written by hand, in any letter case.
        label = tuple(text.casefold() for text in sender.label)
        for period, end in periods.items() if sender.due is not None else ():
            day = end + timedelta(days=sender.due or 0)
            report = _report(sender.label, period, day, there.get((label, period), ()), on, came)
            result += [report] if report is not None else []
    return result


def _report(
    label: Label, period: str, day: date, files: tuple[str, ...], on: date, came: Came
) -> Report | None:
    """The standing of one report; None if it came in time, or the day is unknown."""
    if not files:
        return Report(label, period, Standing.DUE if on <= day else Standing.MISSING, day)
    days = [known for file in files if (known := came(file)) is not None]
    # The first file was the report; what came later adds to it or corrects it.
    if days and min(days) > day:
        return Report(label, period, Standing.LATE, day, min(days), files)
    return None


def _files(
    table: pa.Table, rows: Sequence[str], across: str
) -> Mapping[tuple[Label, str], tuple[str, ...]]:
    """The files that hold the records of each sender, in small letters, and period."""
    names = [[text or BLANK for text in texts_of(table, name)] for name in (*rows, across)]
    by_report: dict[tuple[Label, str], dict[str, None]] = {}
    sources = table.column("source_file").to_pylist()
    for key, file in zip(zip(*names, strict=True), sources, strict=True):
        label = tuple(text.casefold() for text in key[:-1])
        by_report.setdefault((label, key[-1]), {})[file] = None
    return {key: tuple(files) for key, files in by_report.items()}


def _has_ends(table: pa.Table, across: str) -> bool:
    column = table.schema.field(across)
    if pa.types.is_date(column.type):
        return True
    return all(
        text is None or (text.isdigit() and 1900 <= int(text) <= 2100)
        for text in texts_of(table, across)
    )


def _ended(periods: Sequence[str], written: TextStyle, on: date) -> dict[str, date]:
    """The periods from the first that occurs to the last that has ended, each with its last day.

    Where periods are days, only those that occur: on which others a report was due is unknown.
    """
    if not periods:
        return {}
    ends = {period: end_of_period(period) for period in periods}
    # Up to the day itself: a period that ended yesterday is due, too.
    first, last = min(ends.values()), max(*ends.values(), on)
    if written is TextStyle.AS_MONTH:
        months = range(first.year * 12 + first.month - 1, last.year * 12 + last.month)
        ends = {
            text: end_of_period(text) for text in (f"{n // 12:04}-{n % 12 + 1:02}" for n in months)
        }
    elif all(len(period) == 4 for period in periods):
        ends = {text: end_of_period(text) for text in map(str, range(first.year, last.year + 1))}
    return {period: end for period, end in ends.items() if end < on}


def end_of_period(period: str) -> date:
    """The last day of a year, month or day as records write it."""
    if len(period) == 4:
        return date(int(period), 12, 31)
    year, month = int(period[:4]), int(period[5:7])
    return date(year, month, int(period[8:10]) if len(period) > 7 else monthrange(year, month)[1])


def missing_of(reports: Sequence[Report]) -> Mapping[Label, list[Report]]:
    """The missing reports of each sender that lacks any."""
    result: dict[Label, list[Report]] = {}
    for report in reports:
        if report.standing is Standing.MISSING:
            result.setdefault(report.label, []).append(report)
    return result


def said(reports: Sequence[Report], on: date) -> Iterator[str]:
    """A line for each report: its standing, its sender, and its day.

    Several that one sender owes share a line; late ones for earlier periods than the last are
    counted by sender.
    """
    last = max((report.period for report in reports), default="")
    for label, owed in missing_of(reports).items():
        first, *_, until = (*owed, owed[-1])
        count, ago = len(owed), f"due {first.due}, {_days(first.days(on))} ago"
        if count == 1:
            yield f"missing   {_name(label)}, {first.period}: {ago}"
        else:
            yield (
                f"missing   {_name(label)}, {first.period} to {until.period}: {count} reports, the"
                f" first {ago}"
            )
    earlier: Counter[Label] = Counter()
    for report in reports:
        if report.standing is Standing.LATE and report.period == last:
            yield (
                f"late      {_name(report.label)}, {report.period}: file of {report.came}, due"
                f" {report.due}"
            )
        elif report.standing is Standing.LATE:
            earlier[report.label] += 1
    for label, count in earlier.items():
        yield f"late      {_name(label)}: {counted(count, 'report')} for earlier periods"
    for report in reports:
        if report.standing is Standing.DUE:
            days = -report.days(on)
            when = f"in {_days(days)}" if days else "today"
            yield f"due       {_name(report.label)}, {report.period}: due {report.due}, {when}"


def _name(label: Label) -> str:
    return " · ".join(brief(text, 80) for text in label)


def _days(count: int) -> str:
    return counted(count, "day")


def came_by_files(paths: Mapping[str, Path]) -> Came:
    """The day on which each file was last changed; `paths` are those of files by their names."""

    def came(file: str) -> date | None:
        try:
            # The only trace of when a report came; copying a folder may change it.
            return date.fromtimestamp(paths[file].stat().st_mtime)
        except (KeyError, OSError):
            return None

    return came
