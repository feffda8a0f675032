"""Forms edited as senders edit them, read by a layout made for the unedited ones.

No number may be lost, doubled or put under a wrong heading without an error or a warning that
names its row, its column, its tab, or the rows and columns that were edited.
"""

from __future__ import annotations

import re
from collections.abc import Callable, Iterable, Iterator, Mapping, Sequence
from dataclasses import dataclass, field
from functools import cache
from pathlib import Path
from random import Random
from tempfile import TemporaryDirectory
from typing import Any

import pytest
import xlsxwriter
from hypothesis import given, settings
from hypothesis import strategies as st

import boreotabula
from boreotabula.batch.file.open_file import make_job
from boreotabula.batch.file.read import FileReading, read_file
from boreotabula.batch.inputs import look
from boreotabula.batch.run.gather import gather
from boreotabula.findings.finding import Finding
from boreotabula.findings.kind import Severity
from boreotabula.layout.addresses import parse_address

HEAD = 'layout = 1\n[source]\nfolder = "in"\n[tabs]\nevery = true\n'
STAMP = '[stamps]\nsite = { right_of = "Site" }\n'
CROSS = f"""{HEAD}{STAMP}
[block]
stub = ["species", "lot"]
across = ["pot", "grade"]
value = "n"
totals = "Total*"
[fields]
site = "text"
species = "text"
lot = "text"
pot = "text"
grade = "text"
n = "integer"
"""
WEEKS = f"""{HEAD}{STAMP}
[block]
stub = "lot"
across = "week"
value = "n"
totals = "Total*"
[fields]
site = "text"
lot = "text"
week = "text"
n = "integer"
"""
LIST = f"""{HEAD}{STAMP}
[block]
[fields]
site = "text"
lot = "text"
species = "text"
n = "integer"
w = "integer"
"""
FACTS = {
    CROSS: ("species", "lot", "pot", "grade"),
    WEEKS: ("lot", "week"),
    LIST: ("lot", "species"),
}
"""By layout: the fields that tell what a number is about."""
NAMES = {CROSS: "nested cross-tab", WEEKS: "cross-tab", LIST: "list"}

EDITED, SITE = "edited.xlsx", "SiteE"


@dataclass
class Line:
    """A row or a column: what it is in the form, and the edits that touched it."""

    part: str
    of: str = ""
    """Of a column of labels: the field that they fill."""
    edits: set[int] = field(default_factory=set)
    hidden: bool = False


