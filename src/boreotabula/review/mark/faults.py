"""The faults of each sender's file, as the record of a run has them."""

from __future__ import annotations

import csv
from collections import defaultdict
from collections.abc import Collection, Iterable, Iterator, Mapping, Sequence
from dataclasses import dataclass, replace
from pathlib import Path

from boreotabula.errors import CallError
from boreotabula.findings.catalogue import BY_CODE
from boreotabula.findings.finding import Finding
from boreotabula.findings.kind import FindingKind, Severity
from boreotabula.findings.subjects.comparing import VALUE_RESTATED
from boreotabula.findings.subjects.values import CELL_CORRECTED
from boreotabula.layout.addresses import Address, written_address
from boreotabula.review.mark.words import Request, Say, request_of, said_of
from boreotabula.review.restated import WHOLE_RECORD

_MOST_MARKS = 2_000
"""More marks on a tab help nobody."""


COLOURS: Mapping[Severity, str] = {
    Severity.ERROR: "C00020", Severity.WARNING: "B45F00", Severity.NOTE: "1F5FA8",
}  # fmt: skip
"""The colours of borders, as red, green and blue."""


@dataclass(frozen=True)
class Fault:
    """Something for a sender to correct."""

    tab: str
    at: Address | None
    severity: Severity
    kind: FindingKind
    text: str
    """The text for the sender."""
    found: str = ""
    wanted: str = ""
    field: str = ""
    """The field whose value was restated."""

    @property
    def cell(self) -> str:
        """Its cell as an address; empty if it is about the tab or the file."""
        return "" if self.at is None else str(self.at)


def by_request(faults: Iterable[Fault]) -> dict[Request, list[Fault]]:
    """Faults by the request to the sender: those to be corrected first. Faults without a request
    are left out."""
    groups: dict[Request, list[Fault]] = {request: [] for request in Request}
    for fault in faults:
        groups[request_of(fault.kind)].append(fault)
    return {request: group for request, group in groups.items() if group}


def faults_in(findings: Iterable[Finding], least: Severity, say: Say) -> tuple[list[Fault], int]:
    """The faults of a single file, and the number of findings for the analyst alone.

    They are the findings of its run that nobody has accepted, of the given severity or above, in
    the order of their cells.
    """
    faults: list[Fault] = []
    others = 0
    for finding in findings:
        wanted = _rank(finding.severity) <= _rank(least) or finding.kind == CELL_CORRECTED
        if not wanted or finding.accepted:
            continue
        if not finding.kind.sender:
            others += 1
            continue
        text = said_of(finding.kind, finding.looked_for, finding.found, say)
        faults.append(
            Fault(finding.tab, finding.at, finding.severity, finding.kind, text, finding.found,
                  finding.looked_for)
        )  # fmt: skip
    return sorted(faults, key=lambda fault: (fault.tab, fault.at or (-1, -1))), others


def faults_of(
    run_folder: Path, least: Severity, say: Say, numbers: Collection[str] = ()
) -> tuple[Mapping[str, Sequence[Fault]], int]:
    """The faults of each file, of the given severity or above, in the order of their cells; and the
    number of findings for the analyst alone.

    The values of the fields in `numbers` are written as the language writes numbers; others may be
    codes. Raises CallError if the findings of the run are missing.
    """
    chosen = [severity for severity in Severity if _rank(severity) <= _rank(least)]
    result: dict[str, list[Fault]] = defaultdict(list)
    count = 0
    for row in rows_of(run_folder, "findings.csv"):
        severity = Severity(row["severity"])
        # What a person has corrected is still for the sender to correct.
        wanted = severity in chosen or row["code"] == CELL_CORRECTED.code
        if not wanted or row.get("accepted"):
            continue
        # A code of a later version is for the analyst alone.
        kind = BY_CODE.get(row["code"])
        if not row["file"] or kind is None or not kind.sender:
            count += 1
            continue
        at = written_address(row["cell"])
        text = said_of(kind, row["looked_for"], row["found"], say)
        result[row["file"]].append(
            Fault(row["tab"], at, severity, kind, text, row["found"], row["looked_for"])
        )
    for row in rows_of(run_folder, "unplaced.csv"):
        _add_unplaced(row, result, say)
    # Written by runs after the first alone.
    if any(fault.kind == VALUE_RESTATED for faults in result.values() for fault in faults):
        _add_restated(list(rows_of(run_folder, "restated.csv")), result, say, numbers)
    for faults in result.values():
        faults.sort(key=lambda fault: (fault.tab, fault.at or Address(-1, -1)))
    return {file: _few(faults) for file, faults in result.items()}, count


def _rank(severity: Severity) -> int:
    return list(Severity).index(severity)


def rows_of(run_folder: Path, name: str) -> Iterator[Mapping[str, str]]:
    """The rows of a list that a run wrote, such as findings.csv. Raises CallError if it is
    missing."""
    path = run_folder / name
    try:
        with path.open(encoding="utf-8", newline="") as stream:
            yield from csv.DictReader(stream)
    except OSError as error:
        raise CallError(f"“{path}” cannot be read ({error.strerror}); run extract again") from None


def _add_unplaced(row: Mapping[str, str], result: Mapping[str, list[Fault]], say: Say) -> None:
    """Add the further cells of a fault that is about several."""
    faults = result.get(row["file"], ()) if row["file"] in result else ()
    at = written_address(row["cell"])
    like = next(
        (
            fault
            for fault in faults
            if fault.tab == row["tab"] and fault.kind.code == row["finding"]
        ),
        None,
    )
    if like is None or any(fault.tab == row["tab"] and fault.at == at for fault in faults):
        return
    # A finding names its first cell; unplaced.csv has the others.
    text = said_of(like.kind, like.wanted, row["text"], say)
    result[row["file"]].append(replace(like, at=at, text=text, found=row["text"]))


def _add_restated(
    lines: Sequence[Mapping[str, str]],
    result: dict[str, list[Fault]],
    say: Say,
    numbers: Collection[str],
) -> None:
    """Every cell that a file restates, in place of the finding that names the first of them."""
    for file, faults in result.items():
        restated = next((fault for fault in faults if fault.kind == VALUE_RESTATED), None)
        if restated is None:
            continue
        result[file] = [fault for fault in faults if fault.kind != VALUE_RESTATED]
        for line in lines:
            if line["file"] == file:
                before, now = line["before"], "" if line["field"] == WHOLE_RECORD else line["now"]
                as_said = say.number if line["field"] in numbers else str
                text = said_of(restated.kind, as_said(before), as_said(now), say)
                result[file].append(
                    replace(
                        restated,
                        tab=line["tab"],
                        at=written_address(line["cell"]),
                        text=text,
                        found=now,
                        wanted=before,
                        field=line["field"],
                    )
                )


def _few(faults: Sequence[Fault]) -> list[Fault]:
    counts: dict[str, int] = defaultdict(int)
    kept = []
    for fault in faults:
        counts[fault.tab] += 1
        if counts[fault.tab] <= _MOST_MARKS:
            kept.append(fault)
    return kept
