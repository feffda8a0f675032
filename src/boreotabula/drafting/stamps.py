"""The stamps of a kind: labels that stay from tab to tab, with values that vary."""

from __future__ import annotations

import re
from collections import Counter
from collections.abc import Collection, Mapping, Sequence
from dataclasses import dataclass
from typing import Any

from boreotabula.drafting.captions import caption_of
from boreotabula.drafting.pairs import Pair, pairs_of
from boreotabula.drafting.specimens import Example
from boreotabula.drafting.types import languages_of, type_of
from boreotabula.drafting.words import field_name
from boreotabula.layout.addresses import Address, parse_address
from boreotabula.layout.headings import normal_form
from boreotabula.layout.patterns import Kind, pattern
from boreotabula.reading.cells import cell_text, reads_as_figure
from boreotabula.sheets.sheet import Sheet


@dataclass(frozen=True)
class Stamps:
    """The stamps of a layout, the types of their fields, and all their values as texts."""

    sources: Mapping[str, Any]
    fields: Mapping[str, str]
    texts: frozenset[str]
    labels: frozenset[str]
    """The labels of all of them, in normal form."""
    moments: tuple[str, ...] = ()
    """Texts that titles keep of months and dates, as they are written."""


def stamps_of(examples: Sequence[Example], taken: Collection[str]) -> Stamps:
    """What labels and titles tell of the records of each tab."""
    every = [pairs_of(one.sheet, (*one.shapes, *one.further)) for one in examples]
    every = _with_labels_above(examples, every)
    groups = _groups(every)
    sources: dict[str, Any] = {}
    fields: dict[str, str] = {}
    texts: set[str] = set()
    every_label: set[str] = set()
    for some in groups:
        values = [one.value for one in some]
        labels = list(dict.fromkeys(one.label for one in some))
        # A label whose value never changes, in any language, belongs to the form itself.
        # One that ends as labels do is meant to be filled, though all files say the same so far.
        labelled = some[0].sure and some[0].way != "inside"
        # A form without a table says something with each of them.
        tables = any(one.shapes for one in examples)
        if len(examples) > 1 and tables and _is_constant(some) and not labelled:
            continue
        name = field_name(labels[0], [*taken, *fields], "stamp")
        way = "below" if some[0].way == "below" else "right_of"
        sources[name] = {way: labels[0] if len(labels) == 1 else labels}
        fields[name] = type_of(values)
        texts |= {cell_text(one) for one in values}
        every_label |= {normal_form(one) for one in labels}
    covers, kinds, told = _covers(examples, [*taken, *fields])
    texts |= told
    sources |= covers
    fields |= kinds
    titles, kinds = _titles(examples, [*taken, *fields], every_label, texts)
    sources |= titles
    fields |= kinds
    texts |= set(title_parts(examples))
    moments = [
        kept[""]
        for name, kind in kinds.items() if kind in ("month", "date")
        for source in [titles[name]]
        for one in examples
        if (kept := pattern(source["pattern"], Kind.STAMP).match(_cell_at(one, source["cell"])))
    ]  # fmt: skip
    return Stamps(sources, fields, frozenset(texts), frozenset(every_label), tuple(moments))


def _with_labels_above(
    examples: Sequence[Example], every: Sequence[Sequence[Pair]]
) -> list[list[Pair]]:
    """The pairs of all tabs, with values below labels that have no mark: side by side in one row
    stand texts that never change, and below each of them something that does."""
    rows: dict[int, list[int]] = {}
    for row, column, text in examples[0].sheet.texts() if len(examples) >= _FEW else ():
        above = {cell_text(one.sheet.cell(row, column)) for one in examples}
        below = [cell_text(one.sheet.cell(row + 1, column)) for one in examples]
        varies = all(below) and len(set(below)) >= _FEW
        inside = any(_inside(one, row + 1, column) for one in examples)
        if above == {text.strip()} and varies and not inside:
            rows.setdefault(row, []).append(column)
    spots = {(row, at) for row, some in rows.items() if len(some) >= _FEW for at in some}
    taken = spots | {(row + 1, at) for row, at in spots}
    found = []
    for one, pairs in zip(examples, every, strict=True):
        own = [
            Pair(cell_text(cell), row, at, one.sheet.cell(row + 1, at), "below", sure=True)
            for row, at in sorted(spots)
            if (cell := one.sheet.cell(row, at)) != ""
        ]
        found.append([*own, *(pair for pair in pairs if (pair.row, pair.column) not in taken)])
    return found


