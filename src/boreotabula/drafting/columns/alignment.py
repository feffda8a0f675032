"""The columns of a kind, matched over its tables: by their headings first, wherever they stand.

The rest is matched by similar headings and values. It is matched by place only where a single
column is left on both sides between the same neighbours. Each match that headings alone do not make
is a doubt, which the person is asked about.
"""

from __future__ import annotations

from collections import Counter
from collections.abc import Callable, Sequence
from itertools import combinations

from boreotabula.drafting.columns.column import (
    DraftColumn,
    are_moments,
    are_of_one_type,
    likeness_of,
    share_texts,
    shared_texts,
)
from boreotabula.drafting.columns.over_columns import Tables
from boreotabula.drafting.doubts import Doubt, Spot
from boreotabula.drafting.tabs.specimens import Example
from boreotabula.drafting.texts.languages import groups_of_like
from boreotabula.layout.headings import normal_form
from boreotabula.look.shape import Shape

HeadingOf = Callable[[Example, Shape, int], str]
"""The heading over a column of a table, counted from its first."""


def columns_of(
    tables: Tables, heading: HeadingOf, span: Callable[[Shape], range]
) -> list[DraftColumn]:
    """The columns of some tables within their `span`, counted from their first column."""
    by_key: dict[tuple[str, int], DraftColumn] = {}
    written: dict[tuple[str, int], Counter[str]] = {}
    for number, (example, shape) in enumerate(tables):
        counts: Counter[str] = Counter()
        for index in span(shape):
            text = heading(example, shape, index)
            # Columns without a heading are known by their place alone.
            plain = normal_form(text)
            key = (plain, counts[plain]) if plain else ("", index)
            counts[plain] += 1
            by_key.setdefault(key, DraftColumn({}, [])).places[number] = index
            written.setdefault(key, Counter())[text] += 1
    for key, column in by_key.items():
        column.headings = [text for text, _ in written[key].most_common() if text]
    columns = list(by_key.values())
    # Languages first, as they pair many columns at once; then again, since pairs by words may
    # have completed one.
    columns = _of_languages(columns, tables)
    columns = _alike(columns, tables, by_place=False)
    columns = _of_languages(columns, tables)
    columns = _alike(columns, tables, by_place=True)
    _ask_of_tabs(columns, tables)
    return _in_order(columns)


def columns_by_place(
    tables: Tables, heading: HeadingOf, span: Callable[[Shape], range]
) -> list[DraftColumn]:
    """The columns, each matched by its place alone: for tables where some have no heading."""
    columns: dict[int, DraftColumn] = {}
    for number, (example, shape) in enumerate(tables):
        for index in span(shape):
            column = columns.setdefault(index, DraftColumn({}, []))
            column.places[number] = index
            text = heading(example, shape, index)
            if text and text not in column.headings:
                column.headings.append(text)
    return [columns[column] for column in sorted(columns)]


def _in_order(columns: list[DraftColumn]) -> list[DraftColumn]:
    """The columns in the order of most tables, left to right; a rare one comes after its left
    neighbour there."""
    usual = Counter(number for column in columns for number in column.places)
    if not usual:
        return columns
    # The table with most columns, the first of equals: its order is the one a person would write.
    first = max(usual, key=lambda number: (usual[number], -number))
    ordered = sorted(
        (column for column in columns if first in column.places),
        key=lambda column: column.places[first],
    )
    for column in columns:
        if first in column.places:
            continue
        number, index = next(iter(column.places.items()))
        left = [
            place
            for place, column in enumerate(ordered)
            if column.places.get(number, index) < index
        ]
        ordered.insert(max(left, default=-1) + 1, column)
    return ordered


def _of_languages(columns: list[DraftColumn], tables: Tables) -> list[DraftColumn]:
    """The columns, with those of tables in another language matched to the others, all by place
    together.

    Such a table shares few headings with the others, but has as many columns of the same types: the
    same form in another language.
    """
    while True:
        named = [column for column in columns if column.headings]
        first, *other_groups = _languages(named, len(tables)) or [[]]
        for tables_of_it in other_groups:
            pairs = _by_place(named, first[0], tables_of_it[0])
            shared = any(share_texts(first, second, tables) for first, second in pairs)
            # Tables with a heading in common may well hold other things, unless texts say the same.
            in_common = any(
                first[0] in column.places and tables_of_it[0] in column.places for column in named
            )
            # Moments are the same in many languages, so they prove nothing.
            if pairs and (shared or not in_common) and _is_translation(pairs, tables):
                if len(tables_of_it) == 1 or not shared:
                    pairs[0][0].doubts.append(_language(*pairs[0], tables))
                for one, other_column in pairs:
                    _merge(one, other_column, columns)
                break
        else:
            return columns


