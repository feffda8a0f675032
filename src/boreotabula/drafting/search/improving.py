"""Steps that improve a sketch; each is tried, and kept if the tabs read better with it."""

from __future__ import annotations

from collections.abc import Callable, Iterable, Iterator, Sequence
from dataclasses import replace
from enum import Enum, auto

from boreotabula.drafting.columns.groups import group_names, patterns_of
from boreotabula.drafting.columns.lists import lone_rows
from boreotabula.drafting.columns.unit_rows import may_have_units
from boreotabula.drafting.doubts import Doubt, Spot
from boreotabula.drafting.search.judging import Judgement, judge
from boreotabula.drafting.search.values import VALUE_STEPS, narrower
from boreotabula.drafting.sketch import Sketch, key_texts, one_or_list
from boreotabula.drafting.tabs.specimens import Example, Specimen, TabFamily
from boreotabula.findings.subjects.headings import HEADING_TWICE
from boreotabula.findings.subjects.rows import ROW_BELOW_TABLE
from boreotabula.findings.subjects.tables import BLOCK_FOUND_TWICE
from boreotabula.look.shape import Shape
from boreotabula.look.texts.types import type_of
from boreotabula.look.texts.words import field_name, is_total, total_pattern
from boreotabula.reading.cells import cell_text, one_line, reads_as_figure
from boreotabula.reading.columns.kinds import ColumnKind
from boreotabula.reading.rows.table_rows import RowKind

Step = Callable[[Sketch, Judgement, TabFamily], Iterator[Sketch]]
_ROUNDS = 3
"""A change may make another one possible; the search ends sooner if none helps."""


def improved(
    sketch: Sketch, kind: TabFamily, specimens: Sequence[Specimen]
) -> tuple[Sketch, Judgement]:
    """The sketch after all steps that make the tabs read better."""
    judgements: dict[object, Judgement] = {}

    def asked(other_sketch: Sketch) -> Judgement:
        """The judgement of a sketch, cached because several steps may lead to the same sketch."""
        key = (other_sketch.text(), *other_sketch.headings.items())
        if key not in judgements:
            judgements[key] = judge(other_sketch, specimens)
        return judgements[key]

    # What follows from the sketch itself speaks for no step.
    best = _better_of((sketch, asked(sketch)), [sketch], kind, asked)
    for _ in range(_ROUNDS):
        before = best[1].score
        for step in STEPS:
            best = _better_of(best, step(*best, kind), kind, asked)
        # Nothing helped in this round: nothing will in the next.
        if best[1].score == before:
            break
    return best


def _better_of(
    best: tuple[Sketch, Judgement], sketches: Iterable[Sketch], kind: TabFamily,
    asked: Callable[[Sketch], Judgement],
) -> tuple[Sketch, Judgement]:  # fmt: skip
    """The best of the current sketch and some alternatives, each with what follows from it."""
    for sketch in sketches:
        for other_sketch, judged in _followed(sketch, kind, asked):
            # What gives no record explains nothing.
            loses_all = best[1].records > 0 and not judged.records
            if judged.score > best[1].score and not loses_all:
                best = other_sketch, judged
    return best


def _followed(
    sketch: Sketch, kind: TabFamily, asked: Callable[[Sketch], Judgement]
) -> Iterator[tuple[Sketch, Judgement]]:
    """A sketch, and what it shows for the first time: types of values, and sums."""
    judged = asked(sketch)
    yield sketch, judged
    for follow in (narrower, _unnamed_totals):
        for other_sketch in follow(sketch, judged, kind):
            sketch, judged = other_sketch, asked(other_sketch)
            yield sketch, judged


def _unnamed_totals(sketch: Sketch, judged: Judgement, kind: TabFamily) -> Iterator[Sketch]:
    """Rows and columns that hold sums though no pattern names them."""
    unnamed_totals = dict.fromkeys(
        total_pattern(text) or text
        for text, where in _labels_of_sums(judged)
        # A row amid the others that has a name which is no word for totals sums up a group.
        if where is not _Where.AMID or is_total(text) or not text
    )
    if sketch.listed and any(finding.kind == ROW_BELOW_TABLE for _, finding in judged.errors):
        # In a list a lone number below the last record may be the sum of its column.
        unnamed_totals[""] = None
    totals = key_texts(sketch.block.get("totals"))
    new = [text for text in unnamed_totals if text not in totals]
    if new and len(new) <= _MOST_NAMED:
        yield sketch.having(totals=one_or_list([*totals, *new]))


