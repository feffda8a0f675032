"""Every kind of finding is met by a case of its own, at the cell that it speaks of."""

from __future__ import annotations

import json
import shutil
import zipfile
from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass, field
from pathlib import Path
from typing import Any

import pytest

import boreotabula
from boreotabula.findings.catalogue import BY_CODE
from boreotabula.findings.finding import Finding
from helpers import program, read, sheet, write_workbook

CROSS = """
[block]
stub = "lot"
across = ["pot", "grade"]
value = "n"
{keys}
[fields]
lot = "text"
pot = "text"
grade = "text"
n = "integer"
"""
WEEK = CROSS.replace('["pot", "grade"]', '"pot"').replace('grade = "text"\n', "")
LIST = """
[block]
{keys}
[fields]
lot = "text"
species = "text"
n = "integer"
"""


@dataclass(frozen=True)
class OnTab:
    """A tab, the layout that reads it, and the cell that the finding names."""

    picture: str
    layout: str
    cell: str
    keys: str = ""
    merges: Sequence[str] = ()
    more: str = ""
    """Further fields, or tables before the block."""

    def met(self, _: Path) -> Sequence[Finding]:
        text = self.layout.replace("{keys}", self.keys)
        text = text + self.more if not self.more.startswith("[") else self.more + "\n" + text
        picture = self.picture.replace("/", "\n")
        return read(sheet(picture, self.merges), f"layout = 1\n{text}").findings


@dataclass(frozen=True)
class InRun:
    """The files of a run, text or tabs, and the cell that the finding names, if it names one."""

    files: Mapping[str, Any]
    layout: str
    cell: str = ""
    keys: str = ""
    top: str = ""
    prepare: Callable[[Path], None] = field(default=lambda home: None)
    named: Sequence[str] = ()
    """The files that the user names, if not all are read."""

    def met(self, home: Path) -> Sequence[Finding]:
        (home / "in").mkdir(exist_ok=True)
        text = self.layout.replace("{keys}", self.keys)
        source = "" if "[source]" in self.top else '[source]\nfolder = "in"\n'
        (home / "a.toml").write_text(f"layout = 1\n{self.top}\n{source}{text}", "utf-8")
        for name, content in self.files.items():
            if isinstance(content, str | bytes):
                data = content if isinstance(content, bytes) else lines(content).encode()
                (home / "in" / name).write_bytes(data)
            else:
                write_workbook(home / "in" / name, content)
        self.prepare(home)
        files = [home / "in" / name for name in self.named]
        return boreotabula.extract(boreotabula.Layout.load(home / "a.toml"), files).findings


def lines(text: str) -> str:
    """A text whose lines are divided by slashes, unless it is written in lines."""
    return text if "\n" in text else text.replace("/", "\n")


def lots(number: int) -> str:
    """A list of three lots."""
    return f"Lot,Species,N/L1,Pine,{number}/L2,Birch,1{number}/L3,Alder,2{number}"


def stamp(source: str) -> str:
    """The stamp of the lot, from a source."""
    return f"[stamps]\nlot = {{ {source} }}\n"


def tab(picture: str) -> list[list[object]]:
    """The rows of a tab from a picture."""
    return [[cell or None for cell in row] for row in sheet(picture.replace("/", "\n")).rows]


FORM = ". | Pot 95 | . | Pot 60 | ./Lot | A | B | A | B/L1 | 1 | 2 | 3 | 4/L2 | 5 | 6 | 7 | 9"
EVERY = "[tabs]\nevery = true\n"
NUMBERS = "Species,N/" + "/".join(f"S{n},{n * n + 7}" for n in range(20))


def link_to_nothing(home: Path) -> None:
    (home / "in" / "b.csv").symlink_to(home / "none.csv")


def linked_folder(home: Path) -> None:
    (home / "other").mkdir()
    (home / "in" / "b").symlink_to(home / "other")


def glossary_twice(home: Path) -> None:
    (home / "g.csv").write_text("heading,field\nArt,species\nArt,species\n", "utf-8")


def cut_tab(home: Path) -> None:
    """Cut the second tab of the workbook in the midst of its cells."""
    with zipfile.ZipFile(home / "in" / "a.xlsx") as whole:
        parts = {name: whole.read(name) for name in whole.namelist()}
    part = "xl/worksheets/sheet2.xml"
    parts[part] = parts[part][: parts[part].index(b"<c ") + 12]
    with zipfile.ZipFile(home / "in" / "a.xlsx", "w") as cut:
        for name, data in parts.items():
            cut.writestr(name, data)