def _languages(columns: Sequence[DraftColumn], tables: int) -> list[list[int]]:
    """The tables in groups that share less than half of their columns.

    The largest group comes first, and in each the table with most columns.
    """
    own: list[set[int]] = [set() for _ in range(tables)]
    for column in columns:
        for number in column.places:
            # By identity: two columns may have the same headings for a while.
            own[number].add(id(column))
    return [
        sorted(group, key=lambda number: (-len(own[number]), number))
        for group in groups_of_like(own)
    ]


def _is_translation(pairs: Sequence[tuple[DraftColumn, DraftColumn]], tables: Tables) -> bool:
    """Whether columns are the same in another language: as many, of the same types, and none of
    them a moment or number."""
    return all(
        not are_moments(first, second) and are_of_one_type(first, second, tables)
        for first, second in pairs
    )


def _by_place(
    columns: Sequence[DraftColumn], first: int, second: int
) -> list[tuple[DraftColumn, DraftColumn]]:
    """Match the columns of two tables by their order, without those that are the same already.

    Empty if one of these stands elsewhere, or a column of either is on the other table as well.
    """
    orders = [
        sorted(
            (column for column in columns if number in column.places),
            key=lambda column: column.places[number],
        )
        for number in (first, second)
    ]
    if len(orders[0]) != len(orders[1]):
        return []
    pairs = [pair for pair in zip(*orders, strict=True) if pair[0] is not pair[1]]
    if any(left.places.keys() & right.places.keys() for left, right in pairs):
        return []
    return pairs


def _alike(columns: list[DraftColumn], tables: Tables, *, by_place: bool) -> list[DraftColumn]:
    """Merge columns that never share a table, where headings and types are alike; or, if
    `by_place`, where nothing else is left between the same neighbours."""
    while True:
        # The best pair is merged, and all scores are taken anew, as a merged column has more
        # places.
        scores = [
            (score, -number, first, second)
            for number, (first, second) in enumerate(combinations(columns, 2))
            if (score := _score(first, second, columns, tables)) > (0 if by_place else _BY_PLACE)
        ]
        if not scores:
            return columns
        score, _, column, other_column = max(scores, key=lambda group: group[:2])
        # The more usual column keeps its place in front, and gives the field its name.
        if len(other_column.places) > len(column.places):
            column, other_column = other_column, column
        if score <= _BY_PLACE or not share_texts(column, other_column, tables):
            column.doubts.append(_paired(column, other_column, tables, score))
        _merge(column, other_column, columns)


_LIKE_HEADINGS = 80
"""From this likeness on, in per cent, two headings may be spellings of one."""
_LIKE_VALUES = 0.5
"""At least this share of the texts of one column are texts of the other."""
_BY_PLACE = 1.0
"""The evidence for two columns of which only the place is the same."""


def _score(
    first: DraftColumn, second: DraftColumn, columns: Sequence[DraftColumn], tables: Tables
) -> float:
    """How certain it is that two columns are the same; 0 if they are not taken to be."""
    if not (first.headings and second.headings) or first.places.keys() & second.places.keys():
        return 0.0
    # All spellings of both are held against each other.
    likeness = max(likeness_of(a, b) for a in first.headings for b in second.headings)
    apart = not _files(first, tables) & _files(second, tables)
    score = _BY_PLACE + likeness / 100 if likeness >= _LIKE_HEADINGS else 0.0
    # Two tabs of one file that differ in a heading hold different things.
    if not score and apart and _stands_in_place(first, second, columns):
        score = _BY_PLACE
    if _abbreviates(first, second) and _take_turns(first, second, columns, tables):
        score = max(score, _BY_PLACE)
    if not score and apart and (shared := shared_texts(first, second, tables)) >= _LIKE_VALUES:
        score = _BY_PLACE * shared
    # What takes longest is looked at last.
    if not score or are_moments(first, second) or not are_of_one_type(first, second, tables):
        return 0.0
    return score


def _abbreviates(first: DraftColumn, second: DraftColumn) -> bool:
    """Whether a heading is another one with some letters left out, as “Qty” is “Quantity”."""
    return any(
        _shortens(*sorted((normal_form(a), normal_form(b)), key=len))
        for a in first.headings for b in second.headings
    )  # fmt: skip


def _shortens(short: str, text: str) -> bool:
    letters = iter(text)
    return (
        len(short) >= _SHORTEST
        and short.isalpha() and text.isalpha()
        and short[0] == text[0]
        and all(sign in letters for sign in short)
    )  # fmt: skip


_SHORTEST = 3
"""Two letters in the right order occur in many words: “In” and “Inventory”."""


def _ask_of_tabs(columns: Sequence[DraftColumn], tables: Tables) -> None:
    """Ask whether two columns at the same place on different tabs of a file are the same.

    Two tabs of one file may hold different things, or say the same in other words. Where three
    alternate, or tabs differ in more than one column, each tab has its own.
    """
    pairs = [
        (first, second) for first, second in combinations(columns, 2)
        if first.headings and second.headings
        and not first.places.keys() & second.places.keys()
        and _take_turns(first, second, columns, tables)
    ]  # fmt: skip
    turns = Counter(id(column) for pair in pairs for column in pair)
    for pair in pairs:
        # The rarer heading is asked about; most tabs show what is meant.
        rare, usual = sorted(pair, key=lambda column: len(column.places))
        if (
            turns[id(rare)] == turns[id(usual)] == 1
            and _beside(rare, columns) <= _beside(usual, columns)
            and not are_moments(rare, usual)
            and are_of_one_type(rare, usual, tables)
        ):
            rare.doubts.append(_two_fields(rare, usual, tables))


