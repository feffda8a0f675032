"""Damaged workbooks that are marked, bound, or added to: each output opens, or is not there."""

from __future__ import annotations

import io
import json
import unicodedata
from pathlib import Path

import xlsxwriter
from hypothesis import given
from hypothesis import strategies as st

from boreotabula.sheets.look import NO_RESULT
from boreotabula.sheets.parts.tab_names import valid_name
from fuzzing.damage import damaged, damaged_part, odd_name
from fuzzing.desk import (
    FAULTY_ROWS,
    GOOD,
    GOOD_SUM,
    Filled,
    cells_of,
    check_left,
    desk,
    findings,
    is_opened_elsewhere,
    run,
    xlsx,
)

LIKELY = (
    "sheet1", "styles", "comments", "vmlDrawing", "drawing", "rels", "Content_Types", "table",
    "workbook.xml", "sharedStrings", "chart",
)  # fmt: skip
SEEDS = st.integers(0, 2**32)
OFTEN = st.integers(1, 4)


def rich(rows: list[list[object]], tab: str = "Bench 1") -> bytes:
    """A workbook with all that a careful person puts around a table."""
    stream = io.BytesIO()
    with xlsxwriter.Workbook(stream, {"in_memory": True}) as book:
        sheet = book.add_worksheet(tab)
        bold = book.add_format({"bold": True, "num_format": "0.00", "bg_color": "#EEEECC"})
        for row, cells in enumerate(rows):
            for column, cell in enumerate(cells):
                if cell is not None:
                    sheet.write(row, column, cell, bold if row % 2 else None)
        sheet.write_comment("C5", "counted twice")
        sheet.conditional_format("C5:E7", {"type": "cell", "criteria": ">", "value": 9})
        sheet.data_validation("C5:E7", {"validate": "integer", "criteria": ">", "value": 0})
        sheet.merge_range("L1:M1", "signed")
        other = book.add_worksheet("Sums")
        other.write_row("A1", ["Month", "Sum"])
        other.write_formula("B2", f"=SUM('{tab}'!C5:C7)", None, 15)
        other.add_table("D1:E3", {"columns": [{"header": "Bench"}, {"header": "Area"}]})
        chart = book.add_chart({"type": "column"})
        chart.add_series({"values": f"='{tab}'!$C$5:$C$7"})
        other.insert_chart("G2", chart)
        book.define_name("Counted", f"='{tab}'!$C$5:$E$7")
        book.add_worksheet("Hidden").hide()
    return stream.getvalue()


FAULTY = rich(FAULTY_ROWS)
HEADINGS = [["source_file", "species", "lot", "container", "grade", "seedlings", "month", "site"]]
MASTER = rich([*HEADINGS, ["older.xlsx", "Pine", "P9", "Multipot", "A", 7, "2026-01", "older"]],
              "Records")  # fmt: skip


def check_opens(path: Path, origin: Path, but: str = "") -> None:
    """A workbook holds what could be read in that it was made of, and opens elsewhere if that did.

    `but` is the tab that may differ.
    """
    before, after = cells_of(origin), cells_of(path)
    assert after, path.name
    for tab, cells in before.items():
        assert tab == but or _is_same(cells, after[tab]), (path.name, tab)
    if not is_opened_elsewhere(path):
        assert not is_opened_elsewhere(origin), path.name


def _is_same(before: Filled, after: Filled) -> bool:
    """Whether two tabs hold the same; a result may be left to the program that opens it."""
    return before.keys() == after.keys() and all(
        repr(cell) == repr(after[place]) or NO_RESULT in str(after[place])
        for place, cell in before.items()
    )


@given(SEEDS, OFTEN, st.booleans())
def check_mark(seed: int, often: int, by: bool) -> None:
    """Mark a damaged workbook with faults, between two others."""
    files = {**GOOD, "faulty.xlsx": damaged_part(FAULTY, seed, often, LIKELY)}
    files["other.xlsx"] = xlsx(FAULTY_ROWS)
    with desk(files) as folder:
        command = ["extract", folder / "l.toml", "-o", folder / "out.csv", "--workers", "1"]
        if run("read", *command, "--fresh")[0] > 1:
            return
        marked = folder / "marked"
        options = ["--by", "site"] if by else []
        status, text = run("mark", "mark", folder / "out.csv", "-o", marked, *options)
        check_left(folder, "out.csv", "out.csv.run", *(["marked"] if status < 2 else []))
        assert status < 2, text
        check_marked(marked, folder / "inbox")
        run("mark --check", "mark", folder / "out.csv", "--check", marked)


def check_marked(marked: Path, inbox: Path) -> None:
    """What a folder of marked copies must hold."""
    listed = json.loads((marked / "marked.json").read_text("utf-8"))
    copies = {
        path.relative_to(marked).as_posix(): path
        for path in marked.rglob("*.xlsx")
        if path.is_file()
    }
    named = {entry["copy"] for entry in listed["files"] if entry["copy"]}
    assert named == set(copies), (named, set(copies))
    assert not list(marked.rglob("*.part"))
    for entry in listed["files"]:
        if entry["copy"]:
            check_opens(copies[entry["copy"]], inbox / entry["file"])


