"""Ways to better a sketch; each is tried, and stays if the tabs read better by it."""

from __future__ import annotations

from collections.abc import Callable, Iterator, Sequence
from dataclasses import replace
from typing import Any

from boreotabula.drafting.groups import group_names, patterns_of
from boreotabula.drafting.judging import Judgement, judge
from boreotabula.drafting.sketch import Sketch
from boreotabula.drafting.specimens import Kindred, Specimen
from boreotabula.drafting.tables import lone_rows
from boreotabula.drafting.words import field_name, is_total, total_pattern
from boreotabula.reading.cells import cell_text, one_line
from boreotabula.reading.columns.kinds import ColumnKind
from boreotabula.reading.findings import Code
from boreotabula.reading.rows.table_rows import RowKind

Step = Callable[[Sketch, Judgement, Kindred], Iterator[Sketch]]
_ROUNDS = 3


def improved(
    sketch: Sketch, kind: Kindred, specimens: Sequence[Specimen]
) -> tuple[Sketch, Judgement]:
    """The sketch after all steps that make the tabs read better."""
    best, judged = sketch, judge(sketch, specimens)
    for _ in range(_ROUNDS):
        before = judged.score
        for step in STEPS:
            for other in step(best, judged, kind):
                found = judge(other, specimens)
                if found.score > judged.score:
                    best, judged = other, found
        # Nothing helped in this round: nothing will in the next.
        if judged.score == before:
            break
    return best, judged


def _listed(value: Any) -> list[str]:
    return [] if value is None else [value] if isinstance(value, str) else list(value)


def _few(texts: Sequence[str]) -> str | list[str] | None:
    return None if not texts else texts[0] if len(texts) == 1 else list(texts)


def _unnamed_totals(sketch: Sketch, judged: Judgement, kind: Kindred) -> Iterator[Sketch]:
    """Rows and columns that hold sums though no pattern names them."""
    found = dict.fromkeys(
        total_pattern(one) or one
        for one, is_row in _labels_of_sums(judged)
        if is_total(one) or not is_row
    )
    totals = _listed(sketch.block.get("totals"))
    new = [one for one in found if one not in totals]
    if new and len(new) <= _MOST_NAMED:
        yield sketch.having(totals=_few([*totals, *new]))


def _groups(sketch: Sketch, judged: Judgement, kind: Kindred) -> Iterator[Sketch]:
    """Rows that name the group of the rows below them, alone or with its sums."""
    if not ("stub" in sketch.block or "columns" in sketch.block):
        return
    group = sketch.block.get("group_row")
    rows = (one for one, is_row in _labels_of_sums(judged) if is_row)
    sums = dict.fromkeys(one for one in rows if not is_total(one))
    if isinstance(group, dict):
        names = [*_listed(group["named"]), *sums]
        if sums and len(names) <= _MOST_NAMED:
            yield sketch.having(group_row={**group, "named": _few(names)})
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
    if not group and (crossed or any(not is_total(one) for one in lone)):
        yield replace(sketch.having(group_row=name), fields=fields)
    if sums and len(sums) <= _MOST_NAMED:
        own = {"field": name, "named": _few(list(sums))}
        yield replace(sketch.having(group_row=own), fields=fields)
    if crossed and not group:
        yield from _nested(sketch, kind)


def _nested(sketch: Sketch, kind: Kindred) -> Iterator[Sketch]:
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
        groups.append({"field": name, "named": _few(patterns)})
    if groups:
        own = groups[0] if len(groups) == 1 else groups
        yield replace(sketch.having(group_row=own), fields={**fields, **sketch.fields})


_MOST_NAMED = 12


def _labels_of_sums(judged: Judgement) -> Iterator[tuple[str, bool]]:
    """The labels of rows (True) and columns (False) that hold sums though no pattern names them."""
    for reading in judged.readings:
        for block in reading.blocks:
            for row in block.table.of(RowKind.LIKE_TOTAL):
                cells = block.view.rows[row][block.columns.left : block.columns.right]
                texts = [one for one in cells if isinstance(one, str) and one.strip()]
                if texts:
                    yield one_line(texts[0].strip()), True
            for column in block.columns.of(ColumnKind.LIKE_TOTAL):
                heads = (block.view.cell(row, column.column)
                         for row in range(block.place.bottom, block.place.top - 1, -1))  # fmt: skip
                text = next((cell_text(cell) for cell in heads if cell != ""), "")
                if text:
                    yield one_line(text.strip()), False


