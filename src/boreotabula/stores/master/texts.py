"""The cells of a workbook as texts that can be compared with records."""

from __future__ import annotations

from collections.abc import Sequence

EXACT_DIGITS = 15
"""Whole numbers with more digits are texts in a sheet."""

MARK = "\x00"


def one_gap(text: str) -> str:
    """A text with single blanks as white space: spreadsheet programs do not preserve all of it."""
    return " ".join(text.split())


def plain_texts(texts: Sequence[str]) -> list[str]:
    return [text.removeprefix(MARK) for text in texts]
