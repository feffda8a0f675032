"""Values many times larger than all others of the same sender: perhaps a digit too many."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass, field
from heapq import nlargest

from boreotabula.batch.file.facts import KEPT, Ends
from boreotabula.batch.file.read import FileReading
from boreotabula.findings.finding import Finding
from boreotabula.findings.subjects.values import VALUE_FAR, VALUE_STANDS_FOR_NOTHING
from boreotabula.layout.addresses import written_address

_TIMES = 5
"""A value this many times the usual largest is far from the others."""
_FEWEST = 20
"""The largest of fewer values says nothing about what is usual."""
_MOST_TOLD = 5
_Far = tuple[float, str, str, str]
"""A value, and its file, tab and cell."""


@dataclass
class _Sender:
    """The number of a sender's values of a field, and the largest of them."""

    count: int = 0
    largest: list[_Far] = field(default_factory=list)


class FarValues:
    """Compares the largest values of each sender with each other.

    The sender is given by the stamps of texts, except those from tab names; without any, by the
    file. Of at least twenty values the largest hundredth (at least one) is compared with the next
    largest value: more than five times that is far.
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
            # Reports of one sender are compared with one another: a large firm is no mistake of a
            # small one.
            sender = " ".join(texts) or reading.name
            for name, largest in tab.facts.largest.items():
                known_sender = self._senders.setdefault((sender, name), _Sender())
                known_sender.count += tab.facts.numbers[name]
                every = [
                    *known_sender.largest,
                    *((n, reading.name, tab.name, c) for n, c in largest),
                ]
                # Only the largest few are kept of each sender, so that memory does not grow with
                # the folder.
                known_sender.largest = nlargest(KEPT, every)

    def findings(self) -> Iterator[Finding]:
        """The values that are farthest from the others."""
        far: list[tuple[float, str, str, float, _Far]] = []
        for (sender, name), known_sender in self._senders.items():
            if known_sender.count < _FEWEST:
                continue
            # The largest hundredth may hold several slips, so the measure is taken below it.
            index = min(max(known_sender.count // 100, 1), len(known_sender.largest) - 1)
            usual = known_sender.largest[index][0]
            far += [
                (one[0] / usual, sender, name, usual, one)
                for one in known_sender.largest[:index]
                # Sums below zero give no measure of how often more something is.
                if usual > 0 and one[0] > _TIMES * usual
            ]
        for times, sender, name, usual, (number, file, tab, cell) in nlargest(_MOST_TOLD, far):
            yield VALUE_FAR(
                written_address(cell),
                file=file,
                tab=tab,
                field=name,
                number=f"{number:,g}",
                times=f"{times:,.0f}",
                usual=f"{usual:,g}",
                sender=sender,
            )


_OFTEN = 3
"""A value that occurs this often has a meaning, and is no slip."""
_APART = 3.0
"""A value is far off if its distance from all others is this many times their span."""


class OddValues:
    """Looks for a number far from all others of its field that occurs many times, as -9999 may."""

    def __init__(self) -> None:
        self._ends: dict[str, list[tuple[Ends, str, str]]] = {}

    def take(self, reading: FileReading) -> None:
        """Note the least and greatest values of a file."""
        for tab in reading.tabs:
            for name, ends in tab.facts.ends.items() if not tab.is_copy else ():
                self._ends.setdefault(name, []).append((ends, reading.name, tab.name))

    def findings(self) -> Iterator[Finding]:
        """One for each field with such a number."""
        for name, every in self._ends.items():
            least = min(ends[0] for ends, *_ in every)
            greatest = max(ends[3] for ends, *_ in every)
            # Both ends, as -9999 and 999999 are both in use.
            for odd, side in ((least, 0), (greatest, 3)):
                count = sum(ends[side + 1] for ends, *_ in every if ends[side] == odd)
                # The values next to the ends belong to the others as well.
                other_numbers = [
                    number
                    for ends, *_ in every
                    for number in (ends[0], ends[2], ends[3], ends[5])
                    if number != odd
                ]
                # Zero is a usual value, however far it is from the rest.
                if not other_numbers or not odd or count < _OFTEN:
                    continue
                # As a multiple of their span, and of their size in case all others are the same.
                low, high = min(other_numbers), max(other_numbers)
                away = low - odd if side == 0 else odd - high
                if away > _APART * max(high - low, abs(low), abs(high)):
                    _, file, tab = next(one for one in every if one[0][side] == odd)
                    yield VALUE_STANDS_FOR_NOTHING(
                        file=file,
                        tab=tab,
                        field=name,
                        number=f"{odd:.10g}",
                        cells=count,
                        least=f"{low:,.10g}",
                        most=f"{high:,.10g}",
                    )