def _groups(sketch: Sketch, judged: Judgement, kind: TabFamily) -> Iterator[Sketch]:
    """Rows that name the group of the rows below them, alone or with its sums."""
    if not ("stub" in sketch.block or "columns" in sketch.block):
        if not sketch.listed or len(sketch.table_fields) < _FEWEST_COLUMNS:
            return
        sketch = sketch.having(stub=one_or_list(sketch.naming_fields))
    group = sketch.block.get("group_row")
    rows = (text for text, where in _labels_of_sums(judged) if where is not _Where.COLUMN)
    sums = dict.fromkeys(row for row in rows if row and not is_total(row))
    if isinstance(group, dict):
        names = [*key_texts(group["named"]), *sums]
        if sums and len(names) <= _MOST_NAMED:
            yield sketch.having(group_row={**group, "named": one_or_list(names)})
        return
    name = group or field_name("class", sketch.fields)
    fields = sketch.fields if group else {name: "text", **sketch.fields}
    lone = [
        one_line(cell_text(example.sheet.rows[row][shape.left]))
        for example in kind.examples
        for shape in example.shapes
        for row in lone_rows(example, shape)
    ]
    # Whether rows hold the sums of those below is told by reading them so.
    crossed = "across" in sketch.block
    if not group and (crossed or any(not is_total(text) for text in lone)):
        yield replace(sketch.having(group_row=name), fields=fields)
    if sums and len(sums) <= _MOST_NAMED:
        own = {"field": name, "named": one_or_list(list(sums))}
        yield replace(sketch.having(group_row=own), fields=fields)
    if crossed and not group:
        yield from _nested(sketch, kind)


def _nested(sketch: Sketch, kind: TabFamily) -> Iterator[Sketch]:
    """Groups of one or more levels, by the sums in the rows that name them."""
    levels = group_names(kind.examples)
    fields: dict[str, str] = {}
    groups = []
    for names in levels:
        patterns = patterns_of(names, _MOST_NAMED)
        if not patterns or "" in names:
            return
        name = field_name("class", [*fields, *sketch.fields])
        fields[name] = "text"
        groups.append({"field": name, "named": one_or_list(patterns)})
    if groups:
        own = groups[0] if len(groups) == 1 else groups
        yield replace(sketch.having(group_row=own), fields={**fields, **sketch.fields})


_MOST_NAMED = 12
"""A longer list of labels is no rule: it would be a list of the rows."""
_FEWEST_COLUMNS = 3
"""In a list of two columns a row with one filled cell is not exceptional."""


class _Where(Enum):
    """Where sums stand: in a column, in the last row of a table, or between other rows."""

    COLUMN = auto()
    LAST = auto()
    AMID = auto()


def _labels_of_sums(judged: Judgement) -> Iterator[tuple[str, _Where]]:
    """The labels of rows and columns that hold sums though no pattern names them."""
    for reading in judged.readings:
        for block in reading.blocks:
            for row in block.table.of(RowKind.LIKE_TOTAL):
                cells = block.view.rows[row][block.columns.left : block.columns.right]
                # A figure of a text file is no label.
                texts = (cell for cell in cells if isinstance(cell, str) and cell.strip())
                text = next((cell for cell in texts if not reads_as_figure(cell)), "")
                last = row > max(block.table.records, default=row)
                yield one_line(text.strip()), _Where.LAST if last else _Where.AMID
            for column in block.columns.of(ColumnKind.LIKE_TOTAL):
                heads = (block.view.cell(row, column.column)
                         for row in range(block.place.bottom, block.place.top - 1, -1))  # fmt: skip
                text = next((cell_text(cell) for cell in heads if cell != ""), "")
                if text:
                    yield one_line(text.strip()), _Where.COLUMN


def _carried(sketch: Sketch, judged: Judgement, kind: TabFamily) -> Iterator[Sketch]:
    """Stub cells that are filled once."""
    if "stub" not in sketch.block or "carry_down" in sketch.block or "across" not in sketch.block:
        return
    gaps = _fields_with_gaps(judged)
    for name in key_texts(sketch.block["stub"])[:-1]:
        # Else nothing could be carried down, and there may be hundreds of columns.
        if name in gaps:
            yield sketch.having(carry_down=name)


def _fields_with_gaps(judged: Judgement) -> set[str]:
    """The stub fields whose column is blank in a row of a table."""
    return {
        column.field
        for reading in judged.readings
        for block in reading.blocks
        for column in block.columns.of(ColumnKind.STUB)
        if not block.view.filled[block.table.start : block.table.last + 1, column.column].all()
    }