@dataclass
class Form:
    """The cells of a tab, and what each of its rows and columns is."""

    layout: str
    rows: list[Line]
    columns: list[Line]
    cells: list[list[Any]]
    random: Random
    merged: list[tuple[int, int]] = field(default_factory=list)
    """Cells of the table merged with their right neighbour."""
    tab: str = "Bench"
    copies: int = 0
    edit: int = 0
    used: int = 0

    def number(self) -> int:
        """A number that the form does not hold yet."""
        self.used += 1
        return self.used * 397 % 997 + 100

    def word(self) -> str:
        self.used += 1
        return f"w{self.used}"

    def at(self, *parts: str) -> list[int]:
        """The rows that are of a part."""
        return [at for at, line in enumerate(self.rows) if line.part in parts]

    def across(self, *parts: str) -> list[int]:
        """The columns that are of a part."""
        return [at for at, line in enumerate(self.columns) if line.part in parts]

    def pick(self, places: Sequence[int]) -> int:
        return self.random.choice(places)

    def insert_row(self, at: int, part: str, cells: Mapping[int, Any]) -> None:
        self.rows.insert(at, Line(part, edits={self.edit}))
        self.cells.insert(at, [cells.get(column) for column in range(len(self.columns))])
        self.merged = [(row + (row >= at), column) for row, column in self.merged]

    def insert_column(self, at: int, part: str, cells: Mapping[int, Any]) -> None:
        self.columns.insert(at, Line(part, edits={self.edit}))
        for row, line in enumerate(self.cells):
            line.insert(at, cells.get(row))
        self.merged = [(row, column + (column >= at)) for row, column in self.merged]

    def put(self, row: int, column: int, value: Any) -> None:
        self.cells[row][column] = value
        self.rows[row].edits.add(self.edit)
        self.columns[column].edits.add(self.edit)

    def records(self) -> Iterator[tuple[int, int, int, tuple[Any, ...]]]:
        """Row, column and value of each number of the table, and what the form says of it."""
        for row in self.at("body"):
            for column in self.across("value"):
                number = self.cells[row][column]
                if isinstance(number, int):
                    labels = {
                        line.of: self.cells[row][at]
                        for at, line in enumerate(self.columns)
                        if line.part == "label"
                    }
                    named = [labels[name] for name in FACTS[self.layout] if name in labels]
                    yield row, column, number, (*named, *self.headings(column))

    def heading_edits(self) -> set[int]:
        """The edits that touched the rows of headings, which are about all that is below them."""
        headings = self.at("upper", "lower")
        rows = self.rows[headings[0] : headings[-1] + 1]
        return {edit for line in rows for edit in line.edits}

    def places(self, number: int) -> list[tuple[int, int]]:
        """All cells that hold a number."""
        return [
            (row, column)
            for row, line in enumerate(self.cells)
            for column, cell in enumerate(line)
            if cell == number
        ]

    def headings(self, column: int) -> list[Any]:
        """The headings over a column, from the highest to the lowest."""
        if self.layout == LIST:
            return []
        lowest = [self.cells[row][column] for row in self.at("lower")]
        upper = []
        for row in self.at("upper"):
            filled = [self.cells[row][at] for at in self.across("value")[:1]]
            filled += [self.cells[row][at] for at in range(column + 1) if self.cells[row][at]]
            upper.append(filled[-1])
        return upper + lowest

    def write(self, path: Path) -> Path:
        with xlsxwriter.Workbook(path, {"in_memory": True}) as book:
            for copy in range(self.copies + 1):
                tab = book.add_worksheet(self.tab if not copy else f"{self.tab} ({copy + 1})")
                for row, line in enumerate(self.cells):
                    for column, cell in enumerate(line):
                        if cell is not None:
                            tab.write(row, column, cell)
                    if self.rows[row].hidden:
                        tab.set_row(row, None, None, {"hidden": True})
                for column, line in enumerate(self.columns):
                    if line.hidden:
                        tab.set_column(column, column, None, None, {"hidden": True})
                for row, left, right in self.spans():
                    tab.merge_range(row, left, row, right, self.cells[row][left])
        return path

    def spans(self) -> Iterator[tuple[int, int, int]]:
        """Row, first and last column of the merged cells."""
        values = self.across("value")
        for row in self.at("upper"):
            filled = [at for at in range(values[0], values[-1] + 1) if self.cells[row][at]]
            if not filled:
                continue
            for left, after in zip(filled, [*filled[1:], values[-1] + 1], strict=True):
                if after - left > 1:
                    yield row, left, after - 1
        yield from ((row, at, at + 1) for row, at in self.merged if at + 1 < len(self.columns))


def make_form(layout: str, seed: int, site: str) -> Form:
    """An unedited form: its title, the stamp, the table, and what stands below it."""
    labels = {CROSS: ["Species", "Lot"], WEEKS: ["Lot"], LIST: ["Lot", "Species"]}[layout]
    values = {
        CROSS: ["A", "B", "A", "B", "C"],
        WEEKS: ["Mon", "Tue", "Wed", "Thu"],
        LIST: ["N", "W"],
    }[layout]
    upper = {CROSS: ["Pot 95", None, "Pot 60", None, None]}.get(layout)
    columns = [Line("label", one.lower()) for one in labels] + [Line("value") for _ in values]
    form = Form(layout, [], columns, [], Random(seed), used=seed % 500)
    start = len(labels)
    form.insert_row(0, "stamp", {0: "Site", 1: site})
    form.insert_row(1, "blank", {})
    if upper:
        form.insert_row(2, "upper", {start + at: one for at, one in enumerate(upper)})
    form.insert_row(len(form.rows), "lower", dict(enumerate([*labels, *values])))
    for number in range(form.random.randint(4, 8)):
        texts = {at: f"{one[0]}{number}-{form.word()}" for at, one in enumerate(labels)}
        counts = {start + at: form.number() for at in range(len(values))}
        form.insert_row(len(form.rows), "body", texts | counts)
    if layout != LIST:
        form.insert_row(len(form.rows), "total", {0: "Total"} | sums(form))
    for line in (*form.rows, *form.columns):
        line.edits.clear()
    return form


def sums(form: Form) -> dict[int, int]:
    """The sum of each column of values."""
    body = form.at("body")
    return {
        at: sum(form.cells[row][at] for row in body if isinstance(form.cells[row][at], int))
        for at in form.across("value")
    }


def numbers(form: Form, places: Iterable[int]) -> dict[int, int]:
    return {at: form.number() for at in places}


