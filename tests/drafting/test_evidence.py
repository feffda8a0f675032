"""What words, headings and columns speak for, each on its own."""

from __future__ import annotations

from datetime import date
from typing import Any

import pytest

from boreotabula.batch.again.from_findings import _tab_pattern
from boreotabula.drafting.draft import draft
from boreotabula.drafting.search.further import turned
from boreotabula.drafting.search.judging import judge
from boreotabula.drafting.search.values import narrower
from boreotabula.drafting.sketch import Sketch
from boreotabula.drafting.tabs.kinds import sort_tabs
from boreotabula.drafting.tabs.specimens import Specimen
from boreotabula.drafting.texts.captions import caption_of
from boreotabula.layout.patterns import PatternKind, pattern
from boreotabula.look.crossed import is_key, level_run, value_run
from boreotabula.look.looks import FIGURE, TEXT, looks_of, looks_of_columns, runs_of
from boreotabula.look.tables import shapes_of
from boreotabula.look.texts.types import languages_of, month_languages, type_of
from boreotabula.look.texts.words import is_unit, level_name, total_pattern
from helpers import sheet


@pytest.mark.parametrize("text", ["cm", "kg", "m3", "(ha)", "%", "°C", "mg/l", "1000 m3", "t"])
def test_units_that_are_in_use_are_known(text: str) -> None:
    assert is_unit(text)


@pytest.mark.parametrize("text", ["A", "C", "Pine", "Lot", "Pot 95", "", "2024", "kgs of seed"])
def test_other_headings_are_no_units(text: str) -> None:
    assert not is_unit(text)


@pytest.mark.parametrize(
    ("text", "pattern"),
    [
        ("Total", "Total"), ("Total of Pine", "Total*"), ("Sum: Pine", "Sum*"),
        ("North total", "* total"), ("Fjord region, sum", "* sum"), ("Totally new", ""),
        ("Summer", ""), ("Carried over", "Carried over"), ("Average", "Average"),
    ],
)  # fmt: skip
def test_totals_are_told_by_their_first_or_last_word(text: str, pattern: str) -> None:
    assert total_pattern(text) == pattern


@pytest.mark.parametrize(
    ("heads", "name"),
    [
        (["Mon", "Tue", "Wed"], "weekday"), (["mandag", "tirsdag"], "weekday"),
        (["ma", "ti", "ke"], "weekday"), (["31.12.2025", "31.12.2024"], "day"),
        ([date(2026, 1, 1), date(2026, 2, 1)], "month"), ([date(2026, 1, 2)], "day"),
        (["Description"], ""), (["March", "Mai", "huhtikuu"], "month"), (["Marble"], ""),
    ],
)  # fmt: skip
def test_moments_name_a_level(heads: list[Any], name: str) -> None:
    assert level_name(heads) == name


@pytest.mark.parametrize(
    ("heads", "run"),
    [
        (["Name", "2024", "2025", "Total"], (1, 3)),
        (["Name", "Note", "Jan", "Feb", "Mar"], (2, 5)),
        (["Name", "A", "B"], None),
        (["2024", "2025", "2026"], None),
        (["Day", "Mon", "", "Tue", "Wed"], (3, 5)),
    ],
)  # fmt: skip
def test_headings_that_are_moments_say_where_values_begin(
    heads: list[Any], run: tuple[int, int] | None
) -> None:
    assert level_run(heads) == run


@pytest.mark.parametrize(
    ("head", "cells", "key"),
    [
        ("No", [1, 2, 3], True), ("Line", [1, 2, 3], True), ("Year", [2024, 2024, 2025], True),
        ("Height", [1, 3, 2], False), ("Height", [2001, 2010, 1990], False),
        ("Code", [4711, 12, 5], True), ("Code", ["a", 1, 2], False), (2024.0, [1, 2, 3], False),
    ],
)  # fmt: skip
def test_columns_of_numbers_that_name_rows(head: Any, cells: list[Any], key: bool) -> None:
    on = sheet("\n".join(["x", *map(str, cells)]))
    assert is_key(head, on, range(1, 4), 0) is key


def test_a_tab_has_the_look_of_its_cells() -> None:
    on = sheet("Lot | 2024 | .\n'007 | 12,5 | 4\nP8 | 3.4.2026 | x")
    looks = looks_of(on)
    assert looks.tolist() == [[TEXT, FIGURE, 0], [TEXT, FIGURE, FIGURE], [TEXT, FIGURE, TEXT]]
    assert looks_of_columns(looks[1:]) == (TEXT, FIGURE, TEXT)
    assert list(runs_of((looks > 0).any(axis=0))) == [(0, 3)]
    assert value_run((TEXT, FIGURE, 0, TEXT, FIGURE), ["a", "b", "c", "d", "e"]) == (1, 3)


