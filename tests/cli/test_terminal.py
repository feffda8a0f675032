"""What reaches a terminal, a chart or a path is text, whatever stands in cells and names."""

from __future__ import annotations

import json
import os
import re
import sqlite3
import subprocess
import zipfile
from collections.abc import Callable
from pathlib import Path

import pytest
from hypothesis import given
from hypothesis import strategies as st

from boreotabula.batch.read_all import ReadOptions
from boreotabula.findings.catalogue import finding_kind
from boreotabula.findings.finding import Finding
from boreotabula.layout.parsing import parse_layout
from boreotabula.layout.patterns import PatternKind, pattern
from boreotabula.layout.problems import LayoutError
from boreotabula.review.charts.cross import draw_cross
from boreotabula.review.crosstab.cross import CrosstabSpec
from boreotabula.review.crosstab.crosstab import crosstab
from boreotabula.sheets.opening import Workbook
from boreotabula.stores.records import load_records
from boreotabula.texts import guarded_text, in_natural_order, unguarded_text
from boreotabula.unreadable import UnreadableError
from helpers import LOTS, PROGRAM, csv_rows, program, write_workbook
from raw_files import raw_ods, raw_xlsx, zipped

EVIL = "\x1b]0;mine\x07\x1b[2J \u009b31m [red]x[/red] x[ [/x] \u202egnp"
CONTROLS = re.compile("[\x00-\x08\x0b-\x1f\x7f-\x9f\u202a-\u202e]")


@pytest.fixture
def desk(tmp_path: Path) -> Path:
    (tmp_path / "inbox").mkdir()
    (tmp_path / "lots.toml").write_text(LOTS, encoding="utf-8")
    return tmp_path


def listed(desk: Path, *rows: str, name: str = "a.csv") -> Path:
    path = desk / "inbox" / name
    path.write_text("species,lot\n" + "".join(f"{row}\n" for row in rows), encoding="utf-8")
    return path


COMMANDS = [
    "survey inbox", "show inbox/a.csv --layout lots.toml", "headings lots.toml", "trace out.csv 1",
    "extract lots.toml -o out.csv -v --overwrite", "extract lots.toml --dry-run",
    "crosstab out.csv --rows species --across lot --how count", "bind inbox -o bound.xlsx",
    "coverage out.csv --rows species --across source_file", f"show inbox/{EVIL}",
    f"crosstab out.csv --rows {EVIL}", f"extract lots.toml --{EVIL}",
]  # fmt: skip


@pytest.mark.parametrize("command", COMMANDS)
def test_no_control_character_of_a_cell_or_name_is_printed(desk: Path, command: str) -> None:
    listed(desk, f"{EVIL},{EVIL}", "Pine,1")
    listed(desk, f"{EVIL},2", name=f"{EVIL.replace('/', '')}\n.csv")
    (desk / "inbox" / f"bad {EVIL.replace('/', '')}.xlsx").write_bytes(b"PK")
    program("extract", "lots.toml", "-o", "out.csv", cwd=desk)
    words = [
        word.replace("~", " ") for word in command.replace(EVIL, EVIL.replace(" ", "~")).split()
    ]
    done = program(*words, cwd=desk)
    assert done.status != 70 and not CONTROLS.search(done.out + done.err)
    as_json = program(*words, "--json", cwd=desk)
    assert not CONTROLS.search(as_json.out)
    if as_json.out:
        json.loads(as_json.out)


def test_markup_in_names_is_shown_as_it_is(desk: Path) -> None:
    listed(desk, "[bold]Pine[/bold],[/x]", name="x[.csv")
    done = program("extract", "lots.toml", "--dry-run", "-v", cwd=desk)
    assert "[bold]Pine[/bold]" in done.out and "“[/x]” is not a whole number" in done.err
    assert "x[.csv: 1 tab" in done.err