def inside(form: Form) -> int:
    """A row of the body that is not the first."""
    return form.pick(form.at("body")[1:])


def head(form: Form) -> int:
    return form.at("lower")[0]


def blank_row(form: Form) -> None:
    form.insert_row(inside(form), "blank", {})


def record_inserted(form: Form) -> None:
    texts = {at: form.word() for at in form.across("label")}
    form.insert_row(inside(form), "body", texts | numbers(form, form.across("value")))


def record_below_total(form: Form) -> None:
    texts = {at: form.word() for at in form.across("label")}
    form.insert_row(
        max(form.at("body", "total")) + 1, "body", texts | numbers(form, form.across("value"))
    )


def row_deleted(form: Form) -> None:
    at = inside(form)
    if len(form.at("body")) > 3 and not form.merged:
        del form.rows[at], form.cells[at]


def rows_moved(form: Form) -> None:
    one, other = inside(form), inside(form)
    if not form.merged:
        form.cells[one], form.cells[other] = form.cells[other], form.cells[one]


def row_again(form: Form) -> None:
    """The same lot once more, with other numbers."""
    at = inside(form)
    texts = {column: form.cells[at][column] for column in form.across("label")}
    form.insert_row(at + 1, "body", texts | numbers(form, form.across("value")))


def units_row(form: Form) -> None:
    form.insert_row(head(form) + 1, "foreign", dict.fromkeys(form.across("value"), "pcs"))


def numbered_columns(form: Form) -> None:
    marks = {at: at + 1 for at in range(len(form.columns))}
    form.insert_row(head(form) + 1, "foreign", marks)


def text_among_headings(form: Form) -> None:
    place = form.pick([0, *form.across("value")])
    form.insert_row(head(form), "foreign", {place: f"checked {form.word()}"})


def numbers_among_headings(form: Form) -> None:
    form.insert_row(head(form), "foreign", numbers(form, form.across("value")))


def record_among_headings(form: Form) -> None:
    texts = {at: form.word() for at in form.across("label")}
    form.insert_row(head(form), "foreign", texts | numbers(form, form.across("value")))


def blank_among_headings(form: Form) -> None:
    form.insert_row(head(form), "blank", {})


def blank_below_headings(form: Form) -> None:
    form.insert_row(head(form) + 1, "blank", {})


def title_above(form: Form) -> None:
    for _ in range(2):
        form.insert_row(0, "foreign", {0: f"Report {form.word()}"})


def sub_heading(form: Form) -> None:
    form.insert_row(inside(form), "foreign", {0: f"Hall {form.word()}"})


def sub_heading_with_number(form: Form) -> None:
    place = form.pick(form.across("value"))
    # A row with a label and a number is a record on the form itself.
    form.insert_row(inside(form), "body", {0: f"Hall {form.word()}", place: form.number()})


def total_inside(form: Form) -> None:
    at = form.pick(form.at("body")[2:])
    total = {
        column: sum(
            form.cells[row][column]
            for row in form.at("body")
            if row < at and isinstance(form.cells[row][column], int)
        )
        for column in form.across("value")
    }
    form.insert_row(at, "foreign", {0: form.random.choice(["Total", "Subtotal", "I alt"])} | total)


def headings_again(form: Form) -> None:
    """The table once more below, under the same headings, with other lots."""
    end = len(form.rows)
    form.insert_row(end, "blank", {})
    copied = dict(enumerate(form.cells[head(form)]))
    form.insert_row(end + 1, "foreign", copied)
    for at in range(2):
        texts = {column: form.word() for column in form.across("label")}
        counts = numbers(form, form.across("value"))
        form.insert_row(end + 2 + at, "body", texts | counts)


def other_table_below(form: Form) -> None:
    end = len(form.rows) + form.random.randint(0, 1)
    while len(form.rows) < end:
        form.insert_row(len(form.rows), "blank", {})
    form.insert_row(len(form.rows), "foreign", {0: "Hall", 1: "Staff", 2: "Hours"})
    for _ in range(3):
        form.insert_row(
            len(form.rows), "foreign", {0: form.word(), 1: form.number(), 2: form.number()}
        )


def other_table_beside(form: Form) -> None:
    for _ in range(form.random.randint(0, 1)):
        form.insert_column(len(form.columns), "blank", {})
    places = [head(form), *form.at("body")[:3]]
    form.insert_column(len(form.columns), "foreign", {row: form.word() for row in places})
    counts = {row: form.number() for row in places[1:]} | {places[0]: "Hours"}
    form.insert_column(len(form.columns), "foreign", counts)