def foreign_run(home: Path) -> None:
    (home / "in" / "b.run").mkdir()
    record = json.dumps({"output": "b.csv"})
    (home / "in" / "b.run" / "run.json").write_text(record, "utf-8")
    shutil.copy(home / "in" / "a.csv", home / "in" / "b.csv")


# fmt: off
CASES: Mapping[str, OnTab | InRun] = {
    # files and tabs
    "file-unreadable": InRun({"a.csv": lots(1), "b.xlsx": b"PK\x03\x04 cut"}, LIST),
    "quote-open": InRun({"a.csv": 'Lot,Species,N/L1,"Pine,1/L2,Birch,2'}, LIST),
    "read-as": InRun({"a.csv": "Lot,Species,N/L1,Bjørk,1".encode("cp1252").replace(b"/", b"\n")},
                     LIST),
    "file-twice": InRun({"a.csv": lots(1), "b.csv": lots(1)}, LIST),
    "tab-twice": InRun({"a.xlsx": {"A": tab("Lot | N/L1 | 1"), "B": tab("Lot | N/L1 | 1")}},
                       EVERY + LIST),
    "folder-linked": InRun({"a.csv": lots(1)}, LIST, prepare=linked_folder),
    "file-not-regular": InRun({"a.csv": lots(1)}, LIST, prepare=link_to_nothing),
    "output-doubtful": InRun({"a.csv": lots(1)}, LIST, prepare=foreign_run),
    "file-not-chosen": InRun({"a1.csv": lots(1), "b.csv": lots(2)}, LIST,
                             top='[source]\nfolder = "in"\ninclude = "a*.csv"\n'),
    "no-file-matches": InRun({"a.csv": lots(1)}, LIST,
                             top='[source]\nfolder = "in"\ninclude = "*.xls"\n'),
    "name-ambiguous": InRun({"my_x_lots_x_1.csv": "Species,N/P,1"}, LIST,
                            top='[source]\nfolder = "in"\ninclude = "{lot}_x_*.csv"\n'),
    "name-unmatched": InRun({"b.csv": lots(1)}, LIST, named=["b.csv"],
                            top='[source]\nfolder = "in"\ninclude = "a*.csv"\n'),
    "tab-unreadable": InRun({"a.xlsx": {"A": tab("Lot | N/L1 | 1"), "B": tab("Lot | N/L2 | 1")}},
                            EVERY + LIST, prepare=cut_tab),
    "no-tab-matches": InRun({"a.xlsx": {"Bnech": tab("Lot | N/L1 | 1")}},
                            '[tabs]\nnamed = "Bench"\n' + LIST),
    "tab-pattern-unused": InRun({"a.xlsx": {"Bench": tab("Lot | N/L1 | 1")}},
                                '[tabs]\nnamed = ["Bench", "Huone"]\n' + LIST),
    "tab-not-chosen": InRun({"a.xlsx": {"Bench": tab("Lot | N/L1 | 1"),
                                        "Other": tab("Lot | N/L2 | 1")}},
                            '[tabs]\nnamed = "Bench"\n' + LIST, keys='stub = "lot"'),
    "tabs-alike": InRun({"a.xlsx": {"B 1": tab("Lot | N/L1 | 1"), "Bay 1": tab("Lot | N/L2 | 5")}},
                        '[tabs]\nnamed = ["B {species}", "Bay {species}"]\n' + LIST),
    "several-tabs": InRun({"a.xlsx": {"A": tab("Lot | N/L1 | 1"), "B": tab("x/y")}}, LIST),
    "workbook-blank": InRun({"a.xlsx": {"A": []}}, EVERY + LIST),
    "tab-blank": InRun({"a.xlsx": {"A": tab("Lot | N/L1 | 1"), "B": []}}, EVERY + LIST),
    "edition-unknown": OnTab("Form 3/Lot | N/L1 | 1", LIST.replace("[block]", "[edition.block]"),
                             "", more='[[edition]]\nwhen = { cell = "A1", is = "Form 2" }'),
    # stamps
    "stamp-blank": OnTab("Lot: | ./Species | N/Pine | 1", LIST, "A1",
                         more=stamp('right_of = "Lot:"')),
    "stamp-not-found": OnTab("Species | N/Pine | 1", LIST, "",
                             more=stamp('right_of = "Lot:"')),
    "stamp-found-twice": OnTab("Lot: | a | Lot: | b/Species | N/Pine | 1", LIST, "B1",
                               more=stamp('right_of = "Lot:"')),
    "stamp-sources-differ": OnTab(
        "Lot: | a/Other: | b/Species | N/Pine | 1", LIST, "B2",
        more='[stamps]\nlot = [{ right_of = "Lot:" }, { right_of = "Other:", compared = true }]'),
    "stamp-label-differs": OnTab("Bench | a/Species | N/Pine | 1", LIST, "B1",
                                 more=stamp('cell = "B1", labelled = "Lot"')),
    "stamp-pattern-differs": OnTab("Lot: | a/Species | N/Pine | 1", LIST, "B1",
                                   more=stamp('right_of = "Lot:", pattern = "L{}"')),
    "stamp-not-converted": OnTab("N: | soon/Lot | Species/L1 | Pine", LIST, "B1",
                                 more='[stamps]\nn = { right_of = "N:" }'),
    "stamp-default": OnTab("Species | N/Pine | 1", LIST, "",
                           more=stamp('right_of = "Lot:", default = "L0"')),
    "stamp-moved": InRun(
        {f"{n}.csv": ("Lot,a/,/" if n else ",/Lot,a/") + f"Species,N/Pine,{n}" for n in range(9)},
        stamp('cell = "B1"') + LIST, "B1"),
    "stamp-label-unusual": InRun(
        {f"{n}.csv": f"{'Lot' if n else 'Man'},a/,/Species,N/Pine,{n}" for n in range(9)},
        stamp('cell = "B1"') + LIST, "B1"),
    "stamp-source-unusual": InRun(
        {f"{n}.csv": f"{'Lot' if n else 'No'},a{n}/,/Species,N/Pine,{n}" for n in range(4)},
        '[stamps]\nlot = [{ right_of = "Lot" }, { right_of = "No" }]\n' + LIST),
    # tables and headings
    "block-not-found": OnTab("Kind | Batch/x | 1", LIST, "", keys='stub = "lot"'),
    "block-found-twice": OnTab("Lot | N/a | 1/./Lot | Weight/b | 2", LIST, "A4",
                               keys='stub = "lot"', more='w = { type = "text", also = "Weight" }'),
    "blocks-overlap": OnTab("Lot | N/a | 1", LIST.replace("[block]", "[[block]]"), "A1",
                            keys='stub = "lot"\ninto = "a"\n[[block]]\nstub = "lot"\ninto = "b"'),
    "stub-heading-missing": OnTab("Lot | N/a | 1", LIST, "A1", keys='stub = ["lot", "species"]'),
    "heading-rows-doubtful": OnTab(
        ". | P | P/Lot | A | B/. | x | y/a | 1 | 2", CROSS, "B1"),
    "heading-unknown": OnTab("Lot | N | Taimia/a | 1 | 2", LIST, "C1", keys='stub = "lot"'),
    "heading-row-met": OnTab("Lot | N/a | 1", LIST, "A1",
                             keys='headings = 0\ncolumns = ["lot", "n"]'),
    "heading-contradicts": OnTab("N | Lot/a | 1", LIST, "A1",
                                 keys='columns = ["lot", "n"]'),
    "column-lacking": InRun({f"{n}.csv": lots(n) for n in range(4)}
                            | {"9.csv": "Lot,N/L1,3"}, LIST),
    "columns-differ": OnTab("Lot | Species/a | 1", LIST, "A1",
                            keys='columns = ["lot", "species", "n"]'),
    "heading-twice": OnTab("Lot | N | . | Lot | N/a | 1 | . | b | 2", LIST, "D1",
                           keys='stub = "lot"'),
    "headings-repeated": OnTab("Lot | A | A/a | 1 | 2", WEEK, "C1"),
    "heading-taken": OnTab("Lot: | x/Species | Lot | N/Pine | y | 1", LIST, "B2",
                           more=stamp('right_of = "Lot:"'), keys='stub = "species"'),
    "heading-not-converted": OnTab("Lot | 2024 | Remarks/a | 1 | 2",
                                   WEEK.replace('pot = "text"', 'pot = "integer"'), "C1"),
    "heading-level-blank": OnTab(". | . | P/Lot | A | B/a | 1 | 2", CROSS, "B1"),
    "heading-rare": InRun(
        {f"{n}.csv": f"Lot,A,B,C,D{',Fax' if n == 3 else ''}/a{n},1,2,3,4,7" for n in range(9)},
        WEEK, "F1"),
    "headings-foreign": InRun({f"{n}.csv": f"Lot,{'Mon,Tue' if n else 'Monday,Tuesday'}/a,1,{n}"
                               for n in range(8)}, WEEK, "B1"),
    "level-row-unusual": InRun(
        {f"{n}.xlsx": {"T": tab(f"{FORM}{n}")} for n in range(3)}
        | {"9.xlsx": {"T": tab(FORM.replace("/Lot", "/. | checked 3 May | . | . | ./Lot"))}},
        CROSS, "B2"),
    "level-row-refused": OnTab(FORM.replace("/Lot", "/L1 | 9011 | 9012 | 9013 | 9014/Lot"), CROSS,
                               "A2"),
    "heading-near": InRun({f"{n}.csv": f"Lot,Multipot/a,{n}" for n in range(6)}
                          | {"9.csv": "Lot,Multpot/a,7"}, WEEK, "B1"),
    "glossary-entry-twice": InRun(
        {"a.csv": lots(1)}, LIST, top='glossary = "g.csv"',
        prepare=glossary_twice),
    "field-missing": OnTab("Lot | N/a | 1", LIST, "A1"),
    "required-field-missing": OnTab("Lot | N/a | 1", LIST.replace(
        'species = "text"', 'species = { type = "text", required = true }'), "A1"),
    "values-without-heading": OnTab("Lot | N | ./a | 1 | 2/b | 1 | 3", LIST, "C2"),
    "heading-beyond-gap": OnTab("Lot | A | . | B/a | 1 | . | 2", WEEK, "D1"),
    "corner-differs": OnTab(
        "All | 2001 | 2002/a | 1 | 2/./Few | 2001 | 2002/a | 3 | 4",
        WEEK.replace('stub = "lot"', 'columns = "lot"'), "A1",
        keys='repeat = true\nfound_by = ["2001", "2002"]'),
    "columns-numbered": OnTab("Lot | Species | N/1 | 2 | 3/a | x | 7", LIST, "A2"),
    "rule-takes-all": OnTab("Lot | N/a: | 1/b: | 2", LIST, "A2", keys='skip = "*:"'),
    # rows
    "group-missing": OnTab("Lot | N | M/a | 1 | 2/Pines | . | ./b | 3 | 4", WEEK, "A2",
                           keys='group_row = "species"', more='species = "text"'),
    "group-doubtful": OnTab("Lot | N | M/Pines | . | ./Firs | . | ./b | 3 | 4", WEEK, "A3",
                            keys='group_row = "species"', more='species = "text"'),
    "group-empty": OnTab("Lot | N | Species/Pines | . | ./b | 3 | x/Firs | . | .", LIST, "A4",
                         keys='group_row = { field = "g", named = ["Pines", "Firs"] }',
                         more='g = "text"'),
    "row-without-stub": OnTab("Lot | A | B/a | 1 | 2/. | 3 | 4/b | 5 | 7", WEEK, "B3"),
    "stub-cell-blank": OnTab(
        "Lot | Species | A/a | x | 1/b | . | 2/c | y | 3/d | y | 5/e | z | 6",
        WEEK.replace('stub = "lot"', 'stub = ["lot", "species"]'), "B3", more='species = "text"'),
    "row-without-value": OnTab("Lot | A | B/a | 1 | 2/b | . | ./c | 5 | 7", WEEK, "A3"),
    "row-unclear": OnTab(
        "Lot | No | A | B/Firs | . | . | ./b | 1 | 3 | 4/Pine | 2 | . | ./c | 3 | 5 | 6",
        WEEK.replace('"lot"\nacross', '["lot", "no"]\nacross'), "A4",
                         keys='group_row = "g"', more='no = "text"\ng = "text"'),
    "row-below-table": OnTab("Lot | Species | N/a | x | 1/b | y | 2/Approved | . | .", LIST, "A4"),
    "row-nearly-blank": OnTab("Lot | Species | N/a | x | 1/see page 2 | . | ./b | y | 2/c | z | 4",
                              LIST, "A3"),
    "records-below-end": OnTab("Lot | N/a | 1/b | 2/Note 5 | ./c | 3", LIST, "A5",
                               keys='ends_at = "Note*"'),
    "table-without-records": OnTab("Lot: | x/Species | N", LIST, "A2", keys='stub = "species"',
                                   more=stamp('right_of = "Lot:"')),
    "table-not-filled": OnTab("Lot | N | M/a | . | ./b | . | .", LIST, "A1", more='m = "number"'),
    "headings-as-record": OnTab("Lot | 1997 | 1998/a | 1 | 2/Other | 1997 | 1998/b | 3 | 4", WEEK,
                                "A3"),
    "required-value-blank": OnTab("Lot | Species | N/a | . | 1/b | y | 2", LIST.replace(
        'species = "text"', 'species = { type = "text", required = true }'), "B2"),
    # values
    "value-not-converted": OnTab("Lot | N/a | 12O/b | 2", LIST, "B2"),
    "column-not-converted": OnTab("Lot | N/a | x/b | y", LIST, "B2"),
    "value-outside": OnTab("Lot | N/a | 140/b | 2", LIST.replace(
        'n = "integer"', 'n = { type = "integer", max = 100 }'), "B2"),
    "reading-doubtful": OnTab("Lot | Day/a | 03-04-26", LIST, "B2", more='day = "date"'),
    "read-by-evidence": OnTab("Lot | W/a | 1,250/b | 1,5", LIST, "B2", more='w = "number"'),
    "files-disagree": InRun(
        {"a.csv": "Lot;Day\n1;03/04/2026", "b.csv": "Lot;Day\n2;23/04/2026",
         "c.csv": "Lot;Day\n3;04/23/2026"}, LIST + 'day = "date"', "B2"),
    "values-rounded": OnTab("Lot | W/a | 0.333/b | 1", LIST, "B2", more='w = "decimal(2)"'),
    "month-without-year": OnTab(
        "Lot | Month/a | April", LIST, "B2",
        more='year = "integer"\nmonth = { type = "month", year_from = "year" }'),
    "value-far": InRun({"a.csv": NUMBERS + "/S99,41000"}, LIST, "B22"),
    "value-stands-for-nothing": InRun({"a.csv": NUMBERS + "/a,-9999/b,-9999/c,-9999"}, LIST),
    # totals and the account
    "looks-like-total": OnTab("Lot | A | B/a | 1000 | 2000/b | 3000 | 4001/Alt | 4000 | 6001", WEEK,
                              "A4"),
    "total-likely": OnTab("Lot | Species | N/a | x | 1/b | y | 2/Total Hill | . | 9", LIST, "A4"),
    "tab-likely-total": InRun(
        {"a.xlsx": {"Jan": tab("Lot | A | B/x | 3 | 5/y | 8 | 9"),
                    "Feb": tab("Lot | A | B/x | 2 | 7/y | 4 | 1"),
                    "Q": tab("Lot | A | B/x | 5 | 12/y | 12 | 10")}}, EVERY + WEEK),
    "total-differs": OnTab("Lot | N/a | 1/b | 2/Total | 7", LIST, "B4", keys='totals = "Total"'),
    "total-over-texts": OnTab("Lot | Sum/a | kr 12,50/b | kr 8,-/Total | 20.5", LIST, "B4",
                              keys='totals = "Total"', more='s = { type = "text", also = "Sum" }'),
    "total-doubtful": OnTab("Lot | Species | N/Quay | Ann | 3/Totality House | Bo | 4", LIST, "A3",
                            keys='totals = "Total*"'),
    "control-differs": OnTab("D | a | 1/D | b | 2/T | 3 | 3", LIST, "B3", keys='headings = 0\n'
                             'columns = ["-", "lot", "n"]\ncontrol = { line = "T", count = 2 }'),
    "rule-unused": InRun({"a.csv": lots(1)}, LIST, keys='below = "leave out"'),
    "cells-unplaced": OnTab("Lot | A | B | Note/a | 1 | 2 | ./b | . | . | late/c | 5 | 7 | .", WEEK,
                            "D3", more='note = "text"'),
    "numbers-unplaced": OnTab("777/./Lot | N/a | 1", LIST, "A1"),
    "texts-unplaced": OnTab("Please return/./Lot | N/a | 1", LIST, "A1"),
    "texts-repeated": InRun({f"{n}.csv": f"Stock-take,/,/Lot,N/L{n},{n}" for n in range(4)}, LIST,
                            "A1"),
    # compared with others
    "key-twice": InRun({"a.csv": "Lot,N/L1,1", "b.csv": "Lot,N/L1,2"}, LIST, "A2",
                       top='key = "lot"'),
    "sent-twice": InRun({f"{n}.csv": f"Lot:,{'x' if n < 2 else n}/,/Species,N/a,{n}/b,1{n}"
                         for n in range(3)}, stamp('right_of = "Lot:"') + LIST),
    "near-copy": InRun({"a.csv": lots(1), "b.csv": lots(1).replace("21", "99")}, LIST),
    "copy-kept-too": InRun({"a.csv": lots(1),
                            "a corrected.csv": lots(1).replace("21", "99")}, LIST),
    "values-repeated": InRun(
        {f"{n}.csv": f"Lot:,x{n}/,/{NUMBERS if n < 2 else NUMBERS.replace('1', str(n))}"
         for n in range(4)}, stamp('right_of = "Lot:"') + LIST),
    "tab-missing": InRun({f"{n}.xlsx": {"A": tab(f"Lot | N/L{n} | 1"),
                                        **({"B": tab(f"Lot | N/M{n} | 1")} if n else {})}
                          for n in range(5)}, EVERY + LIST),
    "records-few": InRun(
        {f"{n}.csv": "Lot,N/" + "/".join(f"L{n}{k},{k}" for k in range(16 if n else 2))
         for n in range(4)}, LIST),
    "field-empty-here": InRun({f"{n}.csv": f"Lot,Species,N/L{n},{'x' if n else ''},{n}"
                               for n in range(5)}, LIST),
}
# fmt: on

