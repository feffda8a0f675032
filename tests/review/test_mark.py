"""Faults marked in copies: what is said, what stays as it was, and the way back."""

from __future__ import annotations

import json
import re
import shutil
import subprocess
import zipfile
from collections.abc import Callable, Sequence
from datetime import datetime
from pathlib import Path
from typing import Any

import openpyxl
import pytest
from lxml import etree
from openpyxl.chart import BarChart, Reference
from openpyxl.comments import Comment
from openpyxl.styles import Font, PatternFill
from openpyxl.workbook.defined_name import DefinedName
from openpyxl.worksheet.datavalidation import DataValidation

from boreotabula.errors import CallError
from boreotabula.findings.catalogue import BY_CODE, finding_kind
from boreotabula.findings.kind import Severity
from boreotabula.findings.subjects.comparing import VALUE_RESTATED
from boreotabula.findings.subjects.totals import TOTAL_DIFFERS
from boreotabula.review.mark import words
from boreotabula.review.mark.mark import LIST, Marking, mark
from boreotabula.review.mark.names import CopyNames
from boreotabula.stores.saved import output_and_run
from helpers import csv_rows, program

LAYOUT = """layout = 1
key = ["site", "month", "lot"]
[source]
folder = "in"
[tabs]
where_found = true
[stamps]
site = { right_of = "Site" }
month = { right_of = "Month" }
[block]
stub = "lot"
totals = ["Total*"]
ignore = ["Twice"]
[fields]
site = "text"
month = "month"
lot = "text"
seedlings = { type = "integer", min = 0 }
"""


def send(path: Path, site: str, lots: Sequence[tuple[str, Any]], tab: str = "Lots & co") -> None:
    """A form with what makes a workbook one's own: looks, formulas, a chart, rules, hidden tabs."""
    book = openpyxl.Workbook()
    sheet = book.active
    assert sheet is not None
    sheet.title = tab
    for row in (["Site", site], ["Month", datetime(2026, 3, 1)], [], ["Lot", "Seedlings", "Twice"]):
        sheet.append(row)
    sheet["B2"].number_format = "mmm yyyy"
    for number, (lot, count) in enumerate(lots, 5):
        sheet.append([lot, count, f"=B{number}*2"])
        sheet.cell(number, 2).font = Font(italic=True)
        sheet.cell(number, 2).fill = PatternFill("solid", fgColor="FFEEDDCC")
    sheet["B5"].comment = Comment("counted twice", "AH")
    rule = DataValidation(type="whole", sqref="B5:B9")
    sheet.add_data_validation(rule)
    chart = BarChart()
    chart.add_data(Reference(sheet, min_col=2, min_row=5, max_row=6))
    sheet.add_chart(chart, "F2")
    notes = book.create_sheet("Notes of ours")
    notes["A1"] = "private"
    notes.sheet_state = "hidden"
    sheet.print_title_rows = "4:4"
    book.defined_names["first"] = DefinedName("first", attr_text=f"'{tab}'!$B$5")
    path.parent.mkdir(parents=True, exist_ok=True)
    book.save(path)


VML_BOX = (
    b'<v:shape xmlns:v="urn:schemas-microsoft-com:vml" id="Box 1"'
    b' xmlns:o="urn:schemas-microsoft-com:office:office" o:spid="_x0000_s9000">'
    b"<v:textbox><div>one<br>two</div></v:textbox></v:shape>"
)


@pytest.fixture
def home(tmp_path: Path) -> Path:
    """A file with two faults, one that cannot be opened, a text file with one, one without."""
    send(tmp_path / "in" / "a.xlsx", "Aa", [("L1", "ten"), ("L2", 20), ("L3", -4)])
    (tmp_path / "in" / "sub").mkdir()
    (tmp_path / "in" / "sub" / "b.csv").write_text(
        "Site;Bb\nMonth;2026-03\n\nLot;Seedlings\n=L1;=1+1\n007;8\n", "utf-8"
    )
    (tmp_path / "in" / "broken.xlsx").write_bytes(b"PK\x03\x04 nothing")
    send(tmp_path / "in" / "c.xlsx", "Cc", [("L1", 1)])
    (tmp_path / "l.toml").write_text(LAYOUT, "utf-8")
    assert program("extract", "l.toml", "-o", "out.csv", cwd=tmp_path).status == 1
    return tmp_path


