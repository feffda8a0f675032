"""From tabs to a layout: the kind with most cells, its candidates, and the best of them."""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from dataclasses import dataclass, replace
from functools import cached_property
from math import inf

from boreotabula.drafting.search.composing import composed
from boreotabula.drafting.search.cost import cost_of
from boreotabula.drafting.search.evidence import first_sketch
from boreotabula.drafting.search.finishing import finished
from boreotabula.drafting.search.further import Turned, further_kinds, turned, with_block
from boreotabula.drafting.search.improving import improved
from boreotabula.drafting.search.judging import Judgement, judge
from boreotabula.drafting.sketch import Sketch, TabForm
from boreotabula.drafting.tabs.kinds import sort_tabs
from boreotabula.drafting.tabs.likeness import are_classes, tokens
from boreotabula.drafting.tabs.specimens import Example, LeftOut, Specimen, TabFamily
from boreotabula.drafting.texts.bits import CLEARLY
from boreotabula.look.crossed import balances, choice_run
from boreotabula.look.looks import FIGURE, TEXT
from boreotabula.look.shape import Shape, only_two_columns
from boreotabula.look.texts.words import is_total
from boreotabula.reading.cells import cell_text
from boreotabula.sheets.sheet import Sheet

_MOST_READ = 60
"""At most this many tabs are read to see what is certain about a field."""
_MOST_TRIED = 24
"""At most this many tabs judge candidates; the best candidate is read with all tabs."""


@dataclass(frozen=True)
class Draft:
    """A drafted layout, what it gives, and the tabs it was made from."""

    sketch: Sketch
    judged: Judgement
    kind: TabFamily
    others: tuple[TabFamily, ...]
    """The other kinds of tabs in the folder."""
    left_out: tuple[LeftOut, ...] = ()
    """Tabs and files that are of no kind, and why."""
    further: tuple[TabFamily, ...] = ()
    """The kinds that the layout reads besides the main one."""
    runner_up: tuple[Sketch, Judgement] | None = None
    """Another reading that explains the tabs almost equally well, and gives other records."""

    def otherwise(self) -> Draft:
        """The draft by the other reading; itself if there is none."""
        if self.runner_up is None:
            return self
        sketch, judged = self.runner_up
        return replace(self, sketch=sketch, judged=judged, runner_up=(self.sketch, self.judged))


def draft(specimens: Sequence[Specimen], like: str = "") -> Draft | None:
    """The layout that best reads the tabs of the main kind, and of the other kinds in the same
    files.

    If a tab or file `like` is named, only its kind is read. None if no tab holds anything to draft
    from.
    """
    sorting = sort_tabs(specimens)
    kinds = list(sorting.kinds)
    if like:
        kinds.sort(key=lambda kind: not _holds(kind, like))
    if not kinds:
        # None, not an empty layout: the person must hear that there was nothing to draft from.
        return None
    kind, *other_kinds = kinds
    best, *runners_up = best_of(kind)
    if not best[1].readings:
        return None  # nothing that could be told apart
    sketch, judged = best
    covers = {source["tab"] for _, source in sketch.sources if "tab" in source}
    on_covers = [
        {example.specimen.tab for example in kind.examples} <= covers for kind in other_kinds
    ]
    # A cover that holds nothing else is read by its labels; its table is told.
    other_kinds = [
        kind for kind, is_cover in zip(other_kinds, on_covers, strict=True)
        if not is_cover or kind.has_table
    ]  # fmt: skip
    parts = [(kind, sketch)]
    for other_kind in other_kinds if not like else ():
        if {example.specimen.tab for example in other_kind.examples} <= covers:
            continue
        if len(parts) < _MOST_KINDS and _is_beside(other_kind, kind):
            # Its own reading, since another kind may be a list where the main one is a cross-tab.
            (also, read), *_ = best_of(other_kind)
            if read.records:
                parts.append((other_kind, also))
    taken = {id(kind) for kind, _ in parts}
    if len(parts) > 1:
        sketch = composed(parts)
        runners_up = [(composed([(kind, sketch), *parts[1:]]), read) for sketch, read in runners_up]
    rest = tuple(kind for kind in other_kinds if id(kind) not in taken)
    further = tuple(kind for kind, _ in parts[1:])
    runner_up = next(iter(runners_up), None)
    return Draft(sketch, judged, kind, rest, sorting.left_out, further, runner_up)