def _beside(column: DraftColumn, columns: Sequence[DraftColumn]) -> set[int]:
    """The other columns on the tables that have a column, by their `id`."""
    return {
        id(beside) for beside in columns
        if beside is not column and beside.places.keys() & column.places.keys()
    }  # fmt: skip


def _files(column: DraftColumn, tables: Tables) -> set[str]:
    return {tables[number][0].specimen.file for number in column.places}


def _stands_in_place(
    first: DraftColumn, second: DraftColumn, columns: Sequence[DraftColumn]
) -> bool:
    """Whether the column that fewer tables have always stands between neighbours that the other one
    has on some table."""
    rare, usual = sorted((first, second), key=lambda column: len(column.places))
    return _neighbours(rare, columns) <= _neighbours(usual, columns)


def _take_turns(
    first: DraftColumn, second: DraftColumn, columns: Sequence[DraftColumn], tables: Tables
) -> bool:
    """Whether one of two columns stands at the place of the other.

    Or each table has one of them, next to the same column before or after it.
    """
    if _stands_in_place(first, second, columns):
        return True
    before, behind = (
        [{sides[index] for sides in _neighbours(column, columns)} for column in (first, second)]
        for index in (0, 1)
    )
    beside = before[0] & before[1] or behind[0] & behind[1]
    return len(first.places.keys() | second.places.keys()) == len(tables) and bool(beside)


def _neighbours(column: DraftColumn, columns: Sequence[DraftColumn]) -> set[tuple[int, int]]:
    """The columns right before and after a column, on each table that has it; by their `id`."""
    neighbours = set()
    # Zero stands for the edge of the table.
    for number, place in column.places.items():
        order = {column.places[number]: id(column) for column in columns if number in column.places}
        neighbours.add((order.get(place - 1, 0), order.get(place + 1, 0)))
    return neighbours


def _merge(first: DraftColumn, second: DraftColumn, columns: list[DraftColumn]) -> None:
    first.places.update(second.places)
    first.headings += [text for text in second.headings if text not in first.headings]
    first.doubts += second.doubts
    columns[:] = [column for column in columns if column is not second]


def _spot(column: DraftColumn, tables: Tables) -> Spot:
    """The cell of a column's heading, on the first table that has the column."""
    number, index = next(iter(column.places.items()))
    example, shape = tables[number]
    return Spot(example.specimen.file, example.specimen.tab, shape.lowest, shape.left + index)


def _records(column: DraftColumn, tables: Tables) -> int:
    shapes = [tables[number][1] for number in column.places]
    return sum(shape.end - shape.first for shape in shapes)


def _paired(first: DraftColumn, second: DraftColumn, tables: Tables, score: float) -> Doubt:
    like = max(first.headings, key=lambda text: likeness_of(text, second.headings[0]))
    usual = like if score > _BY_PLACE else first.headings[0]
    why = (
        "holds the same texts as"
        if share_texts(first, second, tables)
        else "stands in the place of"
    )
    why = "is written nearly like" if score > _BY_PLACE else why
    return Doubt.at_cell(
        "heading", _spot(second, tables),
        f"“{second.headings[0]}” {why} “{usual}”, and is read as the same column",
        f"if it is another column, give “{second.headings[0]}” a field of its own",
        choices=(usual, second.headings[0]),
        # A heading that is nearly the same is asked about, but keeps nobody waiting.
        records=0 if score > _BY_PLACE else _records(second, tables),
    )  # fmt: skip


def _two_fields(rare: DraftColumn, usual: DraftColumn, tables: Tables) -> Doubt:
    heading, other = rare.headings[0], usual.headings[0]
    return Doubt.at_cell(
        "apart", _spot(rare, tables),
        f"“{heading}” stands where other tabs have “{other}”; both are fields of their own",
        f"if they mean the same, write “{heading}” as `also` of the field of “{other}”, and delete"
        " its own field",
        choices=(heading, other), records=_records(rare, tables),
    )  # fmt: skip


def _language(first: DraftColumn, second: DraftColumn, tables: Tables) -> Doubt:
    return Doubt.at_cell(
        "language", _spot(second, tables),
        f"no heading of this tab is one of the other tabs, but their columns are alike:"
        f" “{second.headings[0]}” is read as “{first.headings[0]}”, and so on by place",
        "if these are other columns, give their headings fields of their own",
        choices=(first.headings[0], second.headings[0]), records=_records(second, tables),
    )  # fmt: skip