def marked(home: Path, *more: object) -> str:
    done = program("mark", "out.csv", "-o", "returns", *more, cwd=home)
    assert (done.status, done.err) == (0, "")
    return done.out


def parts(path: Path) -> dict[str, bytes]:
    with zipfile.ZipFile(path) as archive:
        return {name: archive.read(name) for name in archive.namelist()}


def test_an_xlsx_copy_differs_in_its_marks_alone(home: Path) -> None:
    original = (home / "in" / "a.xlsx").read_bytes()
    out = marked(home)
    assert "a.xlsx: 2 faults marked → returns/a.xlsx" in out and "c.xlsx" not in out
    assert (home / "in" / "a.xlsx").read_bytes() == original
    before, after = parts(home / "in" / "a.xlsx"), parts(home / "returns" / "a.xlsx")
    changed = {name for name in before if before[name] != after.get(name)}
    sheet = "xl/worksheets/sheet1.xml"
    comments = {name for name in before if "comment" in name or name.endswith(".vml")}
    assert changed <= {
        sheet, "xl/styles.xml", "xl/workbook.xml", "xl/_rels/workbook.xml.rels",
        "[Content_Types].xml", *comments,
    }  # fmt: skip
    texts = [etree.tostring(etree.fromstring(one[sheet])).decode() for one in (before, after)]
    bare, marks = (re.sub(r' s="\d+"| tabSelected="1"', "", text) for text in texts)
    assert marks == bare
    book = openpyxl.load_workbook(home / "returns" / "a.xlsx")
    assert book.sheetnames == ["Please correct", "Lots & co", "Notes of ours"]
    assert book.active.title == "Please correct" and book["Notes of ours"].sheet_state == "hidden"
    tab = book["Lots & co"]
    assert tab["C5"].value == "=B5*2" and len(tab._charts) == 1
    assert tab.print_title_rows == "$4:$4" and len(tab.data_validations.dataValidation) == 1
    cell = tab["B5"]
    assert (cell.value, cell.border.left.style, cell.border.left.color.rgb) == (
        "ten", "thick", "FFC00020",
    )  # fmt: skip
    assert (cell.font.i, cell.fill.fgColor.rgb) == (True, "FFEEDDCC")
    assert cell.comment.text.startswith(
        "counted twice\n\nThis cell should hold a whole number, but"
    )
    assert "For example: 120" in cell.comment.text
    assert tab["B7"].comment.text == "“-4” is not possible here. Please check it."
    assert tab["B6"].comment is None
    front = book["Please correct"]
    assert front["A1"].value == "Please correct: a.xlsx"
    assert "send it again under the same name" in front["A2"].value
    rows = [[cell.value for cell in row] for row in front.iter_rows(min_row=4)]
    assert rows[0] == ["tab", "cell", "what we noticed"]
    assert [row[:2] for row in rows[1:]] == [["Lots & co", "B5"], ["Lots & co", "B7"]]
    assert front["B5"].hyperlink.location == "'Lots & co'!B5"


def test_what_may_be_right_is_asked_apart_from_what_is_wrong(home: Path) -> None:
    send(home / "in" / "a.xlsx", "Aa", [("L1", "ten"), ("L2", 12000), ("L3", 4)])
    (home / "in" / "sub" / "b.csv").write_text("Site;Bb\nMonth;2026-03\n\nLot;Seedlings\n007;9\n")
    program("extract", "l.toml", "-o", "out.csv", cwd=home)
    marked(home)
    letter = (home / "returns" / "a.txt").read_text("utf-8")
    assert letter.startswith("Please correct: a.xlsx\n\nHello,\n")
    correct, confirm = (letter.index(text) for text in ("Please correct these", "Please tell us"))
    assert correct < letter.index("Lots & co B5: This cell should hold a whole number") < confirm
    assert confirm < letter.index("A6: In an earlier report this was 20, and now it is 12,000.")
    book = openpyxl.load_workbook(home / "returns" / "a.xlsx")
    column = [cell.value for cell in book["Please correct"]["A"] if cell.value]
    assert column[3:] == ["Please correct", "Lots & co", "Please confirm", *["Lots & co"] * 2]
    # Nothing is wrong here: nobody is told to correct it.
    letter = (home / "returns" / "sub" / "b.txt").read_text("utf-8")
    assert letter.startswith("Please confirm: b.csv") and "Please correct" not in letter
    assert "A5: Your last report had a value here; this one has none. Is that intended?" in letter
    book = openpyxl.load_workbook(home / "returns" / "sub" / "b.xlsx")
    assert book.sheetnames[0] == "Please confirm"
    assert "Please tell us" in book["Please confirm"]["A2"].value