def test_findings_quote_no_more_than_can_be_read(desk: Path) -> None:
    listed(desk, f"Pine,{'x' * 800_000}", f"{'y' * 200_000},2", f"Elm,{'7' * 6_000}")
    done = program("extract", "lots.toml", "-o", "out.csv", "--report", "page.html", cwd=desk)
    assert done.status == 1 and len(done.err) < 2_000
    assert (desk / "out.csv.run" / "findings.csv").stat().st_size < 4_000
    assert (
        max(len(row["text"]) for row in csv_rows(desk / "out.csv.run" / "unplaced.csv")) == 800_000
    )
    for command in ("extract lots.toml --dry-run", "trace out.csv 2", "show inbox/a.csv",
                    "crosstab out.csv --rows species --how count"):  # fmt: skip
        shown = program(*command.split(), cwd=desk)
        assert shown.status in (0, 1) and len(shown.out + shown.err) < 5_000, command
    (row,) = [one for one in csv_rows(desk / "out.csv") if one["species"][0] == "y"]
    assert len(row["species"]) == 200_000
    assert (
        len(Finding(finding_kind("read-as"), f"“{'z' * 500}” and “{'w' * 20}”", "").message) < 200
    )


# --- patterns ------------------------------------------------------------------------------------

PIECES = st.lists(
    st.sampled_from(["*", "**", "{}", "a", "b", "ab", "/", "-"]), min_size=1, max_size=6
)


def naive(text: str, kind: PatternKind) -> re.Pattern[str]:
    """The pattern as a regular expression that tries everything."""
    any_ = "[^/]" if kind is PatternKind.FILE else "."
    parts = re.split(r"(\*\*|\*|\{\w*\})", text)
    made = {"**": ".*?", "*": f"{any_}*?"}
    return re.compile(
        "".join(
            made.get(part, f"({any_}+?)" if part[:1] == "{" else re.escape(part)) for part in parts
        ),
        re.IGNORECASE | re.DOTALL,
    )


@given(PIECES, st.text("abA/-", max_size=10), st.sampled_from([PatternKind.FILE, PatternKind.TAB]))
def test_patterns_match_as_if_everything_was_tried(
    pieces: list[str], name: str, kind: PatternKind
) -> None:
    names = iter("uvwxyz")
    text = "".join(f"{{{next(names)}}}" if one == "{}" else one for one in pieces)
    try:
        made = pattern(text, kind)
    except ValueError:
        return  # two captures side by side
    subject = name.rpartition("/")[2] if kind is PatternKind.FILE and "/" not in text else name
    expected = naive(text, kind).fullmatch(subject)
    assert made.match(name) == (
        expected and dict(zip(made.captures, expected.groups(), strict=True))
    )


@pytest.mark.parametrize(
    ("text", "name"),
    [("{a} - {b} - {c} - {d} x", "a - " * 30_000), ("*a*a*a*a*a*a*b", "a" * 300_000)],
)
def test_a_long_name_takes_no_longer_than_it_is(text: str, name: str) -> None:
    assert pattern(text, PatternKind.TAB).match(name) is None
    assert pattern(text, PatternKind.TAB).other_match(name) is None


# --- paths, databases, CSV and charts ------------------------------------------------------------


@pytest.mark.parametrize(
    "name", ["../evil", "/tmp/evil", "a/b", "a\\\\b", "nul\\u0000", "", ".hidden", "con", "x" * 101]
)
def test_a_table_is_named_so_that_it_can_be_a_file(name: str) -> None:
    text = LOTS.replace("[block]", f'[block]\ninto = "{name}"')
    with pytest.raises(LayoutError, match="cannot name a table"):
        parse_layout(text, "lots.toml")


def test_tables_that_differ_in_letter_case_alone_are_refused() -> None:
    text = LOTS.replace("[block]", '[[block]]\ninto = "A"\n[[block]]\ninto = "a"')
    with pytest.raises(LayoutError, match="“a” and “A” differ in letter case alone"):
        parse_layout(text, "lots.toml")


@pytest.mark.parametrize("name", ["50%?#.sqlite", "50%?#.parquet", 'a b\'s "x".csv'])
def test_names_with_signs_of_addresses_are_written_and_read(desk: Path, name: str) -> None:
    listed(desk, "Pine,1")
    assert program("extract", "lots.toml", "-o", name, cwd=desk).status == 0
    shown = program("crosstab", name, "--rows", "species", "--how", "count", cwd=desk)
    assert shown.status == 0 and "Pine" in shown.out
    assert {one.name for one in desk.iterdir()} == {
        "inbox",
        "lots.toml",
        name,
        f"{name}.run",
    }