def _carried(sketch: Sketch, judged: Judgement, kind: Kindred) -> Iterator[Sketch]:
    """Stub cells that are filled once."""
    if "stub" not in sketch.block or "carry_down" in sketch.block or "across" not in sketch.block:
        return
    for name in _listed(sketch.block["stub"])[:-1]:
        yield sketch.having(carry_down=name)


def _notes(sketch: Sketch, judged: Judgement, kind: Kindred) -> Iterator[Sketch]:
    """A note below the table, which is no row of it."""
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
        yield sketch.having(ends_at=_few(list(words)))


_BELOW, _MOST_NOTES = 3, 6


def _units(sketch: Sketch, judged: Judgement, kind: Kindred) -> Iterator[Sketch]:
    """A row of units right below the headings."""
    firsts = [
        [one.sheet.rows[shape.first][at] for at in shape.values]
        for one in kind.examples
        for shape in one.shapes
    ]
    texts = [all(isinstance(cell, str) for cell in cells) for cells in firsts if any(cells)]
    if texts and all(texts) and "under_headings" not in sketch.block:
        yield sketch.having(under_headings=1)


def _for_nothing(sketch: Sketch, judged: Judgement, kind: Kindred) -> Iterator[Sketch]:
    """Texts that stand for nothing where numbers belong."""
    texts: dict[str, None] = {}
    for _, finding in judged.errors:
        if finding.code in (Code.VALUE_NOT_CONVERTED, Code.COLUMN_NOT_CONVERTED):
            text = finding.found.strip()
            if text in _NOTHING:
                texts[text] = None
    known = _listed(sketch.reading.get("empty"))
    if texts:
        reading = {**sketch.reading, "empty": [*known, *texts]}
        yield replace(sketch, reading=reading)


_NOTHING = ("-", "–", "—", "..", "...", ".", "n/a", "N/A", "x", "*")


def _repeats(sketch: Sketch, judged: Judgement, kind: Kindred) -> Iterator[Sketch]:
    """The table stands several times on a tab."""
    twice = (Code.BLOCK_FOUND_TWICE, Code.HEADING_TWICE)
    if "repeat" not in sketch.block and any(one.code in twice for _, one in judged.errors):
        yield sketch.having(repeat=True)


def _as_lists(sketch: Sketch, judged: Judgement, kind: Kindred) -> Iterator[Sketch]:
    """A stub that the other fields of a list need not have."""
    if sketch.listed and "stub" not in sketch.block:
        names = [one for one in sketch.fields if one not in sketch.stamps]
        if len(names) > 1:
            yield sketch.having(stub=_few(names[:2]))


def _wider_types(sketch: Sketch, judged: Judgement, kind: Kindred) -> Iterator[Sketch]:
    """Fields whose values are not all of the type that most of them have."""
    wider = {"integer": "number", "number": "text", "month": "text", "date": "text", "time": "text",
             "datetime": "text", "yesno": "text", "percent": "text"}  # fmt: skip
    failed = [
        name for _, finding in judged.errors
        if finding.code in (Code.COLUMN_NOT_CONVERTED, Code.HEADING_NOT_CONVERTED,
                            Code.STAMP_NOT_CONVERTED)
        for name in sketch.fields if f"“{name}”" in finding.message
    ]  # fmt: skip
    for name in dict.fromkeys(failed):
        if sketch.fields[name] in wider:
            yield replace(sketch, fields={**sketch.fields, name: wider[sketch.fields[name]]})


STEPS: tuple[Step, ...] = (
    _repeats, _units, _unnamed_totals, _groups, _carried, _notes, _for_nothing, _as_lists,
    _wider_types,
)  # fmt: skip
