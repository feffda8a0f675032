"""The appearance of charts: colours, markers, and how numbers are written."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

from boreotabula.layout.field_types import FieldType
from boreotabula.review.crosstab.crosstab import readable_number

COLOURS = ("#0072B2", "#E69F00", "#009E73", "#CC79A7", "#D55E00", "#56B4E9", "#7F7F7F", "#000000")
"""Colour-blind people can distinguish them, too (Okabe and Ito, 2008); yellow is left out as too
pale."""
INK = "#1F1F1F"
"""Texts: the colours above are too pale for them (WCAG 2.1 asks for a contrast of 4.5)."""
ONLY_SERIES = "#4A6B82"
"""The colour of bars that no colour distinguishes, so that none looks like a sender of another
chart."""
FAINT = "#C8C8C8"
"""Lines behind those that are named."""
OTHERS = "#8A8A8A"
"""Rows that are taken together."""
_DASHES = ("-", "--", ":", "-.")
_MARKERS = ("o", "s", "^", "D", "v", "P", "X", "<")
"""Markers distinguish lines in grey print."""
_LINE_STYLES = len(COLOURS) * len(_MARKERS)


@dataclass(frozen=True)
class LineStyle:
    """How a line is drawn."""

    colour: str
    marker: str
    dash: str


def line_styles(ranks: Sequence[int]) -> list[LineStyle]:
    """A style for each line, by its rank among all names of the records.

    A name looks the same in each chart of the same records, whatever else is drawn.
    """
    count = len(COLOURS)
    return [
        LineStyle(
            COLOURS[slot % count],
            # Shifted for each round of colours: no two of 64 styles are the same.
            _MARKERS[(slot + slot // count) % len(_MARKERS)],
            _DASHES[slot // count % len(_DASHES)],
        )
        for slot in _slots(ranks, _LINE_STYLES)
    ]


def bar_colours(ranks: Sequence[int]) -> list[str]:
    """A colour for each group of bars, by the same rule."""
    return [COLOURS[slot] for slot in _slots(ranks, len(COLOURS))]


def _slots(ranks: Sequence[int], count: int) -> list[int]:
    """A slot for each rank; where two share one, the later takes the next free one."""
    taken: dict[int, int] = {}
    # In the order of the ranks, so that a name keeps its slot whatever else is drawn.
    for index in sorted(range(len(ranks)), key=ranks.__getitem__):
        slot = ranks[index] % count
        while slot in taken.values() and len(taken) < count:
            slot = (slot + 1) % count
        taken[index] = slot
    return [taken[index] for index in range(len(ranks))]


def ink_on(red: float, green: float, blue: float) -> str:
    """Black or white, whichever is easier to read on a colour given by parts from 0 to 1.

    The better of the two has a contrast of at least 4.58, as WCAG 2.1 measures it.
    """
    parts = (part / 12.92 if part <= 0.04045 else ((part + 0.055) / 1.055) ** 2.4
             for part in (red, green, blue))  # fmt: skip
    light = sum(weight * part for weight, part in zip((0.2126, 0.7152, 0.0722), parts, strict=True))
    return "black" if (light + 0.05) / 0.05 >= 1.05 / (light + 0.05) else "white"


@dataclass(frozen=True)
class NumberForm:
    """How all numbers of an axis or a map are written: all in the same way."""

    kind: FieldType
    places: int
    divisor: float = 1.0
    word: str = ""
    """The name of the divisor; empty if numbers are whole."""

    def text(self, number: float) -> str:
        """A number with a true minus sign. A small number that rounds to zero is not written as
        zero."""
        part = number / self.divisor
        # 400 of a scale in millions is not 0.0.
        if number and not round(part, self.places) and self.divisor > 1:
            return "≈0"
        return with_minus(readable_number(part, self.kind, self.places))


_LONGEST = 1e7
"""Numbers from here on are too long for a cell of a map."""


def number_form(numbers: Sequence[float], kind: FieldType) -> NumberForm:
    """The form that fits all numbers of a map.

    Whole millions or billions if they are long; with a decimal if they are short and have decimals.
    """
    if kind.is_share:
        return NumberForm(kind, 0)
    largest = max(map(abs, numbers), default=0.0)
    for divisor, word in ((1e9, "billions"), (1e6, "millions")):
        if largest >= max(divisor, _LONGEST):
            return NumberForm(kind, 1, divisor, word)
    has_decimals = any(number != int(number) for number in numbers)
    return NumberForm(kind, 1 if has_decimals and largest < 1000 else 0)


def axis_form(numbers: Sequence[float], kind: FieldType) -> NumberForm:
    """The form of the numbers beside an axis, with as many decimals as any of them needs."""
    if kind.is_share:
        return NumberForm(kind, next((n for n in range(3) if _fits(numbers, n + 2)), 3))
    return NumberForm(kind, next((n for n in range(4) if _fits(numbers, n)), 4))


def _fits(numbers: Sequence[float], places: int) -> bool:
    return all(
        abs(round(number, places) - number) < 1e-9 * max(abs(number), 1) for number in numbers
    )


def with_minus(text: str) -> str:
    """A number with a minus sign, which is as wide as a plus, in place of a hyphen."""
    return f"−{text[1:]}" if text.startswith("-") else text