def test_codes_that_were_restated_are_quoted_as_they_are(home: Path) -> None:
    layout = LAYOUT.replace('ignore = ["Twice"]\n', "").replace(
        "[fields]", '[fields]\nbatch = "text"'
    )
    (home / "codes.toml").write_text(
        layout.replace("[source]", '[source]\ninclude = "k*"'), "utf-8"
    )
    for code, count in (("007", 1000), ("2026", 2000)):
        lines = f"Site;Kk\nMonth;2026-03\n\nLot;Batch;Seedlings\nL1;{code};{count}\n"
        (home / "in" / "k.csv").write_text(lines, "utf-8")
        program("extract", "codes.toml", "-o", "codes.csv", cwd=home)
    assert program("mark", "codes.csv", "-o", "codes", cwd=home).status == 0
    letter = (home / "codes" / "k.txt").read_text("utf-8")
    assert "this was 007, and now it is 2026." in letter
    assert "this was 1,000, and now it is 2,000." in letter


@pytest.mark.parametrize(
    ("language", "text"), [("en", "12,345.5"), ("de", "12.345,5"), ("fi", "12 345,5")]
)
def test_numbers_that_we_read_are_written_as_the_language_does(language: str, text: str) -> None:
    say = words.say_in(language)
    said = words.said_of(TOTAL_DIFFERS, "12,345.5", "12,345.5", say).replace("\xa0", " ")
    assert said.count(text) == 2 and say.number("12345.5").replace("\xa0", " ") == text
    # A code that was restated is no number, though it looks like one.
    assert "007" in words.said_of(VALUE_RESTATED, "007", "2026", say)
    # What a sender has typed is quoted as it stands there.
    assert "12345.5" in words.said_of(finding_kind("value-outside"), "", "12345.5", say)


def test_boxes_of_notes_whose_line_breaks_are_open_are_kept(home: Path) -> None:
    """A spreadsheet program writes <br> as in web pages, which is no XML."""
    original = home / "in" / "a.xlsx"
    there = parts(original)
    (boxes,) = (name for name in there if name.endswith(".vml"))
    there[boxes] = there[boxes].replace(b"</xml>", VML_BOX + b"</xml>")
    with zipfile.ZipFile(original, "w") as archive:
        for name, content in there.items():
            archive.writestr(name, content)
    out = marked(home)
    assert "a.xlsx: 2 faults marked → returns/a.xlsx" in out
    tab = openpyxl.load_workbook(home / "returns" / "a.xlsx")["Lots & co"]
    assert tab["B7"].comment.text.startswith("“-4” is not possible")
    written = etree.fromstring(parts(home / "returns" / "a.xlsx")[boxes])
    assert [one.tail for one in written.iter("br")] == ["two"]
    ids = [one.get("id") for one in written.iter("{*}shape")]
    assert len(ids) == len(set(ids)) == 3 and ids[-1] == "_x0000_s9001"


def test_copies_open_in_libreoffice_and_keep_results(home: Path, tmp_path: Path) -> None:
    soffice = shutil.which("soffice")
    if soffice is None:
        pytest.skip("LibreOffice is not installed")
    marked(home)
    for name in ("a", "sub/b"):
        profile = f"-env:UserInstallation={(tmp_path / 'profile').as_uri()}"
        call = [soffice, profile, "--headless", "--convert-to", "xlsx", "--outdir", tmp_path / "lo"]
        path = home / "returns" / f"{name}.xlsx"
        subprocess.run([*call, path], check=True, capture_output=True, timeout=120)
        there = openpyxl.load_workbook(tmp_path / "lo" / path.name)
        ours = openpyxl.load_workbook(path)
        assert there.sheetnames == ours.sheetnames
        for tab in ours.worksheets:
            noted = {cell.coordinate: cell.comment.text for row in tab.iter_rows() for cell in row
                     if cell.comment}  # fmt: skip
            for address, text in noted.items():
                assert there[tab.title][address].comment.text == text


