"""The parts of a draft on their own: names, labels, groups, and the text of a layout."""

from __future__ import annotations

import pytest

from boreotabula.drafting.asking.questions import questions
from boreotabula.drafting.columns.groups import group_names, patterns_of
from boreotabula.drafting.draft import draft
from boreotabula.drafting.labels.names import of_files, of_tabs, plain
from boreotabula.drafting.labels.pairs import pairs_of
from boreotabula.drafting.sketch import Sketch
from boreotabula.drafting.tabs.specimens import Example, Specimen
from boreotabula.layout.parsing import parse_layout
from boreotabula.look.tables import shapes_of
from boreotabula.sheets.sheet import Sheet
from helpers import sheet


def example(on: Sheet, file: str = "a.xlsx", *others: str) -> Example:
    sheets = {name: sheet("x | y", name=name) for name in others}
    return Example(Specimen(file, on, sheets), tuple(shapes_of(on)))


@pytest.mark.parametrize(
    ("files", "known", "pattern", "fields"),
    [
        (["stock_Lia_2026-01.xlsx", "stock_Myr_2026-02.xlsx"], {"Lia", "Myr"},
         "stock_*_{month}.xlsx", {"month": "month"}),
        (["log_2025.csv", "log_2026.csv"], set(), "log_{year}.csv", {"year": "integer"}),
        (["log_2026-W05.dat", "log_2026-W06.txt"], set(), "log_{week}.*", {"week": "text"}),
        (["april.xlsx"], set(), "{month}.xlsx", {"month": "text"}),
        (["stock a.xlsx", "stock b c.xlsx"], set(), "stock {part}.xlsx", {"part": "text"}),
        (["one.xlsx", "two three.xlsx"], set(), "{part}.xlsx", {"part": "text"}),
    ],
)  # fmt: skip
def test_names_of_files_tell_what_varies(
    files: list[str], known: set[str], pattern: str | None, fields: dict[str, str]
) -> None:
    found = of_files(files, [set(map(plain, known))] * len(files))
    assert (found.patterns, found.fields) == ((pattern,) if pattern else (), fields)


def test_what_copies_have_behind_their_names_is_no_part_of_a_field() -> None:
    files = ["Lia week 9.xlsx", "Myr week 9 (1).xlsx", "Lia week 10 - Copy.xlsx"]
    found = of_files(files, [set()] * len(files))
    first = "{part} week {week}"
    assert found.patterns == (f"{first} (*).xlsx", f"{first} - Copy.xlsx", f"{first}.xlsx")
    # What all have is part of their names.
    every = of_files(["Lia (1).xlsx", "Lia (2).xlsx"], [set()] * 2)
    assert every.patterns == ("Lia ({lia}).xlsx",)


@pytest.mark.parametrize(
    ("tabs", "others", "chosen"),
    [
        (["Bench 1", "Bench 2"], ["Cover"], {"named": "Bench {bench}"}),
        (["Bench 1", "Huone 2"], ["Cover"], {"named": ["Bench {bench}", "Huone {bench}"]}),
        (["Data", "Data"], ["Notes"], {"named": "Data"}),
        (["Data", "Data"], [], {}),
        (["a", "b", "c", "d", "e"], ["Notes"], {"where_found": True, "except": "Notes"}),
    ],
)
def test_names_of_tabs_tell_how_they_are_chosen(
    tabs: list[str], others: list[str], chosen: dict[str, object]
) -> None:
    on = [example(sheet("Lot | A | B\nL1 | 1 | 2", name=tab), tab, *others) for tab in tabs]
    assert of_tabs(on, [], [set()] * len(on))[0] == chosen


@pytest.mark.parametrize(
    ("picture", "found"),
    [
        ("Site: | Lia", [("Site", "Lia", "right")]),
        ("Site | Lia", [("Site", "Lia", "right")]),
        ("Site: Lia", [("Site", "Lia", "inside")]),
        ("Site:\nLia", [("Site", "Lia", "below")]),
        ("Site | Lia | Myr", []),
        ("Site: | Month:", []),
        ("06:30 | Lia", []),
    ],
)
def test_labels_are_found_with_their_values(
    picture: str, found: list[tuple[str, str, str]]
) -> None:
    assert [(one.label, one.value, one.way) for one in pairs_of(sheet(picture), ())] == found


