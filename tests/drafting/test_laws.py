"""What holds of every draft, whatever the form: laws over made-up forms of several files."""

from __future__ import annotations

import random
from collections import Counter
from collections.abc import Sequence
from dataclasses import dataclass, replace
from datetime import date, timedelta
from typing import Any

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from boreotabula.drafting.asking.questions import questions
from boreotabula.drafting.draft import Draft, draft
from boreotabula.drafting.search.judging import judge
from boreotabula.drafting.tabs.specimens import Specimen
from boreotabula.layout.patterns import PatternKind, first_match, pattern
from boreotabula.sheets.sheet import Cell, make_sheet

SITES = ("Frostmo", "Lomlia", "Granvik", "Kaldvatn", "Suvanto")
SPECIES = ("Pine", "Spruce", "Birch", "Alder", "Larch", "Rowan")
MEASURES = ("Pieces", "Weight kg", "Sown", "Remarks", "Checked by")
MONTHS = ("March", "April")
Rows = list[list[Cell]]


@dataclass(frozen=True)
class Form:
    """A made-up form: its table, and where it says site and month."""

    kind: str
    stub: int
    measures: tuple[str, ...]
    site: str
    month: str
    total: bool
    seed: int

    @property
    def heads(self) -> tuple[Cell, ...]:
        """The headings right of the stub."""
        levels = {"years": (2024.0, 2025.0, 2026.0), "months": ("Jan", "Feb", "Mar")}
        return levels.get(self.kind, self.measures)

    @property
    def stubs(self) -> tuple[str, ...]:
        """The headings over the stub."""
        return ("Species", "Lot")[: self.stub]

    def rows(self, site: str, month: int) -> Rows:
        """The cells of one tab."""
        chance = random.Random(f"{self.seed} {site} {month}")
        said = f"{MONTHS[month]} 2026"
        rows: Rows = [[f"Stock count {said}" if self.month == "title" else "Stock count"]]
        rows += [["Nursery:", site]] if self.site == "cell" else []
        rows += [["Month", said]] if self.month == "cell" else []
        rows += [[], [*self.stubs, *self.heads]]
        body: Rows = []
        for number, species in enumerate(chance.sample(SPECIES, chance.randint(3, 6))):
            names: list[Cell] = [species, f"L{chance.randint(100, 999)}{number}"]
            values = [self._value(head, chance) for head in self.heads]
            body.append([*names[: self.stub], *values])
        if self.total:
            sums = [_sum(row[at] for row in body) for at in range(self.stub, len(body[0]))]
            body.append(["Total", *[""] * (self.stub - 1), *sums])
        return rows + body

    def _value(self, head: Cell, chance: random.Random) -> Cell:
        made: dict[Cell, Cell] = {
            "Weight kg": chance.randint(10, 990) / 10,
            "Sown": date(2026, 1, 2) + timedelta(days=chance.randint(0, 300)),
            "Remarks": chance.choice(["", "wet", "dry frost", "eaten by hares", "replanted"]),
            "Checked by": chance.choice(["A. Holm", "B. Dahl", "C. Niemi"]),
        }
        return made.get(head, float(chance.randint(1, 900)))

    def specimen(self, site: str, month: int = 0, rows: Rows | None = None) -> Specimen:
        """One file of the form."""
        stem = f"stock_{site}" if self.site == "file" else f"stock_{10 + SITES.index(site)}"
        stem += f"_2026-{month + 3:02}" if self.month == "file" else ""
        return specimen(f"{stem}.xlsx", rows or self.rows(site, month))


def _sum(cells: Any) -> Cell:
    numbers = [cell for cell in cells if isinstance(cell, float)]
    return round(sum(numbers), 1) if numbers else ""


def specimen(file: str, rows: Sequence[Sequence[Cell]]) -> Specimen:
    width = max(len(row) for row in rows)
    return Specimen(
        file, make_sheet("Sheet1", [[*row, *[""] * (width - len(row))] for row in rows])
    )


FORMS = st.builds(
    Form,
    kind=st.sampled_from(["list", "list", "years", "months"]),
    stub=st.integers(1, 2),
    measures=st.permutations(MEASURES[1:]).map(lambda some: ("Pieces", *some[:2])),
    site=st.sampled_from(["cell", "file"]),
    month=st.sampled_from(["cell", "title", "file"]),
    total=st.booleans(),
    seed=st.integers(0, 10_000),
)  # fmt: skip


