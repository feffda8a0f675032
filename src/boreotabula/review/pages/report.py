"""The page of a run: one HTML file that needs no network and no script, and prints well."""

from __future__ import annotations

from collections import Counter
from collections.abc import Iterable, Iterator, Mapping, Sequence
from dataclasses import dataclass, replace
from datetime import date
from pathlib import Path, PurePath

from boreotabula import __version__
from boreotabula.batch.claims import claimed
from boreotabula.batch.compare.causes import by_cause, reach_of
from boreotabula.batch.output_checks import PAGES, check_place
from boreotabula.batch.run.outcome import Run
from boreotabula.errors import CallError
from boreotabula.findings.finding import Finding
from boreotabula.findings.kind import Severity
from boreotabula.findings.subjects.values import CELL_CORRECTED
from boreotabula.layout.field_types import TextStyle
from boreotabula.limits import Limits
from boreotabula.reading.account.roles import Role
from boreotabula.review.coverage import expected_senders
from boreotabula.review.crosstab.cross import Label
from boreotabula.review.due import Sender, came_by_files, said, standings
from boreotabula.review.pages.html import page_template
from boreotabula.review.pages.links import LinkedPlace, Links
from boreotabula.review.pages.roles_beside import write_roles
from boreotabula.review.pages.sums import MonthSums, month_sums
from boreotabula.sheets.parts.writing import MARK
from boreotabula.stores.csv import csv_texts
from boreotabula.stores.records import source_paths
from boreotabula.texts import in_natural_order

_MOST_PLACES = 12
_MOST_FILES = 400
_ROLES = [*(role for role in Role if role is not Role.UNPLACED), Role.UNPLACED]


@dataclass(frozen=True)
class _Cause:
    """Findings of one cause, as the page shows them."""

    severity: str
    message: str
    reach: str
    advice: str
    places: Sequence[LinkedPlace]
    more: int


@dataclass(frozen=True)
class _Matrix:
    """Records by sender and period, from the stamps of tabs."""

    sender: str
    period: str
    columns: Sequence[str]
    rows: Sequence[_Row]
    lacking: Sequence[tuple[str, str]]
    """Who has not reported, and for which periods: 'never', or the periods."""
    late: Sequence[str] = ()
    """Which reports are missing, late or due, where the list of senders gives deadlines."""
    to_check: Sequence[tuple[str, int, int]] = ()
    """Senders with errors or warnings that nobody has accepted, and the number of each."""
    sums: Sequence[MonthSums] = ()
    """Their last sums, beside the ones before."""


@dataclass(frozen=True)
class _Row:
    """A sender, with its records of each period, and the heights of bars that draw them."""

    name: str
    counts: Sequence[int | None]
    bars: Sequence[int]


def check_report(out: Path) -> None:
    """Raises CallError if the page cannot be written to a file."""
    check_place(out, PAGES, "a page is written as")


def check_expected(path: Path, fields: Iterable[str]) -> None:
    """Raises CallError if no column of a list of who must report has the name of a field."""
    _expected(path, fields)


def write_report(
    run: Run,
    out: Path,
    output: str | None,
    expect: Path | None = None,
    limits: Limits | None = None,
) -> None:
    """Write the page of a run, whole or not at all, and beside it the page of roles that it links
    to.

    `output` is where its records went, `expect` a list of who must report. Raises CallError if that
    cannot be done, or if no stamp of the tabs is a sender in the list.
    """
    paths = source_paths(run.layout.path)
    links = Links(out, paths, write_roles(run, out, paths, limits or Limits()))
    text = page_template("report.html").render(
        run=run,
        title=run.layout.spec.title or run.layout.path.stem,
        output=PurePath(output).name if output else None,
        version=__version__,
        mark=MARK,
        roles=[(role.word, run.account.roles[role]) for role in _ROLES if run.account.roles[role]],
        left_out=sorted(run.account.left_out.items()),
        severities=[
            (str(severity), run.severities[severity])
            for severity in Severity
            if run.severities[severity]
        ],
        causes=list(_causes([finding for finding in run.findings if not finding.accepted], links)),
        accepted=[
            (finding.accepted, finding.code, links.place(finding), finding.message)
            for finding in run.findings
            if finding.accepted
        ],
        corrected=[
            (links.place(finding), finding.message)
            for finding in run.findings
            if finding.kind == CELL_CORRECTED
        ],
        matrix=_matrix(run, expect),
        restated=_restated(run),
        first=[(name, csv_texts(table)) for name, table in run.first.items() if table.num_rows],
        files=run.files[:_MOST_FILES],
        more_files=max(len(run.files) - _MOST_FILES, 0),
    )
    with claimed(out) as stream:
        stream.write(text.encode())


def _causes(findings: Sequence[Finding], links: Links) -> Iterator[_Cause]:
    for group in by_cause(findings):
        first = group[0]
        most = _MOST_PLACES if first.severity is Severity.ERROR else _MOST_PLACES // 4
        yield _Cause(
            str(first.severity), first.message, reach_of(group), first.advice,
            list(map(links.place, group[:most])), max(len(group) - most, 0),
        )  # fmt: skip


