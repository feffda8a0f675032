"""Tabs and files without a kind: copies, lookups, and tabs that sum up others."""

from __future__ import annotations

from collections.abc import Iterable, Sequence
from dataclasses import replace
from functools import cache

import numpy as np

from boreotabula.drafting.tabs.specimens import Example, LeftOut, Specimen, TabFamily
from boreotabula.look.looks import FIGURE, TEXT
from boreotabula.look.texts.words import is_total
from boreotabula.reading.totals.tabs import sums_of_others
from boreotabula.sheets.sheet import Cell, Sheet

_FEW = 2


def _content(sheet: Sheet) -> tuple[object, ...]:
    return (sheet.name, tuple(map(tuple, sheet.rows)))


def without_copied_files(specimens: Sequence[Specimen]) -> tuple[list[Specimen], list[LeftOut]]:
    """The tabs without those of files that are copies of others, whatever their names."""
    by_file: dict[str, list[Specimen]] = {}
    for specimen in specimens:
        by_file.setdefault(specimen.file, []).append(specimen)
    first: dict[object, str] = {}
    left_out = []
    # The copy has the longer name: “a (1)”, “a - copy”.
    for file in sorted(by_file, key=lambda name: (len(name), name)):
        content = tuple(sorted((_content(one.sheet) for one in by_file[file]), key=repr))
        original = first.setdefault(content, file)
        if original != file:
            left_out.append(LeftOut(file, "", f"it has the same content as {original}"))
    copies = {omission.file for omission in left_out}
    return [one for one in specimens if one.file not in copies], left_out


def without_lookups(specimens: Sequence[Specimen]) -> tuple[list[Specimen], list[LeftOut]]:
    """The tabs without those that are the same in every file that has them, beside others."""
    contents: dict[str, list[object]] = {}
    for specimen in specimens:
        contents.setdefault(specimen.tab, []).append(_content(specimen.sheet))
    same = {
        tab
        for tab, content in contents.items()
        if tab and len(content) >= _FEWEST_COPIES and len(set(content)) == 1
    }
    left_out = [
        LeftOut(one.file, one.tab, "it has the same content in every file")
        for one in specimens
        if one.tab in same and one.others
    ]
    places = {(omission.file, omission.tab) for omission in left_out}
    return [one for one in specimens if (one.file, one.tab) not in places], left_out


_FEWEST_FILES = 2
_FEWEST_COPIES = 3
"""Two files may well agree on a tab that reports something."""


def without_summaries(kinds: Sequence[TabFamily]) -> tuple[list[TabFamily], list[LeftOut]]:
    """The kinds without the tabs that sum up others of their file: cell by cell those of their own
    kind, or by groups the records of a larger one."""
    left_out: list[LeftOut] = []
    result: list[TabFamily] = []
    ranked = sorted(kinds, key=lambda kind: -kind.filled)
    for kind in ranked:
        summed = (
            dict(_summed_tabs(kind.examples))
            | dict(_summed_by_name(kind.examples))
            | dict(_grouped_tabs(kind, result))
        )
        left_out += [
            LeftOut(file, tab, f"it sums up {other_text}")
            for (file, tab), other_text in summed.items()
        ]
        rest = tuple(
            example
            for example in kind.examples
            if (example.specimen.file, example.specimen.tab) not in summed
        )
        if rest:
            result.append(replace(kind, examples=rest))
    return result, left_out


TabPlace = tuple[str, str]


def _summed_tabs(examples: Sequence[Example]) -> Iterable[tuple[TabPlace, str]]:
    """The tabs of a kind that hold the sums of other tabs of their file, and the tabs that they sum
    up."""
    by_file: dict[str, list[Example]] = {}
    for example in examples:
        if example.shapes:
            by_file.setdefault(example.specimen.file, []).append(example)
    for file, group in by_file.items():
        tabs = {one.specimen.tab: _numbers(one) for one in group}
        for tab, other_texts in sums_of_others(tabs):
            yield (file, tab), f"{other_texts[0]} to {other_texts[-1]}"


def _summed_by_name(examples: Sequence[Example]) -> Iterable[tuple[TabPlace, str]]:
    """The tabs of a kind whose rows hold the sums of the rows of that name on all other tabs of
    their file, wherever these stand; and the other tabs."""
    by_file: dict[str, list[Example]] = {}
    for example in examples:
        by_file.setdefault(example.specimen.file, []).append(example)
    for file, group in by_file.items():
        if len(group) <= _FEW:
            continue
        lines = [dict(_named_lines(example)) for example in group]
        for example, own in zip(group, lines, strict=True):
            others = [tab for tab in lines if tab is not own]
            held = [name for name in own if sum(name in tab for tab in others) > 1]
            agree = [
                name for name, numbers in own.items()
                if any(name in tab for tab in others)
                and _is_sum(numbers, [tab[name] for tab in others if name in tab])
            ]  # fmt: skip
            if len(held) >= _FEWEST_SUMS and len(agree) >= _MOST_SUMS * len(own):
                names = [member.specimen.tab for member in group if member is not example]
                yield (file, example.specimen.tab), f"{names[0]} to {names[-1]}"
                break


