"""A tab as a page: each cell in the colour of its role, findings beside their cells, and for each
record the cells that it is made of.

One HTML file that needs no network.
"""

from __future__ import annotations

import json
from collections import defaultdict
from collections.abc import Iterator, Mapping, Sequence
from dataclasses import dataclass
from pathlib import Path
from typing import Any

from boreotabula import __version__
from boreotabula.batch.claims import claimed
from boreotabula.batch.layouts.load import Layout
from boreotabula.batch.output_checks import PAGES, check_place
from boreotabula.batch.views import TabView
from boreotabula.findings.finding import Finding, in_order
from boreotabula.layout.addresses import column_letters
from boreotabula.reading.account.roles import Role
from boreotabula.reading.cells import cell_text
from boreotabula.reading.inspect.spots import block_spots
from boreotabula.reading.tab import ReadBlock, TabReading
from boreotabula.review.pages.html import page_template
from boreotabula.sheets.parts.writing import MARK
from boreotabula.sheets.sheet import Flaw, Sheet, Span
from boreotabula.stores.csv import csv_texts
from boreotabula.texts import counted

LETTERS: Mapping[Role, str] = {
    Role.STAMP: "s",
    Role.LABEL: "l",
    Role.HEADING: "h",
    Role.STUB: "n",
    Role.VALUE: "v",
    Role.TOTAL: "t",
    Role.LEFT_OUT: "x",
    Role.UNPLACED: "u",
}
"""The class of cells of each role."""
_MOST_CELLS = 200_000
"""More cells make a page slow to open: the rows after that are named, not drawn."""
_RANKS = ("error", "warning", "note")


@dataclass(frozen=True)
class _Cell:
    """A cell as the page draws it; rows and columns count from 0."""

    address: str
    text: str
    role: str
    number: bool
    rowspan: int
    colspan: int
    rank: str
    """The severity of its most severe finding."""


@dataclass(frozen=True)
class _Line:
    number: int
    hidden: bool
    cells: Sequence[_Cell]


@dataclass(frozen=True)
class _Tab:
    """A tab as the page draws it."""

    title: str
    file: str
    about: str
    columns: Sequence[tuple[str, bool]]
    """The letters of each column, and whether it is hidden."""
    lines: Sequence[_Line]
    legend: Sequence[tuple[str, str, int]]
    """Class, word and number of cells of each role."""
    findings: Sequence[Finding]
    cut: str
    data: str
    """The data of the script, as JSON."""


def check_tab_page(out: Path) -> None:
    """Raises CallError if the page cannot be written to a file."""
    check_place(out, PAGES, "a page is written as")


def write_tab_page(views: Sequence[tuple[str, TabView]], layout: Layout, out: Path) -> None:
    """Write tabs that were read by a layout, each with the name of its file, as a page.

    It is written whole or not at all. Raises CallError if that cannot be done.
    """
    text = page_template("tab_page.html").render(
        title=layout.spec.title or layout.path.stem,
        layout=layout.path.name,
        tabs=[_tab(file, view, layout) for file, view in views],
        version=__version__,
        mark=MARK,
    )
    with claimed(out) as stream:
        stream.write(text.encode())


