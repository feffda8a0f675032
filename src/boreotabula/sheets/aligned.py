"""Text whose columns are aligned, separated by blanks or by their positions in the line.

Positions are those of a fixed-width font: wide letters of East Asia take two (Unicode Standard
Annex 11, East Asian Width), combining marks none.
"""

from __future__ import annotations

import re
import unicodedata
from collections.abc import Iterator, Sequence
from itertools import groupby, pairwise

_FEWEST = 2
"""At least this many lines must have columns that blanks separate."""
_GAP = re.compile(r"\S {2,}\S")

Starts = tuple[int, ...]
"""Where each column begins, counted from 0; the first begins at 0."""


def find_columns(lines: Sequence[str]) -> Starts | None:
    """Where the columns begin that runs of blanks separate in all lines; None if there are none.

    Lines without a wide gap are titles and remarks, and do not count. A gap of one blank separates
    columns only if the first line, most often the headings, has text on both sides of it.
    """
    filled = [line.rstrip() for line in lines if line.strip()]
    parted = [line for line in filled if _GAP.search(line.strip())]
    # Titles and remarks have no wide gap; a few of them are usual above and below a table.
    if len(parted) < _FEWEST or 5 * len(parted) < 4 * len(filled) - 10:
        return None
    spread = [_spread(line) for line in parted]
    width = max(map(len, spread))
    # A place that is blank in all lines parts columns, whatever the lines are about.
    used = bytearray(width)
    for cells in spread:
        for index, letter in enumerate(cells):
            used[index] |= letter != " "
    runs = [(key, list(run)) for key, run in groupby(range(width), lambda position: used[position])]
    ends = [(run[0], run[-1] + 1) for key, run in runs if key]
    starts = [ends[0][0]] if ends else []
    for (left, stop), (start, end) in pairwise(ends):
        first = spread[0]
        flag = any(c != " " for c in first[left:stop]) and any(c != " " for c in first[start:end])
        if start - stop > 1 or flag:
            # Numbers are set to the right: what is blank in all lines belongs to the next column.
            starts.append(stop)
    return (0, *starts[1:]) if len(starts) > 1 else None


def aligned_rows(lines: Sequence[str], starts: Starts) -> list[list[str]]:
    """The cells of lines that blanks separate.

    A line without a wide gap above the first line with one, or below the last, is a title or a
    remark, and a single cell. So is a text that continues over the beginning of further columns.
    """
    parted = [index for index, line in enumerate(lines) if _GAP.search(line.strip())]
    table = range(parted[0], parted[-1] + 1) if parted else range(0)
    return [
        _joined(_cells(line, starts)) if index in table else [line.strip()]
        for index, line in enumerate(lines)
    ]


def cut_rows(lines: Sequence[str], starts: Starts) -> list[list[str]]:
    """The cells of lines, cut at the starts of columns."""
    return [[_plain(cell) for cell in _cells(line, starts)] for line in lines]


def _cells(line: str, starts: Starts) -> list[str]:
    letters = _spread(line.rstrip())
    bounds = [*starts, max(len(letters), starts[-1] + 1)]
    return ["".join(letters[start:end]) for start, end in pairwise(bounds)]


def _joined(cells: Sequence[str]) -> list[str]:
    """Cells in which a word that was cut in two is whole: between columns there always is a
    blank."""
    joined: list[str] = [cells[0]]
    for cell in cells[1:]:
        # The last cell that is not blank, since a text may run on over several columns.
        last = next(
            index for index in range(len(joined) - 1, -1, -1) if index == 0 or joined[index]
        )
        if (
            cell[:1].strip()
            and joined[last][-1:].strip()
            and joined[last + 1 :] == [""] * (len(joined) - last - 1)
        ):
            joined[last] += cell
            joined.append("")
        else:
            joined.append(cell)
    return [_plain(cell) for cell in joined]


def _plain(cell: str) -> str:
    return cell.replace(_FILLER, "").strip()


_FILLER = "\0"
"""The second place of a wide letter."""


def _spread(line: str) -> list[str]:
    """The letters of a line by their positions."""
    return list(_places(line))


def _places(line: str) -> Iterator[str]:
    pending = ""
    for letter in line.expandtabs(8):
        # A mark stands in the place of the letter before it.
        if unicodedata.combining(letter):
            pending += letter
            continue
        if pending:
            yield pending
        pending = letter
        if unicodedata.east_asian_width(letter) in ("W", "F"):
            yield pending
            pending = _FILLER
    if pending:
        yield pending