def _notes(sketch: Sketch, judged: Judgement, kind: TabFamily) -> Iterator[Sketch]:
    """A note below the table, which is none of its rows."""
    if "ends_at" in sketch.block:
        return
    words: dict[str, None] = {}
    for example in kind.examples:
        for shape in example.shapes:
            for row in range(shape.first + 1, min(shape.end + _BELOW, example.sheet.height)):
                cells = [cell for cell in example.sheet.rows[row] if cell != ""]
                if len(cells) == 1 and isinstance(cells[0], str):
                    word = cells[0].strip().split(":")[0].split(" ")[0]
                    if word.isalpha() and len(cells[0]) > len(word) and not is_total(word):
                        words[f"{word}*"] = None
    if words and len(words) <= _MOST_NOTES:
        yield sketch.having(ends_at=one_or_list(list(words)))


_BELOW, _MOST_NOTES = 3, 6
"""Notes stand in one of the first rows below a table."""


def _units(sketch: Sketch, judged: Judgement, kind: TabFamily) -> Iterator[Sketch]:
    """A row of units right below the headings."""
    if "under_headings" not in sketch.block and may_have_units(kind):
        yield sketch.having(under_headings=1)


def _under_headings(sketch: Sketch, judged: Judgement, kind: TabFamily) -> Iterator[Sketch]:
    """A row right below the headings that describes the columns, such as weights.

    It has the same name on all tabs, and its values are of other types than those below it.
    """
    places = [(example, shape) for example in kind.examples for shape in example.shapes]
    if "under_headings" in sketch.block or len(kind.examples) < _FEWEST_TABS:
        return
    names = {cell_text(example.sheet.cell(shape.first, shape.left)) for example, shape in places}
    if len(names) == 1 and "" not in names and all(_is_of_other_types(*place) for place in places):
        one, shape = places[0]
        doubt = Doubt.at_cell(
            "row", Spot(one.specimen.file, one.specimen.tab, shape.first, shape.left),
            f"the row “{names.pop()}” below the headings is left out: its values are of other types"
            " than those below it",
            "if it is a record, take `under_headings` out of [block]",
            choices=("left out", "a record"), records=len(places),
        )  # fmt: skip
        yield replace(sketch.having(under_headings=1), doubts=(*sketch.doubts, doubt))


_FEWEST_TABS, _FEWEST_VALUES = 2, 2


def _is_of_other_types(example: Example, shape: Shape) -> bool:
    """Whether all values of the first row of a table are of other types than those below."""
    pairs = [
        (cells[0], [cell for cell in cells[1:] if cell != ""])
        for cells in shape.values_of[1:] if cells and cells[0] != ""
    ]  # fmt: skip
    return len(pairs) >= _FEWEST_VALUES and all(
        below and _differ(type_of([cell]), type_of(below)) for cell, below in pairs
    )


def _differ(text: str, other_text: str) -> bool:
    return text != other_text and {text, other_text} != {"integer", "number"}


def _repeats(sketch: Sketch, judged: Judgement, kind: TabFamily) -> Iterator[Sketch]:
    """The table stands several times on a tab."""
    twice = (BLOCK_FOUND_TWICE, HEADING_TWICE)
    if "repeat" not in sketch.block and any(finding.kind in twice for _, finding in judged.errors):
        yield sketch.having(repeat=True)


def _as_lists(sketch: Sketch, judged: Judgement, kind: TabFamily) -> Iterator[Sketch]:
    """A stub that the other fields of a list need not have."""
    if sketch.listed and "stub" not in sketch.block and len(sketch.table_fields) > 1:
        yield sketch.having(stub=one_or_list(sketch.naming_fields))


def _without_groups(sketch: Sketch, judged: Judgement, kind: TabFamily) -> Iterator[Sketch]:
    """Remove groups that are none: what was taken for their names has since got a better
    meaning."""
    group = sketch.block.get("group_row")
    if isinstance(group, str):
        fields = {name: kind for name, kind in sketch.fields.items() if name != group}
        yield replace(sketch.having(group_row=None), fields=fields)


STEPS: tuple[Step, ...] = (
    _repeats, _units, _under_headings, _unnamed_totals, _groups, _carried, _notes, _as_lists,
    *VALUE_STEPS, _without_groups,
)  # fmt: skip