def _inside(example: Example, row: int, column: int) -> bool:
    """Whether a cell is one of a table, its headings too."""
    return any(
        min(one.top, one.highest) <= row < one.end and one.left <= column < one.right
        for one in (*example.shapes, *example.further)
    )


def _cell_at(one: Example, where: str) -> str:
    return cell_text(one.sheet.cell(*parse_address(where)))


def _is_constant(pairs: Sequence[Pair]) -> bool:
    """Whether each label has one text for its value, wherever it stands."""
    values: dict[str, set[str]] = {}
    for one in pairs:
        if not isinstance(one.value, str) or reads_as_figure(one.value):
            return False
        values.setdefault(normal_form(one.label), set()).add(one.value.strip())
    return all(len(some) == 1 for some in values.values())


_FEW = 2
_LANGUAGES = 6
"""Forms come in at most so many languages."""


def _groups(every: Sequence[Sequence[Pair]]) -> list[list[Pair]]:
    """The pairs of all tabs that mean the same: of one label, or at one place where labels differ
    as languages do."""
    by_label: dict[str, list[tuple[int, Pair]]] = {}
    for at, pairs in enumerate(every):
        for one in pairs:
            by_label.setdefault(normal_form(one.label), []).append((at, one))
    merged: list[list[tuple[int, Pair]]] = []
    for some in by_label.values():
        tabs = {at for at, _ in some}
        place = {(one.row, one.column, one.way) for _, one in some}
        like = next(
            (
                other
                for other in merged
                # Never on one tab, at the same place, with values of one type.
                if not tabs & {at for at, _ in other}
                and place & {(one.row, one.column, one.way) for _, one in other}
            ),
            None,
        )
        if like is None:
            merged.append(list(some))
        else:
            like += some
    # A label on few of many tabs is a remark.
    return [[one for _, one in some] for some in merged
            if 2 * len({at for at, _ in some}) > len(every)]  # fmt: skip


def title_parts(examples: Sequence[Example]) -> list[str]:
    """The parts of the texts above the tables that are parted by dashes or commas."""
    found: list[str] = []
    for one in examples:
        top = min((shape.top for shape in one.shapes), default=one.sheet.height)
        for _, _, text in one.sheet.texts(range(top)):
            parts = _PARTS.split(text)
            found += [part.strip() for part in parts] if len(parts) > 1 else []
    return found


def _covers(
    examples: Sequence[Example], taken: Collection[str]
) -> tuple[dict[str, Any], dict[str, str], set[str]]:
    """Stamps on a tab of their own: every file has it, under one name, and it holds no table."""
    names = Counter(name for one in examples for name in one.specimen.others)
    own = {one.specimen.tab for one in examples}
    sources: dict[str, Any] = {}
    fields: dict[str, str] = {}
    told: set[str] = set()
    for name, count in names.items():
        if count < len(examples) or name in own:
            continue
        sheets = {one.specimen.file: one.specimen.others[name] for one in examples}
        every = [pairs_of(sheet, ()) for sheet in sheets.values()]
        for some in _groups(every):
            values = [one.value for one in some]
            if len({cell_text(one) for one in values}) == 1 and len(sheets) > 1:
                continue
            field = field_name(some[0].label, [*taken, *fields], "stamp")
            way = "below" if some[0].way == "below" else "right_of"
            labels = list(dict.fromkeys(one.label for one in some))
            sources[field] = {"tab": name, way: labels[0] if len(labels) == 1 else labels}
            fields[field] = type_of(values)
            told |= {cell_text(one) for one in values}
    return sources, fields, told


_PARTS = re.compile(r"\s+[–—|/]\s+|\s+-\s+|,\s+")