_MOST_RESTATED = 40


def _restated(run: Run) -> list[list[str]]:
    """The first rows of what was restated, headings first; empty if nothing was."""
    if not run.restated:
        return []
    names = run.restated.lines.schema.names
    lines = run.restated.lines.slice(0, _MOST_RESTATED).to_pylist()
    return [names, *([value or "" for value in line.values()] for line in lines)]


def _matrix(run: Run, expect: Path | None) -> _Matrix | None:
    """Who reported when, if the tabs have a text and a month or date among their stamps.

    With `expect`, the field of senders is the column of that list.
    """
    tabs = [tab for file in run.files for tab in file.tabs if tab.stamps]
    stamps = [(tab.stamps, tab.records) for tab in tabs]
    named = [(name, stamp) for tab in tabs for name, stamp in tab.stamps.items()
             if name not in tab.from_tab]  # fmt: skip
    period = next((name for name, value in named if isinstance(value, date)), None)
    senders = [name for name, value in named if isinstance(value, str)]
    # Of several texts the one with the most values tells senders apart: a region has many.
    sender = max(
        dict.fromkeys(senders), key=lambda name: len({values.get(name) for values, _ in stamps}),
        default=None,
    )  # fmt: skip
    expected: list[Sender] = []
    if expect is not None:
        sender, expected = _expected(expect, dict.fromkeys(senders))
    if sender is None or period is None:
        return None
    counts: Counter[tuple[str, str]] = Counter()
    for values, records in stamps:
        key = (str(values.get(sender) or "–"), str(values.get(period) or "–")[:7])
        counts[key] += records
    matrix = _matrix_of(sender, period, counts, [named.label[0] for named in expected])
    if matrix is None:
        return None
    return replace(
        matrix,
        late=_late(run, sender, period, expected),
        to_check=_to_check(run, sender),
        sums=month_sums(run, sender, period),
    )


def _late(run: Run, sender: str, period: str, expected: Sequence[Sender]) -> list[str]:
    """What is missing, late or due on the day of the run."""
    if all(named.due is None for named in expected):
        return []
    there: dict[tuple[Label, str], dict[str, None]] = {}
    for file in run.files:
        for tab in file.tabs:
            day, name = tab.stamps.get(period), tab.stamps.get(sender)
            if isinstance(day, date) and name:
                there.setdefault(((str(name).casefold(),), str(day)[:7]), {})[file.name] = None
    on = run.started.date()
    came = came_by_files(source_paths(run.layout.path))
    files = {key: tuple(names) for key, names in there.items()}
    return list(said(standings(files, TextStyle.AS_MONTH, expected, on, came), on))


def _to_check(run: Run, sender: str) -> list[tuple[str, int, int]]:
    """How many errors and warnings the tabs of each sender have."""
    names = {
        (file.name, tab.name): str(tab.stamps[sender])
        for file in run.files for tab in file.tabs if tab.stamps.get(sender)
    }  # fmt: skip
    of_file = {file: name for (file, _), name in names.items()}
    counts = {severity: Counter[str]() for severity in (Severity.ERROR, Severity.WARNING)}
    for finding in run.findings:
        name = names.get((finding.file, finding.tab)) or of_file.get(finding.file)
        if name and not finding.accepted and finding.severity in counts:
            counts[finding.severity][name] += 1
    every = sorted({name for group in counts.values() for name in group}, key=in_natural_order)
    errors, warnings = counts[Severity.ERROR], counts[Severity.WARNING]
    return [(name, errors[name], warnings[name]) for name in every]


def _matrix_of(
    sender: str, period: str, counts: Mapping[tuple[str, str], int], expected: Sequence[str]
) -> _Matrix | None:
    """The matrix of records by sender and period, unless it is too large for a page."""
    columns = sorted({column for _, column in counts})
    texts = {row for row, _ in counts}
    known_texts = {row.casefold() for row in texts}
    never = [text for text in expected if text.casefold() not in known_texts]
    rows = sorted({*texts, *never}, key=in_natural_order)
    if len(columns) > 40 or len(rows) > 200:
        return None
    most = max(counts.values(), default=0) or 1
    made = [
        _Row(row, numbers, [round(_BAR * (index or 0) / most) for index in numbers])
        for row in rows
        for numbers in [[counts.get((row, column)) for column in columns]]
    ]
    lacking = [
        (
            row.name,
            "never" if not any(count is not None for count in row.counts) else ", ".join(gaps),
        )
        for row in made
        if (gaps := [column for column in columns if (row.name, column) not in counts])
    ]
    return _Matrix(sender, period, columns, made, lacking)


_BAR = 18
"""The height of the tallest bar in a picture of reports over time."""


def _expected(path: Path, senders: Iterable[str]) -> tuple[str, list[Sender]]:
    """The stamp that a list of senders names, and its senders."""
    for name in senders:
        try:
            return name, expected_senders(path, [name])
        except CallError as error:
            if "has no column" not in str(error):
                raise
    raise CallError(
        f"--expect: no column of “{path}” is called like what tells senders apart; known:"
        f" {', '.join(senders) or 'the layout has nothing of the kind'}"
    )
