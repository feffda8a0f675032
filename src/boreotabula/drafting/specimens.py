"""The tabs that a layout is drafted from, and which of them are of one kind."""

from __future__ import annotations

import re
from collections import Counter
from collections.abc import Collection, Iterable, Mapping, Sequence
from dataclasses import dataclass, field, replace
from functools import cached_property

import numpy as np

from boreotabula.drafting.looks import FIGURE, TEXT, columns_of, looks_of
from boreotabula.drafting.periods import period_of
from boreotabula.drafting.repeats import Repeats, repeats_of
from boreotabula.drafting.shapes import Shape, shapes_of
from boreotabula.drafting.types import typed
from boreotabula.drafting.words import is_total, level_name
from boreotabula.layout.headings import normal_form
from boreotabula.reading.cells import cell_text
from boreotabula.reading.totals.tabs import sums_of_others
from boreotabula.sheets.sheet import Cell, Sheet


@dataclass(frozen=True, eq=False)
class Specimen:
    """A filled tab of a file, and the other filled ones."""

    file: str
    """The path of the file below the folder, with '/'."""
    sheet: Sheet
    others: Mapping[str, Sheet] = field(default_factory=dict)

    @property
    def tab(self) -> str:
        """The name of the tab; a text file has none."""
        return self.sheet.name


@dataclass(frozen=True)
class Example:
    """A tab of a kind, with the tables that make it one of that kind."""

    specimen: Specimen
    shapes: tuple[Shape, ...]
    further: tuple[Shape, ...] = ()
    """Other tables of the tab."""

    @property
    def sheet(self) -> Sheet:
        """Its cells."""
        return self.specimen.sheet


@dataclass(frozen=True)
class Kindred:
    """Tabs that may be read by one layout."""

    examples: tuple[Example, ...]
    more: tuple[Specimen, ...] = ()
    """Further tabs of the kind, which are not looked at closely."""

    @property
    def places(self) -> list[tuple[str, str]]:
        """File and tab of all of them, those that are looked at first."""
        every = (*(one.specimen for one in self.examples), *self.more)
        return [(one.file, one.tab) for one in every]

    @property
    def has_table(self) -> bool:
        """Whether its tabs hold a table; else they are labels with values, or texts."""
        return any(one.shapes for one in self.examples)

    @cached_property
    def filled(self) -> int:
        """How many cells they fill."""
        return sum(int(np.count_nonzero(one.sheet.filled)) for one in self.examples)

    @property
    def files(self) -> list[str]:
        """The files that they are in."""
        return list(dict.fromkeys(one.specimen.file for one in self.examples))


@dataclass(frozen=True)
class LeftOut:
    """A tab, or a file, that a draft does not read, and why."""

    file: str
    tab: str
    why: str


@dataclass(frozen=True)
class Sorted:
    """The tabs of a folder by their kinds, the one with most files and cells first, and those that
    are of none."""

    kinds: tuple[Kindred, ...]
    left_out: tuple[LeftOut, ...]


def sort_tabs(specimens: Sequence[Specimen]) -> Sorted:
    """The kinds of some tabs. Copies of files, tabs with the same content in every file, and tabs
    that sum up others are of no kind: they are left out, and told."""
    own, left_out = _without_copies(specimens)
    own, lookups = _without_lookups(own)
    repeats = repeats_of([one.sheet for one in own])
    shapes_there = [shapes_of(one.sheet, repeats) for one in own]
    heads = {
        normal_form(cell_text(shape.heads[0]))
        for shapes in shapes_there for shape in shapes if shape.right - shape.left > _PAIRS
    } - {""}  # fmt: skip
    every = [
        _without_pairs(one.sheet, shapes, repeats, heads)
        for one, shapes in zip(own, shapes_there, strict=True)
    ]
    groups = grouped([shape for shapes in every for shape in shapes])
    kinds: dict[int | None, list[Example]] = {}
    for one, shapes in zip(own, every, strict=True):
        areas: Counter[int] = Counter()
        for shape in shapes:
            areas[groups[id(shape)]] += (shape.right - shape.left) * (shape.end - shape.top)
        main = max(areas, key=lambda group: areas[group], default=None)
        there = tuple(shape for shape in shapes if groups[id(shape)] == main)
        further = tuple(shape for shape in shapes if groups[id(shape)] != main)
        kinds.setdefault(main, []).append(Example(one, there, further))
    found = _with_headless([Kindred(tuple(some)) for some in kinds.values()])
    found = [Kindred(settled(one.examples)) if one.has_table else one for one in found]
    found, summaries = _without_summaries(found)
    # Tabs with a table come before those without one: these are covers and notes.
    ranked = sorted(found, key=lambda one: (not _holds_records(one), -len(one.files) * one.filled))
    return Sorted(tuple(ranked), (*left_out, *lookups, *summaries))


