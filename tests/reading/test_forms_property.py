"""Records laid out as any form of several levels, values, groups and repeats read back the same."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any

from hypothesis import given
from hypothesis import strategies as st
from test_crosstab_property import Canvas

from boreotabula.layout.addresses import Address
from boreotabula.sheets.sheet import make_sheet
from helpers import codes, read, values

LEVELS = ("year", "quarter", "container", "grade")
LABELS = (("2025", "2026"), ("Q1", "Q2"), ("Pot 95", "Pot 60"), ("A", "B"))


@dataclass(frozen=True)
class Form:
    """How a form is laid out."""

    columns: list[tuple[str, ...]]
    measures: tuple[str, ...]
    missing: set[int]
    benches: list[list[tuple[str, str]]]
    style: str
    grouped: bool
    totals: bool
    units: bool
    turned: bool
    side_by_side: bool
    junk: bool

    @property
    def levels(self) -> int:
        return len(self.columns[0])

    @property
    def measured(self) -> list[tuple[int, str]]:
        """The value columns: which labels, which measure; one may be missing."""
        every = [(at, one) for at in range(len(self.columns)) for one in self.measures]
        kept = [pair for number, pair in enumerate(every) if number not in self.missing]
        return kept or every


@st.composite
def forms(draw: st.DrawFn) -> Form:
    levels = draw(st.integers(1, 4))
    columns = draw(
        st.lists(
            st.tuples(*(st.sampled_from(some) for some in LABELS[-levels:])),
            min_size=1,
            max_size=5,
            unique=True,
        )
    )
    columns.sort(key=lambda labels: [LABELS[-levels:][at].index(x) for at, x in enumerate(labels)])
    measures = draw(st.sampled_from([("planned",), ("planned", "actual")]))
    missing = draw(st.sets(st.integers(0, 9), max_size=2)) if len(measures) > 1 else set()
    benches = [
        [(species, f"L{number}") for species in ("Spruce", "Pine")[: draw(st.integers(1, 2))]
         for number in range(draw(st.integers(1, 2)))]
        for _ in range(draw(st.integers(1, 3)))
    ]  # fmt: skip
    style = draw(st.sampled_from(["merged", "once", "repeated"]))
    flags = draw(st.tuples(*[st.booleans()] * 6))
    return Form(columns, measures, missing, benches, style, *flags)


def layout(form: Form) -> str:
    value = list(form.measures) if len(form.measures) > 1 else form.measures[0]
    fields = "".join(f'{name} = "text"\n' for name in ("bench", "species", "lot", *LEVELS))
    rows = 'stub = "lot"\ngroup_row = "species"' if form.grouped else (
        'stub = ["species", "lot"]\ncarry_down = "species"'
    )  # fmt: skip
    return f"""