_MOST_KINDS = 12
"""The number of kinds of tabs that one layout reads."""


def _is_beside(other_kind: TabFamily, main: TabFamily) -> bool:
    """Whether the tabs of a kind that has tables of several records stand in the files of the main
    kind."""
    several = any(
        len(example.shapes) > 1 or shape.end - shape.first > 1
        for example in other_kind.examples for shape in example.shapes
    )  # fmt: skip
    return several and set(other_kind.files) <= set(main.files)


def best_of(kind: TabFamily) -> list[tuple[Sketch, Judgement]]:
    """The likeliest reading of a kind, then those that give other records and are almost as
    likely."""
    # Candidates are made and judged on few tabs; only the best are read with all.
    tried = _some(kind)
    group = _few_cells([example.specimen for example in tried.examples])
    readings = [
        _Reading(
            *_with_further(improved(candidate.sketch, candidate.kind, group), tried, group),
            candidate.is_doubtful,
        )
        for candidate in _candidates(tried)
    ]
    alone = len(kind.examples) == 1
    best = readings[0]
    # In the order of how the tables look: what comes later must be clearly likelier.
    for reading in readings[1:]:
        if reading.is_clearly_likelier(best, alone=alone):
            best = reading
    nearly = best.bits + (_nearly_alone(kind.examples[0]) if alone else CLEARLY)
    close = [
        one for one in readings
        if one.form != best.form and one.bits < nearly
        # Another reading is only offered if it leaves no more unexplained.
        and one.judged.bits_left < best.judged.bits_left + CLEARLY
    ]  # fmt: skip
    specimens = [example.specimen for example in kind.examples[:_MOST_READ]]
    every = [
        (one.sketch, one.judged if specimens == group else judge(one.sketch, specimens))
        for one in (best, *sorted(close, key=_Reading.rank))
    ]
    return [(finished(sketch, judged, kind), judged) for sketch, judged in every]


_ALONE = 50.0
"""The margin for a single tab: which of its texts would stay on another tab is unknown, and each
name more or less costs some ten bits."""


_MUCH = 100.0
"""By this many bits another reading is taken even for a single tab."""


def _nearly_alone(example: Example) -> float:
    """Within this many bits another reading of a single tab is reported. Where its tables have one
    row, nothing shows whether the headings are names of fields or data."""
    one_row = bool(example.shapes) and all(shape.end - shape.first == 1 for shape in example.shapes)
    return _MUCH if one_row else _ALONE


@dataclass(frozen=True)
class _Reading:
    """A candidate after all improvements, and how it reads the tabs."""

    sketch: Sketch
    judged: Judgement
    is_doubtful: bool
    """Whether only its bits support it."""

    @cached_property
    def bits(self) -> float:
        """The cost of the tabs, written down as it reads them."""
        return cost_of(self.sketch, self.judged)

    def rank(self) -> float:
        """The lower, the likelier; of two with nearly the same cost a doubtful one is second."""
        return self.bits + CLEARLY * self.is_doubtful

    def is_clearly_likelier(self, other_reading: _Reading, *, alone: bool) -> bool:
        """Whether it is to be taken instead of another reading, which the appearance of the tables
        supports.

        A single tab (`alone`) does not show what varies, and a doubtful reading is supported only
        by its bits: then it must read more of the tabs. For a single tab it is enough to save very
        many bits. A doubtful reading of a single tab is never taken, but reported.
        """
        if alone and self.is_doubtful:
            return False
        left, other_number = self.judged.bits_left, other_reading.judged.bits_left
        if (alone or self.is_doubtful) and left + CLEARLY < other_number:
            return self.bits < other_reading.bits + (_ALONE if alone else 0)
        needed = inf if self.is_doubtful else _MUCH if alone else CLEARLY
        return self.bits + needed < other_reading.bits and left < other_number + CLEARLY

    @property
    def form(self) -> TabForm:
        """What the tabs are by this reading."""
        return self.sketch.form