def _holds_records(kind: Kindred) -> bool:
    return kind.has_table or all(is_headless(one.sheet) for one in kind.examples)


def _with_headless(kinds: Sequence[Kindred]) -> list[Kindred]:
    """The kinds, with tabs of a list without headings as one; a tab that has its columns below
    headings of its own is one of them."""
    bare = [kind for kind in kinds if not kind.has_table]
    headless = [one for kind in bare for one in kind.examples if is_headless(one.sheet)]
    widths = Counter(one.sheet.width for one in headless)
    if not widths:
        return list(kinds)
    (width, _), *_ = widths.most_common(1)
    own = [one for one in headless if one.sheet.width == width]
    looks = column_looks(own[0].sheet)
    for kind in kinds:
        for one in kind.examples if len(kind.examples) < len(own) else ():
            shape = one.shapes[0] if len(one.shapes) == 1 else None
            if (
                shape
                and one.sheet.width == width
                and shape.first == 1
                and (column_looks(one.sheet) == looks)
            ):
                own.append(replace(one, shapes=(), further=one.shapes))
    taken = {id(one.specimen) for one in own}
    rest = (tuple(one for one in kind.examples if id(one.specimen) not in taken) for kind in kinds)
    return [*(Kindred(some) for some in rest if some), Kindred(tuple(own))]


_LEAST_ROWS, _LEAST_COLUMNS, _ALIKE_ROWS = 2, 2, 0.9


def column_looks(sheet: Sheet) -> tuple[int, ...]:
    """What the cells of each column of a sheet look like, below its first row."""
    return columns_of(looks_of(sheet)[1:])


def _has_label(sheet: Sheet) -> bool:
    """Whether a text of a sheet is a label, or begins with one."""
    return any(_LABELLED.match(text) is not None for *_, text in sheet.texts())


_LABELLED = re.compile(r"\s*[^\W\d][^:]{0,40}:(?:\s|$)")


def is_headless(sheet: Sheet) -> bool:
    """Whether a sheet holds rows that are filled alike, with figures among them, from its first row
    on, or below headings."""
    looks = looks_of(sheet)
    if looks.shape[0] < _LEAST_ROWS or looks.shape[1] < _LEAST_COLUMNS or _has_label(sheet):
        return False
    columns = np.array(column_looks(sheet), np.uint8)
    alike = (looks == columns) | (looks == 0)
    filled = np.count_nonzero(looks, axis=1) >= _MOST_HAVE * np.count_nonzero(columns)
    rows = alike.all(axis=1) & filled
    return bool((columns == FIGURE).any() and rows[1:].mean() >= _ALIKE_ROWS)


def _content(sheet: Sheet) -> tuple[object, ...]:
    return (sheet.name, tuple(map(tuple, sheet.rows)))


def _without_copies(specimens: Sequence[Specimen]) -> tuple[list[Specimen], list[LeftOut]]:
    """The tabs without those of files that are copies of others, whichever they are called."""
    by_file: dict[str, list[Specimen]] = {}
    for one in specimens:
        by_file.setdefault(one.file, []).append(one)
    first: dict[object, str] = {}
    left_out = []
    # The copy has the longer name: “a (1)”, “a - copy”.
    for file in sorted(by_file, key=lambda name: (len(name), name)):
        content = tuple(sorted((_content(one.sheet) for one in by_file[file]), key=repr))
        original = first.setdefault(content, file)
        if original != file:
            left_out.append(LeftOut(file, "", f"it has the same content as {original}"))
    copies = {one.file for one in left_out}
    return [one for one in specimens if one.file not in copies], left_out


def _without_lookups(specimens: Sequence[Specimen]) -> tuple[list[Specimen], list[LeftOut]]:
    """The tabs without those that are the same in every file that has them, beside others."""
    contents: dict[str, list[object]] = {}
    for one in specimens:
        contents.setdefault(one.tab, []).append(_content(one.sheet))
    same = {
        tab
        for tab, some in contents.items()
        if tab and len(some) >= _FEWEST_COPIES and len(set(some)) == 1
    }
    left_out = [
        LeftOut(one.file, one.tab, "it has the same content in every file")
        for one in specimens
        if one.tab in same and one.others
    ]
    places = {(one.file, one.tab) for one in left_out}
    return [one for one in specimens if (one.file, one.tab) not in places], left_out


