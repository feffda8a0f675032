"""The samples as workbooks, arranged as people arrange forms."""

from __future__ import annotations

from datetime import datetime
from pathlib import Path
from typing import Any

import xlsxwriter

from make_demo.nurseries import CONTAINERS, Count, Form, GreenhouseTab, LotLine, forms


class _Styles:
    """The formats of one workbook."""

    def __init__(self, book: Any) -> None:
        self.title = book.add_format({"bold": True, "font_size": 14})
        self.label = book.add_format({"font_color": "#555555"})
        self.month = book.add_format({"num_format": "mmm yyyy", "align": "left"})
        self.head = book.add_format({"bold": True, "align": "center", "bottom": 1})
        self.group = book.add_format({"valign": "top"})
        self.total = book.add_format({"bold": True, "top": 1})


def write_forms(inbox: Path) -> None:
    """Write every sample workbook, a lock file and a file that does not belong.

    Nurseries that use another program have workbooks saved by it, from the same figures: see
    `other_kinds`.
    """
    for form in forms():
        path = inbox / form.path
        path.parent.mkdir(parents=True, exist_ok=True)
        if form.nursery.ending == ".xlsx":
            write_form(form, path)
    lock = inbox / form.path
    lock.with_name(f"~${lock.name}").write_bytes(b"\x07Granvik" + b" " * 47)
    (inbox / "holiday rota.txt").write_text("Weeks 28 to 31: greenhouse 2 is closed.\n", "utf-8")


def write_form(form: Form, path: Path) -> None:
    """Write one workbook; the same form gives the same bytes."""
    with xlsxwriter.Workbook(path) as book:
        book.set_properties({"created": datetime(2026, 1, 1), "author": form.nursery.name})
        styles = _Styles(book)
        for tab in form.tabs:
            sheet = book.add_worksheet(f"{form.nursery.language.greenhouse} {tab.greenhouse}")
            _cover(sheet, styles, form)
            _Table(sheet, styles, form, tab).write()


def _cover(sheet: Any, styles: _Styles, form: Form) -> None:
    words = form.nursery.language
    sheet.set_column(0, 3, 14)
    sheet.write(0, 0, words.title, styles.title)
    sheet.write(2, 0, words.nursery + ":", styles.label)
    sheet.write(2, 1, form.nursery.name)
    sheet.write(3, 0, words.month + ":", styles.label)
    if form.nursery.merged:
        sheet.write_datetime(3, 1, datetime(form.month.year, form.month.month, 1), styles.month)
    else:
        sheet.write_string(3, 1, f"{form.month:%Y-%m}")


class _Table:
    """The table of one tab: two heading rows, lots by species, sums, remarks and a note."""

    def __init__(self, sheet: Any, styles: _Styles, form: Form, tab: GreenhouseTab) -> None:
        self.sheet, self.styles, self.tab = sheet, styles, tab
        self.nursery = form.nursery
        self.words = form.nursery.language
        self.left = tab.left
        self.group = len(self.nursery.grades) + self.nursery.sums_beside
        self.last = self.left + 2 + self.group * len(CONTAINERS)
        """The column of the sums of a whole row."""

    def write(self) -> None:
        self._headings()
        row = self.tab.top + 2
        for species in dict.fromkeys(line.species for line in self.tab.lines):
            lines = [line for line in self.tab.lines if line.species == species]
            row = self._lots(row, species, lines)
        self._sums(row, self.words.total, self.tab.lines)
        self.sheet.write(row + 2, self.left, self.words.notes)

    def _headings(self) -> None:
        top, head = self.tab.top, self.styles.head
        self.sheet.write(top + 1, self.left, self.words.species, head)
        self.sheet.write(top + 1, self.left + 1, self.words.lot, head)
        for place, container in enumerate(CONTAINERS):
            first = self.left + 2 + place * self.group
            if self.nursery.merged:
                self.sheet.merge_range(top, first, top, first + self.group - 1, container, head)
            else:
                self.sheet.write(top, first, container, head)
            for index, grade in enumerate(self.nursery.grades):
                self.sheet.write(top + 1, first + index, grade, head)
            if self.nursery.sums_beside:
                self.sheet.write(top + 1, first + self.group - 1, self.words.total, head)
        if self.nursery.merged:
            self.sheet.merge_range(top, self.last, top + 1, self.last, self.words.total, head)
        else:
            self.sheet.write(top + 1, self.last, self.words.total, head)
        self.sheet.write(top + 1, self.last + 1, self.words.remarks, head)

    def _lots(self, row: int, species: str, lines: list[LotLine]) -> int:
        """Write the lots of a species and their sums; returns the next free row."""
        if self.nursery.merged:
            end = row + len(lines) - 1
            self.sheet.merge_range(row, self.left, end, self.left, species, self.styles.group)
        else:
            self.sheet.write(row, self.left, species)
        for line in lines:
            self.sheet.write(row, self.left + 1, line.lot)
            self._counts(row, list(line.counts))
            row += 1
        self.sheet.write(row - 1, self.last + 1, "recount" if len(lines) > 3 else "")
        self._sums(row, f"{self.words.total} {species}", lines)
        return row + 1

    def _counts(self, row: int, counts: list[Count], style: Any = None) -> None:
        grades = len(self.nursery.grades)
        for place in range(len(CONTAINERS)):
            group = counts[place * grades : (place + 1) * grades]
            first = self.left + 2 + place * self.group
            for index, count in enumerate(group):
                if count is not None:
                    self.sheet.write(row, first + index, count, style)
            if self.nursery.sums_beside:
                self.sheet.write(row, first + grades, _sum(group), style)
        self.sheet.write(row, self.last, _sum(counts), style)

    def _sums(self, row: int, label: str, lines: tuple[LotLine, ...] | list[LotLine]) -> None:
        self.sheet.write(row, self.left, label, self.styles.total)
        columns = zip(*(line.counts for line in lines), strict=True)
        self._counts(row, [_sum(list(column)) for column in columns], self.styles.total)


def _sum(counts: list[Count]) -> int:
    return sum(count for count in counts if isinstance(count, int))