FORMULAS = ["=cmd|' /C calc'!A0", "+1+1", "-2+3", "@SUM(A1)", "'quoted", "plain"]


@pytest.mark.parametrize("name", ["out.csv", "out.csv.gz", "out.tsv"])
def test_texts_that_spreadsheets_take_for_formulas_are_guarded_if_asked_for(
    desk: Path, name: str
) -> None:
    listed(desk, *(f'"{text}",{-at}' for at, text in enumerate(FORMULAS)), "Elm,=2+3")
    asked = ["extract", "lots.toml", "-o", name]
    assert program(*asked, "--safe-csv", cwd=desk).status == 1
    again = load_records(desk / name, None, ReadOptions())
    assert again.column("species").to_pylist() == [*FORMULAS, "Elm"]
    if name == "out.csv":
        rows = csv_rows(desk / name)
        assert [row["species"] for row in rows[:4]] == [f"'{one}" for one in FORMULAS[:4]]
        assert [row["lot"] for row in rows[:3]] == ["0", "-1", "-2"]  # numbers are numbers
        assert csv_rows(desk / "out.csv.run" / "unplaced.csv")[0]["text"] == "'=2+3"
        assert program("trace", name, "1", cwd=desk).status == 0
        assert program(*asked, cwd=desk).status == 1  # nothing is taken over from the other form
        assert [row["species"] for row in csv_rows(desk / name)] == [*FORMULAS, "Elm"]
        for other in (["-o", "out.xlsx"], ["--into", "out.sqlite"]):
            done = program("extract", "lots.toml", *other, "--safe-csv", cwd=desk)
            assert (done.status, "--safe-csv is for" in done.err) == (2, True)


@given(st.text(max_size=6))
def test_guarded_texts_come_back(text: str) -> None:
    guarded = guarded_text(text)
    assert not re.match(r"[=+\-@\t\r]", guarded)
    assert unguarded_text(guarded) == text or text.startswith("'")


@given(st.lists(st.text("ab01234", max_size=6), max_size=6))
def test_numbers_in_texts_sort_by_their_size(texts: list[str]) -> None:
    def naive(text: str) -> list[tuple[int, int, str]]:
        parts = re.split(r"(\d+)", text)
        return [(0, int(one), "") if one.isdigit() else (1, 0, one) for one in parts]

    assert [naive(one) for one in sorted(texts, key=in_natural_order)] == sorted(map(naive, texts))
    assert in_natural_order("7" * 6_000) > in_natural_order("9" * 5_999)


@pytest.mark.parametrize("kind", ["lines", "bars", "heat"])
def test_names_are_drawn_as_they_are(desk: Path, kind: str) -> None:
    names = ["$\\frac{$", "$5 to $10", "_first", "__", EVIL]
    listed(desk, *(f'"{name}",{at}' for at, name in enumerate(names, 1)))
    assert program("extract", "lots.toml", "-o", "out.csv", cwd=desk).status == 0
    cross = crosstab(
        load_records(desk / "out.csv", None, ReadOptions()),
        CrosstabSpec(("lot",), "species", how="count"),
    )
    if kind == "lines":
        cross = crosstab(
            load_records(desk / "out.csv", None, ReadOptions()),
            CrosstabSpec(("species",), "lot", how="count"),
        )
    draw_cross(cross, desk / "picture.svg", kind)
    drawn = (desk / "picture.svg").read_text(encoding="utf-8")
    for name in names[:4]:
        assert f">{name}<" in drawn, name


# --- ends as it should ---------------------------------------------------------------------------


def test_a_layout_nested_without_end_is_a_message(desk: Path) -> None:
    text = "layout = 1\nx = " + "[" * 100_000 + "]" * 100_000
    (desk / "deep.toml").write_text(text, encoding="utf-8")
    done = program("extract", "deep.toml", "-o", "out.csv", cwd=desk)
    assert (done.status, "nested deeper" in done.err) == (2, True)