@pytest.mark.parametrize(
    ("picture", "names"),
    [
        ("Lot|A|B\nPine|300|90\nL1|100|40\nL2|200|50", [["Pine"]]),
        ("Lot|A|B\nPine|300|91\nL1|100|40\nL2|200|50", []),
        ("Lot|A|B\nL0|1|2\nPine|300|90\nL1|100|40\nL2|200|50", []),  # a line that is under none
        ("Lot|A|B\nL1|100|40\nTotal|100|40", []),
    ],
)
def test_groups_are_rows_that_sum_up_all_lines_below(picture: str, names: list[list[str]]) -> None:
    assert group_names([example(sheet(picture))]) == names


def test_a_layout_is_written_as_a_person_would() -> None:
    sketch = Sketch(
        title='The "big" one', stamps={"site": {"right_of": "Site"}},
        block={"stub": "lot", "across": ["year", "-"], "value": "n", "repeat": True},
        fields={"site": "text", "lot": "text", "year": "integer", "n": "integer"},
        headings={"Erä": "lot"},
    )  # fmt: skip
    text = sketch.text("in box")
    spec = parse_layout(text, "a.toml")
    assert spec.title == 'The "big" one' and spec.fields["lot"].also == ("Erä",)
    assert 'across = ["year", "-"]\n' in text and "glossary" not in text
    many = Sketch(fields={"lot": "text"}, headings=dict.fromkeys("abcd", "lot"), listed=True)
    assert many.glossary == many.headings and 'glossary = "b.csv"' in many.text(".", "b.csv")
    assert (
        patterns_of(["Region A", "Region B"], 9) == ["Region *"] and patterns_of(["a"] * 9, 3) == []
    )


def test_questions_name_a_cell_and_what_to_change() -> None:
    lines = "\n".join(f"L{at} | {at} | {at * 3}" for at in range(1, 30))
    found = draft([Specimen("a.xlsx", sheet(f"Lot | 2025 | 2026\nL0 | 1 | oops\n{lines}"))])
    assert found is not None
    first, second = questions(found)
    assert first.where == "a.xlsx › Bench 1 › C2" and "“oops” is not a whole number" in first.text
    assert second.change == "rename `value` in `value` and [fields] of the layout"
    assert second.text == (
        "What do the values of the table, such as “1”, measure? It is called “value” for now."
    )


def test_odd_values_do_not_make_a_list_a_cross_tab() -> None:
    lines = [f"L{at}x | 2026-03-{at % 28 + 1:02} | {at * 3 + 100}" for at in range(60)]
    lines[30] = "L30x | 2026-03-20 | see note"
    picture = "\n".join(["Lot | Sown | Pots", *lines, "L60x | spring | 20"])
    found = draft([Specimen("log.csv", sheet(picture))])
    assert found is not None and found.judged.records == 61
    assert list(found.sketch.fields)[-3:] == ["lot", "sown", "pots"]
    assert any("“see note” is not a whole number" in one.text for one in questions(found))


def test_fields_that_tell_all_records_apart_are_written_down_for_a_person() -> None:
    def file(site: str) -> Specimen:
        lines = "\n".join(
            f"Pine | L{site[0]}{at % 7} | {at % 3} | {at + 40} | wet" for at in range(14)
        )
        heads = "Species | Lot | Round | Pieces | Remarks"
        return Specimen(f"{site}.xlsx", sheet(f"Nursery: | {site}\n.\n{heads}\n{lines}"))

    # Of a lot and a round there are two records in seven rounds: nothing tells these apart.
    found = draft([file("Lia"), file("Myr")])
    assert found is not None and "# key" not in found.sketch.text()
    texts = sheet("Nursery: | Dal\n.\nSpecies | Lot | Pieces\n" + "\n".join(
        f"{tree} | L{lot} | {lot + 3}" for tree in ("Pine", "Birch") for lot in range(12)
    ))  # fmt: skip
    other = sheet("Nursery: | Foss\n.\nSpecies | Lot | Pieces\n" + "\n".join(
        f"{tree} | L{lot} | {lot + 5}" for tree in ("Pine", "Alder") for lot in range(11)
    ))  # fmt: skip
    found = draft([Specimen("Dal.xlsx", texts), Specimen("Foss.xlsx", other)])
    assert found is not None
    assert '# key = ["nursery", "species", "lot"]' in found.sketch.text()
    assert parse_layout(found.sketch.text(), "the draft").key == ()