def note_below(form: Form) -> None:
    for text in (None, f"Counted by {form.word()}"):
        form.insert_row(len(form.rows), "foreign", {0: text})


def note_beside(form: Form) -> None:
    form.insert_column(len(form.columns), "foreign", {inside(form): f"see {form.word()}"})


def number_beside(form: Form) -> None:
    form.insert_column(len(form.columns), "foreign", {inside(form): form.number()})


def text_for_a_number(form: Form) -> None:
    text = form.random.choice(["none left", "ca. 40", "12O", "#REF!", "see note"])
    form.put(inside(form), form.pick(form.across("value")), text)


def blank_for_a_number(form: Form) -> None:
    form.put(inside(form), form.pick(form.across("value")), None)


def label_blanked(form: Form) -> None:
    form.put(inside(form), form.pick(form.across("label")), None)


def cells_merged(form: Form) -> None:
    """Two neighbouring cells of the body become one: the right one is lost on the form itself."""
    row, places = inside(form), form.across("value")
    at = form.pick(places[:-1])
    if at + 1 in places and (row, at) not in [
        (r, c + d) for r, c in form.merged for d in (-1, 0, 1)
    ]:
        form.put(row, at + 1, None)
        form.merged.append((row, at))


def blank_column(form: Form) -> None:
    form.insert_column(form.pick(form.across("value")), "blank", {})


def column_inserted(form: Form) -> None:
    at = form.pick(form.across("value"))
    cells = {row: form.number() for row in form.at("body")} | {head(form): form.word()}
    form.insert_column(at, "value" if form.layout != LIST else "foreign", cells)


def column_without_heading(form: Form) -> None:
    at = form.pick([*form.across("value"), len(form.columns)])
    form.insert_column(at, "foreign", {row: form.number() for row in form.at("body")})


def column_deleted(form: Form) -> None:
    places = form.across("value")
    at = form.pick(places)
    if len(places) > 2 and not form.merged:
        upper = form.at("upper")
        for row in upper:  # the heading over it moves on
            if form.cells[row][at] and at + 1 < len(form.columns) and not form.cells[row][at + 1]:
                form.cells[row][at + 1] = form.cells[row][at]
        del form.columns[at]
        for line in form.cells:
            del line[at]


def columns_moved(form: Form) -> None:
    """Two columns of values change places below their upper headings."""
    one, other = form.pick(form.across("value")), form.pick(form.across("value"))
    if not form.merged:
        for row in form.at("lower", "body", "total"):
            line = form.cells[row]
            line[one], line[other] = line[other], line[one]
        for at in (one, other):
            form.columns[at].edits.add(form.edit)


def labels_moved(form: Form) -> None:
    """The leading columns change places, with their headings."""
    places = form.across("label")
    for row in form.at("lower", "body"):
        line = form.cells[row]
        line[places[0]], line[places[-1]] = line[places[-1]], line[places[0]]
    first, last = form.columns[places[0]], form.columns[places[-1]]
    form.columns[places[0]], form.columns[places[-1]] = last, first


def column_again(form: Form) -> None:
    """A column is copied beside itself, heading and all, and gets other numbers."""
    at = form.pick(form.across("value"))
    cells = {row: form.number() for row in form.at("body")} | {
        head(form): form.cells[head(form)][at]
    }
    form.insert_column(at + 1, "foreign" if form.layout == LIST else "value", cells)
    form.columns[at].edits.add(form.edit)


def heading_renamed(form: Form) -> None:
    at = form.pick(form.across("value", "label"))
    form.put(head(form), at, f"New {form.word()}")


def heading_misspelled(form: Form) -> None:
    at = form.pick(form.across("value", "label"))
    form.put(head(form), at, f"{form.cells[head(form)][at]}x")


def heading_blanked(form: Form) -> None:
    form.put(head(form), form.pick(form.across("value", "label")), None)


def heading_of_another(form: Form) -> None:
    """A column of values gets the heading of its neighbour."""
    places = form.across("value")
    at = form.pick(places[1:])
    form.put(head(form), at, form.cells[head(form)][at - 1])


def upper_renamed(form: Form) -> None:
    for row in form.at("upper"):
        filled = [at for at in form.across("value") if form.cells[row][at]]
        if filled:
            form.put(row, form.pick(filled), f"Pot {form.word()}")