@pytest.mark.parametrize(
    ("texts", "pattern"),
    [
        (("Losses 2024, pcs", "Losses 2025, pcs"), "Losses {year}, pcs"),
        (("Table 3.1 Seed of pine", "Table 3.2 Use of pine"), "Table {title}"),
        (("Stock of March 2026", "Stock of April 2026"), "Stock of {month}"),
        (("North hall", "South hall"), "{title} hall"),
        (("Losses", "Height"), None),
        (("Bench A: pine", "Bench B (new)"), "Bench {title}"),
        (("Van 101", "Van 7"), "Van {van}"),
        (("1. quarter 2025", "2. quarter 2025"), None),
        (("Stock of Lia, March 2026", "Stock of Myr, March 2026"), "Stock of {title}, {month}"),
    ],
)
def test_captions_keep_what_varies(texts: tuple[str, ...], pattern: str | None) -> None:
    found = caption_of(texts)
    assert (found and found[0]) == pattern


@pytest.mark.parametrize(
    ("texts", "kind", "options", "reading"),
    [
        (["1", "2"], "integer", {}, {}),
        (["12,5", "3"], "number", {}, {}),
        (["1,250", "2,5"], "number", {}, {"decimal_mark": ","}),
        (["4 cm", "12 cm"], "integer", {"unit": "cm"}, {}),
        (["-", "4"], "integer", {}, {"empty": ["-"]}),
        (["2,5 %", "12 %"], "percent", {}, {}),
        (["a", "4"], "text", {}, {}),
        (["4 cm", "12 mm"], "text", {}, {}),
        (["1 A", "2 A"], "text", {}, {}),
        (["x", "4"], "text", {}, {}),
        (["007", "12"], "text", {}, {}),
    ],
)
def test_texts_get_the_type_that_they_have(
    texts: list[str], kind: str, options: dict[str, Any], reading: dict[str, Any]
) -> None:
    on = sheet("Lot | Seen\n" + "\n".join(f"L{at} | '{one}" for at, one in enumerate(texts)))
    kindred = sort_tabs([Specimen("a.xlsx", on)]).kinds[0]
    sketch = Sketch(block={"stub": "lot"}, listed=True, fields={"lot": "text", "seen": "text"})
    judged = judge(sketch, [Specimen("a.xlsx", on)])
    found = next(narrower(sketch, judged, kindred), sketch)
    assert found.fields["seen"] == kind
    assert dict(found.options.get("seen", {})) == options
    assert {name: one for name, one in found.reading.items() if name in reading} == reading


def test_languages_are_as_few_as_read_all() -> None:
    assert languages_of(["1. Januar 2026", "3. März 2026", "4. April 2026"]) == ["de"]
    assert languages_of(["April 2026", "Lot 7", "x"]) == []
    assert month_languages(["huhtikuu", "toukokuu"], []) == ["fi"]
    assert month_languages(["April", "May"], []) == []
    assert month_languages(["4", "5"], []) is None and month_languages(["Pine"], []) is None
    assert type_of(["", "-"]) == "text" and type_of([]) == "text"


def test_what_stays_is_a_label_and_what_varies_a_value() -> None:
    form = "Case | C-{0}\nPlace | hall {0}\nLost | 1{0}"
    kinds = sort_tabs([Specimen(f"{at}.xlsx", sheet(form.format(at))) for at in range(3)]).kinds
    assert [one.has_table for one in kinds] == [False]
    same = [Specimen(f"{at}.xlsx", sheet("Lot | Pieces\nL1 | 4\nL2 | 5")) for at in range(3)]
    assert sort_tabs(same).kinds[0].has_table


def test_a_turned_list_is_told_by_rows_of_one_kind() -> None:
    rows = "Lot | L1 | L2 | L3\nSown | 2026-03-01 | 2026-03-02 | 2026-03-04\nSeeds | 4 | 5 | 6\n"
    kind = sort_tabs([Specimen("a.xlsx", sheet(rows + "State | dry | wet | dry"))]).kinds[0]
    found = turned(kind)
    assert found is not None and found.is_clear
    assert found.there.examples[0].shapes[0].heads[0] == "Lot"
    numbers = sheet("Lot | A | B\nL1 | 1 | 2\nL2 | 3 | 4")
    either = turned(sort_tabs([Specimen("a.xlsx", numbers)]).kinds[0])
    assert either is not None and not either.is_clear
    dated = "Lot | Sown | Seeds\nL1 | 2026-03-01 | 4\nL2 | 2026-03-02 | 5\nL3 | 2026-03-04 | 6"
    assert turned(sort_tabs([Specimen("a.xlsx", sheet(dated))]).kinds[0]) is None


def test_a_long_table_ends_where_it_ends() -> None:
    rows = "\n".join(f"L{at} | {at} | 2" for at in range(100))
    (shape,) = shapes_of(sheet(f"Lot | Small | Large\n{rows}\n.\nNote: dry"))
    assert (shape.first, shape.end) == (1, 101)
    found = draft([Specimen("a.xlsx", sheet(f"Lot | Small | Large\n{rows}"))])
    assert found is not None and not found.sketch.stamps


def test_patterns_for_tabs_of_another_name() -> None:
    benches, data = (pattern(text, PatternKind.TAB) for text in ("Bench {bench}", "Data"))
    assert _tab_pattern("House 4", [benches]) == "House {bench}"
    assert _tab_pattern("Extra", [benches]) == "Extra"
    assert _tab_pattern("House 4", [data]) == "House 4"
