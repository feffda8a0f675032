"""Records laid out as any cross-tab and read again are the same records."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any

from hypothesis import given
from hypothesis import strategies as st

from boreotabula.layout.addresses import Address
from boreotabula.reading.account.roles import Role
from boreotabula.sheets.sheet import Span, make_sheet
from helpers import codes, layout_text, read, values

TEXT = layout_text('totals = ["Total*"]\ncarry_down = ["species"]\nignore = ["Remarks"]')
CONTAINERS = ("Pot 95", "Pot 60", "Bare root", "2017")
GRADES = ("A", "B", "C")


@dataclass(frozen=True)
class Form:
    """How the records are laid out."""

    columns: list[tuple[str, str]]
    rows: list[tuple[str, str]]
    counts: dict[tuple[int, int], int]
    top: int
    left: int
    merged: bool
    stub_on_top: bool
    row_totals: bool
    column_totals: bool
    group_totals: bool
    remarks: bool
    swapped: bool
    blank_rows: set[int]


@st.composite
def forms(draw: st.DrawFn) -> Form:
    groups = draw(st.lists(st.sampled_from(CONTAINERS), min_size=1, max_size=3, unique=True))
    columns = [
        (container, grade)
        for container in groups
        for grade in draw(st.lists(st.sampled_from(GRADES), min_size=1, max_size=3, unique=True))
    ]
    species = draw(st.lists(st.sampled_from(["Spruce", "Pine", "Birch"]), min_size=1, unique=True))
    rows = [(kind, f"L{n}") for kind in species for n in range(draw(st.integers(1, 3)))]
    places = [(row, column) for row in range(len(rows)) for column in range(len(columns))]
    counts = draw(st.dictionaries(st.sampled_from(places), st.integers(0, 9999)))
    flags = draw(st.tuples(*[st.booleans()] * 7))
    blanks = draw(st.sets(st.integers(0, len(rows))))
    top, left = draw(st.integers(0, 9)), draw(st.integers(0, 5))
    return Form(columns, rows, counts, top, left, *flags, blank_rows=blanks)


class Canvas:
    """A grid of cells that grows as it is written to."""

    def __init__(self) -> None:
        self.cells: dict[tuple[int, int], Any] = {}
        self.merges: list[Span] = []

    def put(self, row: int, column: int, cell: Any) -> None:
        self.cells[row, column] = float(cell) if isinstance(cell, int) else cell

    def merge(self, top: int, left: int, bottom: int, right: int) -> None:
        if (top, left) != (bottom, right):
            self.merges.append(Span(top, left, bottom, right))

    def rows(self) -> list[list[Any]]:
        height = max(row for row, _ in self.cells) + 1
        width = max(column for _, column in self.cells) + 1
        return [[self.cells.get((r, c), "") for c in range(width)] for r in range(height)]


def lay_out(form: Form) -> tuple[Canvas, dict[tuple[int, int], str]]:
    """The sheet, and the address of each count."""
    canvas = Canvas()
    if form.top > 1:
        canvas.put(0, 0, "Stock-take of spring")
    stubs = (form.left + 1, form.left) if form.swapped else (form.left, form.left + 1)
    first = form.left + 2
    heads(canvas, form, stubs, first)
    at = form.top + 2
    addresses: dict[tuple[int, int], str] = {}
    before = ""
    group: list[int] = []
    for number, (species, lot) in enumerate(form.rows):
        if form.group_totals and before not in ("", species):
            sums(canvas, form, at, stubs, first, group, f"Total {before}")
            at, group = at + 1, []
        if number in form.blank_rows:
            at += 1
        if species != before or form.swapped:
            canvas.put(at, stubs[0], species)
        canvas.put(at, stubs[1], lot)
        for column in range(len(form.columns)):
            if (number, column) in form.counts:
                canvas.put(at, first + column, form.counts[number, column])
                addresses[number, column] = str(Address(at, first + column))
        if form.column_totals:
            canvas.put(at, first + len(form.columns), sum_of(form, [number]))
        if form.remarks:
            canvas.put(at, first + len(form.columns) + form.column_totals, "wet")
        group.append(number)
        before, at = species, at + 1
    if form.row_totals:
        sums(canvas, form, at, stubs, first, list(range(len(form.rows))), "TOTAL")
    return canvas, addresses


def heads(canvas: Canvas, form: Form, stubs: tuple[int, int], first: int) -> None:
    stub_row = form.top if form.stub_on_top else form.top + 1
    for column, name in zip(stubs, ("Species:", "LOT"), strict=True):
        canvas.put(stub_row, column, name)
        if form.stub_on_top:
            canvas.merge(form.top, column, form.top + 1, column)
    containers = [container for container, _ in form.columns]
    for place, (container, grade) in enumerate(form.columns):
        start = containers.index(container)
        if place == start:
            canvas.put(form.top, first + place, container)
            if form.merged:
                end = start + containers.count(container) - 1
                canvas.merge(form.top, first + start, form.top, first + end)
        canvas.put(form.top + 1, first + place, grade)
    after = first + len(form.columns)
    if form.column_totals:
        canvas.put(form.top, after, "Total")
        canvas.merge(form.top, after, form.top + 1, after)
        after += 1
    if form.remarks:
        canvas.put(form.top + 1, after, "Remarks")


def sum_of(form: Form, rows: list[int]) -> int:
    return sum(count for (row, _), count in form.counts.items() if row in rows)


def sums(
    canvas: Canvas, form: Form, at: int, stubs: tuple[int, int], first: int, rows: list[int],
    label: str,
) -> None:  # fmt: skip
    canvas.put(at, stubs[0], label)
    for column in range(len(form.columns)):
        found = [count for (r, c), count in form.counts.items() if r in rows and c == column]
        canvas.put(at, first + column, sum(found))


@given(forms())
def test_a_laid_out_cross_tab_reads_back(form: Form) -> None:
    canvas, addresses = lay_out(form)
    reading = read(make_sheet("Bench 1", canvas.rows(), canvas.merges), TEXT)
    expected = [
        (*form.rows[row], *form.columns[column], form.counts[row, column], addresses[row, column])
        for row, column in sorted(form.counts)
    ]
    names = ("species", "lot", "container", "grade", "seedlings", "source_cell")
    assert values(reading, *names) == expected
    blank = set(range(len(form.rows))) - {row for row, _ in form.counts}
    assert set(codes(reading)) <= ({"row-without-value"} if blank else set())
    assert reading.account.roles[Role.VALUE] == len(form.counts)
    assert sum(reading.account.roles.values()) == reading.account.filled
