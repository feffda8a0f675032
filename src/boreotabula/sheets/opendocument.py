"""A search of .ods: error values, merged cells, what is hidden, how far the cells reach.

Markup as in OASIS OpenDocument 1.3 part 3: 9.1.3 (table-row), 9.1.4 (table-cell), 9.1.5 (covered
cells), 9.4.12 (named-range). The attribute `calcext:value-type` marks errors, as the programs that
write such files have agreed.
"""

from __future__ import annotations

import re
from collections.abc import Mapping
from contextlib import closing
from datetime import timedelta
from pathlib import Path

from boreotabula.limits import CORRECTED, RANGE, Budget
from boreotabula.sheets.look import (
    NO_RESULT,
    NamedCell,
    Reach,
    SheetFacts,
    check_extent,
    hold_extent,
    joined_reaches,
)
from boreotabula.sheets.parts.archive import Archive, parse
from boreotabula.sheets.sheet import Cell, Code, Flaw, Span

_CONTENT = "content.xml"
_VALUES = ("value", "string-value", "date-value", "time-value", "boolean-value")


class OdsInside:
    """The inside of an .ods file; its one part for all sheets is read once."""

    def __init__(self, path: Path, budget: Budget) -> None:
        with closing(Archive(path, budget)) as package:
            self._reader = _Reader(budget)
            self._reader.read(package.read(_CONTENT))

    def close(self) -> None:
        """Nothing is held open."""

    def names(self) -> Mapping[str, NamedCell]:
        """Defined names of single cells."""
        return self._reader.names

    def look(self, number: int, name: str) -> SheetFacts:
        """The facts about a sheet."""
        looks = self._reader.looks
        if number < len(looks) and looks[number][0] == name:
            return looks[number][1]
        return dict(reversed(looks)).get(name, SheetFacts())


