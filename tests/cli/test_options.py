"""What options change in the result: outputs, cross-tabs, glossaries, what bind leaves out."""

from __future__ import annotations

import json
import zipfile
from pathlib import Path
from typing import Any

import click
import openpyxl
import pytest

from boreotabula.batch.processes.worker import out_of_memory
from boreotabula.cli.main import cli
from helpers import Outcome, csv_rows, installed, program, write_workbook

LAYOUT = """
layout = 1
{top}[source]
folder = "in"
[block]
[fields]
day = "text"
size = {{ type = "text", choices = ["small", "large", "big"] }}
seen = "date"
n = "integer"
"""
DAYS = ["Wednesday", "Monday", "Sunday", "Tuesday", "Friday", "Thursday", "Saturday"]
SIZES = ["big", "small", "large", "big", "small", "large", "big"]


@pytest.fixture
def home(tmp_path: Path) -> Path:
    """A folder with an output of seven records, 0 to 6 in April."""
    (tmp_path / "in").mkdir()
    rows = [f"{day},{size},2026-04-0{n + 1},{n}"
            for n, (day, size) in enumerate(zip(DAYS, SIZES, strict=True))]  # fmt: skip
    (tmp_path / "in" / "a.csv").write_text("\n".join(["Day,Size,Seen,N", *rows]), "utf-8")
    (tmp_path / "a.toml").write_text(LAYOUT.format(top=""), "utf-8")
    assert program("extract", "a.toml", "-o", "o.csv", "-q", cwd=tmp_path).status == 0
    return tmp_path


def crosstab(home: Path, *options: object) -> Any:
    """A cross-tab as data."""
    done = program("crosstab", "o.csv", *options, "--json", cwd=home)
    assert done.status == 0, done.err
    return json.loads(done.out)


def test_weekdays_and_choices_stand_in_their_order(home: Path) -> None:
    table = crosstab(home, "--rows", "day", "--across", "size", "--value", "n")
    assert [one[0][:3] for one in table["rows"]] == [
        "Mon", "Tue", "Wed", "Thu", "Fri", "Sat", "Sun",
    ]  # fmt: skip
    assert table["columns"] == ["small", "large", "big"]


@pytest.mark.parametrize(
    ("how", "days", "total"),
    [("min", ["02", "03", "01"], "01"), ("max", ["05", "06", "07"], "07")],
)
def test_the_first_and_the_last_day(home: Path, how: str, days: list[str], total: str) -> None:
    table = crosstab(home, "--rows", "size", "--value", "seen", "--how", how)
    assert [row[0][-2:] for row in table["cells"]] == days and table["total"][-2:] == total


def test_the_largest_rows_by_size(home: Path) -> None:
    table = crosstab(home, "--rows", "day", "--value", "n", "--top", "2", "--by-value")
    assert table["rows"] == [["Saturday"], ["Thursday"], ["5 others"]]
    assert (table["cells"], table["total"]) == ([[6], [5], [10]], 21)


def test_top_keeps_the_order_of_names(home: Path) -> None:
    table = crosstab(home, "--rows", "day", "--value", "n", "--top", "2")
    assert table["rows"] == [["Thursday"], ["Saturday"], ["5 others"]]


def test_the_change_from_the_column_before(home: Path) -> None:
    rows = ["big,2026-04-01,5", "big,2026-04-02,8", "small,2026-04-02,1", "big,2026-04-03,2"]
    lines = ["Size,Seen,N", *rows]
    (home / "in" / "a.csv").write_text("\n".join(lines), "utf-8")
    assert program("extract", "a.toml", "-o", "o.csv", "-q", cwd=home).status == 0
    table = crosstab(home, "--rows", "size", "--across", "seen", "--value", "n", "--change")
    assert table["cells"] == [[None, None, None], [None, 3, -6]]
    assert table["column_totals"] == [None, 4, -7]


@pytest.mark.parametrize("kind", ["lines", "bars", "heat"])
def test_each_kind_of_chart_is_a_picture_of_its_own(home: Path, kind: str) -> None:
    def drawn(*options: str) -> bytes:
        done = program(
            "crosstab", "o.csv", "--rows", "day", "--across", "size", "--value", "n",
            "--chart", "c.svg", *options, cwd=home,
        )  # fmt: skip
        assert done.status == 0, done.err
        return (home / "c.svg").read_bytes()

    others = {drawn("--chart-kind", one) for one in {"lines", "bars", "heat"} - {kind}}
    picture = drawn("--chart-kind", kind)
    assert picture.lstrip().startswith(b"<?xml") and picture not in others