_FEWEST_FILES = 2
_FEWEST_COPIES = 3
"""Two files may well agree on a tab that reports something."""


def tables_of(sheet: Sheet, repeats: Repeats | None = None) -> list[Shape]:
    """The tables of a sheet; what looks like a small one may be labels with their values."""
    repeats = repeats or repeats_of([sheet])
    return _without_pairs(sheet, shapes_of(sheet, repeats), repeats, frozenset())


def _without_pairs(
    sheet: Sheet, shapes: Sequence[Shape], repeats: Repeats, heads: Collection[str]
) -> list[Shape]:
    """The tables of a sheet without labels and values that look like one; what is among the first
    `heads` of wider tables is no label."""
    return [
        one for one in shapes
        if normal_form(cell_text(one.heads[0])) in heads
        or not _is_pairs(sheet, one, shapes, repeats)
    ]  # fmt: skip


_PAIRS = 2
"""So many columns may be labels and values, and no table."""


def _is_pairs(sheet: Sheet, shape: Shape, shapes: Sequence[Shape], repeats: Repeats) -> bool:
    """Whether what looks like a table are labels with their values beside them."""
    if shape.right - shape.left > _PAIRS or shape.bare:
        return False
    if any(other.heads == shape.heads for other in shapes if other is not shape):
        return False
    head = sheet.rows[shape.lowest][shape.left : shape.right]
    labels = [
        cell_text(sheet.rows[row][shape.left]).rstrip() for row in range(shape.lowest, shape.end)
    ]
    marked = [text.endswith((":", "：")) for text in labels if text]
    if marked and 2 * sum(marked) > len(marked):
        return True
    alone = len(shapes) == 1
    if shape.end - shape.first <= 1 and not shape.crossed and (not alone or shape.top == 0):
        return True
    if repeats.tabs < _FEWEST_FILES or repeats.is_fixed(head):
        return False
    # What stays from tab to tab is a label, what varies a value, from the first row on.
    return all(repeats.share(text) >= _MOST_HAVE for text in labels if text)


_MOST_HAVE = 0.5


def _tokens(shape: Shape) -> list[str]:
    """The headings of a table as they are compared: moments by their kind, as they may move on."""
    kinds = [level_name([cell]) if cell != "" else "" for cell in shape.heads]
    several = Counter(kind for kind in kinds if kind)
    return [
        f"<{kind}>" if kind in _MOVING or several[kind] > 1 else normal_form(cell_text(cell))
        for kind, cell in zip(kinds, shape.heads, strict=True)
    ]


_MOVING = ("year", "quarter", "week", "month", "day")
"""Headings of these kinds are moments wherever they stand; names of weekdays may be words, too."""


def grouped(shapes: Sequence[Shape]) -> dict[int, int]:
    """The number of the group that each table belongs to, by its `id`: tables of one group may be
    read by one block. The largest tables come first."""
    found: dict[int, int] = {}
    groups: list[_Group] = []
    for shape in sorted(shapes, key=lambda one: -(one.right - one.left) * (one.end - one.first)):
        scores = [(one.likeness(shape), -number) for number, one in enumerate(groups)]
        best, number = max(scores, default=(0.0, 0))
        if best >= _ALIKE:
            groups[-number].shapes.append(shape)
        else:
            groups.append(_Group([shape]))
            number = -(len(groups) - 1)
        found[id(shape)] = -number
    return found


_ALIKE = 0.5
"""So large a part of the headings of the larger one two tables of one kind share."""


