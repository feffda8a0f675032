"""Values many times larger than all others of the same sender: a digit too many, perhaps."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass, field
from heapq import nlargest

from boreotabula.layout.addresses import written_address
from boreotabula.reading.findings import Code, Finding
from boreotabula.runs.file.facts import KEPT
from boreotabula.runs.file.read import FileReading

_TIMES = 5
_FEWEST = 20
_MOST_TOLD = 5
_Far = tuple[float, str, str, str]
"""A value, and the file, tab and cell that hold it."""


@dataclass
class _Sender:
    """How many values of a field a sender has, and the largest of them."""

    count: int = 0
    largest: list[_Far] = field(default_factory=list)


class FarValues:
    """Compares the largest values of each sender with one another.

    The sender is what the stamps of text say, those from tab names aside; without any, the file.
    Of at least twenty values the largest hundredth (at least one) is held against the next largest
    one: what is more than five times that is far.
    """

    def __init__(self) -> None:
        self._senders: dict[tuple[str, str], _Sender] = {}

    def take(self, reading: FileReading) -> None:
        """Note the largest values of a file."""
        for tab in reading.tabs:
            texts = [
                str(value)
                for name, value in tab.facts.stamps.items()
                if isinstance(value, str) and name not in tab.facts.from_tab
            ]
            sender = " ".join(texts) or reading.name
            for name, largest in tab.facts.largest.items():
                known = self._senders.setdefault((sender, name), _Sender())
                known.count += tab.facts.numbers[name]
                every = [*known.largest, *((n, reading.name, tab.name, c) for n, c in largest)]
                known.largest = nlargest(KEPT, every)

    def findings(self) -> Iterator[Finding]:
        """The values that are farthest from the others."""
        far: list[tuple[float, str, str, float, _Far]] = []
        for (sender, name), known in self._senders.items():
            if known.count < _FEWEST:
                continue
            at = min(max(known.count // 100, 1), len(known.largest) - 1)
            usual = known.largest[at][0]
            far += [
                (one[0] / usual, sender, name, usual, one)
                for one in known.largest[:at]
                if usual > 0 and one[0] > _TIMES * usual
            ]
        for times, sender, name, usual, (number, file, tab, cell) in nlargest(_MOST_TOLD, far):
            yield Finding(
                Code.VALUE_FAR,
                f"{number:,g} for “{name}” is {times:,.0f} times the {usual:,g} that the others of"
                f" {sender} reach",
                "Check the cell: perhaps a digit too many, or another unit.",
                at=written_address(cell),
                looked_for=f"about {usual:,g} at most",
                found=f"{number:,g}",
                tab=tab,
                file=file,
            )
