"""Files of decisions beside a layout: a line for each, with who decided it, and why."""

from __future__ import annotations

import csv
import io
from collections.abc import Iterator, Sequence
from dataclasses import dataclass
from datetime import date

from boreotabula.errors import CallError
from boreotabula.layout.addresses import parse_address
from boreotabula.layout.patterns import Pattern, PatternError, PatternKind, pattern
from boreotabula.reading.corrections import Correction


@dataclass(frozen=True)
class DecisionLine:
    """A line of a file of decisions."""

    where: str
    """The file and the line, in words."""
    values: dict[str, str]

    def patterns(self) -> tuple[Pattern, Pattern | None]:
        """The files that it is about, and the tabs: None for any tab. Raises CallError."""
        try:
            file = pattern(self.values["file"], PatternKind.FILE)
            tab = pattern(self.values["tab"], PatternKind.TAB) if self.values["tab"] else None
        except PatternError as error:
            raise CallError(f"{self.where}: {error}") from None
        return file, tab

    def until(self) -> date | None:
        """The last day on which it holds, if it has one. Raises CallError for an invalid day."""
        text = self.values["until"]
        try:
            return date.fromisoformat(text) if text else None
        except ValueError:
            raise CallError(f"{self.where}: “{text}” is no date; write it as 2026-12-31") from None


def decision_lines(
    text: str, name: str, columns: Sequence[str], needed: Sequence[str], narrow: Sequence[str]
) -> Iterator[DecisionLine]:
    """The lines of a file of decisions with some columns.

    Raises CallError, which names the line, where one of the `needed` columns is blank, or one of
    the `narrow` is `*`: it would decide what nobody has seen.
    """
    # The mark of byte order would become part of the first heading.
    rows = csv.DictReader(io.StringIO(text.removeprefix("\ufeff"), newline=""))
    lacking = [column for column in needed if column not in (rows.fieldnames or ())]
    if lacking:
        raise CallError(
            f"{name}: there is no column “{lacking[0]}”; the columns are {', '.join(columns)}"
        )
    for row in rows:
        values = {column: (row.get(column) or "").strip() for column in columns}
        where = f"{name}, line {rows.line_num}"
        # A blank line, or one of commas alone, as spreadsheet programs leave them.
        if not any(values.values()):
            continue
        for column in needed:
            if not values[column]:
                raise CallError(f"{where}: “{column}” is blank; a decision needs it")
        # Otherwise one line could accept or change a whole folder.
        for column in narrow:
            if values[column] == "*":
                raise CallError(f"{where}: “{column}” is *, which decides what nobody has seen")
        yield DecisionLine(where, values)


CORRECTION_COLUMNS = ("file", "tab", "cell", "was", "is", "who", "why", "until")


def corrections(text: str, name: str, today: date) -> tuple[list[Correction], list[str]]:
    """The corrections of a file that hold `today`, and the lines whose last day is past.

    Raises CallError, which names the line, for a line that does not say which cell is corrected
    from what to what, by whom and why.
    """
    read: list[Correction] = []
    past: list[str] = []
    needed = ("file", "cell", "is", "who", "why")
    for line in decision_lines(text, name, CORRECTION_COLUMNS, needed, ("file", "tab", "cell")):
        correction, until = correction_of(line), line.until()
        # A correction with a last day is for a mistake that will be gone by then.
        if until is not None and today > until:
            past.append(line.where)
        else:
            read.append(correction)
    return read, past


def correction_of(line: DecisionLine) -> Correction:
    """The correction of a line. Raises CallError for an invalid one."""
    values = line.values
    try:
        row, column = parse_address(values["cell"])
    except ValueError as error:
        raise CallError(f"{line.where}: {error}") from None
    # Such a line would hide that nothing is corrected.
    if values["was"] == values["is"]:
        raise CallError(f"{line.where}: “was” and “is” are the same")
    return Correction(
        line.where, *line.patterns(), row, column, values["was"], values["is"], values["who"],
        values["why"],
    )  # fmt: skip
