"""A search of .xlsb: error values, what is hidden, merged cells, how far the cells reach.

Records as in [MS-XLSB]: 2.1.4 (numbers and sizes), 2.4.301 BrtBundleSh, 2.4.727 BrtRowHdr, 2.4.316
BrtColInfo, 2.4.311 BrtCellError, 2.4.668 BrtFmlaError, 2.4.682 BrtMergeCell.
"""

from __future__ import annotations

import struct
from collections.abc import Iterator, Mapping
from pathlib import Path

from boreotabula.limits import RANGE, Budget
from boreotabula.sheets.look import (
    ERROR_TEXTS,
    NamedCell,
    Reach,
    SheetFacts,
    check_extent,
    joined_reaches,
)
from boreotabula.sheets.parts.archive import open_archive, relations
from boreotabula.sheets.sheet import Flaw, Span

_ROW, _CELL_ERROR, _FORMULA_ERROR, _COL_INFO, _BUNDLE_SHEET, _MERGE = 0, 3, 11, 60, 156, 176
_FILLED_CELLS = range(2, 12)
_BOOK = "xl/workbook.bin"
_SHARED_PARTS = ("xl/sharedStrings.bin", "xl/styles.bin")


class XlsbInside:
    """The inside of an .xlsb file."""

    def __init__(self, path: Path, budget: Budget) -> None:
        self._budget = budget
        with open_archive(path, budget) as self._package:
            related = relations(self._package, _BOOK)
            # Everything but sheets is unpacked as soon as the file is opened.
            kept = (part for kind, part in related.values() if not kind.endswith("sheet"))
            self._package.hold_shared({_BOOK, *_SHARED_PARTS, *kept})
            self._parts = [
                related.get(_wide_text(data, 8), ("", ""))[1]
                for kind, data in _records(self._package.read(_BOOK))
                if kind == _BUNDLE_SHEET
            ]

    def close(self) -> None:
        """Close the file."""
        self._package.close()

    def names(self) -> Mapping[str, NamedCell]:
        """Defined names are kept as compiled formulas, which are not read."""
        return {}

    def look(self, number: int, name: str) -> SheetFacts:
        """Search a sheet."""
        flaws: dict[tuple[int, int], Flaw] = {}
        hidden_rows: list[Reach] = []
        hidden_columns: list[Reach] = []
        merges: list[Span] = []
        row = right = bottom = filled = 0
        for kind, data in _records(self._package.read(self._parts[number])):
            if kind == _ROW and len(data) >= 12:
                (row,) = struct.unpack_from("<I", data)
                # Bit 4 of the flags: the row is hidden.
                if data[11] & 0x10:
                    hidden_rows.append((row, row))
            elif kind in _FILLED_CELLS and len(data) >= 8:
                (column,) = struct.unpack_from("<I", data)
                bottom, right, filled = max(bottom, row), max(right, column), filled + 1
                if kind in (_CELL_ERROR, _FORMULA_ERROR) and len(data) > 8:
                    flaws[row, column] = Flaw(ERROR_TEXTS.get(data[8], "#ERROR"))
            elif kind == _COL_INFO and len(data) >= 18 and data[16] & 1:
                first, last = struct.unpack_from("<II", data)
                hidden_columns.append((first, last))
            elif kind == _MERGE and len(data) >= 16:
                self._budget.need(RANGE * len(merges), "its merged cells")
                top, end, left, edge = struct.unpack_from("<IIII", data)
                merges.append(Span(top, left, end, edge))
        check_extent(bottom, right, filled, self._budget)
        return SheetFacts(
            flaws, joined_reaches(hidden_rows), joined_reaches(hidden_columns), tuple(merges)
        )


def _wide_text(data: bytes, index: int) -> str:
    (length,) = struct.unpack_from("<I", data, index)
    return data[index + 4 : index + 4 + 2 * length].decode("utf-16-le", "replace")


def _records(content: bytes) -> Iterator[tuple[int, bytes]]:
    """Number and content of each record; both parts of its header are numbers of 7 bits a byte."""
    index = 0
    while index < len(content):
        kind, index = _number(content, index, 2)
        size, index = _number(content, index, 4)
        yield kind, content[index : index + size]
        index += size


def _number(content: bytes, index: int, most: int) -> tuple[int, int]:
    value = 0
    # A damaged number must not go on for ever.
    for place in range(most):
        if index >= len(content):
            break
        byte = content[index]
        index += 1
        value |= (byte & 0x7F) << (7 * place)
        if not byte & 0x80:
            break
    return value, index