@dataclass
class _Group:
    """Tables that were found to be alike so far."""

    shapes: list[Shape]

    def likeness(self, shape: Shape) -> float:
        """How alike a table is to those of the group, from 0 to 1."""
        best = max(_likeness(shape, one) for one in self._different()[:_COMPARED])
        # Other words, but the same columns: another language.
        if best < _ALIKE and self._holds_values_of(shape):
            return _ALIKE
        return best

    def _holds_values_of(self, shape: Shape) -> bool:
        """Whether a table has the columns of the group by place: texts that are among its own, and
        numbers of one range."""
        looks = _column_kinds(shape)
        known = False
        own = [
            one for one in self.shapes if one.levels == shape.levels and _column_kinds(one) == looks
        ]
        if not own or len(looks) < _FEW or not any(_tokens(shape)):
            return False
        for at, cells in enumerate(shape.values_of):
            theirs = [cell for one in own for cell in one.values_of[at]]
            numbers = [
                [cell for cell in some if isinstance(cell, float)] for some in (cells, theirs)
            ]
            if all(numbers):
                low, high = max(map(min, numbers)), min(map(max, numbers))
                if low > high:
                    return False
            else:
                known = known or bool(_texts_in(cells) & _texts_in(theirs))
        return known

    def _different(self) -> list[Shape]:
        return list({one.heads: one for one in self.shapes}.values())


_COMPARED = 12


def _likeness(one: Shape, other: Shape) -> float:
    """How alike the headings of two tables are, from 0 to 1."""
    ours, theirs = set(_tokens(one)) - {""}, set(_tokens(other)) - {""}
    shared = len(ours & theirs) / max(len(ours), len(theirs), 1)
    if shared >= _ALIKE:
        return shared
    if one.crossed and other.crossed and one.leading == other.leading:
        stubs = [
            [normal_form(cell_text(cell)) for cell in shape.heads[: shape.leading]]
            for shape in (one, other)
        ]
        if stubs[0] == stubs[1] and one.levels == other.levels:
            return _ALIKE
    # Some words, and all columns of the same looks.
    if shared >= _SOME and one.columns == other.columns and one.levels == other.levels:
        return _ALIKE
    return shared


_SOME = 0.25


def _column_kinds(shape: Shape) -> tuple[int, ...]:
    """What the cells of each column are: dates in words and codes of digits are no texts."""

    def kind(look: int, cells: Sequence[Cell]) -> int:
        texts = [cell for cell in cells if isinstance(cell, str) and cell.strip()]
        some = texts[:_FEW_CELLS]
        figures = sum(text.strip().isdigit() or period_of(text) is not None for text in some)
        return FIGURE if some and 2 * figures > len(some) else look

    return tuple(
        kind(look, cells) for look, cells in zip(shape.columns, shape.values_of, strict=True)
    )


_FEW_CELLS = 6


def _texts_in(cells: Iterable[Cell]) -> set[str]:
    return {cell.strip() for cell in cells if isinstance(cell, str) and cell.strip()}


def settled(examples: Sequence[Example]) -> tuple[Example, ...]:
    """The tables of a kind, all seen as what most of them look like: a cross-tab or a list, with
    as many leading columns."""
    shapes = [shape for one in examples for shape in one.shapes]
    by_tab = _differ_by_tab(examples)
    leading = None if by_tab else _varying_from(shapes)
    crossed = leading is not None or 2 * sum(one.crossed for one in shapes) > len(shapes)
    words = not any(text.startswith("<") for one in shapes for text in _tokens(one))
    if by_tab and words and all(one.levels == 1 for one in shapes):
        crossed = False
    if crossed and leading is None and len(examples) > 1 and _shorter_as_list(examples):
        crossed = False
    if crossed and all(one.bare for one in shapes) and _is_list_of_types(shapes):
        crossed = False
    if leading is None:
        votes = Counter(one.leading for one in shapes if one.crossed == crossed)
        leading = votes.most_common(1)[0][0] if votes else 0
    levels = Counter(one.lowest - one.highest for one in shapes)
    most = levels.most_common(1)[0][0]

    def as_most(shape: Shape) -> Shape:
        above = min(shape.lowest - shape.highest, most) if crossed else 0
        return replace(
            shape,
            crossed=crossed,
            top=shape.lowest - above,
            leading=leading if crossed and leading < shape.right - shape.left else shape.leading,
        )

    return tuple(replace(one, shapes=tuple(map(as_most, one.shapes))) for one in examples)


def _is_list_of_types(shapes: Sequence[Shape]) -> bool:
    """Whether the columns right of names without a heading are of several types: a cross-tab has
    values of one."""
    kinds: set[str] = set()
    for shape in shapes:
        if shape.levels > 1 or any(text.startswith("<") for text in _tokens(shape)):
            return False
        for cells in shape.values_of[shape.leading :]:
            filled = [cell for cell in cells if cell != ""]
            if filled:
                kinds.add(typed(filled, tolerant=False).kind)
    return len(kinds - {"integer", "number"}) + bool(kinds & {"integer", "number"}) > 1


