"""The texts of a tab that are labels of a stamp, or hold its value behind one."""

from __future__ import annotations

import re
from collections.abc import Iterator

from boreotabula.findings.finding import Spot
from boreotabula.reading.plan import StampPlan
from boreotabula.sheets.sheet import Sheet

_MOST_KEPT = 65_536
"""A tab may hold millions of different texts, which would fill the memory."""


def labelled_texts(sheet: Sheet, stamp: StampPlan) -> Iterator[tuple[Spot, str]]:
    """Each text that is or begins with a label of a stamp: its spot, and the value behind the
    label; empty if the label stands alone."""
    # Most texts of a list come again and again: each is looked at once.
    values: dict[str, str | None] = {}
    for row, column, text in sheet.texts():
        if text not in values:
            if len(values) >= _MOST_KEPT:
                values.clear()
            values[text] = _value_behind(stamp, text)
        value = values[text]
        if value is not None:
            yield (row, column), value


def _value_behind(stamp: StampPlan, text: str) -> str | None:
    """The value behind a label in one text; empty if that is the label alone, None if it is no
    label."""
    # First the value in the label's own cell: a pattern with * matches that as well.
    label, rest = _parted(text)
    if (
        stamp.places == 1
        and rest.strip()
        and any(pattern.match(label) is not None for pattern in stamp.labels)
    ):
        return rest.strip()
    return "" if any(label.match(text) is not None for label in stamp.labels) else None


def _parted(text: str) -> tuple[str, str]:
    """A label and what follows its colon in the same cell."""
    # The first colon: the value may hold one itself, such as a time.
    label, *rest = _COLON.split(text, maxsplit=1)
    return label, rest[0] if rest else ""


_COLON = re.compile("[:：]")
"""In East Asia it is a wide one."""