def _with_further(
    result: tuple[Sketch, Judgement], kind: TabFamily, specimens: Sequence[Specimen]
) -> tuple[Sketch, Judgement]:
    """A sketch with blocks for the other tables that most tabs of a kind hold beside the main one.

    They are added one after another, as long as they read the tabs better.
    """
    sketch, judged = result
    for further in further_kinds(kind) if judged.readings else ():
        more = improved(with_block(sketch, further), kind, specimens)
        if more[1].score > judged.score:
            sketch, judged = more
    return sketch, judged


def _holds(kind: TabFamily, tab: str) -> bool:
    """Whether a tab, or one of a file, is of a kind."""
    return any(tab in (example.specimen.tab, example.specimen.file) for example in kind.examples)


def _some(kind: TabFamily) -> TabFamily:
    """Some tabs of a kind, from as many files as possible."""
    if len(kind.examples) <= _MOST_TRIED:
        return kind
    step = len(kind.examples) / _MOST_TRIED
    chosen = tuple(kind.examples[int(index * step)] for index in range(_MOST_TRIED))
    taken = {id(example) for example in chosen}
    more_specimens = tuple(
        example.specimen for example in kind.examples if id(example) not in taken
    )
    return replace(kind, examples=chosen, more=more_specimens)


_MOST_CELLS, _FEWEST_TABS = 60_000, 3
"""Candidates are judged on at most this many cells, but on at least three tabs."""


def _few_cells(specimens: Sequence[Specimen]) -> list[Specimen]:
    """Some of the tabs by which candidates are judged: of large ones three are enough."""
    # Whole tabs are taken or left, as a part of one would show no totals.
    cells = 0
    for number, specimen in enumerate(specimens):
        cells += specimen.sheet.kinds.size
        if cells > _MOST_CELLS and number >= _FEWEST_TABS:
            return list(specimens[:number])
    return list(specimens)


@dataclass(frozen=True)
class _Candidate:
    """A sketch to be tried, with the tabs as it sees them."""

    sketch: Sketch
    kind: TabFamily
    is_doubtful: bool = False
    """Whether nothing supports it yet."""


def _candidates(kind: TabFamily) -> Iterator[_Candidate]:
    """The sketches to be tried: as the tables appear, as the other kind of table, and turned."""
    if kind.has_lines:
        yield _Candidate(first_sketch(kind), kind)
        return
    along = turned(kind)
    # What is clear from the looks is tried first, as the first candidate has the benefit of the
    # doubt.
    if along is not None and along.is_clear:
        yield _along(along, kind)
    yield _Candidate(first_sketch(kind), kind)
    other_examples = tuple(
        replace(example, shapes=tuple(replace(s, crossed=not s.crossed) for s in example.shapes))
        for example in kind.examples
    )
    shapes = [shape for example in kind.examples for shape in example.shapes]
    if any(shape.crossed and _is_surely_crossed(example.sheet, shape)
           for example in kind.examples for shape in example.shapes):  # fmt: skip
        return
    if along and not along.is_clear and not _names_moments(along.there):
        yield _along(along, kind)
    if (among := _other_of_two_columns(kind)) is not None:
        yield _Candidate(first_sketch(among), among)
        return
    # Where a column is the sum of two others, each is a measure of its own.
    if any(_is_balanced(example.sheet, shape)
           for example in kind.examples for shape in example.shapes):  # fmt: skip
        return
    if shapes and all(shape.leading for shape in shapes):
        sketch = first_sketch(replace(kind, examples=other_examples))
        if not _mixes_types(sketch, other_examples):
            yield _Candidate(sketch, kind)