def _shorter_as_list(examples: Sequence[Example]) -> bool:
    """Whether the values of a kind take fewer bits as a list, where each column has a range of its
    own, than as a cross-tab, where all have one; only of tables with the same words for headings,
    on one row, that could be names of either."""
    tables = [(one.sheet, shape) for one in examples for shape in one.shapes]
    columns: dict[str, list[np.ndarray[tuple[int], np.dtype[np.float64]]]] = {}
    for sheet, shape in tables:
        tokens = _tokens(shape)[shape.leading :]
        if shape.bare or shape.levels > 1 or any(text.startswith("<") for text in tokens):
            return False
        for at, text in zip(shape.values, tokens, strict=False):
            figures = sheet.numbers[shape.first : shape.end, at]
            if text and not is_total(text):
                columns.setdefault(text, []).append(figures[~np.isnan(figures)])
    usual = {text: some for text, some in columns.items() if 2 * len(some) > len(tables)}
    if len(usual) == 1 and len(columns) == 1:
        return True  # a level of one heading, which never changes, tells nothing
    if len(usual) < _FEW or 2 * len(usual) < len(columns) or _like_one_another(list(usual)):
        return False
    values = [np.concatenate(some) for some in usual.values()]
    apart = sum(_bits(some) for some in values) + _BITS_OF_TYPE * len(values)
    return bool(apart < _bits(np.concatenate(values)) + _BITS_OF_NAMES)


_BITS_OF_TYPE = 3.3
"""A type is one of ten."""
_BITS_OF_NAMES = 55.0
"""Two words of ours for the heading and the value, of about six letters each."""


def _bits(values: np.ndarray[tuple[int], np.dtype[np.float64]]) -> float:
    """What some numbers cost: the ends of their range, then each within it."""
    if not len(values):
        return 0.0
    decimals = next((n for n in range(4) if np.allclose(values * 10**n % 1, 0, atol=1e-6)), 4)
    low, high = float(values.min()) * 10**decimals, float(values.max()) * 10**decimals
    ends = np.log2(abs(low) + 2) + np.log2(abs(high) + 2)
    return float(ends + len(values) * np.log2(high - low + 1))


def _like_one_another(texts: Sequence[str]) -> bool:
    """Whether headings are the same words with other figures, or single letters: classes."""
    words = {re.sub(r"\d+", "#", text) for text in texts}
    numbered = len(words) == 1 and "#" in next(iter(words))
    return numbered or all(len(text) == 1 for text in texts)


_FEWEST_TABLES = 3


def _differ_by_tab(examples: Sequence[Example]) -> bool:
    """Whether the headings of a kind differ from tab to tab of its files, but for each tab are the
    same in all files: each tab holds things of its own."""
    by_tab: dict[str, list[set[str]]] = {}
    for one in examples:
        heads = {text for shape in one.shapes for text in _tokens(shape) if text}
        by_tab.setdefault(one.specimen.tab, []).append(heads)
    shared = {tab: set.intersection(*some) for tab, some in by_tab.items()}
    several = len(by_tab) > 1 and all(len(some) > 1 for some in by_tab.values())
    alike = all(
        len(shared[tab]) >= _MOST_SHARED * len(set.union(*some)) for tab, some in by_tab.items()
    )
    return several and alike and len(set(map(frozenset, shared.values()))) > 1


_MOST_SHARED = 0.7


def _varying_from(shapes: Sequence[Shape]) -> int | None:
    """How many leading columns the tables have, if the headings right of them vary from table to
    table above figures: then these are data, and no names of fields. Else None.

    Headings that some tables have besides those of all others are fields that may be missing; these
    vary only if each table lacks some that another one has.
    """
    if len({one.heads for one in shapes}) < _FEW or any(one.levels > 1 for one in shapes):
        return None
    texts = [[normal_form(cell_text(cell)) for cell in one.heads] for one in shapes]
    common = Counter(text for some in texts for text in set(some))
    usual = {text for text, number in common.items() if number >= _NEARLY_ALL * len(shapes)}
    found: Counter[int] = Counter()
    varying: list[set[str]] = []
    moments = 0
    for shape, some in zip(shapes, texts, strict=True):
        places = [
            at for at, text in enumerate(some)
            if text and text not in usual and shape.columns[at] != TEXT and not is_total(text)
        ]  # fmt: skip
        varying.append({some[at] for at in places})
        moments += all(_tokens(shape)[at].startswith("<") for at in places)
        if len(places) >= _FEW and places[0] and any(some[: places[0]]):
            found[places[0]] += 1
    every = set().union(*varying)
    if moments < len(shapes) and (
        len(shapes) < _FEWEST_TABLES or any(len(every) < len(some) + _FEW for some in varying)
    ):
        return None
    (start, votes), *_ = found.most_common(1) or [(0, 0)]
    return start if 2 * votes > len(shapes) else None


