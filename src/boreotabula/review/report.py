"""The page of a run: one HTML file that needs no network and no script, and prints well."""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from dataclasses import dataclass
from datetime import date
from importlib.resources import files
from pathlib import Path

from boreotabula import __version__
from boreotabula.errors import CallError
from boreotabula.outputs.csv import csv_rows
from boreotabula.reading.account.roles import Role
from boreotabula.reading.findings import Finding, Severity
from boreotabula.runs.atomic import placed
from boreotabula.runs.compare.causes import by_cause, reach_of
from boreotabula.runs.run.gather import Run

_MOST_PLACES = 12
_MOST_FILES = 400
_ROLES = [*(one for one in Role if one is not Role.UNPLACED), Role.UNPLACED]


@dataclass(frozen=True)
class _Cause:
    """Findings of one cause, as the page shows them."""

    severity: str
    message: str
    reach: str
    advice: str
    places: Sequence[str]
    more: int


@dataclass(frozen=True)
class _Matrix:
    """Records by sender and period, from the stamps of tabs."""

    sender: str
    period: str
    columns: Sequence[str]
    rows: Sequence[tuple[str, Sequence[int | None]]]


def check_report(out: Path) -> None:
    """Raises CallError if the page cannot be written to a file."""
    if out.suffix.lower() not in (".html", ".htm"):
        raise CallError(f"--report: “{out}” is a page; name it .html")
    if not out.parent.is_dir():
        raise CallError(f"--report: there is no folder “{out.parent}”")


def write_report(run: Run, out: Path, output: Path | None) -> None:
    """Write the page of a run, whole or not at all. Raises CallError if that cannot be."""
    import jinja2  # only needed for this kind of output

    source = files("boreotabula.review").joinpath("report.html").read_text("utf-8")
    shape = jinja2.Environment(autoescape=True, trim_blocks=True, lstrip_blocks=True)
    shape.filters["grouped"] = lambda number: f"{number:,}"
    text = shape.from_string(source).render(
        run=run,
        title=run.layout.spec.title or run.layout.path.stem,
        output=output.name if output else None,
        version=__version__,
        roles=[(role.word, run.account.roles[role]) for role in _ROLES if run.account.roles[role]],
        left_out=sorted(run.account.left_out.items()),
        severities=[(str(one), run.severities[one]) for one in Severity if run.severities[one]],
        causes=list(_causes(run.findings)),
        matrix=_matrix(run),
        first=[(name, csv_rows(table)) for name, table in run.first.items() if table.num_rows],
        files=run.files[:_MOST_FILES],
        more_files=max(len(run.files) - _MOST_FILES, 0),
    )
    with placed(out) as stream:
        stream.write(text.encode())


def _causes(findings: Sequence[Finding]) -> Iterator[_Cause]:
    for group in by_cause(findings):
        first = group[0]
        most = _MOST_PLACES if first.severity is Severity.ERROR else _MOST_PLACES // 4
        places = [
            " › ".join(part for part in (one.file, one.tab, one.cell) if part) or "the whole run"
            for one in group
        ]
        yield _Cause(
            str(first.severity), first.message, reach_of(group), first.advice,
            places[:most], max(len(places) - most, 0),
        )  # fmt: skip


def _matrix(run: Run) -> _Matrix | None:
    """Who reported when, if the tabs have a text and a month or date among their stamps."""
    tabs = [tab for file in run.files for tab in file.tabs if tab.stamps]
    stamps = [(tab.stamps, tab.records) for tab in tabs]
    named = [(name, one) for tab in tabs for name, one in tab.stamps.items()
             if name not in tab.from_tab]  # fmt: skip
    period = next((name for name, one in named if isinstance(one, date)), None)
    senders = [name for name, one in named if isinstance(one, str)]
    # Of several texts the one with the most values tells senders apart: a region has many.
    sender = max(
        dict.fromkeys(senders), key=lambda name: len({some.get(name) for some, _ in stamps}),
        default=None,
    )  # fmt: skip
    if sender is None or period is None:
        return None
    counts: dict[tuple[str, str], int] = {}
    for some, records in stamps:
        key = (str(some.get(sender) or "–"), str(some.get(period) or "–")[:7])
        counts[key] = counts.get(key, 0) + records
    columns = sorted({column for _, column in counts})
    rows = sorted({row for row, _ in counts})
    if len(columns) > 40 or len(rows) > 200:
        return None
    return _Matrix(
        sender, period, columns, [(row, [counts.get((row, at)) for at in columns]) for row in rows]
    )