def test_other_kinds_are_marked_by_their_values(home: Path) -> None:
    out = marked(home)
    assert "sub/b.csv: 1 fault marked → returns/sub/b.xlsx" in out
    book = openpyxl.load_workbook(home / "returns" / "sub" / "b.xlsx")
    assert book.sheetnames == ["Please correct", "b"]
    tab = book["b"]
    assert (tab["A5"].value, tab["A5"].data_type, tab["A6"].value) == ("=L1", "s", "007")
    assert tab["B5"].value == "=1+1" and tab["B5"].data_type == "s"
    assert "“=1+1”" in tab["B5"].comment.text and tab["B5"].border.top.style == "thick"
    letter = (home / "returns" / "sub" / "b.txt").read_text("utf-8")
    assert letter.rstrip().endswith("results of formulas, not the formulas themselves.")


def test_no_copy_lands_outside_its_folder(home: Path) -> None:
    """With several source folders their names are part of the files': so may be “..” too."""
    (home / "desk").mkdir()
    text = LAYOUT.replace('folder = "in"', 'folder = ["../in", "../more"]')
    (home / "desk" / "l.toml").write_text(text, "utf-8")
    send(home / "more" / "d.xlsx", "Dd", [("L1", "five")])
    originals = {path: path.read_bytes() for path in home.rglob("*.xlsx")}
    assert program("extract", "l.toml", "-o", "out.csv", cwd=home / "desk").status == 1
    marked(home / "desk")
    assert (home / "desk" / "returns" / "more" / "d.xlsx").is_file()
    assert {path: path.read_bytes() for path in originals} == originals
    new = set(home.rglob("*.xlsx")) - set(originals)
    assert all(path.is_relative_to(home / "desk" / "returns") for path in new)


def test_a_file_that_cannot_be_opened_gets_a_letter_alone(home: Path) -> None:
    out = marked(home)
    assert "broken.xlsx: 1 fault marked → returns/broken.txt" in out and "cannot be read" in out
    letter = (home / "returns" / "broken.txt").read_text("utf-8")
    assert "We could not open your file." in letter and "copy" not in letter
    assert not (home / "returns" / "broken.xlsx").exists()


LAYOUT_WORDS = re.compile(r"stub|glossary|unplaced|block|layout|stamp|field|record|`|Boreotabula")


def test_letters_and_notes_are_plain_and_hold_nothing_of_others(home: Path) -> None:
    send(home / "in" / "a2.xlsx", "Aa", [("L1", 7), ("L9", 1)])  # the same site and month once more
    program("extract", "l.toml", "-o", "out.csv", cwd=home)
    codes = {row["code"] for row in csv_rows(home / "out.csv.run" / "findings.csv")}
    assert {"key-twice", "sent-twice"} <= codes
    marked(home)
    assert not (home / "returns" / "a2.xlsx").exists()  # what is told of both is told of the first
    for name, others in (("a", ("a2", "Bb", "b.csv")), ("sub/b", ("a.xlsx", "Aa"))):
        letter = (home / "returns" / f"{name}.txt").read_text("utf-8")
        assert LAYOUT_WORDS.search(letter) is None, letter
        content = b"".join(parts(home / "returns" / f"{name}.xlsx").values()).decode(
            "utf-8", "ignore"
        )
        for other in others:
            assert other not in letter and f"“{other}" not in content


@pytest.mark.parametrize("language", ["nb", "fi", "de", "no", "de-AT"])
def test_other_languages_have_all_texts(home: Path, language: str) -> None:
    say = words.say_in(language)
    for kind in filter(lambda kind: kind.sender, BY_CODE.values()):
        assert say(kind.sender) != kind.sender
        said = words.said_of(kind, "integer", "x", say)
        assert "{" not in said
    for texts in (words.HEADING_OF, words.SUBJECT_OF, words.LIST_OF, words.CHECKED_OF):
        assert all(say(text) != text for text in texts.values())
    assert say(words.MARKED_HERE) != words.MARKED_HERE
    marked(home, "--language", language)
    letter = (home / "returns" / "a.txt").read_text("utf-8")
    assert "Hello" not in letter and "120" in letter
    book = openpyxl.load_workbook(home / "returns" / "a.xlsx")
    assert book.sheetnames[0] == say("Please correct")


