"""Possible causes of a disagreeing printed total: the last part of such a finding."""

from __future__ import annotations

from dataclasses import dataclass

from boreotabula.findings.wording import filled


@dataclass(frozen=True)
class Culprit:
    """A likely cause in words, with slots."""

    text: str

    def __call__(self, **slots: object) -> str:
        """The words with their slots filled."""
        return filled(self.text, slots)


CELL_IN_NO_RECORD = Culprit("“{text}” in {cell}{more:? (and # more)} is in no record")
ROW_LEFT_OUT = Culprit("{row} holds just that much ({rule:?#|it is in no record})")
TOTAL_SWAPPED = Culprit("two digits of the total may be swapped")
SUMMED_WRONGLY = Culprit(
    "{where} holds just that much and {twice:may be summed twice|may not be summed}"
)
CELL_SWAPPED = Culprit("two digits of {cell} may be swapped ({meant}?)")
CELL_BY_FACTOR = Culprit("{cell} may be {factor} times too {large:large|small} ({meant}?)")
SUBTOTALS_TOO = Culprit("it is twice the sum: the subtotals may be counted as well")
CELL_ASKED = Culprit("{cell} may be meant as {meant}: its row and its column both ask for that")
CELL_MOVED = Culprit("{cell} may belong one column to the {left:left|right}, under “{heading}”")
ROW_IN_TOTALS = Culprit(
    "{row} holds just what they differ by and {twice:may be summed twice|may not be summed}"
)
VALUE_RESTATED = Culprit(
    "“{field}” at {cell} was {before} when it was last reported; with that it agrees"
)
