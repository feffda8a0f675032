"""Numbers that a workbook displays with leading zeros or signs between them: codes such as 007.

The number format of the cell decides; format codes as in ECMA-376 part 1, 18.8.31.
"""

from __future__ import annotations

import re
from collections.abc import Iterator, Mapping, Sequence
from functools import lru_cache

from boreotabula.sheets.sheet import Cell, Code

CellPlace = tuple[int, int]

_PIECES = re.compile(r'(0+)|"([^"]*)"|\\(.)|([ \-/])')
_WHOLE = 1e15
"""From here on a workbook no longer keeps every digit."""


def is_code_format(form: str) -> bool:
    """Whether a number format displays whole numbers as codes: only zeros with signs around."""
    return _pieces(form) is not None


@lru_cache(maxsize=256)
def _pieces(form: str) -> Sequence[str] | None:
    """The zeros and signs of a code's format in order; None for any other format."""
    # Negative numbers and zero may have forms of their own behind the semicolon; codes have none.
    form = form.partition(";")[0]
    if not form or _PIECES.sub("", form):
        return None
    pieces = list(_PIECES.finditer(form))
    zeros = sum(len(match[1] or "") for match in pieces)
    # A single zero is the usual format of a whole number.
    if zeros < 2 and not (zeros and len(pieces) > 1):
        return None
    return [match[1] or match[2] or match[3] or match[4] or "" for match in pieces]


def code_text(number: float, form: str) -> str | None:
    """A whole number as displayed by the format; None if it is no code."""
    pieces = _pieces(form)
    if pieces is None or not (0 <= number < _WHOLE and number.is_integer()):
        return None
    digits = str(int(number))
    texts: list[str] = []
    first = next(index for index, piece in enumerate(pieces) if _zeros(piece))
    # From the right, as digits fill a format from its end; what is left over goes into the first
    # zeros.
    for position in range(len(pieces) - 1, -1, -1):
        piece = pieces[position]
        if not _zeros(piece):
            texts.append(piece)
        elif position == first:
            texts.append(digits.rjust(len(piece), "0"))
        else:
            texts.append(digits[-len(piece) :].rjust(len(piece), "0"))
            digits = digits[: -len(piece)]
    return "".join(reversed(texts))


def _zeros(piece: str) -> bool:
    return bool(piece) and not piece.strip("0")


def codes_of(
    rows: Sequence[Sequence[Cell]], formats: Mapping[CellPlace, str]
) -> Iterator[tuple[CellPlace, Cell]]:
    """The cells that hold codes, with the displayed text; `formats` are those of some places."""
    for (row, column), form in formats.items():
        if row < len(rows) and column < len(rows[row]):
            cell = rows[row][column]
            if isinstance(cell, float | int) and not isinstance(cell, bool):
                text = code_text(float(cell), form)
                if text is not None:
                    yield (row, column), Code(cell, text)