def _named_lines(example: Example) -> Iterable[tuple[Cell, tuple[float, ...]]]:
    """The first text of each row of the tables of a tab, with the numbers of the row."""
    for shape in example.shapes:
        for row in range(shape.first, shape.end):
            cells = example.sheet.rows[row][shape.left : shape.right]
            name = next((cell for cell in cells if isinstance(cell, str) and cell), "")
            numbers = tuple(cell for cell in cells if isinstance(cell, float))
            if name and numbers and not is_total(str(name)):
                yield name, numbers


def _is_sum(numbers: Sequence[float], lines: Sequence[Sequence[float]]) -> bool:
    """Whether numbers are the sums of some rows, column by column."""
    if {len(line) for line in lines} != {len(numbers)}:
        return False
    sums = np.array(lines).sum(axis=0)
    return bool(np.allclose(sums, numbers, rtol=0, atol=10**-_DIGITS))


def _numbers(example: Example) -> tuple[np.ndarray[tuple[int], np.dtype[np.intp]],
                                    np.ndarray[tuple[int], np.dtype[np.float64]]]:  # fmt: skip
    """The numbers in the tables of a tab, by their place within the table."""
    cells: list[np.ndarray[tuple[int], np.dtype[np.intp]]] = []
    values: list[np.ndarray[tuple[int], np.dtype[np.float64]]] = []
    for number, shape in enumerate(example.shapes):
        body = example.sheet.numbers[shape.first : shape.end, shape.left : shape.right]
        rows, columns = np.nonzero(~np.isnan(body))
        cells.append(number * 1_000_000_000 + rows * 65_536 + columns)
        values.append(body[rows, columns])
    return np.concatenate(cells), np.concatenate(values)


def _grouped_tabs(kind: TabFamily, larger: Sequence[TabFamily]) -> Iterable[tuple[TabPlace, str]]:
    """The tabs of a kind whose rows hold the sums of records of another tab of their file, each
    beside the text that groups them there.

    Numbers alone may agree by coincidence.
    """
    by_file: dict[str, list[Example]] = {}
    # A summary may have so many headings of the records that it looks like one of their kind.
    for example in (example for group in (*larger, kind) for example in group.examples):
        by_file.setdefault(example.specimen.file, []).append(example)
    group_sums = cache(_group_sums)
    for example in kind.examples:
        other_examples = [
            other_example
            for other_example in by_file[example.specimen.file]
            if other_example is not example
        ]
        rows = list(_labelled_numbers(example)) if other_examples else []
        if len(rows) < _FEWEST_SUMS:
            continue
        for other in other_examples:
            sums = group_sums(other)
            if _hold_sums(rows, sums):
                yield (example.specimen.file, example.specimen.tab), other.specimen.tab
                break


_FEWEST_SUMS, _MOST_SUMS = 3, 0.8
"""This many rows must be sums of other tabs, and this share of all, to rule out coincidence."""
_DIGITS = 6
"""Sums of printed numbers are compared to this many decimals."""

Sums = dict[Cell, set[float]]
"""The sums of the rows that have a text, by that text."""


def _labelled_numbers(example: Example) -> Iterable[tuple[Sequence[Cell], list[float]]]:
    """The cells of each row of the tables of a tab with its non-zero numbers; rows without such
    numbers are omitted."""
    sheet = example.sheet
    for shape in example.shapes:
        columns = slice(shape.left, shape.right)
        numbers = np.nan_to_num(sheet.numbers[shape.first : shape.end, columns].round(_DIGITS))
        for row, values in enumerate(numbers, shape.first):
            if values.any():
                yield sheet.rows[row][columns], values[values != 0].tolist()


def _hold_sums(rows: Sequence[tuple[Sequence[Cell], list[float]]], sums: Sums) -> bool:
    """Whether nearly all rows hold a sum for a text that stands in them."""
    misses = 0
    for cells, values in rows:
        of_texts = (sums[cell] for cell in cells if isinstance(cell, str) and cell in sums)
        misses += all(numbers.isdisjoint(values) for numbers in of_texts)
        if len(rows) - misses < _MOST_SUMS * len(rows):
            return False
    return True


def _group_sums(example: Example) -> Sums:
    """The texts of each column of texts of a tab's tables, with the sums of all columns of numbers
    over the rows that have the text."""
    sums: Sums = {}
    sheet = example.sheet
    for shape in example.shapes:
        rows = range(shape.first, shape.end)
        figures = [index for index, look in enumerate(shape.columns, shape.left) if look == FIGURE]
        numbers = np.nan_to_num(sheet.numbers[shape.first : shape.end, figures])
        for column in (
            index for index, look in enumerate(shape.columns, shape.left) if look == TEXT
        ):
            cells = [sheet.rows[row][column] for row in rows]
            groups = {cell: index for index, cell in enumerate(dict.fromkeys(cells))}
            if not _FEW <= len(groups) < len(rows):
                continue
            total = np.zeros((len(groups), len(figures)))
            np.add.at(total, [groups[cell] for cell in cells], numbers)
            for text, line in zip(groups, total.round(_DIGITS).tolist(), strict=True):
                sums.setdefault(text, set()).update(line)
    return sums
