"""Texts that stand above tables and name them, and the part of the sheet below each."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass

from boreotabula.findings.finding import Spot
from boreotabula.layout.patterns import matching
from boreotabula.reading.locate.frame import TableFrame
from boreotabula.reading.plan import BlockPlan
from boreotabula.sheets.sheet import Sheet


@dataclass(frozen=True)
class Caption:
    """A cell that names the table below it; `captured` are the fields that its text fills."""

    row: int
    column: int
    text: str
    captured: Mapping[str, str]
    other: Mapping[str, str] | None = None
    """Their values if the text were split in another way that matches as well."""

    @property
    def spot(self) -> Spot:
        """Where the caption is."""
        return self.row, self.column


def captions_of(sheet: Sheet, block: BlockPlan) -> list[Caption]:
    """The captions of a block, in reading order."""
    if not block.caption:
        return []
    return [
        Caption(row, column, text, pattern.match(text) or {}, pattern.other_match(text))
        for row, column, text in sheet.texts()
        if (pattern := matching(block.caption, text)) is not None
    ]


def whole(sheet: Sheet) -> TableFrame:
    """All of a sheet."""
    return TableFrame(range(sheet.height), range(sheet.width))


def below(sheet: Sheet, caption: Caption, other_pairs: Sequence[Spot]) -> TableFrame:
    """The part of the sheet where the table of a caption may stand.

    It runs from its row to the next caption below, and from its column to the next caption in its
    row. `other_pairs` are all captions of the sheet.
    """
    row, column = caption.spot
    right = _right_of(sheet, caption.spot, other_pairs)
    # The first of a row may stand over the middle of its table, further ones begin theirs.
    left = column if any(index < column for count, index in other_pairs if count == row) else 0
    # Only captions over some of the same columns end it: a table beside it may have others below.
    lower = (
        spot[0]
        for spot in other_pairs
        if spot[0] > row and spot[1] < right and _right_of(sheet, spot, other_pairs) > left
    )
    return TableFrame(range(row, min(lower, default=sheet.height)), range(left, right))


def _right_of(sheet: Sheet, spot: Spot, other_pairs: Sequence[Spot]) -> int:
    """The column of the next caption in the same row; past the sheet if there is none."""
    return min(
        (index for row, index in other_pairs if row == spot[0] and index > spot[1]),
        default=sheet.width,
    )