def test_every_severe_code_has_words_or_is_for_the_analyst() -> None:
    """A new code must be thought of: it is for senders, or it is named here."""
    ours = {
        one.code for one in BY_CODE.values() if not one.sender and one.severity is Severity.ERROR
    }
    assert ours == {
        "file-over-budget", "file-fault", "file-not-fetched", "folder-unreadable",
        "output-doubtful", "file-twice",
        "name-unmatched", "no-file-matches", "no-tab-matches", "several-tabs", "tab-unreadable",
        "edition-unknown", "quote-open", "block-found-twice", "blocks-overlap",
        "heading-rows-doubtful", "heading-contradicts", "heading-taken", "heading-beyond-gap",
        "columns-numbered", "rule-takes-all",
    }  # fmt: skip


def test_folders_by_a_field_severity_and_letters_of_ones_own(home: Path) -> None:
    (home / "letter.txt").write_text(
        "{{ site }}: {{ count }} in {{ name }}\n{% for one in faults %}{{ one.cell }} {% endfor %}",
        "utf-8",
    )
    marked(home, "--by", "site", "--letter", "letter.txt", "--severity", "error")
    assert (home / "returns" / "Aa" / "a.txt").read_text("utf-8") == "Aa: 2 in a.xlsx\nB5 B7\n"
    assert (home / "returns" / "Bb" / "sub" / "b.xlsx").is_file()
    marked(home)  # what was written before and is not any more goes
    assert not (home / "returns" / "Aa" / "a.xlsx").exists()
    assert (home / "returns" / "a.xlsx").is_file()


@pytest.mark.parametrize(
    ("arguments", "said"),
    [
        (["out.csv"], "name a folder for the copies with -o"),
        (["none.csv", "-o", "r"], "has no run folder"),
        (["out.csv", "-o", "in"], "was not written by mark, so it is left alone"),
        (["out.csv", "-o", "in/new"], "is inside the source folder"),
        (["out.csv", "-o", "r", "--by", "town"], "the records have no field “town”"),
        (["out.csv", "-o", "r", "--language", "xx"], "there are no texts in “xx”"),
        (["out.csv", "-o", "r", "--letter", "bad.txt"], "is not a template"),
        (["out.csv", "-o", "r", "--letter", "odd.txt"], "the template does not work out"),
        (["out.csv", "--check", "in"], "holds no marked.json"),
    ],
)
def test_wrong_calls(home: Path, arguments: list[str], said: str) -> None:
    (home / "bad.txt").write_text("{% for %}", "utf-8")
    (home / "odd.txt").write_text("{{ nothing }}", "utf-8")
    done = program("mark", *arguments, cwd=home)
    assert done.status == 2 and said in " ".join(done.err.split())


def test_control_characters_do_no_harm(tmp_path: Path) -> None:
    send(tmp_path / "in" / "a.xlsx", "Aa", [("L1", "=cmd|' /C calc'!A0"), ("L2", "]]>&<b>_x0041_")])
    book = openpyxl.load_workbook(tmp_path / "in" / "a.xlsx")
    book.worksheets[0]["B5"].data_type = "s"
    book.save(tmp_path / "in" / "a.xlsx")
    (tmp_path / "l.toml").write_text(LAYOUT, "utf-8")
    program("extract", "l.toml", "-o", "out.csv", cwd=tmp_path)
    marked(tmp_path)
    book = openpyxl.load_workbook(tmp_path / "returns" / "a.xlsx")
    assert all(cell.data_type == "s" for row in book["Please correct"].iter_rows() for cell in row
               if cell.value)  # fmt: skip
    assert "“]]>&<b>A”" in book["Lots & co"]["B6"].comment.text


