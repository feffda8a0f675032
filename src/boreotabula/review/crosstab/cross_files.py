"""A cross-tab as a file for people: CSV, or a workbook that prints well."""

from __future__ import annotations

import csv
import io
from collections.abc import Iterator, Sequence
from pathlib import Path
from typing import Any

from boreotabula.batch.claims import claimed
from boreotabula.batch.output_checks import check_place
from boreotabula.review.crosstab.cross import Cross
from boreotabula.review.crosstab.crosstab import decimals_needed, moment_text
from boreotabula.sheets.parts.writing import new_workbook, put
from boreotabula.texts import counted

ENDINGS = (".csv", ".xlsx")


def check_cross(out: Path) -> None:
    """Raises CallError if a cross-tab cannot be written to a file."""
    check_place(out, ENDINGS, "a cross-tab is written as")


def write_cross(cross: Cross, out: Path) -> None:
    """Write a cross-tab, whole or not at all. Raises CallError if that cannot be."""
    content = _workbook(cross) if out.suffix.lower() == ".xlsx" else _csv(cross)
    with claimed(out) as stream:
        stream.write(content)


def cross_rows(cross: Cross) -> Iterator[list[str | float | None]]:
    """Heading, rows and totals; a cell without a number is None."""
    names = list(cross.spec.rows) or [""]
    columns = list(cross.columns) if cross.spec.across else [cross.measure]
    beside = bool(cross.row_totals) and cross.spec.totals
    more_texts = ["total"] if beside else []
    yield [*names, *columns, *more_texts]
    for index, label in enumerate(cross.rows):
        sums = [cross.row_totals[index]] if beside else []
        yield [*label, *as_cell_value(cross, [*cross.cells[index], *sums])]
    if len(cross.rows) > 1 and cross.spec.totals:
        last = [cross.total] if beside else []
        yield [
            "total",
            *[""] * (len(names) - 1),
            *as_cell_value(cross, [*cross.column_totals, *last]),
        ]


def as_cell_value(cross: Cross, numbers: Sequence[float | None]) -> list[str | float | None]:
    """Numbers as they are; dates and times as texts."""
    kind = cross.value_kind
    if not kind.is_moment:
        return list(numbers)
    return [None if number is None else moment_text(number, kind) for number in numbers]


def _csv(cross: Cross) -> bytes:
    text = io.StringIO()
    writer = csv.writer(text, lineterminator="\r\n")
    for line in cross_rows(cross):
        writer.writerow(["" if value is None else _plain(value) for value in line])
    return text.getvalue().encode()


def _plain(value: str | float) -> str | int | float:
    # 12.0 would look like a measured value.
    return int(value) if isinstance(value, float) and value.is_integer() else value


def _workbook(cross: Cross) -> bytes:
    content = io.BytesIO()
    with new_workbook(content, in_memory=True) as book:
        number = _number_format(cross)
        head = book.add_format({"bold": True, "bottom": 1, "text_wrap": True, "valign": "bottom"})
        side = book.add_format({"bold": True, "bottom": 1, "align": "right", "text_wrap": True})
        cell = book.add_format({"num_format": number})
        total = book.add_format({"num_format": number, "bold": True, "top": 1})
        beside = book.add_format({"num_format": number, "bold": True})
        tab = book.add_worksheet("Cross-tab")
        wheres = [f"{name} = {value}" for name, value in cross.spec.where]
        unit = [cross.unit] if cross.unit else []
        title = ", ".join([cross.measure, *unit, *wheres, counted(cross.records, "record")])
        lines = list(cross_rows(cross))
        names = len(list(cross.spec.rows) or [""])
        widths = [0] * len(lines[0])
        with_totals = cross.spec.totals
        for row, line in enumerate(lines):
            last = row == len(lines) - 1 and len(cross.rows) > 1 and with_totals
            for column, one in enumerate(line):
                form = head if column < names else side
                if row:
                    in_total = bool(cross.row_totals) and with_totals and column == len(line) - 1
                    form = total if last else beside if in_total else cell
                put(tab, row, column, one, form)
                shown = one if isinstance(one, str) else f"{one:,.1f}" if one is not None else ""
                widths[column] = max(widths[column], len(shown))
        for column, width in enumerate(widths):
            tab.set_column(column, column, min(max(width + 2, 8), 40))
        tab.freeze_panes(1, names)
        _print_well(tab, len(lines), len(lines[0]), title)
    return content.getvalue()


def _number_format(cross: Cross) -> str:
    places = decimals_needed(cross)
    whole = "0" if cross.value_kind.is_share else "#,##0"
    form = whole + ("." + "0" * places if places else "")
    return f"{form}%" if cross.value_kind.is_share else form


def _print_well(tab: Any, lines: int, columns: int, title: str) -> None:
    """One page wide on A4, the heading on every page, page numbers at the bottom."""
    if columns > 7:
        tab.set_landscape()
    tab.set_paper(9)
    tab.fit_to_pages(1, 0)
    tab.repeat_rows(0)
    tab.print_area(0, 0, lines - 1, columns - 1)
    # The heading is the first row, so that other programs find it; the title is on paper.
    tab.set_header(f"&L&B{_paper(title)}")
    tab.set_footer("&R&P / &N")


_LONGEST_HEADER = 240
"""A workbook keeps this many characters of a header."""


def _paper(title: str) -> str:
    """A title as page headers write it."""
    return title[:_LONGEST_HEADER].replace("&", "&&")