def _titles(
    examples: Sequence[Example],
    taken: Collection[str],
    labels: Collection[str],
    told: Collection[str],
) -> tuple[dict[str, Any], dict[str, str]]:
    """Parts of a title, in the same cell of all tabs, that vary from tab to tab; of a tab that is
    alone those that are a month or a date. Not what `labels` have `told` already."""
    alone = len(examples) < _FEW
    known = {one.specimen.tab.casefold() for one in examples}
    first = examples[0].sheet
    tops = [min((one.top for one in some.shapes), default=some.sheet.height) for some in examples]
    for row, column, text in first.texts(range(min(tops, default=0))):
        cells = [cell_text(one.sheet.cell(row, column)) for one in examples]
        parts = [_PARTS.split(one) for one in cells]
        marks = _PARTS.findall(text)
        label = normal_form(text.partition(":")[0])
        if reads_as_figure(text) or label in labels or text.strip() in told:
            continue
        varies = alone or len(set(cells)) >= _FEW
        where = str(Address(row, column))
        if varies and not alone and len({len(one) for one in parts}) == 1 and not marks:
            # Without marks the words that differ are kept.
            found = _by_words(cells, where, taken)
            words = [cell.partition(text.split(" ")[0])[2].strip().casefold() for cell in cells]
            if found[0] and not set(words) <= known:
                return found
        if not varies or len({len(one) for one in parts}) != 1 or not marks:
            continue
        sources: dict[str, Any] = {}
        fields: dict[str, str] = {}
        for at, some in enumerate(zip(*parts, strict=True)):
            # The first part names the form; in another language it is another word.
            if at == 0 or (len(set(some)) == 1 and not alone):
                continue
            kind = type_of(some, languages_of(some))
            if alone and kind not in ("month", "date"):
                continue
            named = kind if kind in ("month", "date") else "title"
            name = field_name(named, [*taken, *fields])
            if {one.strip().casefold() for one in some} <= known:
                continue
            shape = "".join(
                ("{}" if place == at else "*") + (marks[place] if place < len(marks) else "")
                for place in range(len(parts[0]))
            )
            sources[name] = {"cell": where, "pattern": shape}
            fields[name] = kind
        if sources:
            return sources, fields
    return {}, {}


def titles_told(examples: Sequence[Example]) -> list[str]:
    """Patterns for titles that say no more than the names of the tabs do."""
    if len(examples) < _FEW:
        return []
    found: dict[str, None] = {}
    top = min(min((one.top for one in some.shapes), default=0) for some in examples)
    for row, column, _ in examples[0].sheet.texts(range(top)):
        cells = [cell_text(one.sheet.cell(row, column)) for one in examples]
        pairs = zip(cells, examples, strict=True)
        rest = {cell.replace(one.specimen.tab, "*") for cell, one in pairs if one.specimen.tab}
        if len(rest) == 1 and len(set(cells)) >= _FEW and (text := rest.pop()).count("*") == 1:
            found[text] = None
    return [one for one in found if one != "*"]


def _by_words(
    cells: Sequence[str], where: str, taken: Collection[str]
) -> tuple[dict[str, Any], dict[str, str]]:
    """The stamps that the words of a title tell which differ from tab to tab."""
    found = caption_of(cells) if all(cells) else None
    if found is None:
        return {}, {}
    pattern, captured = found
    sources: dict[str, Any] = {}
    fields: dict[str, str] = {}
    for name, kind in captured.items():
        others = re.sub(r"\{\w+\}", "*", pattern.replace(f"{{{name}}}", "\0")).replace("\0", "{}")
        own = field_name(name, [*taken, *fields])
        sources[own] = {"cell": where, "pattern": others}
        fields[own] = kind
    return sources, fields


def constant_texts(examples: Sequence[Example], stamps: Stamps) -> list[str]:
    """Texts outside of the tables that several tabs hold in the same words, but for stamps."""
    counts: Counter[str] = Counter()
    for one in examples:
        counts.update(list(dict.fromkeys(text.strip() for *_, text in _outside(one))))
    # A part of the tabs may be in another language.
    least = max(min(_FEW + 1, len(examples)), _FEW, len(examples) // _LANGUAGES)
    return [
        text
        for text, count in counts.items()
        if count >= least
        and normal_form(text.partition(":")[0]) not in stamps.labels
        and text not in stamps.texts
        and not reads_as_figure(text)
    ]


def _outside(example: Example) -> list[tuple[int, int, str]]:
    sheet: Sheet = example.sheet
    return [one for one in sheet.texts() if not _inside(example, one[0], one[1])]
