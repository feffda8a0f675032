"""The stamps of a kind: labels with their values, and what titles tell."""

from __future__ import annotations

import re
from collections import Counter
from collections.abc import Collection, Mapping, Sequence
from dataclasses import dataclass, field
from typing import Any

from boreotabula.drafting.labels.names import plain
from boreotabula.drafting.labels.pairs import Pair, inside, pairs_of
from boreotabula.drafting.sketch import one_or_list
from boreotabula.drafting.tabs.specimens import Example
from boreotabula.drafting.texts.periods import period_of
from boreotabula.drafting.texts.templates import Slot, Template, escaped, template_of
from boreotabula.layout.addresses import Address
from boreotabula.layout.headings import normal_form
from boreotabula.look.looks import FIGURE
from boreotabula.look.shape import Shape
from boreotabula.look.tables import shapes_of
from boreotabula.look.texts.types import MOST_LANGUAGES, type_of
from boreotabula.look.texts.words import field_name
from boreotabula.reading.cells import cell_text, reads_as_figure
from boreotabula.sheets.sheet import Cell, Sheet


@dataclass
class Stamps:
    """The stamps of a layout as they are found, and what they tell of each tab."""

    told: list[set[str]]
    """What the stamps of each tab say, as `plain` texts."""
    sources: dict[str, Any] = field(default_factory=dict)
    fields: dict[str, str] = field(default_factory=dict)
    boilerplate: list[str] = field(default_factory=list)
    moments: list[str] = field(default_factory=list)
    """Texts of months and dates, as they are written."""
    endings: list[str] = field(default_factory=list)
    """Labels below the last of several tables: they are of no table that stands above another."""

    def add(self, name: str, source: Any, kind: str) -> None:
        """One more stamp."""
        self.sources[name] = source
        self.fields[name] = kind


_FEW = 2


def stamps_of(examples: Sequence[Example], taken: Collection[str]) -> Stamps:
    """What labels and titles tell of the records of each tab."""
    stamps = Stamps([set() for _ in examples])
    share = _share_of(examples)
    every = [
        pairs_of(example.sheet, (*example.shapes, *example.further), share) for example in examples
    ]
    shapes = [(*example.shapes, *example.further) for example in examples]
    every = _with_labels_above([example.sheet for example in examples], shapes, every)
    every = [
        _with_label_rows(example, pairs) for example, pairs in zip(examples, every, strict=True)
    ]
    labelled: set[str] = set()
    for group in _groups(every):
        pairs = [pair for _, pair in group]
        labels = list(dict.fromkeys(pair.label for pair in pairs))
        if any(_is_of_no_table(pair, examples[index]) for index, pair in group):
            # What stands first in the columns of a table is the end of it.
            ends = all(_begins_row(pair, examples[index]) for index, pair in group)
            stamps.endings += labels if ends else ()
            continue
        name = field_name(labels[0], [*taken, *stamps.fields], "stamp")
        way = "below" if pairs[0].way == "below" else "right_of"
        source = _of_several_tables(group, examples) or {way: one_or_list(labels)}
        stamps.add(name, source, _field_type([pair.value for pair in pairs]))
        labelled |= {normal_form(label) for label in labels}
        for position, pair in group:
            text = cell_text(pair.value)
            stamps.told[position] |= {plain(text), *map(plain, text.split())}
            stamps.moments += [text] if period_of(text) else []
    _add_covers(stamps, examples, taken)
    _add_titles(stamps, examples, taken, every, labelled)
    return stamps


def _begins_row(pair: Pair, example: Example) -> bool:
    """Whether a label is the first that stands in its row, in the columns of a table."""
    filled = example.sheet.filled[pair.row]
    return any(
        shape.left <= pair.column < shape.right and not filled[shape.left : pair.column].any()
        for shape in example.shapes
    )


