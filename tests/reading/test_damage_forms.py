"""Plain lists, totals above, several tables: damaged in one way at a time, none without a word."""

from __future__ import annotations

from collections.abc import Callable
from typing import Any

import pytest

import boreotabula
from helpers import write_workbook

Grid = list[list[Any]]
SITES = 6
HEAD = """
layout = 1
[source]
folder = "in"
[stamps]
site = { right_of = "Site" }
"""
LIST = 'stub = ["lot", "species"]'
TWO = '[[block]]\nstub = "lot"\ninto = "lots"\n[[block]]\nstub = "order"\ninto = "orders"'
ABOVE = 'stub = "species"\nacross = "grade"\nvalue = "pieces"\ntotals = ["Conifers", "Leafed"]'


def layout(block: str, *fields: str) -> str:
    listed = "\n".join(f'{name} = "text"' for name in ("site", *fields))
    return f'{HEAD}{block}\n[fields]\n{listed}\npieces = "integer"\n'


LAYOUTS = {
    "list": layout(f"[block]\n{LIST}", "lot", "species"),
    "list with a total": layout(f'[block]\n{LIST}\ntotals = "Total"', "lot", "species"),
    "totals above": layout(f"[block]\n{ABOVE}", "species", "grade"),
    "two tables": layout(TWO, "lot", "order", "species"),
}
TOP, FIRST = 2, 3
"""The row of the headings, and that of the first record, counted from 0."""


def good(form: str, site: int) -> Grid:
    count = lambda at: site * 37 + at * 13 + at * at * 5 + 11  # noqa: E731
    grid: Grid = [["Site", f"S{site}"], []]
    species = ("Pine", "Birch", "Alder", "Spruce", "Larch", "Oak")
    if form == "totals above":
        rows = [[name, count(at), count(at + 9)] for at, name in enumerate(species)]
        sums = lambda some: [sum(row[at] for row in some) for at in (1, 2)]  # noqa: E731
        grid += [["Species", "A", "B"], ["Conifers", *sums(rows[:3])], *rows[:3]]
        return [*grid, ["Leafed", *sums(rows[3:])], *rows[3:]]
    rows = [[f"L{at}", name, count(at)] for at, name in enumerate(species)]
    grid += [["Lot", "Species", "Pieces"], *rows]
    if form == "list with a total":
        grid.append(["Total", None, sum(row[2] for row in rows)])
    if form == "two tables":
        grid += [[], ["Order", "Species", "Pieces"]]
        grid += [[f"O{at}", name, count(at + 20)] for at, name in enumerate(species)]
    return grid


Damage = Callable[[Grid], object]


def put(row: int, column: int, value: Any) -> Damage:
    def damage(grid: Grid) -> None:
        grid[row] += [None] * (column + 1 - len(grid[row]))
        grid[row][column] = value

    return damage


def row_at(at: int, *cells: Any) -> Damage:
    return lambda grid: grid.insert(at, list(cells))


def below(*rows: list[Any]) -> Damage:
    return lambda grid: grid.extend(list(row) for row in rows)


def column(at: int, head: Any, value: Any) -> Damage:
    def damage(grid: Grid) -> None:
        for number, row in enumerate(grid[TOP:]):
            if len(row) >= at:
                new = head if number == 0 else value(number) if callable(value) else value
                row.insert(at, new)

    return damage


def swapped(grid: Grid) -> None:
    for row in grid[TOP:]:
        if len(row) > 2:
            row[1], row[2] = row[2], row[1]


def headings_again(grid: Grid) -> None:
    grid.insert(FIRST + 2, list(grid[TOP]))


def sums_at_the_end(grid: Grid) -> None:
    width = len(grid[FIRST])
    rows = [row for row in grid[-4:] if len(row) == width and row[0] != "Total"]
    grid.append(
        ["Summe", *(sum(row[at] for row in rows) if isinstance(rows[0][at], int) else None
                    for at in range(1, width))]
    )  # fmt: skip


DAMAGES: dict[str, Damage] = {
    "first heading renamed": put(TOP, 0, "Kind of it"),
    "second heading blank": put(TOP, 1, None),
    "last heading renamed": put(TOP, 2, "Number of it"),
    "last heading blank": put(TOP, 2, None),
    "columns swapped": swapped,
    "column of texts inserted": column(1, "Counted by", "Ada"),
    "column of numbers inserted": column(1, "Phone", lambda n: 5551000 + n * n),
    "column of texts without heading": column(1, None, "Ada"),
    "column of numbers without heading": column(1, None, lambda n: 5551000 + n * n),
    "column of texts without heading at the end": column(3, None, "Ada"),
    "column of numbers at the end": column(3, "Phone", lambda n: 5551000 + n * n),
    "text for a number": put(FIRST + 1, 2, "ca. 60"),
    "letter O for zero": put(FIRST + 1, 2, "6O"),
    "error value": put(FIRST + 1, 2, "#REF!"),
    "fraction": put(FIRST + 1, 2, 0.5),
    "remark below": below(["Prepared by NN"]),
    "remark after a gap": below([], ["Prepared by NN"]),
    "number after a gap": below([], [None, None, 77]),
    "two cells after a gap": below([], ["Approved by", "A. H."]),
    "headings again": headings_again,
    "another table below": below([], ["Kind", "Number"], ["x", 5]),
    "blank row inside": row_at(FIRST + 2),
    "table moved down": row_at(1),
    "remark beside": put(FIRST + 1, 5, "see over"),
    "number beside": put(FIRST + 1, 5, 77),
    "label renamed": put(0, 0, "Place"),
    "stamp blank": put(0, 1, None),
    "first cell alone in a row": row_at(FIRST + 2, "see page 2"),
    "sums nobody named": sums_at_the_end,
}
assert len(DAMAGES) >= 25


def records(run: boreotabula.Run) -> list[str]:
    return sorted(
        repr([row[name] for name in sorted(row) if not name.startswith("source_")])
        for table in run.tables.values()
        for row in table.to_pylist()
    )


@pytest.fixture(scope="module", params=list(LAYOUTS))
def inbox(request: pytest.FixtureRequest, tmp_path_factory: pytest.TempPathFactory) -> Any:
    home = tmp_path_factory.mktemp("forms")
    (home / "form.toml").write_text(LAYOUTS[request.param], "utf-8")
    for site in range(SITES):
        write_workbook(home / "in" / f"s{site}.xlsx", {"T": good(request.param, site)})
    run = boreotabula.extract(boreotabula.Layout.load(home / "form.toml"))
    assert (run.findings, run.record_count) == ((), SITES * (6 if "list" in request.param else 12))
    return request.param, home, records(run)


@pytest.mark.parametrize("damage", DAMAGES)
def test_no_damage_goes_without_a_word(inbox: Any, damage: str) -> None:
    form, home, expected = inbox
    grid = good(form, 0)
    DAMAGES[damage](grid)
    path = home / "in" / "s0.xlsx"
    before = path.read_bytes()
    try:
        write_workbook(path, {"T": grid})
        run = boreotabula.extract(boreotabula.Layout.load(home / "form.toml"))
    finally:
        path.write_bytes(before)
    told = [one.code for one in run.findings if one.file in ("s0.xlsx", "")]
    assert records(run) == expected or told