def folder(form: Form, month: int = 0, sites: Sequence[str] = SITES[:3]) -> list[Specimen]:
    return [form.specimen(site, month) for site in sites]


def records(drafted: Draft | None, specimens: Sequence[Specimen]) -> Counter[tuple[str, ...]]:
    """What a draft reads, up to the names of fields."""
    assert drafted is not None
    judged = judge(drafted.sketch, specimens)
    rows = (row for one in judged.readings for row in one.records.to_pylist())
    return Counter(
        tuple(sorted(str(value) for key, value in row.items()
                     if value is not None and not key.startswith("source_")))
        for row in rows
    )  # fmt: skip


def laws(examples: int = 50) -> Any:
    return lambda test: settings(max_examples=examples, deadline=None)(given(FORMS)(test))


@laws()
def test_each_record_holds_what_stands_over_it_beside_it_and_in_the_labels(form: Form) -> None:
    specimens = folder(form)
    found = records(draft(specimens), specimens)
    wanted = Counter[tuple[str, ...]]()
    for site in SITES[:3]:
        rows = form.rows(site, 0)
        start = next(at for at, row in enumerate(rows) if row[:1] == ["Species"]) + 1
        number = () if form.site == "file" else (str(10 + SITES.index(site)),)
        common = (site, "2026-03-01", *number)
        for row in rows[start : len(rows) - form.total]:
            names = [str(cell) for cell in row[: form.stub]]
            values = [_shown(cell) for cell in row[form.stub :]]
            if form.kind == "list":
                wanted[tuple(sorted((*common, *names, *filter(None, values))))] += 1
                continue
            for head, value in zip(form.heads, values, strict=True):
                wanted[tuple(sorted((*common, *names, _shown(head), value)))] += 1
    assert Counter(map(_plain, found.elements())) == Counter(map(_plain, wanted.elements()))


def _shown(cell: Cell) -> str:
    return f"{cell:g}" if isinstance(cell, float) else str(cell)


def _plain(values: tuple[str, ...]) -> tuple[str, ...]:
    return tuple(sorted(one.removesuffix(".0") for one in values))


@laws()
def test_neither_order_nor_copies_nor_what_lies_beside_changes_a_record(form: Form) -> None:
    specimens = folder(form)
    usual = records(draft(specimens), specimens)
    assert records(draft(specimens[::-1]), specimens) == usual
    copy = replace(specimens[0], file=specimens[0].file.replace(".xlsx", " (1).xlsx"))
    beside = [
        specimen("readme.txt", [["Please fill in by Friday."], ["Thank you, the office"]]),
        specimen("a letter.txt", [["Dear all,"], ["the forms come monthly."], ["A. Holm"]]),
    ]
    found = draft([copy, *beside, *specimens])
    assert found is not None and records(found, specimens) == usual
    assert (copy.file, f"it has the same content as {specimens[0].file}") in [
        (one.file, one.why) for one in found.left_out
    ]


@laws()
def test_where_columns_and_tables_stand_changes_no_record(form: Form) -> None:
    specimens = folder(form)
    usual = records(draft(specimens), specimens)
    rows = form.rows(SITES[0], 0)
    start = next(at for at, row in enumerate(rows) if row[:1] == ["Species"])
    width = len(rows[start])
    order = list(range(width))
    first = 0 if form.kind == "list" else form.stub
    order[first:] = order[first:][::-1]
    # A total is known by the label before its numbers.
    if not form.total or first:
        swapped = [*rows[:start], *([row[at] for at in order] for row in rows[start:])]
        turned = [form.specimen(SITES[0], 0, swapped), *specimens[1:]]
        assert records(draft(turned), turned) == usual
    moved = [[], [], *(["", *row] for row in rows)]
    elsewhere = [form.specimen(SITES[0], 0, moved), *specimens[1:]]
    assert records(draft(elsewhere), elsewhere) == usual


@laws()
def test_next_month_is_read_by_the_draft_of_this_month(form: Form) -> None:
    drafted = draft(folder(form))
    assert drafted is not None
    later = folder(form, 1)
    include = tuple(pattern(one, PatternKind.FILE) for one in drafted.sketch.include)
    assert all(first_match(include, one.file) is not None for one in later)
    judged = judge(drafted.sketch, later)
    assert not judged.errors and not judged.unplaced
    assert records(drafted, later) == records(draft(later), later)