ELSEWHERE = {
    "file-not-fetched": "batch/test_remote.py",
    "file-over-budget": "batch/test_hostile.py",
    "total-without-number": "reading/test_totals.py",
    "file-fault": "batch/test_hostile.py",
    "folder-unreadable": "batch/test_paths.py",
    "tab-hidden": "cli/test_looking.py",
    "rows-hidden": "reading/test_damage.py",
    "columns-hidden": "reading/test_damage.py",
    "value-restated": "review/test_compare.py",
    "cell-corrected": "review/test_corrections.py",
    "correction-lapsed": "review/test_corrections.py",
    "total-before-correction": "review/test_corrections.py",
    "acceptance-idle": "review/test_accepted.py",
    "acceptance-lapsed": "review/test_accepted.py",
    "rows-kept": "stores/test_into.py",
    "remark-gone": "stores/test_into.py",
    "changed-by-hand": "stores/test_into.py",
    "rows-written-again": "stores/test_into.py",
    "value-not-held": "stores/test_every_store.py",
}
"""Codes that need a server, a broken machine, a second run or styles: the tests that meet them."""


@pytest.mark.parametrize("code", CASES)
def test_a_code_is_met_at_its_cell(code: str, tmp_path: Path) -> None:
    case = CASES[code]
    met = [one for one in case.met(tmp_path) if one.code == code]
    assert met, sorted({one.code for one in case.met(tmp_path)})
    assert met[0].cell == case.cell, met[0]
    assert met[0].message and met[0].advice


def test_every_code_has_a_case() -> None:
    assert CASES.keys() | ELSEWHERE.keys() == BY_CODE.keys()
    assert not CASES.keys() & ELSEWHERE.keys()
    home = Path(__file__).parents[1]
    for code, module in ELSEWHERE.items():
        assert code in (home / module).read_text("utf-8"), code


def test_the_program_prints_each_finding_with_its_place(tmp_path: Path) -> None:
    case = CASES["level-row-unusual"]
    case.met(tmp_path)
    done = program("extract", "a.toml", "-o", "out.csv", cwd=tmp_path)
    assert done.status == 1 and "9.xlsx › T › B2" in done.err
