"""Findings that a person has accepted: lines of a file beside the layout, one for each finding."""

from __future__ import annotations

import re
from collections.abc import Collection, Iterable, Iterator, Sequence
from dataclasses import dataclass, replace
from datetime import date

from boreotabula.batch.layouts.decisions import DecisionLine, decision_lines
from boreotabula.errors import CallError
from boreotabula.findings.catalogue import BY_CODE
from boreotabula.findings.finding import Finding
from boreotabula.findings.subjects.comparing import ACCEPTANCE_IDLE, ACCEPTANCE_LAPSED
from boreotabula.layout.addresses import column_number, parse_address
from boreotabula.layout.patterns import Pattern

COLUMNS = ("code", "file", "tab", "cell", "looked_for", "found", "who", "why", "until")
_NEEDED = ("code", "file", "cell", "who", "why")
_ROW, _COLUMN = re.compile(r"row (\d+)"), re.compile(r"column ([A-Z]{1,3})")


@dataclass(frozen=True)
class Acceptance:
    """A line of the file: the accepted finding, by whom, and why."""

    where: str
    """The file of acceptances and its line."""
    code: str
    file: Pattern
    tab: Pattern | None
    """None for any tab."""
    row: int | None
    """The row of the cell, counted from 0; `column` alike. One of them is None for a whole row or
    column."""
    column: int | None
    looked_for: str
    """The values of these two columns of findings.csv: with them only the seen finding is accepted,
    and no other fault of the same cell. Blank matches anything."""
    found: str
    who: str
    why: str
    until: date | None

    def covers(self, finding: Finding) -> bool:
        """Whether it covers a finding."""
        # A finding about a file has no cell, and is never accepted: it would hide too much.
        at = finding.at
        return (
            finding.code == self.code
            and at is not None
            and self.row in (None, at.row)
            and self.column in (None, at.column)
            and self.file.match(finding.file) is not None
            and (self.tab is None or self.tab.match(finding.tab) is not None)
            # With these filled only the fault that was seen is accepted, not the next one in that
            # cell.
            and self.looked_for in ("", finding.looked_for.strip())
            and self.found in ("", finding.found.strip())
        )


def acceptances(text: str, name: str) -> tuple[Acceptance, ...]:
    """The lines of a file of acceptances.

    Raises CallError, which names the line, for a line that does not say what is accepted, by whom
    and why, or that would accept more than a cell, a row or a column.
    """
    lines = decision_lines(text, name, COLUMNS, _NEEDED, ("code", "file", "tab", "cell"))
    return tuple(map(_acceptance, lines))


def _acceptance(line: DecisionLine) -> Acceptance:
    values = line.values
    if values["code"] not in BY_CODE:
        raise CallError(f"{line.where}: there is no finding “{values['code']}”")
    # Refused where the file is loaded, with its line, and not when it fails to match.
    row, column = _place(values["cell"], line.where)
    file, tab = line.patterns()
    return Acceptance(
        where=line.where, code=values["code"], file=file, tab=tab, row=row, column=column,
        looked_for=values["looked_for"],
        found=values["found"], who=values["who"], why=values["why"], until=line.until(),
    )  # fmt: skip


def _place(text: str, where: str) -> tuple[int | None, int | None]:
    """The row and column of a cell; one of them is None for a whole row or column."""
    if hit := _ROW.fullmatch(text):
        return int(hit[1]) - 1, None
    if hit := _COLUMN.fullmatch(text):
        return None, column_number(hit[1])
    try:
        return parse_address(text)
    except ValueError:
        raise CallError(f"{where}: “{text}” is no cell; write C7, row 7 or column C") from None


def with_accepted(
    findings: Iterable[Finding], accepted: Sequence[Acceptance], today: date
) -> list[Finding]:
    """The findings; those accepted `today` with the words of whoever accepted them."""
    # A line without a day is in force for ever.
    in_force = [line for line in accepted if line.until is None or today <= line.until]
    return [_with_words(finding, in_force) for finding in findings]


def _with_words(finding: Finding, accepted: Sequence[Acceptance]) -> Finding:
    # The first line counts, so that a person can see which one by reading from the top.
    line = next((line for line in accepted if line.covers(finding)), None)
    return replace(finding, accepted=f"{line.who}: {line.why}") if line else finding


def about_acceptances(
    findings: Sequence[Finding],
    accepted: Sequence[Acceptance],
    today: date,
    read: Collection[str],
) -> Iterator[Finding]:
    """Findings about acceptances: those that no longer cover a finding, although a file that they
    name was `read`, and those whose last day is past."""
    for line in accepted:
        # A line whose finding is gone should be deleted before it hides another fault one day.
        covers = any(line.covers(finding) for finding in findings)
        if covers and line.until is not None and today > line.until:
            yield ACCEPTANCE_LAPSED(
                file="", where=line.where, code=line.code, until=line.until.isoformat()
            )
        # Not told if none of its files was read: a partial run proves nothing.
        elif not covers and any(line.file.match(name) is not None for name in read):
            yield ACCEPTANCE_IDLE(file="", where=line.where, code=line.code, who=line.who)