class _Reader:
    """Goes through the markup once, counting rows and columns with their repeats.

    The fast reader lays out all sheets as it opens the file, so all of them count together.
    """

    def __init__(self, budget: Budget) -> None:
        self.budget = budget
        self.looks: list[tuple[str, SheetFacts]] = []
        """For each sheet in order, with its name."""
        self.names: dict[str, NamedCell] = {}
        self.depth = 0
        self._begin("")

    def _begin(self, name: str) -> None:
        self.name = name
        self.row = self.column = self.header_column = 0
        self.repeat_row = self.repeat_cell = 1
        self.cells: dict[tuple[int, int], Cell] = {}
        self.filled = 0
        self.bottom = self.right = -1
        self.hidden_rows: list[Reach] = []
        self.hidden_columns: list[Reach] = []
        self.merges: list[Span] = []
        self.attributes: dict[str, str] = {}
        self.text: list[str] | None = None

    def read(self, content: bytes) -> None:
        """Read the part that holds all sheets. Raises UnreadableError."""
        parse(content, _CONTENT, self._start, self._end, self._data)

    def _start(self, tag: str, attributes: dict[str, str]) -> None:
        kind = tag.rpartition(":")[2]
        plain = {key.rpartition(":")[2]: value for key, value in attributes.items()}
        # A table within a cell belongs to the text of that cell.
        if kind == "table" and tag.startswith("table:"):
            self.depth += 1
            if self.depth == 1:
                self._begin(plain.get("name", ""))
        elif kind == "named-range":
            self._named(plain)
        elif self.depth != 1:
            return
        elif kind == "table-column":
            repeat = _count(plain, "number-columns-repeated")
            if plain.get("visibility", "visible") != "visible":
                self._note(self.hidden_columns, self.header_column, repeat)
            self.header_column += repeat
        elif kind == "table-row":
            self.column = 0
            self.repeat_row = _count(plain, "number-rows-repeated")
            if plain.get("visibility", "visible") != "visible":
                self._note(self.hidden_rows, self.row, self.repeat_row)
        elif kind in ("table-cell", "covered-table-cell"):
            self.attributes = dict(attributes)
            self.repeat_cell = _count(plain, "number-columns-repeated")
            self.text = []

    def _end(self, tag: str) -> None:
        kind = tag.rpartition(":")[2]
        if kind == "table" and tag.startswith("table:"):
            self.depth -= 1
            if self.depth == 0:
                # All sheets are in memory at once, so all of them count together.
                hold_extent(self.bottom, self.right, self.filled, self.budget)
                look = SheetFacts(
                    self.cells,
                    joined_reaches(self.hidden_rows),
                    joined_reaches(self.hidden_columns),
                    tuple(self.merges),
                )
                self.looks.append((self.name, look))
        elif self.depth != 1:
            return
        elif kind == "table-row":
            self.row += self.repeat_row
        elif kind in ("table-cell", "covered-table-cell"):
            self._cell()
            self.column += self.repeat_cell
            self.text = None

    def _data(self, text: str) -> None:
        if self.text is not None:
            self.text.append(text)

    def _cell(self) -> None:
        plain = {key.rpartition(":")[2]: value for key, value in self.attributes.items()}
        text = "".join(self.text or ())
        filled = bool(text) or any(key in plain for key in _VALUES)
        formula = plain.get("formula")
        wide, high = _count(plain, "number-columns-spanned"), _count(plain, "number-rows-spanned")
        if wide > 1 or high > 1:
            # A file may declare any number of them.
            self.budget.hold(RANGE, "its merged cells")
            self.merges.append(
                Span(self.row, self.column, self.row + high - 1, self.column + wide - 1)
            )
        if filled or formula is not None:
            self.bottom = max(self.bottom, self.row + self.repeat_row - 1)
            self.right = max(self.right, self.column + self.repeat_cell - 1)
            self.filled += self.repeat_row * self.repeat_cell
            # Checked at each cell, since a single repeat may fill a sheet.
            check_extent(self.bottom, self.right, self.filled, self.budget)
        other_cell = self._told_otherwise(plain, text, filled=filled)
        if other_cell is not None:
            repeats = self.repeat_row * self.repeat_cell
            self.budget.hold(
                repeats * CORRECTED, f"its {repeats:,} cells that hold {other_cell!s:.40}"
            )
            for row in range(self.row, self.row + self.repeat_row):
                for column in range(self.column, self.column + self.repeat_cell):
                    self.cells[row, column] = other_cell

    def _told_otherwise(self, plain: Mapping[str, str], text: str, *, filled: bool) -> Cell | None:
        """The content of a cell, where the fast reader gives something else; None where it is
        right."""
        formula = plain.get("formula")
        if self.attributes.get("calcext:value-type") == "error" or (
            # Some programs mark no error, but write it as the text of the formula's result.
            formula is not None and text.startswith(("#", "Err:"))
        ):
            return Flaw(text or "#ERROR")
        if formula is not None and not filled and "value-type" not in plain:
            return Flaw(f"{formula.partition(':')[2] or formula} {NO_RESULT}")
        if "boolean-value" in plain:
            return plain["boolean-value"] == "true"
        if "time-value" in plain:
            return _long_time(plain["time-value"])
        if plain.get("value-type") == "float" and text[:1] == "0":
            return _code(plain.get("value", ""), text)
        return None

    def _note(self, hidden: list[Reach], first: int, repeat: int) -> None:
        self.budget.hold(RANGE, "its hidden rows and columns")
        hidden.append((first, first + repeat - 1))

    def _named(self, plain: Mapping[str, str]) -> None:
        from boreotabula.sheets.sheet_xml import named_cell

        reference = plain.get("cell-range-address", "").partition(":")[0]
        tab, _, cell = reference.rpartition(".")
        result = named_cell(f"{tab.lstrip('$') or self.name}!{cell}")
        if result is not None:
            self.names[plain.get("name", "")] = result


def _code(value: str, text: str) -> Code | None:
    """A number displayed with leading zeros, such as 007."""
    shown = text.isascii() and text.isdigit() and len(text) > 1
    return Code(float(value), text) if shown and value == str(int(text)) else None


_TIME = re.compile(r"(-?)P(?:(\d+)D)?T(?:(\d+)H)?(?:(\d+)M)?(?:(\d+(?:\.\d+)?)S)?")


def _long_time(text: str) -> timedelta | None:
    """A time of a day or more, which the reader gives as text (xsd:duration)."""
    match = _TIME.fullmatch(text)
    if match is None:
        return None
    days, hours, minutes, seconds = (float(part or 0) for part in match.groups()[1:])
    span = timedelta(days=days, hours=hours, minutes=minutes, seconds=seconds)
    return (-span if match[1] else span) if match[1] or span >= timedelta(days=1) else None


def _count(attributes: Mapping[str, str], key: str) -> int:
    try:
        return max(int(attributes.get(key, "1")), 1)
    except ValueError:
        return 1
