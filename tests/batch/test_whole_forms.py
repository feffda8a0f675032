"""Forms of which one tab does not tell all: chosen tabs, cover tabs, headings of many files."""

from __future__ import annotations

import itertools
from pathlib import Path
from typing import Any

import openpyxl
import pytest

import boreotabula
from helpers import write_workbook
from raw_files import raw_ods

Grid = list[list[Any]]
SITES = ("Frostmo", "Lomlia", "Suvanto", "Hiekka", "Granvik")
LAYOUT = """layout = 1
[source]
folder = "in"
[tabs]
{tabs}
[stamps]
site = {site}
[block]
{block}
[fields]
site = "text"
species = "text"
container = {{ type = "text"{container} }}
n = "integer"
"""
TABLE = 'stub = "species"\nacross = "container"\nvalue = "n"\ntotals = "Total"'


def layout(
    tabs: str = "where_found = true",
    site: str = '{ tab = "Cover*", right_of = "Site" }',
    block: str = TABLE,
    container: str = "",
) -> str:
    return LAYOUT.format(tabs=tabs, site=site, block=block, container=container)


def table(at: int, *heads: str) -> Grid:
    heads = heads or ("Multipot 95", "Pot 60")
    rows = [
        [name, *(10 * at + n + len(name) for n in range(len(heads)))] for name in ("Pine", "Birch")
    ]
    sums = [sum(some) for some in zip(*(row[1:] for row in rows), strict=True)]
    return [["Species", *heads], *rows, ["Total", *sums]]


def book(at: int, site: str, **tabs: Grid) -> dict[str, Grid]:
    return {"Cover": [["Review"], ["Site", site]], **(tabs or {f"House {at}": table(at)})}


def run(folder: Path, text: str, books: dict[str, dict[str, Grid]]) -> Any:
    (folder / "a.toml").write_text(text, "utf-8")
    for name, tabs in books.items():
        write_workbook(folder / "in" / f"{name}.xlsx", tabs)
    return boreotabula.extract(boreotabula.Layout.load(folder / "a.toml"))


def told(done: Any) -> list[tuple[str, str, str]]:
    return [(str(one.code), one.file.removesuffix(".xlsx"), one.tab) for one in done.findings]


def test_tabs_are_chosen_by_the_tables_on_them_whatever_they_are_called(tmp_path: Path) -> None:
    books = {site: book(at, site) for at, site in enumerate(SITES)}
    books["Lomlia"] = {"Index": [["see Cover"]], **books["Lomlia"], "More": table(9)}
    done = run(tmp_path, layout(), books)
    assert told(done) == [] and done.record_count == 24
    assert {row["site"] for row in done.records.to_pylist()} == set(SITES)


def test_a_tab_with_some_of_the_texts_is_told(tmp_path: Path) -> None:
    block = TABLE.replace('"species"', '["lot", "species"]')
    text = layout(block=block).replace("[fields]", '[fields]\nlot = "text"')
    books = {}
    for at, site in enumerate(SITES):
        grid = [["Lot", *table(at)[0]], *(["L1", *row] for row in table(at)[1:3])]
        books[site] = book(at, site, House=grid, Notes=[["see the other tab"]])
    assert told(run(tmp_path, text, books)) == []
    books["Hiekka"]["House"][0][0] = "Batch"
    books["Lomlia"]["House"][0][:2] = ["Batch", "Kind"]
    done = run(tmp_path, text, books)
    assert ("stub-heading-missing", "Hiekka", "House") in told(done)
    assert ("no-tab-matches", "Lomlia", "") in told(done)


def test_a_tab_whose_stub_headings_were_renamed_does_not_vanish(tmp_path: Path) -> None:
    books = {site: book(at, site, A=table(at), B=table(at + 9)) for at, site in enumerate(SITES)}
    assert told(run(tmp_path, layout(), books)) == []
    books["Suvanto"]["B"][0][0] = "Kind"
    books["Lomlia"]["Notes"] = [["Asked", "Answered"], ["when", "never"]]
    # Nothing of the table is found there, but its other headings are those of the form.
    assert told(run(tmp_path, layout(), books)) == [("tab-not-chosen", "Suvanto", "B")]