def _to(arguments: list[str], desk: Path, redirect: str) -> tuple[int, str]:
    words = " ".join(f"'{one}'" for one in [PROGRAM, *arguments])
    command = ["bash", "-c", f"{words} {redirect}"]
    done = subprocess.run(command, cwd=desk, capture_output=True, text=True, check=False)
    return done.returncode, done.stderr


@pytest.mark.skipif(not Path("/dev/full").exists(), reason="there is no full device here")
@pytest.mark.parametrize(
    ("arguments", "redirect", "status", "said"),
    [
        (["extract", "lots.toml", "-o", "-"], ">/dev/full", 2, "could not be written: No space"),
        (["extract", "lots.toml", "--dry-run"], ">/dev/full", 2, "could not be written: No space"),
        (["extract", "lots.toml", "-o", "-"], ">&-", 2, "stdout is closed; name a file"),
        (["extract", "lots.toml", "-o", "out.csv"], ">&- 2>&-", 0, ""),
    ],
)
def test_a_stream_that_is_full_or_closed_is_a_message(
    desk: Path, arguments: list[str], redirect: str, status: int, said: str
) -> None:
    listed(desk, "Pine,1")
    found, told = _to(arguments, desk, redirect)
    assert (found, said in told, "Traceback" in told) == (status, True, False), told


