"""The stamps of a kind: labels with their values, and parts of titles."""

from __future__ import annotations

from collections import Counter
from collections.abc import Collection, Sequence
from typing import Any

from boreotabula.drafting.labels.covers import add_covers
from boreotabula.drafting.labels.gathered import (
    FEW,
    Stamps,
    outside,
    stamp_type,
)
from boreotabula.drafting.labels.grouping import Found, groups_of, with_labels_above
from boreotabula.drafting.labels.names import plain
from boreotabula.drafting.labels.pairs import Pair, inside, pairs_of
from boreotabula.drafting.labels.titles import add_titles
from boreotabula.drafting.sketch import one_or_list
from boreotabula.drafting.tabs.specimens import Example
from boreotabula.drafting.texts.periods import period_of, periods_in
from boreotabula.layout.addresses import Address
from boreotabula.layout.headings import normal_form
from boreotabula.look.texts.words import field_name
from boreotabula.reading.cells import cell_text


def stamps_of(examples: Sequence[Example], taken: Collection[str]) -> Stamps:
    """What labels and titles say about the records of each tab."""
    stamps = Stamps([set() for _ in examples])
    share = _share_of(examples)
    every = [
        pairs_of(example.sheet, (*example.shapes, *example.further), share) for example in examples
    ]
    shapes = [(*example.shapes, *example.further) for example in examples]
    # Rows of labels above rows of values, which have no colon.
    every = with_labels_above([example.sheet for example in examples], shapes, every)
    every = [
        _with_label_rows(example, pairs) for example, pairs in zip(examples, every, strict=True)
    ]
    labelled: set[str] = set()
    for group in groups_of(every):
        pairs = [pair for _, pair in group]
        labels = list(dict.fromkeys(pair.label for pair in pairs))
        if all(map(_is_title, pairs)):
            continue
        if any(_is_of_no_table(pair, examples[index]) for index, pair in group):
            # What stands first in the columns of a table is the end of it.
            ends = all(_begins_row(pair, examples[index]) for index, pair in group)
            stamps.endings += labels if ends else ()
            continue
        name = field_name(labels[0], [*taken, *stamps.fields], "stamp")
        way = "below" if pairs[0].way == "below" else "right_of"
        source = _of_several_tables(group, examples) or {way: one_or_list(labels)}
        stamps.add(name, source, stamp_type([pair.value for pair in pairs]))
        labelled |= {normal_form(label) for label in labels}
        # Names of files and tabs need not say again what a label says.
        for position, pair in group:
            text = cell_text(pair.value)
            stamps.told[position] |= {plain(text), *map(plain, text.split())}
            stamps.moments += [text] if period_of(text) else []
    add_covers(stamps, examples, taken)
    add_titles(stamps, examples, taken, every, labelled)
    return stamps


def _is_title(pair: Pair) -> bool:
    """Whether a label with its value in the same cell is a title.

    A title says more than one thing: a period and its subject, as “Stock: Frostmo, March 2026”
    does.
    """
    text = cell_text(pair.value)
    rest = text
    for period in reversed(periods_in(text)):
        rest = rest[: period.start] + rest[period.end :]
    return pair.way == "inside" and rest != text and any(map(str.isalpha, rest))


def _begins_row(pair: Pair, example: Example) -> bool:
    """Whether a label is the first cell of its row within the columns of a table."""
    filled = example.sheet.filled[pair.row]
    return any(
        shape.left <= pair.column < shape.right and not filled[shape.left : pair.column].any()
        for shape in example.shapes
    )


def _of_several_tables(group: Found, examples: Sequence[Example]) -> dict[str, Any] | None:
    """The source of a label that stands once on each tab, at the same place, above tables side by
    side and right of the first.

    By its label alone it would belong only to the tables right of it.
    """
    places = {(pair.row, pair.column) for _, pair in group}
    once = len({index for index, _ in group}) == len(group) == len(examples)
    if len(places) != 1 or not once or any(pair.way != "right" for _, pair in group):
        return None
    if not any(
        pair.row < shape.top and pair.column >= shape.right
        for index, pair in group for shape in examples[index].shapes
    ):  # fmt: skip
        return None
    position, pair = group[0]
    row = examples[position].sheet.rows[pair.row]
    column = next(column for column in range(pair.column + 1, len(row)) if row[column] != "")
    labels = list(dict.fromkeys(pair.label for _, pair in group))
    return {"cell": str(Address(pair.row, column)), "labelled": one_or_list(labels)}


def _is_of_no_table(pair: Pair, example: Example) -> bool:
    """Whether a label stands below several tables, of which one is above another, or right of the
    first of those side by side.

    Then it is unknown to which records it belongs.
    """
    shapes = example.shapes
    if len(shapes) < FEW or pair.row < max(shape.end for shape in shapes):
        return False
    stacked = any(shape.end <= other_shape.top for shape in shapes for other_shape in shapes)
    return stacked or pair.column >= min(shape.right for shape in shapes)


def _with_label_rows(example: Example, pairs: Sequence[Pair]) -> list[Pair]:
    """The pairs of a tab, including those of its rows of labels."""
    own = [
        Pair(cell_text(head), shape.lowest, shape.left + index, value, "below", sure=True)
        for shape in example.label_rows
        for index, head in enumerate(shape.heads)
        if isinstance(head, str) and head.strip()
        and (value := example.sheet.cell(shape.first, shape.left + index)) != ""
    ]  # fmt: skip
    other_pairs = (pair for pair in pairs if not inside(example.label_rows, pair.row, pair.column))
    return [*own, *other_pairs]


def _share_of(examples: Sequence[Example]) -> Any:
    """The share of the tabs that hold a text outside of their tables; None for a single tab."""
    if len(examples) < FEW:
        return None
    counts: Counter[str] = Counter()
    for example in examples:
        counts.update({normal_form(text) for *_, text in outside(example)})

    def share(text: str) -> float:
        return counts[normal_form(text)] / len(examples)

    return share