layout = 1
[stamps]
bench = {{ right_of = "Bench" }}
[block]
{rows}
across = {list(LEVELS[-form.levels :])}
value = {value!r}
repeat = true
turned = {str(form.turned).lower()}
totals = "Total*"
under_headings = {int(form.units)}
[fields]
{fields}planned = "integer"
actual = "integer"
""".replace("'", '"')


def lay_out(form: Form) -> tuple[Canvas, list[tuple[Any, ...]]]:
    """The sheet as it lies, and its records."""
    canvas = Canvas()
    records: list[tuple[Any, ...]] = []
    if form.junk:
        canvas.put(0, 0, "Stock-take of spring")
    top, left, lowest = 2, 1, 2
    for number, lots in enumerate(form.benches):
        bottom, right = bench(canvas, form, number, lots, top, left, records)
        lowest = max(lowest, bottom)
        if form.side_by_side and number == 0:
            left = right + 2
        else:
            top, left = lowest + 2, 1
    if form.junk:
        canvas.put(max(row for row, _ in canvas.cells) + 2, 1, "Counted before watering")
    return canvas, records


def bench(
    canvas: Canvas,
    form: Form,
    number: int,
    lots: list[tuple[str, str]],
    top: int,
    left: int,
    records: list[tuple[Any, ...]],
) -> tuple[int, int]:
    """One block under its label; returns the row below it and the column beside it."""
    canvas.put(top, left, "Bench:")
    canvas.put(top, left + 1, f"B{number}")
    first = left + (1 if form.grouped else 2)
    depth = form.levels + (len(form.measures) > 1)
    heads(canvas, form, top + 1, left, first, depth)
    row = top + 1 + depth
    if form.units:
        for at in range(len(form.measured)):
            canvas.put(row, first + at, "pcs")
        row += 1
    before, data = "", row
    for species, lot in lots:
        if species != before:
            if form.grouped:
                canvas.put(row, left, species)
                row += 1
            else:
                canvas.put(row, left, species)
        before = species
        canvas.put(row, first - 1, lot)
        line(canvas, form, row, first, (f"B{number}", species, lot), records)
        row += 1
    if form.totals:
        canvas.put(row, left, "Total")
        for at in range(len(form.measured)):
            above = [canvas.cells.get((one, first + at)) for one in range(data, row)]
            canvas.put(row, first + at, int(sum(one for one in above if isinstance(one, float))))
        row += 1
    return row, first + len(form.measured)


def heads(canvas: Canvas, form: Form, top: int, left: int, first: int, depth: int) -> None:
    names = ("Lot",) if form.grouped else ("Species", "Lot")
    for at, name in enumerate(names):
        canvas.put(top + depth - 1, left + at, name)
    labels = [form.columns[at] for at, _ in form.measured]
    for level in range(form.levels):
        lowest = level == depth - 1
        start = 0
        for at in range(1, len(labels) + 1):
            same = at < len(labels) and labels[at][: level + 1] == labels[start][: level + 1]
            if same and not lowest:
                continue
            put_head(canvas, form, top + level, first + start, first + at - 1, labels[start][level])
            start = at
    if depth > form.levels:
        for at, (_, measure) in enumerate(form.measured):
            canvas.put(top + depth - 1, first + at, measure.title())


def put_head(canvas: Canvas, form: Form, row: int, left: int, right: int, label: str) -> None:
    canvas.put(row, left, label)
    if form.style == "repeated":
        for column in range(left, right + 1):
            canvas.put(row, column, label)
    elif form.style == "merged":
        canvas.merge(row, left, row, right)


def line(
    canvas: Canvas,
    form: Form,
    row: int,
    first: int,
    names: tuple[str, ...],
    records: list[tuple[Any, ...]],
) -> None:
    """The values of one row: every third is blank, the others tell their place."""
    slots: dict[int, dict[str, tuple[int, int]]] = {}
    for at, (column, measure) in enumerate(form.measured):
        if (row + at) % 3 or (form.grouped and at == 0):  # a name alone would be a group
            canvas.put(row, first + at, row * 100 + at)
            slots.setdefault(column, {})[measure] = (first + at, row * 100 + at)
    for column, found in sorted(slots.items()):
        cell = min(place for place, _ in found.values())
        where = str(Address(cell, row) if form.turned else Address(row, cell))
        counts = tuple(found[m][1] if m in found else None for m in form.measures)
        records.append((*names, *form.columns[column], *counts, where))


@given(forms())
def test_a_laid_out_form_reads_back(form: Form) -> None:
    canvas, expected = lay_out(form)
    sheet = make_sheet("Benches", canvas.rows(), canvas.merges)
    if form.turned:
        # The labels lie as the form does: a turned form has them above its first column.
        turned = sheet.turn()
        sheet = make_sheet("Benches", [list(row) for row in turned.rows], turned.merges)
    text = layout(form)
    if form.turned:
        text = text.replace("right_of", "below")
    reading = read(sheet, text)
    names = ["bench", "species", "lot", *LEVELS[-form.levels :], *form.measures, "source_cell"]
    assert sorted(map(repr, values(reading, *names))) == sorted(map(repr, expected))
    assert set(codes(reading)) <= {
        "row-without-value",
        "table-without-records",
    }  # some values are blank
    assert sum(reading.account.roles.values()) == reading.account.filled