def upper_moved(form: Form) -> None:
    """An upper heading begins one column later."""
    for row in form.at("upper"):
        filled = [at for at in form.across("value") if form.cells[row][at]][1:]
        if filled and filled[0] + 1 in form.across("value") and not form.cells[row][filled[0] + 1]:
            form.put(row, filled[0] + 1, form.cells[row][filled[0]])
            form.put(row, filled[0], None)


def upper_blanked(form: Form) -> None:
    for row in form.at("upper"):
        filled = [at for at in form.across("value") if form.cells[row][at]]
        for at in filled[:1]:
            form.put(row, at, None)


def rows_hidden(form: Form) -> None:
    form.rows[inside(form)].hidden = True


def columns_hidden(form: Form) -> None:
    form.columns[form.pick(form.across("value"))].hidden = True


def tab_copied(form: Form) -> None:
    form.copies = 1


def tab_renamed(form: Form) -> None:
    form.tab = f"Sheet {form.word()}"


def stamp_blanked(form: Form) -> None:
    form.put(form.at("stamp")[0], 1, None)


def stamp_moved(form: Form) -> None:
    row = form.at("stamp")[0]
    form.put(row, 2, form.cells[row][1])
    form.put(row, 1, None)


EDITS: Sequence[Callable[[Form], None]] = (
    blank_row, record_inserted, record_below_total, row_deleted, rows_moved, row_again, units_row,
    numbered_columns, text_among_headings, numbers_among_headings, record_among_headings,
    blank_among_headings, blank_below_headings, title_above, sub_heading, sub_heading_with_number,
    total_inside, headings_again, other_table_below, other_table_beside, note_below, note_beside,
    number_beside, text_for_a_number, blank_for_a_number, label_blanked, cells_merged,
    blank_column, column_inserted, column_without_heading, column_deleted, columns_moved,
    labels_moved, column_again, heading_renamed, heading_misspelled, heading_blanked,
    heading_of_another, upper_renamed, upper_moved, upper_blanked, rows_hidden, columns_hidden,
    tab_copied, tab_renamed, stamp_blanked, stamp_moved,
)  # fmt: skip


@dataclass(frozen=True)
class Reading:
    """What a run made of the edited form."""

    records: Mapping[int, Sequence[tuple[str, Mapping[str, Any]]]]
    """By number: the tab and the record of each time that it was read."""
    findings: Sequence[Finding]
    unplaced: frozenset[str]
    """The cells that a finding speaks for which is an error or a warning."""
    empty: bool

    def tells(self, form: Form, row: int, column: int) -> bool:
        """Whether a finding names the row, the column, or what an edit of them touched."""
        edits = form.rows[row].edits | form.columns[column].edits | form.heading_edits()
        for one in self.findings:
            if one.at is None or self.empty:
                return True
            # These speak of all columns of a row.
            if one.code == "level-row-unusual" or "no total agrees" in one.message:
                return True
            if one.at.row == row or one.at.column == column:
                return True
            listed = re.match(r"rows ([\d, ]+)(?: and (\d+)(?! more))?", one.message)
            if listed and str(row + 1) in re.findall(r"\d+", listed[0]):
                return True
            rows, columns = form.rows, form.columns
            if one.at.row < len(rows) and rows[one.at.row].edits & edits:
                return True
            if one.at.column < len(columns) and columns[one.at.column].edits & edits:
                return True
        return any(parse_address(cell) == (row, column) for cell in self.unplaced)


@dataclass(frozen=True)
class Senders:
    """A folder with three forms that nobody edited, read by the layout."""

    home: TemporaryDirectory[str]
    layout: boreotabula.Layout
    readings: Sequence[FileReading]


@cache
def senders(text: str) -> Senders:
    """The forms of the other senders, which are the same in each example."""
    home = TemporaryDirectory()
    folder = Path(home.name) / "in"
    folder.mkdir()
    (folder.parent / "a.toml").write_text(text, "utf-8")
    for number in range(3):
        make_form(text, 700 + 60 * number, f"Site{number}").write(folder / f"{number}.xlsx")
    layout = boreotabula.Layout.load(folder.parent / "a.toml")
    job = make_job(layout.spec, layout.plan)
    return Senders(home, layout, [read_file(source, job) for source in look(layout).taken])


