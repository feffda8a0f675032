"""What the tables of a kind are together: a cross-tab or a list, and the number of its leading
columns."""

from __future__ import annotations

from collections import Counter
from collections.abc import Collection, Sequence
from dataclasses import replace

from boreotabula.drafting.tabs.likeness import tokens
from boreotabula.drafting.tabs.specimens import Example
from boreotabula.layout.headings import normal_form
from boreotabula.look.looks import TEXT
from boreotabula.look.shape import Shape
from boreotabula.look.texts.types import typed
from boreotabula.look.texts.words import is_total
from boreotabula.reading.cells import cell_text


def settled(examples: Sequence[Example]) -> tuple[Example, ...]:
    """The tables of a kind, all in the form of most of them: a cross-tab or a list, with the same
    number of leading columns."""
    shapes = [shape for example in examples for shape in example.shapes]
    by_tab = _differ_by_tab(examples)
    leading = None if by_tab else _varying_from(shapes)
    crossed = leading is not None or 2 * sum(shape.crossed for shape in shapes) > len(shapes)
    words = not any(text.startswith("<") for shape in shapes for text in tokens(shape.heads))
    if by_tab and words and all(shape.levels == 1 for shape in shapes):
        crossed = False
    if crossed and all(shape.bare for shape in shapes) and _is_list_of_types(shapes):
        crossed = False
    if leading is None:
        votes = Counter(shape.leading for shape in shapes if shape.crossed == crossed)
        leading = votes.most_common(1)[0][0] if votes else 0
    labelled = not crossed and _vary_above(examples)
    levels = Counter(shape.lowest - shape.highest for shape in shapes)
    most = levels.most_common(1)[0][0]

    def as_most(shape: Shape) -> Shape:
        above = min(shape.lowest - shape.highest, most) if crossed else 0
        return replace(
            shape,
            crossed=crossed,
            top=shape.lowest - above,
            highest=shape.lowest if labelled else shape.highest,
            leading=leading if crossed and leading < shape.right - shape.left else shape.leading,
        )

    return tuple(
        replace(example, shapes=tuple(map(as_most, example.shapes))) for example in examples
    )


def _is_list_of_types(shapes: Sequence[Shape]) -> bool:
    """Whether the columns right of names without a heading are of several types: a cross-tab has
    values of one."""
    kinds: set[str] = set()
    for shape in shapes:
        if shape.levels > 1 or any(text.startswith("<") for text in tokens(shape.heads)):
            return False
        for cells in shape.values_of[shape.leading :]:
            filled = [cell for cell in cells if cell != ""]
            if filled:
                kinds.add(typed(filled, tolerant=False).kind)
    return len(kinds - {"integer", "number"}) + bool(kinds & {"integer", "number"}) > 1


def _vary_above(examples: Sequence[Example]) -> bool:
    """Whether the texts right above the headings of lists vary from table to table, while the
    headings are the same and differ from each other: then they are labels with their values."""
    shapes = [(example, shape) for example in examples for shape in example.shapes]
    above = {
        tuple(example.sheet.rows[row][shape.left : shape.right])
        for example, shape in shapes for row in range(shape.highest, shape.lowest)
    }  # fmt: skip
    heads = {tuple(text for text in map(cell_text, shape.heads) if text) for _, shape in shapes}
    return len(above) > 1 and len(heads) == 1 and all(len(set(head)) == len(head) for head in heads)


_FEWEST_TABLES = 3
"""Two tables may differ in anything; this many show what varies."""


def _differ_by_tab(examples: Sequence[Example]) -> bool:
    """Whether the headings of a kind differ from tab to tab, but for each tab are the same in all
    files: each tab holds something different."""
    by_tab: dict[str, list[set[str]]] = {}
    for example in examples:
        heads = {text for shape in example.shapes for text in tokens(shape.heads) if text}
        by_tab.setdefault(example.specimen.tab, []).append(heads)
    shared = {tab: set.intersection(*groups) for tab, groups in by_tab.items()}
    several = len(by_tab) > 1 and all(len(groups) > 1 for groups in by_tab.values())
    alike = all(
        len(shared[tab]) >= _MOST_SHARED * len(set.union(*groups)) for tab, groups in by_tab.items()
    )
    return several and alike and len(set(map(frozenset, shared.values()))) > 1


_MOST_SHARED = 0.7
"""Headings of one tab are nearly the same in all files."""


def _amid(
    shapes: Sequence[Shape], rows: Sequence[Sequence[str]], usual: Collection[str]
) -> set[str]:
    """The `usual` headings of figures that stand left of others in some tables and right of them in
    some.

    A heading that all tables have between others that vary, in no order, is one of the varying
    ones.
    """
    left: set[str] = set()
    right: set[str] = set()
    for shape, group in zip(shapes, rows, strict=True):
        figures = [group[index] for index, look in enumerate(shape.columns) if look != TEXT]
        others = [index for index, text in enumerate(figures) if text and text not in usual]
        if others:
            left |= {text for text in figures[: others[0]] if text in usual}
            right |= {text for text in figures[others[0] :] if text in usual}
    return left & right


def _varying_from(shapes: Sequence[Shape]) -> int | None:
    """How many leading columns the tables have, if the headings right of them vary from table to
    table above figures: then these are data, and no names of fields. Else None.

    Headings that only some tables have are fields that may be missing; they vary only if each table
    lacks some that another one has.
    """
    if len({shape.heads for shape in shapes}) < _FEW or any(shape.levels > 1 for shape in shapes):
        return None
    rows = [[normal_form(cell_text(cell)) for cell in shape.heads] for shape in shapes]
    common = Counter(text for texts in rows for text in set(texts))
    usual = {text for text, number in common.items() if number >= _NEARLY_ALL * len(shapes)}
    usual -= _amid(shapes, rows, usual)
    counts: Counter[int] = Counter()
    varying: list[set[str]] = []
    moments = 0
    for shape, group in zip(shapes, rows, strict=True):
        places = [
            index for index, text in enumerate(group)
            if text and text not in usual and shape.columns[index] != TEXT and not is_total(text)
        ]  # fmt: skip
        varying.append({group[place] for place in places})
        moments += all(tokens(shape.heads)[place].startswith("<") for place in places)
        named = [text for text in group[: places[0]] if text] if places else []
        if len(places) >= _FEW and named and all(text in usual for text in named):
            counts[places[0]] += 1
    every = set().union(*varying)
    if moments < len(shapes) and (
        len(shapes) < _FEWEST_TABLES or any(len(every) < len(texts) + _FEW for texts in varying)
    ):
        return None
    (start, votes), *_ = counts.most_common(1) or [(0, 0)]
    return start if 2 * votes > len(shapes) else None


_NEARLY_ALL = 0.9
"""Up to a tenth of the tables may lack what was left out by hand."""
_FEW = 2