def _tab(file: str, view: TabView, layout: Layout) -> _Tab:
    sheet, reading = view.sheet, view.reading
    assert reading is not None
    findings = in_order(reading.findings)
    ranks: dict[tuple[int, int], str] = {}
    for finding in reversed(findings):
        if finding.at is not None:
            ranks[finding.at.row, finding.at.column] = str(finding.severity)
    height = min(sheet.height, max(_MOST_CELLS // max(sheet.width, 1), 1))
    counts = reading.account.roles
    records = sum(batch.num_rows for batch in reading.tables.values())
    cut = counted(sheet.height - height, "row") if height < sheet.height else ""
    return _Tab(
        title=sheet.name or file,
        file=file,
        about=f"{counted(sheet.height, 'row')} × {counted(sheet.width, 'column')},"
        f" {counted(records, 'record')}",
        columns=[
            (column_letters(index), index in set(sheet.hidden_columns))
            for index in range(sheet.width)
        ],
        lines=list(_lines(sheet, reading, ranks, height)),
        legend=[(LETTERS[role], role.word, counts[role]) for role in LETTERS if counts[role]],
        findings=findings,
        cut=cut,
        data=_data(sheet, reading, layout, findings),
    )


def _lines(
    sheet: Sheet, reading: TabReading, ranks: Mapping[tuple[int, int], str], height: int
) -> Iterator[_Line]:
    spans = {(merge.top, merge.left): merge for merge in sheet.merges}
    covered = set(_covered(sheet.merges, height))
    hidden = set(sheet.hidden_rows)
    for row in range(height):
        cells = []
        for column in range(sheet.width):
            if (row, column) in covered:
                continue
            span = spans.get((row, column), Span(row, column, row, column))
            cells.append(_cell(sheet, reading, span, ranks, height))
        yield _Line(row + 1, row in hidden, cells)


def _covered(merges: Sequence[Span], height: int) -> Iterator[tuple[int, int]]:
    for span in merges:
        for row in range(span.top, min(span.bottom + 1, height)):
            for column in range(span.left, span.right + 1):
                if (row, column) != (span.top, span.left):
                    yield row, column


def _cell(
    sheet: Sheet,
    reading: TabReading,
    span: Span,
    ranks: Mapping[tuple[int, int], str],
    height: int,
) -> _Cell:
    row, column = span.top, span.left
    cell = sheet.rows[row][column]
    filled = cell != ""
    text = cell_text(cell)
    return _Cell(
        str(sheet.address(row, column)),
        f"!{text}" if isinstance(cell, Flaw) else text,
        LETTERS[reading.roles.role(row, column)] if filled else "",
        filled and not isinstance(cell, str | Flaw),
        min(span.bottom, height - 1) - row + 1,
        span.right - column + 1,
        ranks.get((row, column), ""),
    )


# --- what the script looks up -------------------------------------------------------------------


def _data(sheet: Sheet, reading: TabReading, layout: Layout, findings: Sequence[Finding]) -> str:
    """The records with their cells, the findings of each cell, and the reason for each role."""
    groups: dict[str, list[tuple[str, str, str]]] = defaultdict(list)
    for finding in findings:
        if finding.cell:
            groups[finding.cell].append((str(finding.severity), finding.message, finding.advice))
    why = {}
    for row in range(sheet.height):
        for column in sheet.filled[row].nonzero()[0].tolist():
            reason = reading.roles.why(row, column)
            if reason:
                why[str(sheet.address(row, column))] = reason
    values = {
        "blocks": [_block(sheet, block, layout) for block in reading.blocks],
        "said": groups,
        "why": why,
        "width": sheet.width,
        "roles": {letter: role.word for role, letter in LETTERS.items()},
    }
    # Within a script element no text may look like its end.
    return json.dumps(values, ensure_ascii=False).replace("<", "\\u003c")


def _block(sheet: Sheet, read: ReadBlock, layout: Layout) -> dict[str, Any]:
    """The records of a block: for each field their values, and the number of the cell of each,
    counted line by line from 0; -1 for none."""
    import pyarrow as pa

    spots = block_spots(sheet, read, layout.plan)
    cells = (spots.rows * sheet.width + spots.columns).tolist()
    nowhere = (spots.rows < 0).tolist()
    texts = csv_texts(pa.Table.from_batches([read.batch.select(list(spots.fields))]))
    return {
        "table": spots.table,
        "fields": spots.fields,
        "whats": spots.whats,
        "from": [read.stamped.origins.get(name, "") for name in spots.fields],
        "cells": [
            [-1 if none else value for value, none in zip(line, gaps, strict=True)]
            for line, gaps in zip(cells, nowhere, strict=True)
        ],
        "values": [list(column) for column in zip(*texts[1:], strict=True)],
    }
