"""Times whole commands on tables of growing size: twice the size may take twice the time, not four
times.

Each run is a process of its own; the start, which is the same for all, is printed as well.
"""

from __future__ import annotations

import argparse
import os
import shutil
from collections.abc import Callable, Iterator, Sequence
from pathlib import Path
from random import Random

import xlsxwriter

from run import HERE, WORK, Contender, environment

Rows = list[list[object]]

FILES = 3


def cross_tab(columns: int, draw: Random) -> Rows:
    """Two levels of headings over so many columns."""
    years: list[object] = ["" if column % 12 else f"Y{column // 12}" for column in range(columns)]
    months: list[object] = [f"M{column % 12}" for column in range(columns)]
    body = [[f"Lot {row}", *_counts(columns, draw)] for row in range(20)]
    return [["", *years], ["Lot", *months], *body]


def listed(columns: int, draw: Random) -> Rows:
    """A list of so many columns, of texts and numbers in turn."""
    body: Rows = [
        [
            f"t{draw.randint(0, 9)}" if column % 2 else draw.randint(1, 900)
            for column in range(columns)
        ]
        for _ in range(60)
    ]
    return [[f"Heading {column}" for column in range(columns)], *body]


def stacked(tables: int, draw: Random) -> Rows:
    """So many tables below each other, each with a title."""
    rows: Rows = []
    for table in range(tables):
        rows += [[f"Site {table}"], ["Species", "Lot", "Count"]]
        rows += [[f"S{row}", f"L{row}", draw.randint(1, 900)] for row in range(4)]
        rows.append([])
    return rows


def _counts(columns: int, draw: Random) -> list[object]:
    return [draw.randint(1, 900) for _ in range(columns)]


CROSS_TAB = """layout = 1
[source]
folder = "inbox"
[tabs]
position = 1
[block]
stub   = "lot"
across = ["year", "month"]
value  = "count"
[fields]
lot   = "text"
year  = "text"
month = "text"
count = "integer"
"""

CASES: Sequence[tuple[str, Callable[[int, Random], Rows], Sequence[int], str]] = (
    ("extract, columns of a cross-tab", cross_tab, (250, 500, 1000, 2000), CROSS_TAB),
    ("draft, columns of a list", listed, (40, 80, 160), ""),
    ("draft, tables below each other", stacked, (40, 80, 160), ""),
)
"""What grows, how it is made, its sizes, and the layout; without one it is drafted."""


def main() -> None:
    """Run each case in all of its sizes, and print the medians."""
    parser = argparse.ArgumentParser(description=__doc__)
    parser.add_argument("--rounds", type=int, default=3)
    given = parser.parse_args()
    tool = environment("tool", ["--editable", str(HERE.parent)])
    os.environ["BOREOTABULA_CACHE"] = str(WORK / "kept-sizes")
    start = Contender("start", [tool / "boreotabula", "show", "--help"])
    for _ in range(given.rounds):
        start.go()
    print(f"start: {start.median:.2f} s")
    for name, make, sizes, layout in CASES:
        contenders = list(_contenders(tool, make, sizes, layout))
        for _ in range(given.rounds):
            for contender in contenders:
                contender.go()
        times = (f"{contender.name} {contender.median:.2f} s" for contender in contenders)
        print(f"{name}: {', '.join(times)}")


def _contenders(
    tool: Path, make: Callable[[int, Random], Rows], sizes: Sequence[int], layout: str
) -> Iterator[Contender]:
    for size in sizes:
        folder = WORK / f"{make.__name__}-{size}"
        shutil.rmtree(folder, ignore_errors=True)
        (folder / "inbox").mkdir(parents=True)
        for number in range(FILES):
            path = folder / "inbox" / f"site_{'ABC'[number]}_2026-0{number + 1}.xlsx"
            with xlsxwriter.Workbook(path) as book:
                sheet = book.add_worksheet("Count")
                for row, cells in enumerate(make(size, Random(number))):
                    sheet.write_row(row, 0, cells)
        output = folder / ("out.csv" if layout else "drafted.toml")
        if layout:
            (folder / "layout.toml").write_text(layout, "utf-8")
            command = ["extract", folder / "layout.toml", "-q", "--fresh", "-o", output]
        else:
            command = ["draft", folder / "inbox", "-o", output]
        yield Contender(str(size), [tool / "boreotabula", *command], output)


if __name__ == "__main__":
    main()