def test_the_way_there_and_back(home: Path) -> None:
    """A sender mends the marked copy and sends it: it is a new version of the same file."""
    for name in ("sub/b.csv", "broken.xlsx"):
        (home / "in" / name).unlink()
    program("extract", "l.toml", "-o", "out.csv", cwd=home)
    marked(home)
    check = program("mark", "out.csv", "--check", "returns", cwd=home)
    assert check.status == 1 and "a.xlsx: 0 of 2 corrected" in check.out
    book = openpyxl.load_workbook(home / "returns" / "a.xlsx")
    book["Lots & co"]["B5"], book["Lots & co"]["B7"] = 10, "four"
    book.save(home / "in" / "a.xlsx")
    done = program("extract", "l.toml", "-o", "out.csv", cwd=home)
    assert done.status == 1 and "1 changed, 1 unchanged (1 value restated" in done.out
    check = program("mark", "out.csv", "--check", "returns", "--json", cwd=home)
    (found,) = json.loads(check.out)
    assert (check.status, found["gone"], found["left"]) == (0, 2, [])
    book["Lots & co"]["B7"] = 4
    book.save(home / "in" / "a.xlsx")
    done = program("extract", "l.toml", "-o", "out.csv", cwd=home)
    assert (done.status, "Nothing to check." in done.out) == (0, True)
    assert [row["seedlings"] for row in csv_rows(home / "out.csv")] == ["10", "20", "4", "1"]
    check = program("mark", "out.csv", "--check", "returns", cwd=home)
    assert (check.status, check.out) == (0, "a.xlsx: 2 of 2 corrected\n")
    assert marked(home) == "No file has anything to correct.\n"
    assert not (home / "returns" / "a.xlsx").exists()


def edited(path: Path, part: str, change: Callable[[bytes], bytes]) -> None:
    """A workbook with one of its parts changed."""
    with zipfile.ZipFile(path) as archive:
        content = {name: archive.read(name) for name in archive.namelist()}
    content[part] = change(content[part])
    with zipfile.ZipFile(path, "w", zipfile.ZIP_DEFLATED) as archive:
        for name, some in content.items():
            archive.writestr(name, some)


SHEET1 = "xl/worksheets/sheet1.xml"
HOSTILE: dict[str, Callable[[Path], None]] = {
    "no such style": lambda path: edited(
        path, SHEET1, lambda text: re.sub(rb'r="B5" s="\d+"', b'r="B5" s="-5"', text)
    ),
    "no styles": lambda path: edited(
        path, "xl/styles.xml",
        lambda text: re.sub(rb"<cellXfs.*</cellXfs>", b"<cellXfs/>", text, flags=re.DOTALL),
    ),
    "no authors": lambda path: edited(
        path, "xl/comments/comment1.xml",
        lambda text: re.sub(rb"<authors>.*</authors>", b"", text, flags=re.DOTALL),
    ),
    "a sign in an attribute": lambda path: edited(
        path, SHEET1, lambda text: text.replace(b"<sheetData>", b'<sheetData x="a>b">')
    ),
}  # fmt: skip


@pytest.mark.parametrize("harm", HOSTILE)
def test_a_hostile_workbook_is_marked_by_itself(home: Path, harm: str) -> None:
    send(home / "in" / "h.xlsx", "Hh", [("L1", "ten"), ("L2", 20)])
    HOSTILE[harm](home / "in" / "h.xlsx")
    program("extract", "l.toml", "-o", "out.csv", cwd=home)
    done = program("mark", "out.csv", "-o", "returns", cwd=home)
    assert done.status == 0 and "Traceback" not in done.err
    copies = sorted(one.name for one in (home / "returns").glob("*.xlsx"))
    assert copies == ["a.xlsx", "h.xlsx"]
    for copy in copies:
        book = openpyxl.load_workbook(home / "returns" / copy)
        assert book["Lots & co"]["B5"].value == "ten"


def test_parts_that_do_not_change_are_copied_as_they_are_packed(home: Path) -> None:
    def add(archive: zipfile.ZipFile) -> None:
        # 64 MB of blanks in 64 kB; its directory entry claims another sum of its bytes.
        archive.writestr("xl/media/image1.bin", b" " * 2**26)

    with zipfile.ZipFile(home / "in" / "a.xlsx", "a", zipfile.ZIP_DEFLATED) as archive:
        add(archive)
        before = archive.getinfo("xl/media/image1.bin").compress_size
    program("extract", "l.toml", "-o", "out.csv", cwd=home)
    marked(home)
    with zipfile.ZipFile(home / "returns" / "a.xlsx") as archive:
        info = archive.getinfo("xl/media/image1.bin")
        assert (info.compress_size, info.file_size) == (before, 2**26)
        assert archive.testzip() is None