@pytest.mark.parametrize("suffix", ["csv", "parquet", "xlsx", "sqlite", "jsonl"])
def test_records_without_sources_are_traced_all_the_same(home: Path, suffix: str) -> None:
    (home / "a.toml").write_text(LAYOUT.format(top="provenance = false\n"), "utf-8")
    out = f"p.{suffix}"
    assert program("extract", "a.toml", "-o", out, "-q", cwd=home).status == 0
    done = program("trace", out, "3", cwd=home)
    assert done.status == 0 and "a.csv › A4" in done.out and "“Sunday”" in done.out
    if suffix == "csv":
        assert list(csv_rows(home / out)[0]) == ["day", "size", "seen", "n"]


def test_a_glossary_has_columns_of_its_own(tmp_path: Path) -> None:
    names = [["From", "To"], ["Sted", "site"], ["Vekt", "n"]]
    write_workbook(tmp_path / "master.xlsx", {"Data": [["site", "n"]], "Names": names})
    (tmp_path / "in").mkdir()
    (tmp_path / "in" / "a.csv").write_text("Sted,Vekt\nx,3 t\ny,4\n", "utf-8")
    glossary = '{ file = "master.xlsx#Names", heading = "From", field = "To" }'
    (tmp_path / "a.toml").write_text(
        f'layout = 1\nglossary = {glossary}\n[source]\nfolder = "in"\n[block]\n[fields]\n'
        'site = "text"\nn = { type = "number", unit = { kg = 1, t = 1000 } }\n',
        "utf-8",
    )
    assert program("extract", "a.toml", "-o", "o.csv", cwd=tmp_path).status == 0
    assert [(one["site"], one["n"]) for one in csv_rows(tmp_path / "o.csv")] == [
        ("x", "3000"), ("y", "4"),
    ]  # fmt: skip
    assert "t × 1000 kg" in program("trace", "o.csv", "1", cwd=tmp_path).out


@pytest.mark.parametrize(
    ("glossary", "expected"),
    [
        ('{ file = "g.csv", heading = "Fra", field = "Til" }', "Fra"),
        ('{ file = "none.csv", heading = "From", field = "To" }', "none.csv"),
        ('{ file = "g.csv", header = "From" }', "header"),
    ],
)
def test_a_glossary_that_is_not_there_is_told(home: Path, glossary: str, expected: str) -> None:
    (home / "g.csv").write_text("From,To\nDag,day\n", "utf-8")
    (home / "a.toml").write_text(LAYOUT.format(top=f"glossary = {glossary}\n"), "utf-8")
    done = program("extract", "a.toml", "-o", "x.csv", cwd=home)
    assert done.status == 2 and expected in done.err and not (home / "x.csv").exists()


def files(home: Path) -> Path:
    """A layout over three small workbooks."""
    for name in ("a", "b", "c"):
        write_workbook(home / "in" / f"{name}.xlsx", {"T": [["Lot", "N"], [f"{name}1", 1]]})
    layout = home / "l.toml"
    fields = '[block]\n[fields]\nlot = "text"\nn = "integer"\n'
    layout.write_text(f'layout = 1\n[source]\nfolder = "in"\n{fields}', "utf-8")
    return layout


def single_options() -> list[tuple[str, str]]:
    """Each option of a command that takes one value."""
    context = click.Context(cli)
    commands = {name: cli.get_command(context, name) for name in cli.list_commands(context)}
    return [
        (name, option.opts[-1])
        for name, command in commands.items()
        for option in (command.params if command else [])
        if isinstance(option, click.Option) and not (option.multiple or option.is_flag)
    ]


@pytest.mark.parametrize(("command", "option"), single_options())
def test_an_option_for_one_value_is_not_given_two(command: str, option: str) -> None:
    done = program(command, option, "1", f"{option}=1", "x")
    assert done.status == 2 and done.out == ""
    assert f"{option} is given 2 times; it takes one value" in done.err