_NEARLY_ALL = 0.9
_FEW = 2


def _without_summaries(kinds: Sequence[Kindred]) -> tuple[list[Kindred], list[LeftOut]]:
    """The kinds without the tabs that sum up others of their file: cell by cell those of their own
    kind, or by groups the records of a larger one."""
    left_out: list[LeftOut] = []
    found: list[Kindred] = []
    ranked = sorted(kinds, key=lambda one: -one.filled)
    for kind in ranked:
        summed = dict(_summed_tabs(kind.examples)) | dict(_grouped_tabs(kind, found))
        left_out += [
            LeftOut(file, tab, f"it sums up {others}") for (file, tab), others in summed.items()
        ]
        rest = tuple(
            one for one in kind.examples if (one.specimen.file, one.specimen.tab) not in summed
        )
        if rest:
            found.append(replace(kind, examples=rest))
    return found, left_out


Place = tuple[str, str]


def _summed_tabs(examples: Sequence[Example]) -> Iterable[tuple[Place, str]]:
    """The tabs of a kind that hold the sums of other tabs of their file, and which these are."""
    by_file: dict[str, list[Example]] = {}
    for one in examples:
        if one.shapes:
            by_file.setdefault(one.specimen.file, []).append(one)
    for file, some in by_file.items():
        tabs = {one.specimen.tab: _numbers(one) for one in some}
        for tab, others in sums_of_others(tabs):
            yield (file, tab), f"{others[0]} to {others[-1]}"


def _numbers(one: Example) -> tuple[np.ndarray[tuple[int], np.dtype[np.intp]],
                                    np.ndarray[tuple[int], np.dtype[np.float64]]]:  # fmt: skip
    """The numbers in the tables of a tab, by their place within the table."""
    cells: list[np.ndarray[tuple[int], np.dtype[np.intp]]] = []
    values: list[np.ndarray[tuple[int], np.dtype[np.float64]]] = []
    for number, shape in enumerate(one.shapes):
        body = one.sheet.numbers[shape.first : shape.end, shape.left : shape.right]
        rows, columns = np.nonzero(~np.isnan(body))
        cells.append(number * 1_000_000_000 + rows * 65_536 + columns)
        values.append(body[rows, columns])
    return np.concatenate(cells), np.concatenate(values)


def _grouped_tabs(kind: Kindred, larger: Sequence[Kindred]) -> Iterable[tuple[Place, str]]:
    """The tabs of a kind whose numbers are sums of records of another tab of their file, by one of
    its columns."""
    for one in kind.examples:
        numbers = {
            round(float(value), 6)
            for shape in one.shapes
            for value in one.sheet.numbers[shape.first : shape.end, shape.left : shape.right].flat
            if value == value and value
        }
        for other in (some for group in larger for some in group.examples):
            if other.specimen.file != one.specimen.file or len(numbers) < _FEWEST_SUMS:
                continue
            sums = {value for shape in other.shapes for value in _group_sums(other.sheet, shape)}
            if len(numbers & sums) >= _MOST_SUMS * len(numbers):
                yield (one.specimen.file, one.specimen.tab), other.specimen.tab
                break


_FEWEST_SUMS, _MOST_SUMS = 3, 0.8


def _group_sums(sheet: Sheet, shape: Shape) -> Iterable[float]:
    """The sums of all columns of numbers of a table for each text of each column of texts."""
    rows = range(shape.first, shape.end)
    for at in range(shape.left, shape.right):
        if shape.columns[at - shape.left] != TEXT:
            continue
        groups: dict[Cell, list[int]] = {}
        for row in rows:
            groups.setdefault(sheet.rows[row][at], []).append(row)
        if not _FEW <= len(groups) < len(rows):
            continue
        for column in range(shape.left, shape.right):
            if shape.columns[column - shape.left] == FIGURE:
                for some in groups.values():
                    yield round(float(np.nansum(sheet.numbers[some, column])), 6)