def _other_of_two_columns(kind: TabFamily) -> TabFamily | None:
    """A single tab with two columns, as a list if it was taken for labels with their values, and
    the reverse: nothing shows which of its texts stay."""
    if len(kind.examples) > 1 or kind.more:
        return None
    (example,) = kind.examples
    shape = only_two_columns(example.sheet)
    if shape is None:
        return None
    return replace(kind, examples=(replace(example, shapes=() if example.shapes else (shape,)),))


def _along(turned: Turned, kind: TabFamily) -> _Candidate:
    without = tuple(replace(example, shapes=()) for example in kind.examples)
    # Cells of one type do not tell which way a table lies; what varies from tab to tab may.
    doubtful = not (turned.is_clear or turned.stays)
    sketch = first_sketch(turned.lying, turned.there)
    return _Candidate(sketch, replace(kind, examples=without), doubtful)


def _is_below_data(sheet: Sheet, shape: Shape) -> bool:
    """Whether headings of a table, of any level, are no names of fields: dates, months and the
    like, which vary, and classes."""
    return any(
        any(text.startswith("<") for text in level) or are_classes(level)
        for level in _levels(sheet, shape)
    )


def _is_balanced(sheet: Sheet, shape: Shape) -> bool:
    """Whether a list has columns of numbers of which one is the sum of two others."""
    if shape.crossed or shape.levels > 1 or any(is_total(cell_text(head)) for head in shape.heads):
        return False
    figures = [shape.left + index for index, look in enumerate(shape.columns) if look == FIGURE]
    rows = range(shape.first, shape.end)
    return bool(figures) and balances(sheet, rows, range(figures[0], figures[-1] + 1))


def _is_surely_crossed(sheet: Sheet, shape: Shape) -> bool:
    """Whether headings of a table are certainly data.

    They are answers that marks below them choose, or also name its rows, as in tables of “from” and
    “to”.
    """
    if _is_below_data(sheet, shape):
        return not _may_be_questions(sheet, shape)
    if choice_run(sheet, range(shape.first, shape.end), range(shape.left, shape.right)):
        return True
    heads = {text for level in _levels(sheet, shape) for text in level}
    rows = sheet.rows[shape.first : shape.end]
    names = set(tokens([cells[shape.left] for cells in rows]))
    return len(heads) > 1 and heads <= names


def _may_be_questions(sheet: Sheet, shape: Shape) -> bool:
    """Whether the only moments among the headings of a table are Q1, Q2 and perhaps Q3, which are
    quarters or questions."""
    moments = [text for level in _levels(sheet, shape) for text in level if text.startswith("<")]
    return 0 < len(moments) < _QUARTERS and set(moments) == {"<quarter>"}


_QUARTERS = 4


def _levels(sheet: Sheet, shape: Shape) -> list[list[str]]:
    """The headings of each level above the values of a table, in the form that is compared; without
    totals."""
    return [
        [text for text in tokens(sheet.rows[row][shape.left + shape.leading : shape.right])
         if text and not is_total(text)]
        for row in range(shape.top, shape.lowest + 1)
    ]  # fmt: skip


def _names_moments(kind: TabFamily) -> bool:
    """Whether headings of the tables of some tabs are data: no field is named by a moment."""
    return any(
        _is_below_data(example.sheet, shape)
        for example in kind.examples
        for shape in example.shapes
    )


def _mixes_types(sketch: Sketch, examples: Sequence[Example]) -> bool:
    """Whether the values of a cross-tab are texts only because its columns differ.

    The cells of one measure are of one type, and read as texts they would have no errors to count
    against it.
    """
    return sketch.fields.get(sketch.block.get("value", "")) == "text" and any(
        shape.columns[value - shape.left] != TEXT
        for example in examples for shape in example.shapes for value in shape.values
    )  # fmt: skip