@pytest.mark.apart
def test_files_that_need_more_memory_are_told_so_and_nothing_else(tmp_path: Path) -> None:
    layout = files(tmp_path)
    # Far more than a MiB on any machine: what small workbooks need depends on the allocator.
    for name in ("a", "b", "c"):
        lots = ([f"{name} {number} " + "x" * 90, number] for number in range(20_000))
        rows = [["Lot", "N"], *lots]
        write_workbook(tmp_path / "in" / f"{name}.xlsx", {"T": rows})
    done = installed("extract", layout, "-o", "o.csv", "--memory-per-file", "1", cwd=tmp_path)
    assert done.status == 3 and not (tmp_path / "o.csv").exists()
    told = " ".join(done.err.split())
    # Which step first lacks memory differs from file to file, so they may be told apart.
    assert "more than the 1 MiB of memory" in told
    assert "20 seconds" not in told and "program itself failed" not in told
    done = installed("extract", layout, "-o", "o.csv", "--memory-per-file", "600", cwd=tmp_path)
    assert done.status == 0 and len(csv_rows(tmp_path / "o.csv")) == 60_000, done.err


@pytest.mark.parametrize(
    ("raised", "expected"),
    [
        (MemoryError(), True),
        (ImportError("cannot allocate memory in static TLS block"), True),
        (ValueError("no"), False),
        (ImportError("no module"), False),
    ],
)
def test_what_lack_of_memory_looks_like(raised: BaseException, expected: bool) -> None:
    assert out_of_memory(raised) is expected