def test_an_interrupted_call_leaves_a_list_of_all_that_may_lie_there(
    home: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    def full(*_: object, **__: object) -> str:
        raise CallError("the disk is full")

    marked(home, "--by", "site")
    saved, run_folder = output_and_run(home / "out.csv", None)
    with monkeypatch.context() as broken, pytest.raises(CallError):
        broken.setattr("boreotabula.review.mark.mark.letter", full)
        mark(saved, run_folder, home / "returns", Marking(), lambda _: None)
    listed = json.loads((home / "returns" / LIST).read_text("utf-8"))["files"]
    assert {"a.xlsx", "Aa/a.xlsx"} <= {one["copy"] for one in listed}
    marked(home)
    assert not (home / "returns" / "Aa" / "a.xlsx").exists()


def test_a_part_that_is_encrypted_is_not_copied_as_if_it_were_plain(home: Path) -> None:
    path = home / "in" / "a.xlsx"
    content = bytearray(path.read_bytes())
    with zipfile.ZipFile(path) as archive:
        info = archive.getinfo("docProps/app.xml")
    entry = content.index(b"docProps/app.xml", archive.start_dir) - 46
    for at in (info.header_offset + 6, entry + 8):
        content[at] |= 1
    path.write_bytes(content)
    program("extract", "l.toml", "-o", "out.csv", cwd=home)
    assert "only its values were copied, because the workbook cannot be copied" in marked(home)


@pytest.mark.parametrize(
    ("files", "named"),
    [
        ([("a.xlsx", "\U0001f331" * 80)], ["\U0001f331" * 45 + "/a"]),
        # Two senders never share a folder, and none has the name of a file of ours.
        ([("a.xlsx", "\U0001f331" * 80), ("b.xlsx", "\U0001f331" * 81)],
         ["\U0001f331" * 45 + "/a", "\U0001f331" * 45 + " 2/b"]),
        ([("a.xlsx", "marked.json")], ["marked.json 2/a"]),
        ([("zzz.csv", ""), ("a.xlsx", "zzz.xlsx")], ["zzz", "zzz.xlsx 2/a"]),
        ([("a.xlsx", "zzz.xlsx"), ("zzz.csv", "")], ["zzz.xlsx/a", "zzz (csv)"]),
        ([("a.xlsx", "North"), ("b.xlsx", "north")], ["North/a", "north 2/b"]),
        ([("a.xlsx", "x/y"), ("b.xlsx", "x/y"), ("c.xlsx", "x_y")], ["x_y/a", "x_y/b", "x_y 2/c"]),
        ([("con.xlsx", ""), ("lpt1.csv", "AUX")], ["_con", "_AUX/_lpt1"]),
        ([("a.xlsx", ""), ("a.csv", ""), ("A.csv", "")], ["a", "a (csv)", "A (csv) 2"]),
        ([("../x/a.xlsx", ".."), ("\n.xlsx", "\x1b[2J")], ["_/x/a", "_[2J/_"]),
    ],
)  # fmt: skip
def test_names_of_copies_are_safe_and_never_taken_twice(
    files: list[tuple[str, str]], named: list[str]
) -> None:
    names = CopyNames((LIST,))
    found = [names.take(file, group) for file, group in files]
    assert found == named
    assert all(len(step.encode()) <= 200 for one in found for step in one.split("/"))


def test_a_folder_of_copies_is_there_whole_or_not_at_all(
    home: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    def full(*_: object, **__: object) -> str:
        raise OSError(28, "No space left on device")

    saved, run_folder = output_and_run(home / "out.csv", None)
    monkeypatch.setattr("boreotabula.review.mark.mark.letter", full)
    with pytest.raises(CallError, match="No space left"):
        mark(saved, run_folder, home / "returns", Marking(), lambda _: None)
    assert not (home / "returns").exists() and not list(home.glob(".returns*"))
