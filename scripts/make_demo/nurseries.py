"""The made-up figures behind the samples: nurseries, greenhouses, lots, and counts.

Everything follows from fixed seeds, so that the samples are the same each time and the figures that
an extraction must give are known in advance.
"""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass
from datetime import date
from random import Random

MONTHS = tuple(date(2026, month, 1) for month in (1, 2, 3, 4))
SPECIES = ("Picea abies", "Pinus sylvestris", "Betula pendula")
CONTAINERS = ("Multipot 95", "Multipot 60", "Bare root")

Count = int | str | None
"""A counted number; a text written instead; or nothing."""


@dataclass(frozen=True)
class Language:
    """The words of a form in one language."""

    title: str
    nursery: str
    month: str
    species: str
    lot: str
    total: str
    remarks: str
    notes: str
    greenhouse: str


ENGLISH = Language(
    "Bench stock-take", "Nursery", "Month", "Species", "Lot", "Total", "Remarks",
    "Notes: counted before watering", "Greenhouse",
)  # fmt: skip
NORWEGIAN = Language(
    "Telling av planter", "Planteskole", "Måned", "Art", "Parti", "Sum", "Merknader",
    "Merknad: talt før vanning", "Veksthus",
)  # fmt: skip
FINNISH = Language(
    "Taimien laskenta", "Taimitarha", "Kuukausi", "Laji", "Erä", "Yhteensä", "Huomautuksia",
    "Huom: laskettu ennen kastelua", "Kasvihuone",
)  # fmt: skip


@dataclass(frozen=True)
class Nursery:
    """A sender of forms, and the habits by which its forms differ."""

    name: str
    region: str
    language: Language
    grades: tuple[str, ...] = ("A", "B", "Cull")
    merged: bool = True
    """Whether group headings and species are merged cells, or filled once."""
    sums_beside: bool = False
    """Whether each container has a column of its sums."""
    ending: str = ".xlsx"
    """The kind of workbook that it sends."""


NURSERIES = (
    Nursery("Frostmo", "fjord", NORWEGIAN),
    Nursery("Lomlia", "fjord", NORWEGIAN, merged=False, sums_beside=True),
    Nursery("Kaldvatn", "lake", ENGLISH, sums_beside=True),
    Nursery("Suvanto", "lake", FINNISH, ending=".ods"),
    Nursery("Hiekka", "inland", FINNISH, grades=("A", "Cull"), merged=False, ending=".xls"),
    Nursery("Granvik", "inland", ENGLISH, grades=("A", "B", "C", "Cull")),
)


@dataclass(frozen=True)
class LotLine:
    """One lot on a bench; a count for each container and grade, in order."""

    species: str
    lot: str
    counts: tuple[Count, ...]


@dataclass(frozen=True)
class GreenhouseTab:
    """The stock of one greenhouse; the table's first heading cell is at `top`, `left`."""

    greenhouse: str
    top: int
    left: int
    lines: tuple[LotLine, ...]


@dataclass(frozen=True)
class Form:
    """One workbook: a nursery's report of a month."""

    nursery: Nursery
    month: date
    tabs: tuple[GreenhouseTab, ...]
    came_on: date
    """When the report came: the day on which its file was last changed."""

    @property
    def file(self) -> str:
        """The name of the workbook."""
        name = f"{self.nursery.region}_stock_{self.nursery.name}_{self.month:%Y-%m}"
        return name + self.nursery.ending

    @property
    def path(self) -> str:
        """Its path below the inbox: in the folder of its month."""
        return f"{self.month:%Y-%m}/{self.file}"

    @property
    def counts(self) -> list[Count]:
        """Every filled value cell."""
        lines = [line for tab in self.tabs for line in tab.lines]
        return [count for line in lines for count in line.counts if count is not None]

    @property
    def records(self) -> int:
        """The number of records that an extraction must find."""
        return len(self.counts)

    @property
    def seedlings(self) -> int:
        """The sum of seedlings over all records."""
        return sum(count for count in self.counts if isinstance(count, int))


def forms() -> Iterator[Form]:
    """All workbooks of the samples, nursery by nursery and month by month."""
    for nursery in NURSERIES:
        for month in MONTHS:
            draw = Random(f"{nursery.name} {month:%Y-%m}")
            tabs = tuple(_tab(nursery, month, number, draw) for number in (1, 2))
            yield Form(nursery, month, tabs, _came_on(nursery, month))


def _came_on(nursery: Nursery, month: date) -> date:
    """A few days after the month; one report came too late."""
    late = nursery.name == LATE and month == MONTHS[-1]
    return date(month.year, month.month + 1, 19 if late else 2 + len(nursery.name) % 5)


LATE = "Lomlia"
"""The nursery whose last report came too late."""
RESTATING = "Granvik"
"""The nursery that corrects its January in April."""


def restated() -> Form:
    """The first report of a nursery, with some counts corrected later."""
    form = next(form for form in forms() if form.nursery.name == RESTATING)
    first = form.tabs[0]
    line = first.lines[0]
    counts = tuple(
        count - 15 if isinstance(count, int) and count > 100 else count for count in line.counts
    )
    lines = (LotLine(line.species, line.lot, counts), *first.lines[1:])
    tab = GreenhouseTab(first.greenhouse, first.top, first.left, lines)
    return Form(form.nursery, form.month, (tab, *form.tabs[1:]), date(2026, 5, 22))


def _tab(nursery: Nursery, month: date, number: int, draw: Random) -> GreenhouseTab:
    lines = []
    for species in SPECIES:
        for _ in range(draw.randint(2, 4)):
            lot = f"{species[0]}{draw.randint(100, 999)}"
            counts = [_count(draw) for _ in CONTAINERS for _ in nursery.grades]
            lines.append(LotLine(species, lot, tuple(counts)))
    if nursery.name == "Kaldvatn" and month == MONTHS[-1] and number == 2:
        lines[1] = LotLine(lines[1].species, lines[1].lot, ("ca. 120", *lines[1].counts[1:]))
    return GreenhouseTab(str(number), draw.randint(6, 9), draw.randint(0, 2), tuple(lines))


def _count(draw: Random) -> int | None:
    """Mostly a number of seedlings; now and then nothing there, or a counted zero."""
    chance = draw.random()
    if chance < 0.12:
        return None
    return 0 if chance < 0.17 else draw.randint(1, 160) * 5