def _of_several_tables(group: Found, examples: Sequence[Example]) -> dict[str, Any] | None:
    """The source of a label that stands once on each tab, at the same place, above tables side by
    side and right of the first: by its label it would be that of the tables right of it alone."""
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
    first of those side by side: then it is not known of which records it speaks."""
    shapes = example.shapes
    if len(shapes) < _FEW or pair.row < max(shape.end for shape in shapes):
        return False
    stacked = any(shape.end <= other_shape.top for shape in shapes for other_shape in shapes)
    return stacked or pair.column >= min(shape.right for shape in shapes)


def _with_label_rows(example: Example, pairs: Sequence[Pair]) -> list[Pair]:
    """The pairs of a tab, with those of its rows of labels."""
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
    """The share of the tabs that hold a text outside of their tables; None of one tab alone."""
    if len(examples) < _FEW:
        return None
    counts: Counter[str] = Counter()
    for example in examples:
        counts.update({normal_form(text) for *_, text in _outside(example)})

    def share(text: str) -> float:
        return counts[normal_form(text)] / len(examples)

    return share


def _outside(example: Example) -> list[tuple[int, int, str]]:
    shapes = (*example.shapes, *example.further)
    return [text for text in example.sheet.texts() if not inside(shapes, text[0], text[1])]


def _with_labels_above(
    sheets: Sequence[Sheet],
    shapes: Sequence[Sequence[Shape]],
    every: Sequence[Sequence[Pair]],
) -> list[list[Pair]]:
    """The pairs of all tabs, with values below labels that have no mark: side by side in one row
    stand texts that never change, and below each of them something that does."""
    rows: dict[int, list[int]] = {}
    for row, column, text in sheets[0].texts() if len(sheets) >= _FEW else ():
        above = {cell_text(sheet.cell(row, column)) for sheet in sheets}
        below = [cell_text(sheet.cell(row + 1, column)) for sheet in sheets]
        within = any(inside(shape, index, column) for shape in shapes for index in (row, row + 1))
        if above == {text.strip()} and all(below) and not within:
            rows.setdefault(row, []).append(column)
    spots = {
        (row, index)
        for row, numbers in rows.items()
        if len(numbers) >= _FEW and _are_values(sheets, row + 1, numbers)
        for index in numbers
    }
    taken = spots | {(row + 1, index) for row, index in spots}
    groups = []
    for one, pairs in zip(sheets, every, strict=True):
        own = [
            Pair(cell_text(cell), row, index, one.cell(row + 1, index), "below", sure=True)
            for row, index in sorted(spots)
            if (cell := one.cell(row, index)) != ""
        ]
        groups.append([*own, *(pair for pair in pairs if (pair.row, pair.column) not in taken)])
    return groups


def _are_values(sheets: Sequence[Sheet], row: int, columns: Sequence[int]) -> bool:
    """Whether cells are values of labels above them: some vary from tab to tab, and those that do
    not are figures or periods."""
    varying = [
        len({cell_text(sheet.cell(row, column)) for sheet in sheets}) >= _FEW for column in columns
    ]
    constant = (column for column, varies in zip(columns, varying, strict=True) if not varies)
    return any(varying) and all(
        not isinstance(cell := sheets[0].cell(row, index), str) or period_of(cell)
        for index in constant
    )


Found = list[tuple[int, Pair]]
"""Pairs that mean the same, each with the number of its tab."""


def _groups(every: Sequence[Sequence[Pair]]) -> list[Found]:
    """The pairs of all tabs that mean the same: of one label; or of the labels that tabs in other
    languages have in the same order, with values of the same type."""
    merged: list[Found] = []
    for number, tabs in enumerate(_languages(every)):
        by_label: dict[str, Found] = {}
        for tab in tabs:
            for pair in every[tab]:
                by_label.setdefault(normal_form(pair.label), []).append((tab, pair))
        # A label on few of many tabs is a remark.
        own = [
            group
            for group in by_label.values()
            if 2 * len({index for index, _ in group}) > len(tabs)
        ]
        free = list(merged) if number else []
        for values in own:
            like = next((other for other in free if _of_one_type(values, other)), None)
            if like is None:
                merged.append(list(values))
            else:
                free = free[free.index(like) + 1 :]
                like += values
    # What few tabs have, in whatever language, is no part of the form.
    return [
        group for group in merged if _FEWEST_TABS * len({index for index, _ in group}) > len(every)
    ]


_FEWEST_TABS = 2


def _languages(every: Sequence[Sequence[Pair]]) -> list[list[int]]:
    """The tabs in groups that share no label with one another; the largest first."""
    labels = [{normal_form(pair.label) for pair in pairs} for pairs in every]
    groups: list[tuple[set[str], list[int]]] = []
    for index, own in enumerate(labels):
        alike = [group for group in groups if group[0] & own]
        joined = (own.union(*(texts for texts, _ in alike)), [index])
        for group in alike:
            joined[1].extend(group[1])
            groups.remove(group)
        if own:
            groups.append(joined)
    return sorted((sorted(tabs) for _, tabs in groups), key=lambda tabs: (-len(tabs), tabs))


def _of_one_type(group: Found, other: Found) -> bool:
    types = {_type_of([pair.value for _, pair in pairs]) for pairs in (group, other)}
    return len(types) == 1 or types <= {"integer", "number"}


def _field_type(values: Sequence[Cell]) -> str:
    """The type of a stamp: months and dates in words are read by the languages of the layout."""
    text = _type_of(values)
    return text if text in ("month", "date") else type_of(values)


def _type_of(values: Sequence[Cell]) -> str:
    """The type of some values; a period in words is one, whatever its language."""
    texts = [value for value in values if isinstance(value, str)]
    kinds = {period.kind if (period := period_of(text)) else "" for text in texts}
    return (
        kinds.pop()
        if len(kinds) == 1 and len(texts) == len(values) and "" not in kinds
        else (type_of(values))
    )


def _add_covers(stamps: Stamps, examples: Sequence[Example], taken: Collection[str]) -> None:
    """Stamps on a tab of their own: every file has it, under one name, and it holds no table."""
    names = Counter(name for example in examples for name in example.specimen.others)
    own = {example.specimen.tab for example in examples}
    for name, count in names.items():
        if count < len(examples) or name in own:
            continue
        sheets = {example.specimen.file: example.specimen.others[name] for example in examples}
        if any(map(_has_table, sheets.values())) or _is_headed(list(sheets.values())):
            continue
        every = [pairs_of(sheet, ()) for sheet in sheets.values()]
        every = _with_labels_above(list(sheets.values()), [()] * len(sheets), every)
        for group in _groups(every):
            pairs = [pair for _, pair in group]
            values = {cell_text(pair.value) for pair in pairs}
            constant = len(values) == 1 and len(sheets) > 1 and not pairs[0].sure
            if constant and not period_of(next(iter(values))):
                continue
            label = field_name(pairs[0].label, [*taken, *stamps.fields], "stamp")
            way = "below" if pairs[0].way == "below" else "right_of"
            labels = list(dict.fromkeys(pair.label for pair in pairs))
            source = {"tab": name, way: labels[0] if len(labels) == 1 else labels}
            stamps.add(label, source, _field_type([pair.value for pair in pairs]))
            stamps.moments += [text for text in map(str, values) if period_of(text)]
            by_file = dict(zip(sheets, (list[Pair]() for _ in sheets), strict=True))
            for index, pair in group:
                by_file[list(sheets)[index]].append(pair)
            for index, one in enumerate(examples):
                for pair in by_file[one.specimen.file]:
                    stamps.told[index].add(plain(cell_text(pair.value)))


_TABLE = 3
"""A cover may hold labels with values that look like a table of two columns, but no wider one."""


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
    return len(sheets) >= _FEW and bool(set.intersection(*heads))


@dataclass(frozen=True)
class _Title:
    """A text outside of the tables on one tab."""

    row: int
    column: int
    text: str

    @property
    def words(self) -> frozenset[str]:
        """The words of it, folded."""
        return frozenset(re.findall(r"[^\W\d_]{2,}", self.text.casefold()))


def _add_titles(
    stamps: Stamps,
    examples: Sequence[Example],
    taken: Collection[str],
    every: Sequence[Sequence[Pair]],
    labelled: Collection[str],
) -> None:
    """Stamps of what titles tell: periods always, other parts if they vary from tab to tab; and
    the boilerplate of the form, which is what stays."""
    titles = [
        _titles_of(example, pairs, labelled) for example, pairs in zip(examples, every, strict=True)
    ]
    for row in _aligned(titles):
        texts = [title.text.strip() for title in row.values()]
        template = template_of(texts)
        if template is None or len(template.fits) < len(texts):
            continue
        places = {(title.row, title.column) for title in row.values()}
        everywhere = len(row) == len(examples)
        where = str(Address(*next(iter(places)))) if len(places) == 1 and everywhere else ""
        worded = any(sign.isalpha() for sign in template.fixed)
        if not worded and not (where and all(slot.kind != "number" for slot in template.slots)):
            continue
        if not worded and _by_language(
            {index: title.text for index, title in row.items()}, examples
        ):
            stamps.boilerplate += dict.fromkeys(texts)
            continue
        tabs = list(row)
        above = _above_tables(examples, row)
        # Beside and below tables stand remarks, in which a period alone tells of the records.
        added = everywhere and _add_slots(
            stamps, template, tabs, examples, where, taken, periods_only=not above
        )
        if not added and worded and len(tabs) >= _least(len(examples)):
            if not template.slots or len(set(texts)) == 1:
                stamps.boilerplate.append(texts[0])
            elif everywhere and above:
                stamps.boilerplate.append(template.pattern(lambda slot: "*"))


def _by_language(texts: Mapping[int, str], examples: Sequence[Example]) -> bool:
    """Whether the text of a title is another one only where the headings are others, too: it is
    that of the form in each language."""
    by_heads: dict[object, set[str]] = {}
    for index, text in texts.items():
        heads = tuple(shape.heads[: shape.leading] for shape in examples[index].shapes)
        by_heads.setdefault(heads, set()).add(text)
    return 1 < len(by_heads) < len(texts) and all(len(texts) == 1 for texts in by_heads.values())


def _least(tabs: int) -> int:
    """On how many tabs a text stands that belongs to the form."""
    return max(min(_FEW + 1, tabs), _FEW, tabs // MOST_LANGUAGES)


def _titles_of(example: Example, pairs: Sequence[Pair], labelled: Collection[str]) -> list[_Title]:
    """The texts outside of the tables of a tab that are neither labels nor their values."""
    taken = {(pair.row, pair.column) for pair in pairs if normal_form(pair.label) in labelled}
    values = {cell_text(pair.value).strip() for pair in pairs if pair.way != "inside"}
    return [
        _Title(row, column, text)
        for row, column, text in _outside(example)
        if (row, column) not in taken and text.strip() not in values
        and (not reads_as_figure(text) or period_of(text)) and text.strip()
    ]  # fmt: skip


def _aligned(titles: Sequence[Sequence[_Title]]) -> list[dict[int, _Title]]:
    """The titles of all tabs that are one, by the number of the tab: with most words in common, or
    at the same place."""
    result: list[dict[int, _Title]] = []
    for number, group in enumerate(titles):
        free = list(range(len(result)))
        for title in group:
            scores = [(_sameness(result[index], title), -index) for index in free]
            best, position = max(scores, default=(0.0, 0))
            if best >= _SAME:
                result[-position][number] = title
                free.remove(-position)
            else:
                result.append({number: title})
    return result


_SAME = 0.3


def _sameness(row: Mapping[int, _Title], title: _Title) -> float:
    first = next(iter(row.values()))
    shared = len(first.words & title.words) / max(len(first.words), len(title.words), 1)
    return shared + (_SAME if (first.row, first.column) == (title.row, title.column) else 0)


def _above_tables(examples: Sequence[Example], row: Mapping[int, _Title]) -> bool:
    """Whether titles stand above all tables of their tabs."""
    return all(
        title.row < min((shape.top for shape in examples[index].shapes), default=title.row + 1)
        for index, title in row.items()
    )


def _add_slots(
    stamps: Stamps, template: Template, tabs: Sequence[int], examples: Sequence[Example],
    where: str, taken: Collection[str], *, periods_only: bool = False,
) -> bool:  # fmt: skip
    """Stamps for the slots of a title; whether there are any."""
    before = len(stamps.fields)
    for number, slot in enumerate(template.slots):
        period = slot.kind not in ("text", "number")
        if periods_only and not period:
            continue
        values = [slot.values[template.fits.index(index)] for index in range(len(tabs))]
        if not period and _by_language(dict(zip(tabs, values, strict=True)), examples):
            continue
        if not period and (not slot.varies or len(tabs) < _FEW):
            continue
        if all(
            plain(value) in stamps.told[tab] or _in_names(value, examples[tab], period=period)
            for value, tab in zip(values, tabs, strict=True)
        ):
            continue
        named = slot.kind if period else "title"
        kind = slot.kind if slot.kind in ("month", "date") else type_of(values)
        name = field_name(named, [*taken, *stamps.fields])
        source: dict[str, Any] = {"cell": where} if where else {}
        shape = _kept(template, number)
        if shape != "{}":
            source["pattern"] = shape
        stamps.add(name, source, kind if period or kind in ("month", "date") else "text")
        for value, tab in zip(values, tabs, strict=True):
            stamps.told[tab] |= {plain(value), *map(plain, value.split())}
            stamps.moments += [value] if period else []
    return len(stamps.fields) > before


def _in_names(value: str, example: Example, *, period: bool) -> bool:
    """Whether the name of the tab, or a word of that of the file, says the same."""
    if period:
        return False
    stem = example.specimen.file.rpartition(".")[0]
    return plain(value) in {plain(example.specimen.tab), *map(plain, re.split(r"[\s_/.]", stem))}


def _kept(template: Template, number: int) -> str:
    """The pattern that keeps one slot of a template."""
    slots = iter(range(len(template.slots)))

    def written(part: str | Slot) -> str:
        if isinstance(part, str):
            return escaped(part)
        return "{}" if next(slots) == number else "*"

    return "".join(map(written, template.parts))
