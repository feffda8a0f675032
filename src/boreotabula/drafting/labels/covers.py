"""Stamps on covers: labels with their values on another tab of the file."""

from __future__ import annotations

from collections import Counter
from collections.abc import Collection, Sequence

from boreotabula.drafting.labels.gathered import (
    FEW,
    Stamps,
    stamp_type,
)
from boreotabula.drafting.labels.grouping import groups_of, with_labels_above
from boreotabula.drafting.labels.names import plain
from boreotabula.drafting.labels.pairs import Pair, pairs_of
from boreotabula.drafting.tabs.specimens import Example
from boreotabula.drafting.texts.periods import period_of
from boreotabula.look.looks import FIGURE
from boreotabula.look.repeats import repeats_of
from boreotabula.look.shape import Shape
from boreotabula.look.tables import shapes_of, tables_of
from boreotabula.look.texts.words import field_name
from boreotabula.reading.cells import cell_text
from boreotabula.sheets.sheet import Sheet


def add_covers(stamps: Stamps, examples: Sequence[Example], taken: Collection[str]) -> None:
    """Add stamps on a tab of their own.

    Every file has it, under one name, and it holds no table. If the tabs themselves hold no labels,
    it may hold a table, and the stamps stand beside it.
    """
    names = Counter(name for example in examples for name in example.specimen.others)
    own = {example.specimen.tab for example in examples}
    bare = not stamps.fields
    # A cover is in every file; a tab that some lack is a tab of the form.
    for name, count in names.items():
        if count < len(examples) or name in own:
            continue
        sheets = {example.specimen.file: example.specimen.others[name] for example in examples}
        tables = _tables_on(list(sheets.values()))
        if tables is not None and not (bare and len(sheets) >= FEW):
            continue
        tables = tables or [()] * len(sheets)
        every = list(map(pairs_of, sheets.values(), tables))
        every = with_labels_above(list(sheets.values()), tables, every)
        for group in groups_of(every):
            pairs = [pair for _, pair in group]
            # What never varies is part of the form, unless the label is marked, or it is a
            # period.
            values = {cell_text(pair.value) for pair in pairs}
            constant = len(values) == 1 and len(sheets) > 1 and not pairs[0].sure
            if constant and not period_of(next(iter(values))):
                continue
            label = field_name(pairs[0].label, [*taken, *stamps.fields], "stamp")
            way = "below" if pairs[0].way == "below" else "right_of"
            labels = list(dict.fromkeys(pair.label for pair in pairs))
            source = {"tab": name, way: labels[0] if len(labels) == 1 else labels}
            stamps.add(label, source, stamp_type([pair.value for pair in pairs]))
            stamps.moments += [text for text in map(str, values) if period_of(text)]
            by_file = dict(zip(sheets, (list[Pair]() for _ in sheets), strict=True))
            for index, pair in group:
                by_file[list(sheets)[index]].append(pair)
            # The name of the tab must not say it a second time.
            for index, one in enumerate(examples):
                for pair in by_file[one.specimen.file]:
                    stamps.told[index].add(plain(cell_text(pair.value)))


def _tables_on(sheets: Sequence[Sheet]) -> list[Sequence[Shape]] | None:
    """The tables of each of some sheets; None if no sheet holds a table of several records."""
    if not (any(map(_has_table, sheets)) or _is_headed(sheets)):
        return None
    repeats = repeats_of(sheets)
    return [tables_of(sheet, repeats) for sheet in sheets]


_TABLE = 3
"""A cover may hold labels with values that look like a table of this many columns, but of no more.
"""


def _has_table(sheet: Sheet) -> bool:
    """Whether a sheet has a table of several records: one row of values below labels is none."""
    return any(
        shape.right - shape.left >= _TABLE and shape.end - shape.first > 1
        for shape in shapes_of(sheet)
    )


def _is_headed(sheets: Sequence[Sheet]) -> bool:
    """Whether sheets hold a table of names and figures: the row over it is the same on all."""
    heads = [
        {
            shape.heads
            for shape in shapes_of(sheet)
            if shape.columns[-1] == FIGURE and shape.end - shape.first > 1
        }
        for sheet in sheets
    ]
    return len(sheets) >= FEW and bool(set.intersection(*heads))