@given(SEEDS, OFTEN, st.booleans())
def check_bind(seed: int, often: int, inside: bool) -> None:
    """Bind a damaged workbook, between two good ones."""
    way = damaged_part(FAULTY, seed, often, LIKELY) if inside else damaged(FAULTY, seed, often)
    with desk({**GOOD, "faulty.xlsx": way}) as folder:
        out = folder / "all.xlsx"
        status, _ = run("bind", "bind", folder / "inbox", "-o", out)
        check_left(folder, *(["all.xlsx"] if status < 2 else []))
        if status < 2:
            assert is_opened_elsewhere(out)
            tabs = list(cells_of(out).values())
            for name in GOOD:
                whole = cells_of(folder / "inbox" / name)["Bench 1"]
                assert whole in tabs, name


@given(SEEDS, OFTEN, st.booleans())
def check_into(seed: int, often: int, again: bool) -> None:
    """Add records to a damaged workbook, or to one that was damaged after a first run."""
    with desk(GOOD) as folder:
        master = folder / "master.xlsx"
        command = ["extract", folder / "l.toml", "--into", master, "--into-tab", "Records"]
        if again:
            master.write_bytes(MASTER)
            status, text = run("into", *command)
            assert status == 0, text
            master.write_bytes(damaged_part(master.read_bytes(), seed, often, LIKELY))
        else:
            master.write_bytes(damaged_part(MASTER, seed, often, LIKELY))
        old = master.read_bytes()
        status, text = run("into", *command)
        run_left = [path.name for path in folder.iterdir() if path.name == "master.xlsx.run"]
        check_left(folder, "master.xlsx", *run_left)
        if status > 1:
            assert master.read_bytes() == old, text
            return
        (folder / "old.xlsx").write_bytes(old)
        check_opens(master, folder / "old.xlsx", "Records")
        told = {line["code"] for line in findings(folder, "master.xlsx")}
        if "rows-written-again" not in told:
            check_added(cells_of(master)["Records"])


def check_added(records: Filled) -> None:
    """All records of the good files stand on a tab, once."""
    rows: dict[int, dict[int, object]] = {}
    for (row, column), cell in records.items():
        rows.setdefault(row, {})[column] = cell
    sources = [set(GOOD) & {str(cell) for cell in cells.values()} for cells in rows.values()]
    headed = [cells for cells in rows.values() if "seedlings" in cells.values()]
    assert headed, "no heading"
    at = next(column for column, cell in headed[0].items() if cell == "seedlings")
    ours = [cells[at] for cells, source in zip(rows.values(), sources, strict=True) if source]
    assert sum(float(str(cell)) for cell in ours) == GOOD_SUM * len(GOOD), ours


@given(st.lists(SEEDS, min_size=1, max_size=4), st.sampled_from(["file", "value", "tab"]))
def check_names(seeds: list[int], where: str) -> None:
    """Names of files, of tabs, and values that name folders, as odd as can be."""
    names = dict.fromkeys(odd_name(seed, as_file=where != "value") for seed in seeds)
    names = {unicodedata.normalize("NFC", name): None for name in names}
    files = {**GOOD}
    for number, name in enumerate(names):
        rows = [[*row] for row in FAULTY_ROWS]
        if where == "value":
            for row in rows[4:7]:
                row[0] = name
        files[f"{name}.xlsx" if where == "file" else f"n{number}.xlsx"] = _named(
            rows, name if where == "tab" else "Bench 1"
        )
    with desk(files) as folder:
        command = ["extract", folder / "l.toml", "-o", folder / "out.csv", "--workers", "1"]
        status, text = run("names", *command, "--fresh")
        assert status < 2, text
        for by in ("site", "species"):
            marked = folder / f"by {by}"
            status, text = run("names", "mark", folder / "out.csv", "-o", marked, "--by", by)
            assert status < 2, text
            check_marked(marked, folder / "inbox")
        status, text = run("names", "bind", folder / "inbox", "-o", folder / "all.xlsx")
        assert is_opened_elsewhere(folder / "all.xlsx"), text
        check_left(folder, "out.csv", "out.csv.run", "by site", "by species", "all.xlsx")


def _named(rows: list[list[object]], tab: str) -> bytes:
    """A workbook whose tab has a name as odd as a file may hold."""
    stream = io.BytesIO()
    with xlsxwriter.Workbook(stream, {"in_memory": True, "strings_to_formulas": False}) as book:
        sheet = book.add_worksheet(valid_name(tab))
        for row, cells in enumerate(rows):
            for column, cell in enumerate(cells):
                if cell is not None:
                    sheet.write(row, column, cell)
    return stream.getvalue()