@laws()
def test_a_file_fewer_changes_only_its_own_records(form: Form) -> None:
    specimens = folder(form, sites=SITES)
    drafted = draft(specimens)
    for gone in (0, 4):
        rest = [*specimens[:gone], *specimens[gone + 1 :]]
        assert records(draft(rest), rest) == records(drafted, rest)


@laws()
def test_a_draft_from_some_files_reads_those_that_it_has_not_seen(form: Form) -> None:
    specimens = folder(form, sites=SITES)
    unseen = specimens[1::2]
    assert records(draft(specimens[::2]), unseen) == records(draft(specimens), unseen)


@laws()
def test_sums_that_are_labelled_change_no_record(form: Form) -> None:
    plain = replace(form, total=False)
    specimens = folder(plain)
    usual = records(draft(specimens), specimens)
    for at, row in (("below", True), ("above", True), ("right", False)):
        if row or form.kind != "list":
            with_sums = [
                specimen(one.file, _with_sums(plain, site, at))
                for one, site in zip(specimens, SITES, strict=False)
            ]
            assert records(draft(with_sums), with_sums) == usual, at


def _with_sums(form: Form, site: str, where: str) -> Rows:
    """A tab with a row of sums above or below its table, or a column right of it."""
    rows = form.rows(site, 0)
    start = next(at for at, row in enumerate(rows) if row[:1] == ["Species"]) + 1
    body = rows[start:]
    if where == "right":
        sums = [[*row, _sum(row[form.stub :])] for row in body]
        return [*rows[: start - 1], [*rows[start - 1], "Total"], *sums]
    sums = [_sum(row[at] for row in body) for at in range(form.stub, len(body[0]))]
    total = ["Total", *[""] * (form.stub - 1), *sums]
    return [*rows[:start], total, *body] if where == "above" else [*rows, total]


@laws()
def test_a_table_that_lies_on_its_side_has_the_same_records(form: Form) -> None:
    # What all of its lines hold is told apart by their types alone.
    form = replace(form, kind="list", measures=("Pieces", "Sown", "Checked by"), total=False)
    specimens = folder(form)
    lying = [
        specimen(one.file, _lying(form, site)) for one, site in zip(specimens, SITES, strict=False)
    ]
    assert records(draft(lying), lying) == records(draft(specimens), specimens)


def _lying(form: Form, site: str) -> Rows:
    """A tab whose table is turned; what stands above it stays."""
    rows = form.rows(site, 0)
    start = next(at for at, row in enumerate(rows) if row[:1] == ["Species"])
    return [*rows[:start], *map(list, zip(*rows[start:], strict=True))]


@laws()
def test_a_heading_that_is_renamed_on_one_tab_is_asked_about(form: Form) -> None:
    rows = form.rows(SITES[0], 0)
    start = next(at for at, row in enumerate(rows) if row[:1] == ["Species"])
    rows[start][0] = "Kind of tree"
    specimens = [form.specimen(SITES[0], 0, rows), *folder(form, sites=SITES[1:4])]
    found = draft(specimens)
    assert found is not None
    texts = [one.text for one in questions(found) if one.kind != "name"]
    # Asked, or read as a field of its own: each value stands under the heading that is over it.
    asked = any("Kind of tree" in text for text in texts)
    assert asked or "kind_of_tree" in found.sketch.fields
    usual = folder(form, sites=SITES[1:4])
    assert records(found, usual) == records(draft(usual), usual)


@pytest.mark.parametrize("columns", [["Species", "Lot"], ["Lot", "Species"]])
def test_columns_swapped_in_one_file_are_read_by_their_headings(columns: list[str]) -> None:
    pairs = [[("Pine", f"L{file}{row}") for row in range(3)] for file in range(4)]
    specimens = []
    for file, some in enumerate(pairs):
        heads = columns if file == 2 else ["Species", "Lot"]
        order = [("Species", "Lot").index(head) for head in heads]
        rows = [[*heads, "Pieces"], *([*(pair[at] for at in order), 4.0 + file] for pair in some)]
        specimens.append(specimen(f"stock_{file}.xlsx", rows))
    found = records(draft(specimens), specimens)
    assert found == Counter(
        tuple(sorted((str(file), *pair, str(4 + file))))
        for file, some in enumerate(pairs) for pair in some
    )  # fmt: skip