def test_colours_are_left_out_if_asked(home: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    def printed() -> Outcome:
        return program("show", "in/a.csv", cwd=home)

    monkeypatch.setenv("FORCE_COLOR", "1")
    coloured = printed()
    monkeypatch.delenv("FORCE_COLOR")
    monkeypatch.setenv("NO_COLOR", "1")
    plain = printed()
    assert "\x1b[" not in plain.out and plain.status == 0
    assert len(plain.out) <= len(coloured.out)


def test_records_into_a_workbook_with_macros_keep_them(tmp_path: Path) -> None:
    layout = files(tmp_path)
    book = write_workbook(tmp_path / "master.xlsx", {"T": [["lot", "n"], ["z", 9]]})
    path = tmp_path / "master.xlsm"
    with_macros(book, path)
    done = program("extract", layout, "--into", path, cwd=tmp_path)
    assert done.status == 0, done.err
    with zipfile.ZipFile(path) as parts:
        assert parts.read("xl/vbaProject.bin") == b"macros"
        assert b"macroEnabled" in parts.read("[Content_Types].xml")
    rows = [
        row[:2] for row in openpyxl.load_workbook(path)["T"].iter_rows(min_row=2, values_only=True)
    ]
    assert rows == [("z", 9), ("a1", 1), ("b1", 1), ("c1", 1)]


def with_macros(book: Path, target: Path) -> None:
    """Copy a workbook as one with macros."""
    kind = "application/vnd.ms-excel.sheet.macroEnabled.main+xml"
    plain = "application/vnd.openxmlformats-officedocument.spreadsheetml.sheet.main+xml"
    project = "application/vnd.ms-office.vbaProject"
    with zipfile.ZipFile(book) as old, zipfile.ZipFile(target, "w") as new:
        for name in old.namelist():
            data = old.read(name)
            if name == "[Content_Types].xml":
                data = data.replace(plain.encode(), kind.encode()).replace(
                    b"</Types>",
                    f'<Override PartName="/xl/vbaProject.bin" ContentType="{project}"/></Types>'
                    .encode(),
                )  # fmt: skip
            if name == "xl/_rels/workbook.xml.rels":
                data = data.replace(
                    b"</Relationships>",
                    b'<Relationship Id="rId99" Type="http://schemas.microsoft.com/office/2006/'
                    b'relationships/vbaProject" Target="vbaProject.bin"/></Relationships>',
                )
            new.writestr(name, data)
        new.writestr("xl/vbaProject.bin", b"macros")


def test_a_formula_below_the_rows_of_a_workbook_is_not_written_over(tmp_path: Path) -> None:
    layout = files(tmp_path)
    rows = [["lot", "n"], ["z", 9], ["Total", "=SUM(B2:B2)"]]
    book = write_workbook(tmp_path / "master.xlsx", {"T": rows})
    before = book.read_bytes()
    done = program("extract", layout, "--into", book, cwd=tmp_path)
    assert done.status == 2 and "B3 holds a formula" in done.err
    assert book.read_bytes() == before


@pytest.mark.parametrize(
    ("options", "tabs"),
    [
        ([], {"a.xlsx": ["T", "U"], "b.xlsx": ["T", "U"]}),
        (["--exclude", "b*"], {"a.xlsx": ["T", "U"]}),
        (["--except", "U"], {"a.xlsx": ["T"], "b.xlsx": ["T"]}),
    ],
)
def test_what_bind_leaves_out(
    tmp_path: Path, options: list[str], tabs: dict[str, list[str]]
) -> None:
    for name in ("a", "b"):
        cells = {"T": [["lot"], [f"{name}-t"]], "U": [["lot"], [f"{name}-u"]]}
        write_workbook(tmp_path / "in" / f"{name}.xlsx", cells)
    done = program("bind", "in", "-o", "o.xlsx", *options, cwd=tmp_path)
    assert done.status == 0, done.err
    book = openpyxl.load_workbook(tmp_path / "o.xlsx")
    held = {str(cell.value) for tab in book for row in tab.iter_rows() for cell in row}
    for name in ("a", "b"):
        for tab in ("T", "U"):
            there = tab in tabs.get(f"{name}.xlsx", ())
            assert (f"{name}-{tab.lower()}" in held) is there


def test_bind_takes_only_visible_tabs_if_asked(tmp_path: Path) -> None:
    path = write_workbook(tmp_path / "in" / "a.xlsx", {"T": [["seen"]], "U": [["secret"]]})
    book = openpyxl.load_workbook(path)
    book["U"].sheet_state = "hidden"
    book.save(path)
    for options, expected in (([], True), (["--visible-only"], False)):
        done = program("bind", "in", "-o", f"{expected}.xlsx", *options, cwd=tmp_path)
        assert done.status == 0, done.err
        bound = openpyxl.load_workbook(tmp_path / f"{expected}.xlsx")
        held = {cell.value for tab in bound for row in tab.iter_rows() for cell in row}
        assert ("secret" in held, "seen" in held) == (expected, True)


def test_a_signed_workbook_is_not_written_into(tmp_path: Path) -> None:
    layout = files(tmp_path)
    book = write_workbook(tmp_path / "master.xlsx", {"T": [["lot", "n"], ["z", 9]]})
    with zipfile.ZipFile(book, "a") as parts:
        parts.writestr("_xmlsignatures/sig1.xml", b"<Signature/>")
    before = book.read_bytes()
    done = program("extract", layout, "--into", book, cwd=tmp_path)
    assert done.status == 2 and "is signed" in done.err
    assert book.read_bytes() == before


def test_groups_by_the_indent_of_cells(tmp_path: Path) -> None:
    import xlsxwriter

    (tmp_path / "in").mkdir()
    with xlsxwriter.Workbook(tmp_path / "in" / "a.xlsx") as book:
        tab = book.add_worksheet()
        inner = book.add_format({"indent": 1})
        tab.write_row(0, 0, ["Place", "N"])
        for row, (place, indent, number) in enumerate(
            [
                ("Lakes", 0, 7),
                ("Suvanto", 1, 3),
                ("Hiekka", 1, 4),
                ("Fells", 0, 5),
                ("Brekka", 1, 5),
            ]
        ):
            tab.write(row + 1, 0, place, inner if indent else None)
            tab.write(row + 1, 1, number)
    (tmp_path / "a.toml").write_text(
        'layout = 1\n[source]\nfolder = "in"\n[block]\n'
        'group_row = { field = "region", indent = 0 }\n'
        '[fields]\nregion = "text"\nplace = "text"\nn = "integer"\n',
        "utf-8",
    )
    done = program("extract", "a.toml", "-o", "o.csv", cwd=tmp_path)
    assert done.status == 0, done.err
    assert [(one["region"], one["place"], one["n"]) for one in csv_rows(tmp_path / "o.csv")] == [
        ("Lakes", "Suvanto", "3"), ("Lakes", "Hiekka", "4"), ("Fells", "Brekka", "5"),
    ]  # fmt: skip


def test_a_draft_looks_at_so_many_files_and_rows_and_says_so(tmp_path: Path) -> None:
    (tmp_path / "in").mkdir()
    for number in range(203):
        rows = [f"L{number}-{at},{at}" for at in range(1600 if number == 0 else 3)]
        (tmp_path / "in" / f"{number:03}.csv").write_text("\n".join(["Lot,N", *rows]), "utf-8")
    done = program("draft", "in", "-o", "d.toml", cwd=tmp_path)
    # What is printed is what the layout gives of all files and rows, not of those looked at.
    assert "203 tabs of 203 files, 2,206 records" in done.out, done.out
    assert "drafted from 120 files, and tried on all" in done.out
    assert program("extract", "d.toml", "-o", "d.csv", cwd=tmp_path).status == 0
    assert len(csv_rows(tmp_path / "d.csv")) == 1600 + 202 * 3
