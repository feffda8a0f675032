"""From tabs to a layout: the kind with most cells, its candidates, and the best of them."""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from dataclasses import dataclass, replace

from boreotabula.drafting.evidence import first_sketch
from boreotabula.drafting.finishing import finished
from boreotabula.drafting.further import further_kinds, turned, with_block
from boreotabula.drafting.improving import improved
from boreotabula.drafting.judging import Judgement, judge
from boreotabula.drafting.looks import TEXT
from boreotabula.drafting.sketch import Sketch
from boreotabula.drafting.specimens import Example, Kindred, Specimen, kinds_of
from boreotabula.texts import counted

_MOST_TRIED = 24
"""By so many tabs candidates are judged; the best is read with all of them."""


@dataclass(frozen=True)
class Draft:
    """A drafted layout, what it gives, and the tabs it was made from."""

    sketch: Sketch
    judged: Judgement
    kind: Kindred
    others: tuple[Kindred, ...]
    """The other kinds of tabs that were there."""


def draft(specimens: Sequence[Specimen], like: str = "") -> Draft | None:
    """The layout that reads the tabs of the main kind best; of the kind of the tab or file `like`,
    if one is named. None if no tab holds anything to draft from."""
    kinds = kinds_of(specimens)
    if like:
        kinds = sorted(kinds, key=lambda kind: not _holds(kind, like))
    if not kinds:
        return None
    kind, *others = kinds
    tried = _some(kind)
    specimens = _few_cells([one.specimen for one in tried.examples])
    every = [improved(candidate, of, specimens) for candidate, of in _candidates(tried)]
    best = every[0]
    for found in every[1:]:
        # What the headings look like decides, unless the account is clearly against it.
        if found[1].score > best[1].score + _CLEARLY:
            best = found
    sketch, judged = best
    note = _next_best(best, every)
    if not judged.readings:
        return None  # nothing that could be told apart
    for other in further_kinds(tried):
        # Each on top of those before it: a tab may hold three tables.
        found = improved(with_block(sketch, other), tried, specimens)
        if found[1].score > judged.score:
            sketch, judged = found
    judged = judge(sketch, [one.specimen for one in kind.examples])
    sketch = replace(finished(sketch, judged, kind), note=note)
    return Draft(sketch, judged, kind, tuple(others))


def _next_best(best: tuple[Sketch, Judgement], every: Sequence[tuple[Sketch, Judgement]]) -> str:
    """What is to be said if another way of reading is as good."""
    sketch, judged = best
    for other, found in every:
        close = found.score > judged.score - _CLEARLY and found.placed >= judged.placed
        close = close and found.agree >= judged.agree
        if other is not sketch and _is(other) != _is(sketch) and close and found.records:
            return f"reads equally well as {_is(other)}, in {counted(found.records, 'record')}"
    return ""


def _is(sketch: Sketch) -> str:
    if sketch.block.get("turned"):
        return "a turned list"
    return "a list" if sketch.listed else "a cross-tab"


_CLEARLY = 4.0
"""By so many points another candidate must read the tabs better."""


def _holds(kind: Kindred, tab: str) -> bool:
    """Whether a tab, or one of a file, is of a kind."""
    return any(tab in (one.specimen.tab, one.specimen.file) for one in kind.examples)


def _some(kind: Kindred) -> Kindred:
    """Some tabs of a kind, from as many files as there are."""
    if len(kind.examples) <= _MOST_TRIED:
        return kind
    step = len(kind.examples) / _MOST_TRIED
    return replace(kind, examples=tuple(kind.examples[int(at * step)] for at in range(_MOST_TRIED)))


_MOST_CELLS, _FEWEST_TABS = 60_000, 3


def _few_cells(specimens: Sequence[Specimen]) -> list[Specimen]:
    """Some of the tabs by which candidates are judged: of large ones three show enough."""
    cells = 0
    for number, one in enumerate(specimens):
        cells += one.sheet.kinds.size
        if cells > _MOST_CELLS and number >= _FEWEST_TABS:
            return list(specimens[:number])
    return list(specimens)


def _candidates(kind: Kindred) -> Iterator[tuple[Sketch, Kindred]]:
    """The sketches that are tried: as the tables look, as the other kind of table, and turned; each
    with the tabs as it sees them."""
    yield first_sketch(kind), kind
    if also := turned(kind):
        there, lying = also
        without = tuple(replace(one, shapes=()) for one in kind.examples)
        yield first_sketch(lying, there), replace(kind, examples=without)
    other = tuple(
        replace(one, shapes=tuple(replace(s, crossed=not s.crossed) for s in one.shapes))
        for one in kind.examples
    )
    if any(one.shapes for one in other) and all(
        shape.leading and not shape.bare for one in other for shape in one.shapes
    ):
        sketch = first_sketch(replace(kind, examples=other))
        if not _mixes_types(sketch, other):
            yield sketch, kind


def _mixes_types(sketch: Sketch, examples: Sequence[Example]) -> bool:
    """Whether the values of a cross-tab are texts only because its columns differ: the cells of one
    measure are of one type, and read as texts they would have no errors to speak against it."""
    return sketch.fields.get(sketch.block.get("value", "")) == "text" and any(
        shape.columns[at - shape.left] != TEXT
        for one in examples for shape in one.shapes for at in shape.values
    )  # fmt: skip