LANGUAGES = (
    ("Nursery:", "Month:", "Species", "Pieces", "Kept", "March 2026"),
    ("Planteskole:", "Måned:", "Art", "Antall", "Beholdt", "mars 2026"),
)


@pytest.mark.parametrize("apart", [0, 2])
def test_labels_and_headings_of_two_languages_are_one_wherever_they_stand(apart: int) -> None:
    specimens = []
    for at, site in enumerate(SITES[:4]):
        nursery, month, species, pieces, kept, said = LANGUAGES[at % 2]
        rows: Rows = [[nursery, site], [month, said], [], [species, pieces, kept]]
        rows += [[tree, 10.0 * at + row, 5.0 + row] for row, tree in enumerate(SPECIES[:4])]
        # In the other language the form stands elsewhere, too.
        above: Rows = [[]] * (apart * (at % 2))
        specimens.append(specimen(f"stock_{at}.xlsx", [*above, *rows]))
    found = records(draft(specimens), specimens)
    assert Counter(map(_plain, found.elements())) == Counter(
        _plain(("2026-03-01", site, tree, str(at), f"{10 * at + row}", f"{5 + row}"))
        for at, site in enumerate(SITES[:4])
        for row, tree in enumerate(SPECIES[:4])
    )


@pytest.mark.parametrize(
    ("name", "said"),
    [("copy", "same content"), ("Codes", "same content in every file"), ("All", "sums up")],
)
def test_what_is_no_report_is_left_out_and_named(name: str, said: str) -> None:
    tabs: list[Specimen] = []
    for at in range(3):
        benches = [
            [["Species", "A", "B"], *([tree, 10.0 * at + row + bench, 7.0 * bench + row + at]
                                      for row, tree in enumerate(SPECIES[:3]))]
            for bench in range(1, 4)
        ]  # fmt: skip
        sums: Rows = [["Species", "A", "B"]]
        sums += [
            [tree, *(sum(float(bench[row + 1][column]) for bench in benches) for column in (1, 2))]
            for row, tree in enumerate(SPECIES[:3])
        ]
        codes: Rows = [["Code", "Weight"], ["x", 1.0], ["y", 2.0]]
        sheets = {f"Bench {number}": rows for number, rows in enumerate(benches, 1)}
        sheets |= {"All": sums, "Codes": codes}
        made = {tab: make_sheet(tab, rows) for tab, rows in sheets.items()}
        for file in [f"stock_{at}.xlsx", *(["stock_0 - copy.xlsx"] if at == 0 else [])]:
            tabs += [
                Specimen(file, on, {other: each for other, each in made.items() if other != tab})
                for tab, on in made.items()
            ]
    found = draft(tabs)
    assert found is not None and found.sketch.tabs["named"] == "Bench {bench}"
    left_out = [one for one in found.left_out if name == one.tab or name in one.file]
    assert left_out and all(said in one.why for one in left_out)
    assert len(found.kind.examples) == 9


@pytest.mark.parametrize(
    ("second", "is_summary"),
    [
        # Each sum stands beside the text that groups the records.
        ([["Keeper", "Pieces"], ["Holm", 9.0], ["Dahl", 12.0], ["Niemi", 15.0]], True),
        # The same numbers beside other texts are a report of their own.
        ([["Tool", "Pieces"], ["spade", 9.0], ["rake", 12.0], ["hoe", 15.0]], False),
    ],
)
def test_a_tab_is_a_summary_by_its_texts_and_numbers_together(
    second: Rows, is_summary: bool
) -> None:
    keepers = ("Holm", "Dahl", "Niemi")
    lots: Rows = [["Lot", "Keeper", "Pieces"]]
    lots += [[f"L{at}", keepers[at % 3], 3.0 + at] for at in range(6)]
    lots[1][2], lots[2][2], lots[3][2] = 3.0, 5.0, 7.0
    specimens = []
    for factor in (1, 2):
        tabs = {
            name: make_sheet(name, [
                [cell * factor if isinstance(cell, float) else cell for cell in row] for row in rows
            ])
            for name, rows in {"Lots": lots, "More": second}.items()
        }  # fmt: skip
        for tab, on in tabs.items():
            others = {name: other for name, other in tabs.items() if name != tab}
            specimens.append(Specimen(f"stock_{factor}.xlsx", on, others))
    found = draft(specimens)
    assert found is not None
    assert [one.why for one in found.left_out] == (["it sums up Lots"] * 2 if is_summary else [])
    assert len(found.further) == (not is_summary)