def test_a_stamp_may_stand_on_another_tab_or_in_the_name(tmp_path: Path) -> None:
    books = {site: book(at, site) for at, site in enumerate(SITES)}
    books["Hiekka"]["Cover"][1] = ["Site", None]
    site = '[{ tab = "Cover", right_of = "Site" }, { from = "file name" }]'
    done = run(tmp_path, layout(site=site), books)
    assert told(done) == [("stamp-source-unusual", "Hiekka", "House 3")]
    assert {row["site"] for row in done.records.to_pylist()} == set(SITES)
    del books["Granvik"]["Cover"]
    books["Lomlia"]["Cover 2"] = [["Site", "Lomla"]]
    done = run(tmp_path, layout(), books)
    found = {(code, file) for code, file, _ in told(done)}
    assert {("stamp-not-found", "Granvik"), ("stamp-found-twice", "Lomlia")} <= found
    assert ("stamp-blank", "Hiekka") in found


def test_a_heading_that_is_nearly_another_one_is_told_until_the_layout_knows_it(
    tmp_path: Path,
) -> None:
    books = {site: book(at, site) for at, site in enumerate(SITES)}
    books["Lomlia"]["House 1"] = table(1, "Multpot 95", "Pot 60")
    (found,) = run(tmp_path, layout(), books).findings
    assert (found.code, found.cell, found.found) == ("heading-near", "B1", "Multpot 95")
    assert "“Multpot 95” (2 of 20 records) is nearly “Multipot 95” (8 records)" in found.message
    cured = layout(container=', same_as = { "Multipot 95" = "Multpot 95" }')
    assert told(run(tmp_path, cured, books)) == []
    both = ', choices = ["Multipot 95", "Multpot 95", "Pot 60"]'
    assert told(run(tmp_path, layout(container=both), books)) == []


@pytest.mark.parametrize(
    ("heads", "near"),
    [
        (("Grade A", "Grade B"), False),
        (("Pot 60", "Pot 95"), False),
        (("Import", "Export"), False),
        (("Week 7", "Week 71"), False),
        (("Bare root", "bare-root"), True),
        (("Seedlings", "Sedlings"), True),
        (("Picea abies", "Picea abeis"), True),
        (("Multipot 95", "Multipot  95"), True),
    ],
)
def test_codes_and_figures_are_no_slips(tmp_path: Path, heads: Any, near: bool) -> None:
    books = {site: book(at, site) for at, site in enumerate(SITES)}
    for at, site in enumerate(SITES):
        books[site][f"House {at}"] = table(at, heads[site == "Lomlia"], "Tray")
    assert told(run(tmp_path, layout(), books)) == [("heading-near", "Lomlia", "House 1")] * near


def test_leading_columns_that_shifted_are_told_by_their_like(tmp_path: Path) -> None:
    block = 'columns = ["species", "lot"]\nacross = "container"\nvalue = "n"\nat = "A1"'
    text = layout(block=block).replace("[fields]", '[fields]\nlot = "text"')
    books = {}
    for at, site in enumerate(SITES):
        grid = [[None, None, "Pot", "Tray"], ["Pine", "L1", at + 31, 7], ["Birch", "L2", 5, at + 8]]
        books[site] = {"Cover": [["Site", site]], "T": grid}
    assert told(run(tmp_path, text.replace("where_found = true", 'named = "T"'), books)) == []
    books["Suvanto"]["T"] = [row[1:] for row in books["Suvanto"]["T"]]
    done = run(tmp_path, text.replace("where_found = true", 'named = "T"'), books)
    assert ("column-lacking", "Suvanto", "T") in told(done)


