"""Rows of a worksheet as markup (ECMA-376 part 1, 18.3.1): taken apart and put together again."""

from __future__ import annotations

import re
from collections.abc import Mapping
from dataclasses import dataclass

from boreotabula.layout.addresses import column_letters, parse_address
from boreotabula.sheets.parts.editing import attribute

_DATA = re.compile(r"<(?:\w+:)?sheetData\s*(?:/>|>.*</(?:\w+:)?sheetData>)", re.DOTALL)
_ROW = re.compile(r"<(?:\w+:)?row\b(?:[^>]*/>|[^>]*>.*?</(?:\w+:)?row>)", re.DOTALL)
_CELL = re.compile(r"<(?:\w+:)?c\b(?:[^>]*/>|[^>]*>.*?</(?:\w+:)?c>)", re.DOTALL)
_FORMULA = re.compile(r"(?P<head><(?:\w+:)?f\b[^>]*?)(?:/>|>(?P<text>[^<]*)</(?:\w+:)?f>)")


@dataclass(frozen=True)
class Row:
    """A row as it is written; its number is counted from 0."""

    number: int
    markup: str

    @property
    def head(self) -> str:
        """Its start tag."""
        return self.markup[: self.markup.index(">") + 1]

    def cells(self) -> dict[int, str]:
        """The markup of each cell by its column, counted from 0.

        Raises ValueError if one has no address.
        """
        found: dict[int, str] = {}
        for one in _CELL.findall(self.markup, len(self.head)):
            where = attribute(one[: one.index(">") + 1], "r")
            if not where:
                raise ValueError("a cell without an address")
            found[parse_address(where)[1]] = one
        return found

    def moved(self, number: int) -> Row:
        """The same row elsewhere."""
        if number == self.number:
            return self
        text = re.sub(
            r'(<(?:\w+:)?row\b[^>]*?\br=")\d+"', rf'\g<1>{number + 1}"', self.markup, count=1
        )
        text = re.sub(r'(<(?:\w+:)?c\b[^>]*?\br="[A-Z]+)\d+"', rf'\g<1>{number + 1}"', text)
        return Row(number, text)

    def with_cells(self, cells: Mapping[int, str], *, keep_looks: bool = True) -> Row:
        """The row with some cells instead of its own, an empty text being none; they look as those
        did, if that is wanted."""
        there = self.cells()
        for column, markup in cells.items():
            old = there.get(column)
            if old is not None and keep_looks:
                markup = _styled(markup or blank_cell(self.number, column), old)
            there[column] = markup
        head = re.sub(r'\s+spans="[^"]*"', "", self.head)
        closed = head.endswith("/>")
        head = head[:-2].rstrip() + ">" if closed else head
        inner = "".join(there[column] for column in sorted(there))
        prefix = re.match(r"<(\w+:)?", head)
        assert prefix is not None
        return Row(self.number, f"{head}{inner}</{prefix[1] or ''}row>")


def blank_row(number: int) -> Row:
    """A row without cells."""
    return Row(number, f'<row r="{number + 1}"></row>')


def blank_cell(row: int, column: int) -> str:
    """A cell that holds nothing."""
    return f'<c r="{column_letters(column)}{row + 1}"/>'


def _styled(markup: str, old: str) -> str:
    """A cell in the looks of another."""
    style = attribute(old[: old.index(">") + 1], "s")
    bare = re.sub(r'^(<c\b[^>]*?)\s+s="\d+"', r"\1", markup, count=1)
    if not style:
        return bare
    return re.sub(r'^(<c\b[^>]*?\br="[A-Z]+\d+")', rf'\1 s="{style}"', bare, count=1)


def style_of(cell: str) -> int | None:
    """The number of a cell's style."""
    text = attribute(cell[: cell.index(">") + 1], "s")
    return int(text) if text else None


@dataclass(frozen=True)
class Formula:
    """A formula of a cell as it is written; its text is escaped as in markup."""

    text: str
    kind: str
    """'shared' or 'array', or empty."""


def formula_of(cell: str) -> Formula | None:
    """The formula of a cell."""
    found = _FORMULA.search(cell)
    return None if found is None else Formula(found["text"] or "", attribute(found["head"], "t"))


def split_sheet(text: str) -> tuple[str, list[Row], str]:
    """A worksheet as what stands before its rows, the rows, and what stands after them.

    Raises ValueError if a row has no number.
    """
    found = _DATA.search(text)
    if found is None:
        raise ValueError("no rows")
    rows = []
    for markup in _ROW.findall(found[0]):
        number = attribute(markup[: markup.index(">") + 1], "r")
        if not number:
            raise ValueError("a row without a number")
        rows.append(Row(int(number) - 1, markup))
    before, after = text[: found.start()], text[found.end() :]
    prefix = re.match(r"<(\w+:)?", found[0])
    assert prefix is not None
    mark = prefix[1] or ""
    return f"{before}<{mark}sheetData>", rows, f"</{mark}sheetData>{after}"