def read_edited(form: Form) -> Reading:
    """Read the edited form among three that are not."""
    others = senders(form.layout)
    layout = others.layout
    form.write(Path(others.home.name) / "in" / EDITED)
    inbox = look(layout)
    job = make_job(layout.spec, layout.plan)
    edited = [read_file(one, job) for one in inbox.taken if one.name == EDITED]
    run = gather(layout, inbox, [*others.readings, *edited], keep_records=True)
    told = [one for one in run.findings if one.file == EDITED and one.severity is not Severity.NOTE]
    codes = {one.code for one in told}
    records: dict[int, list[tuple[str, Mapping[str, Any]]]] = {}
    for record in run.records.to_pylist():
        if record["source_file"] == EDITED:
            for name in {"n", "w"} & record.keys():
                if record[name] is not None:
                    records.setdefault(record[name], []).append((name, record))
    unplaced = frozenset(one.cell for one in run.unplaced if one.finding in codes)
    return Reading(records, told, unplaced, not records)


def silent(form: Form) -> tuple[list[str], bool]:
    """The numbers that went wrong without a word, and whether anything was told."""
    reading = read_edited(form)
    wrong = []
    named = FACTS[form.layout]
    told = {one.field for one in reading.findings}
    known = {}
    for row, column, number, facts in form.records():
        known[number] = True
        taken = reading.records.get(number, [])
        right = [
            record
            for _, record in taken
            if tuple(record[name] for name in named) == facts
            and (record["site"] == SITE or "site" in told)
        ]
        places = [(row, column)] if len(taken) < 2 else form.places(number)
        if len(taken) == len(right) == 1 or any(reading.tells(form, *one) for one in places):
            continue
        wrong.append(f"{number} at {row},{column}: {facts} as {taken}")
    for row, line in enumerate(form.cells):
        for column, cell in enumerate(line):
            stray = isinstance(cell, int) and cell not in known
            for _, record in reading.records.get(cell, ()) if stray else ():
                # The same number may stand in a total, too.
                there = parse_address(record["source_cell"])[0] == row
                if there and not reading.tells(form, row, column):
                    wrong.append(f"{cell} at {row},{column} taken for {record}")
    return wrong, bool(reading.findings)


def edited(layout: str, edits: Sequence[Callable[[Form], None]], seed: int) -> Form:
    """A form with edits, one after the other."""
    form = make_form(layout, seed, SITE)
    for number, edit in enumerate(edits, 1):
        form.edit = number
        edit(form)
    return form


# The same ones each time: others are drawn by hand, by the ten thousand.
@settings(max_examples=300, derandomize=True)
@given(
    st.sampled_from([CROSS, WEEKS, LIST]),
    st.lists(st.sampled_from(EDITS), min_size=1, max_size=3),
    st.integers(1, 400),
)
def test_no_number_goes_wrong_without_a_word(
    layout: str, edits: list[Callable[[Form], None]], seed: int
) -> None:
    wrong, _ = silent(edited(layout, edits, seed))
    assert not wrong, [edit.__name__ for edit in edits]


ALWAYS_TOLD = [
    (units_row, [CROSS, WEEKS, LIST]),
    (numbered_columns, [CROSS, WEEKS, LIST]),
    (record_among_headings, [CROSS, WEEKS, LIST]),
    (numbers_among_headings, [CROSS, WEEKS, LIST]),
    (text_for_a_number, [CROSS, WEEKS, LIST]),
    (total_inside, [LIST]),
    (other_table_beside, [CROSS, WEEKS, LIST]),
    (number_beside, [CROSS, WEEKS, LIST]),
    (column_again, [CROSS, WEEKS, LIST]),
    (tab_copied, [CROSS, WEEKS, LIST]),
    (stamp_blanked, [CROSS, WEEKS, LIST]),
    (heading_of_another, [CROSS, WEEKS, LIST]),
    (row_again, [CROSS, WEEKS]),
    (record_inserted, [CROSS, WEEKS]),
    (column_without_heading, [CROSS, WEEKS]),
    (text_among_headings, [CROSS]),
]
"""Edits after which something is amiss whatever else holds, and the layouts that show it."""


@pytest.mark.parametrize(
    ("edit", "layout"),
    [
        pytest.param(edit, one, id=f"{edit.__name__}-{NAMES[one]}")
        for edit, layouts in ALWAYS_TOLD
        for one in layouts
    ],
)
def test_such_an_edit_is_always_told(edit: Callable[[Form], None], layout: str) -> None:
    for seed in (3, 58, 211):
        assert silent(edited(layout, [edit], seed)) == ([], True)


@pytest.mark.parametrize("layout", [CROSS, WEEKS, LIST], ids=NAMES.get)
def test_an_unedited_form_is_read_without_a_word(layout: str) -> None:
    assert silent(edited(layout, [], 17)) == ([], False)