@pytest.mark.parametrize("summed", ["seen", "all"])
def test_hidden_rows_and_columns_are_left_out_by_rule(tmp_path: Path, summed: str) -> None:
    grid = table(1, "Pot 60", "Tray", "Root")
    grid.insert(2, ["Alder", 5, 6, 7])
    grid[4] = ["Total", *(sum(row[at] for row in grid[1:4] if summed == "all" or row[0] != "Alder")
                          for at in (1, 2, 3))]  # fmt: skip
    path = write_workbook(tmp_path / "in" / "a.xlsx", {"Cover": [["Site", "Lomlia"]], "T": grid})
    file = openpyxl.load_workbook(path)
    file["T"].row_dimensions[3].hidden = file["T"].column_dimensions["C"].hidden = True
    file.save(path)
    text = layout(block=f"{TABLE}\nvisible_only = true")
    (tmp_path / "a.toml").write_text(text, "utf-8")
    done = boreotabula.extract(boreotabula.Layout.load(tmp_path / "a.toml"))
    assert told(done) == [] and done.account.left_out["visible_only"] == 8
    found = [(row["species"], row["container"]) for row in done.records.to_pylist()]
    assert found == list(itertools.product(("Pine", "Birch"), ("Pot 60", "Root")))


CAPTIONED = """layout = 1
[source]
folder = "in"
[block]
caption = "Table {number}: {title}"
columns = ["-", "species"]
across = "year"
value = "n"
group_row = { field = "class", named = ["Conifers", "Leafed"] }
totals = "Sum"
repeat = true
[fields]
number = "integer"
title = "text"
class = "text"
species = "text"
year = "integer"
n = "integer"
"""
PAGE = [
    ["Table 4: Losses"], [None, None, 2025, 2026], [1, "Conifers", 30, 5], [2, "Pine", 10, 5],
    [3, "Larch", 20, None], [4, "Leafed", 4, 4], [5, "Birch", 4, 4], [None, "Sum", 34, 9], [],
    ["Table 5: Sown"], [None, None, 2026], [1, "Leafed", 8], [2, "Alder", 8],
]  # fmt: skip


def _as_ods(path: Path) -> None:
    cell = lambda one: (  # noqa: E731
        "<table:table-cell/>" if one is None
        else f'<table:table-cell office:value-type="float" office:value="{one}"/>'
        if isinstance(one, int)
        else f'<table:table-cell office:value-type="string"><text:p>{one}</text:p>'
        "</table:table-cell>"
    )  # fmt: skip
    rows = ("".join(map(cell, row)) or "<table:table-cell/>" for row in PAGE)
    raw_ods(path, "".join(f"<table:table-row>{row}</table:table-row>" for row in rows))


def _as_text(path: Path) -> None:
    lines = (";".join("" if one is None else str(one) for one in row) for row in PAGE)
    path.write_text("\n".join(lines) + "\n", "utf-8")


@pytest.mark.parametrize("kind", ["xlsx", "ods", "csv"])
def test_captions_and_group_totals_read_the_same_from_every_kind(tmp_path: Path, kind: str) -> None:
    (tmp_path / "a.toml").write_text(CAPTIONED, "utf-8")
    path = tmp_path / "in" / f"a.{kind}"
    path.parent.mkdir()
    if kind == "xlsx":
        write_workbook(path, {"T": PAGE})
    else:
        (_as_ods if kind == "ods" else _as_text)(path)
    done = boreotabula.extract(boreotabula.Layout.load(tmp_path / "a.toml"))
    assert [tuple(row.values())[:6] for row in done.records.to_pylist()] == [
        (4, "Losses", "Conifers", "Pine", 2025, 10), (4, "Losses", "Conifers", "Pine", 2026, 5),
        (4, "Losses", "Conifers", "Larch", 2025, 20), (4, "Losses", "Leafed", "Birch", 2025, 4),
        (4, "Losses", "Leafed", "Birch", 2026, 4), (5, "Sown", "Leafed", "Alder", 2026, 8),
    ]  # fmt: skip
    assert told(done) == [] and done.totals.printed == done.totals.agree == 7