def test_a_database_that_may_not_be_written_is_a_message(
    desk: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    listed(desk, "Pine,1")
    assert program("extract", "lots.toml", "-o", "out.sqlite", cwd=desk).status == 0
    usual = sqlite3.connect

    def read_only(path: Path, **more: object) -> sqlite3.Connection:
        return usual(f"{path.absolute().as_uri()}?mode=ro", uri=True, **more)  # type: ignore[call-overload,no-any-return]

    monkeypatch.setattr(sqlite3, "connect", read_only)
    done = program("extract", "lots.toml", "--into", "out.sqlite", cwd=desk)
    assert (done.status, "attempt to write a readonly database" in done.err) == (2, True)


# --- messages for real files ---------------------------------------------------------------------


def _protected(path: Path) -> None:
    content = (Path(__file__).parents[1] / "files" / "bench.xls").read_bytes()
    at = content.index(b"\x5c\x00\x70\x00")  # the record of who wrote it becomes that of a password
    path.write_bytes(content[:at] + b"\x2f\x00" + content[at + 2 :])


def _parts(path: Path) -> dict[str, bytes]:
    with zipfile.ZipFile(path) as archive:
        return {one: archive.read(one) for one in archive.namelist()}


def _changed(
    change: Callable[[dict[str, bytes]], dict[str, bytes]],
) -> Callable[[Path], None]:
    def write(path: Path) -> None:
        raw_xlsx(path, '<row r="1"><c r="A1"><v>1</v></c></row>')
        zipped(path, change(_parts(path)))

    return write


MESSAGES: dict[str, tuple[Callable[[Path], object], str]] = {
    "protected.xls": (_protected, "it is protected by a password. Ask the sender for a copy"),
    "old.xls": (
        lambda path: path.write_bytes(b"\x09\x02\x06\x00" + bytes(90)),
        "a workbook in a form from before 1995, which is not read. Open it in a spreadsheet",
    ),
    "unrelated.xlsx": (
        _changed(
            lambda parts: {name: one for name, one in parts.items() if "k.xml.rels" not in name}
        ),
        "it is damaged: one of its parts, or what points to it, is missing",
    ),
}


@pytest.mark.parametrize("name", MESSAGES)
def test_what_a_file_is_is_said_and_what_to_ask_for(desk: Path, name: str) -> None:
    write, said = MESSAGES[name]
    write(desk / name)
    done = program("show", name, cwd=desk)
    assert (done.status, said in done.err) == (2, True), done.err


def test_a_zip_with_backslashes_and_small_letters_is_read(desk: Path) -> None:
    _changed(lambda parts: {name.lower().replace("/", "\\"): one for name, one in parts.items()})(
        desk / "a.xlsx"
    )
    with Workbook(desk / "a.xlsx") as book:
        assert book.sheet("Bench 1").rows == [[1.0]]


def test_two_tabs_of_one_name_are_both_read(desk: Path) -> None:
    write_workbook(desk / "a.xlsx", {"One": [["first"]], "Two": [["second"]]})
    parts = _parts(desk / "a.xlsx")
    parts["xl/workbook.xml"] = parts["xl/workbook.xml"].replace(b'"Two"', b'"One"')
    zipped(desk / "a.xlsx", parts)
    with Workbook(desk / "a.xlsx") as book:
        assert [book.sheet(tab.name).rows for tab in book.tabs] == [[["first"]], [["second"]]]
        assert book.doubts == ("two of its tabs are called “One”; here the other is “One (2)”",)


def test_where_only_one_of_two_tabs_of_one_name_can_be_read_that_is_an_error(desk: Path) -> None:
    row = '<table:table-row><table:table-cell office:value-type="string"><text:p>{}</text:p>'
    rows = row.format("x") + "</table:table-cell></table:table-row>"
    path = raw_ods(desk / "a.ods", rows, tabs=2)
    parts = _parts(path)
    parts["content.xml"] = parts["content.xml"].replace(b"Bench 2", b"Bench 1")
    zipped(path, parts)
    with Workbook(path) as book:
        assert book.sheet("Bench 1").rows == [["x"]]
        with pytest.raises(UnreadableError, match="only one of them can be read"):
            book.sheet("Bench 1 (2)")


def test_a_terminal_without_our_characters_gets_others(desk: Path) -> None:
    listed(desk, "Pine,1", "“Bjørk”,x")
    call = [PROGRAM, "extract", "lots.toml", "-o", "out.csv"]
    environment = {**os.environ, "PYTHONIOENCODING": "ascii", "COLUMNS": "120"}
    done = subprocess.run(call, cwd=desk, env=environment, capture_output=True, check=False)
    said = (done.stdout + done.stderr).decode("ascii")
    assert done.returncode == 1 and "a.csv > B3" in said
    assert '"x" is not' in said and "\n  > Correct the cell" in said
    call = [PROGRAM, "show", "inbox/a.csv"]
    done = subprocess.run(call, cwd=desk, env=environment, capture_output=True, check=False)
    assert done.returncode == 0 and b'"Bj?rk"' in done.stdout


def test_more_than_three_causes_are_told_together_and_the_hint_is_for_who_can_follow_it(
    desk: Path,
) -> None:
    head = "species,lot,one,two,three,four,five"
    (desk / "inbox" / "a.csv").write_text(f"{head}\nPine,1,a,b,c,d,e\n", "utf-8")
    run = program("extract", "lots.toml", "-o", "out.csv", cwd=desk)
    view = program("show", "inbox/a.csv", "--layout", "lots.toml", cwd=desk)
    assert (run.err.count("→"), view.err.count("→")) == (1, 1)
    assert "by file: a.csv 5" in run.err
    assert run.err.splitlines()[-1] == "--verbose shows each in full"
    assert "--verbose" not in view.err
    whole = program("extract", "lots.toml", "-o", "out.csv", "-v", cwd=desk)
    assert whole.err.count("→") >= 5 and "--verbose" not in whole.err


@pytest.mark.parametrize("width", [80, 200])
def test_texts_are_cut_only_where_there_is_no_room_and_numbers_never(
    desk: Path, width: int, monkeypatch: pytest.MonkeyPatch
) -> None:
    monkeypatch.setenv("COLUMNS", str(width))
    texts = [f"a rather long text {at}" for at in range(5)]
    lines = ",".join([*texts, *["123456789"] * 3])
    (desk / "inbox" / "a.csv").write_text(
        f"Count of all benches at Lomlia,,,,,,,\n{lines}\n", "utf-8"
    )
    said = program("show", "inbox/a.csv", cwd=desk).out
    assert said.count("123456789") == 3 and "Count of all benches at Lomlia" in said
    assert ("…" in said) == (width == 80) and max(map(len, said.splitlines())) <= width
