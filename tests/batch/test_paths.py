"""Paths and files as they lie about: links, folders, foreign names, special files, permissions."""

from __future__ import annotations

import json
import os
import socket
import stat
import subprocess
import sys
from dataclasses import replace
from pathlib import Path

import pytest
from hypothesis import given
from hypothesis import strategies as st

from boreotabula.batch.atomic import atomic_write, placed_folder
from boreotabula.batch.cache.store import Cache
from boreotabula.batch.inputs import look, sorted_files
from boreotabula.batch.layouts.load import Layout
from boreotabula.batch.private_files import own_key
from boreotabula.batch.read_all import ReadOptions, digests, read_all
from boreotabula.files import real_name, written_name
from helpers import PROGRAM, csv_rows, program, write_workbook

pytestmark = pytest.mark.apart

LAYOUT = """
layout = 1
[source]
folder = "inbox"
[block]
[fields]
species = "text"
lot = "integer"
"""


@pytest.fixture
def desk(tmp_path: Path) -> Path:
    (tmp_path / "inbox").mkdir()
    (tmp_path / "lots.toml").write_text(LAYOUT, encoding="utf-8")
    (tmp_path / "inbox" / "a.csv").write_text("species,lot\nPine,1\n", encoding="utf-8")
    return tmp_path


def test_a_run_folder_hides_no_file_that_its_run_did_not_write(tmp_path: Path) -> None:
    """Anyone can put a run.json into the inbox: it speaks for its own output, left as it was."""
    (tmp_path / "b.run").mkdir()
    for name in ("a.csv", "b.csv", "b.run/c.csv"):
        (tmp_path / name).write_text("x", "utf-8")
    record = {"output": "a.csv", "also_written": ["b.csv", "../a.csv"]}
    (tmp_path / "b.run" / "run.json").write_text(json.dumps(record), "utf-8")
    found = {one.below: (one.why, one.kind and one.kind.code) for one in sorted_files(tmp_path)}
    assert found["a.csv"] == found["b.run/c.csv"] == ("", None)
    assert found["b.csv"][1] == "output-doubtful"
    (tmp_path / "lots.toml").write_text('layout = 1\n[source]\nfolder = "."\ninclude = "*.csv"\n'
                                        '[block]\n[fields]\nx = "text"\n', "utf-8")  # fmt: skip
    done = program("extract", "lots.toml", "--dry-run", cwd=tmp_path)
    assert "error  b.csv\n  this was not read: “b.run” says that a run wrote it" in done.err


@pytest.mark.parametrize("more", ["", 'unknown_headings = "keep"'])
def test_outputs_of_other_layouts_in_the_same_folder_are_passed_over(
    tmp_path: Path, more: str
) -> None:
    text = LAYOUT.replace('"inbox"', '"."\ninclude = "*.csv"').replace(
        "[block]", f"[block]\n{more}"
    )
    (tmp_path / "a.csv").write_text("species,lot\nPine,1\n", encoding="utf-8")
    for name in ("one", "two", "one"):
        (tmp_path / f"{name}.toml").write_text(text, encoding="utf-8")
        done = program("extract", f"{name}.toml", "-o", f"{name}.csv", cwd=tmp_path)
        assert (done.status, len(csv_rows(tmp_path / f"{name}.csv"))) == (0, 1), done.err
    with (tmp_path / "two.csv").open("a", encoding="utf-8") as stream:
        stream.write("Oak,2\n")  # somebody changed it
    done = program("extract", "one.toml", "-o", "one.csv", cwd=tmp_path)
    assert (done.status, "“two.csv.run” says that a run wrote it" in done.err) == (1, True)


def test_folders_that_are_not_looked_into_are_told(
    tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    for name in ("inbox/closed", "inbox/open", "elsewhere", "inbox/.git"):
        (tmp_path / name).mkdir(parents=True)
        (tmp_path / name / "a.csv").write_text("x\n1\n", "utf-8")
    (tmp_path / "inbox" / "linked").symlink_to(tmp_path / "elsewhere")
    (tmp_path / "inbox" / ".hidden").symlink_to(tmp_path / "elsewhere")
    usual = os.scandir

    def scandir(folder: str) -> object:
        if str(folder).endswith("closed"):
            raise PermissionError(13, "Permission denied", str(folder))
        return usual(folder)

    monkeypatch.setattr(os, "scandir", scandir)
    text = 'layout = 1\n[source]\nfolder = "inbox"\n[block]\n[fields]\nx = "integer"\n'
    (tmp_path / "lots.toml").write_text(text, "utf-8")
    done = program("extract", "lots.toml", "-o", "out.csv", cwd=tmp_path)
    found = {
        row["file"]: row["code"] for row in csv_rows(tmp_path / "out.csv.run" / "findings.csv")
    }
    assert found == {"closed/": "folder-unreadable", "linked/": "folder-linked"}
    assert done.status == 1 and len(csv_rows(tmp_path / "out.csv")) == 1
    bound = program("bind", "inbox", "-o", "bound.xlsx", cwd=tmp_path)
    assert bound.status == 1 and "! closed/: not read: a folder that cannot" in bound.err
    seen = program("survey", "inbox", cwd=tmp_path).out
    assert "closed/" in seen and "linked/" in seen


@pytest.mark.skipif(sys.platform != "linux", reason="names of files are text elsewhere")
def test_names_that_are_no_utf_8_are_written_so_that_they_can_be_found_again(
    tmp_path: Path,
) -> None:
    (tmp_path / "inbox").mkdir()
    name = b"gr\xf8nn\\x.csv"
    (tmp_path / "inbox" / os.fsdecode(name)).write_text("x\n1\n", "utf-8")
    text = 'layout = 1\n[source]\nfolder = "inbox"\ninclude = "{n}.csv"\n[block]\n[fields]\n'
    (tmp_path / "lots.toml").write_text(text + 'n = "text"\nx = "integer"\n', "utf-8")
    written = "gr\\xf8nn\\\\x"
    for out in ("out.xlsx", "out.sqlite", "out.parquet", "out.jsonl", "out.csv"):
        done = program("extract", "lots.toml", "-o", out, "-v", cwd=tmp_path)
        assert done.status == 0, done.err
    (row,) = csv_rows(tmp_path / "out.csv")
    assert (row["n"], row["source_file"]) == (written, f"{written}.csv")
    assert os.fsencode(real_name(row["source_file"])) == name
    traced = program("trace", "out.csv", "1", cwd=tmp_path)
    assert traced.status == 0 and f"{written}.csv" in traced.out
    for command in (
        ["survey", "inbox"],
        ["headings", "lots.toml"],
        ["bind", "inbox", "-o", "b.xlsx"],
    ):
        assert program(*command, cwd=tmp_path).status == 0


@given(st.binary(min_size=1, max_size=12))
def test_any_name_of_a_file_is_text_and_comes_back(content: bytes) -> None:
    name = os.fsdecode(content)
    written = written_name(name)
    assert real_name(written) == name and written.encode("utf-8")


# --- what is written -----------------------------------------------------------------------------


@pytest.mark.parametrize("arguments", [["-o", "link.csv"], ["--into", "link.xlsx"]])
def test_what_a_link_points_to_is_written(desk: Path, arguments: list[str]) -> None:
    link = desk / arguments[-1]
    target = desk / f"deep.{link.suffix[1:]}"
    if link.suffix == ".xlsx":
        write_workbook(target, {"Here": [["old"]]})
    link.symlink_to(target.name)
    done = program("extract", "lots.toml", *arguments, cwd=desk)
    assert done.status == 0, done.err
    assert link.is_symlink() and target.stat().st_size > 40
    assert program("trace", link.name, "1", cwd=desk).status == 0


def test_headings_are_adopted_through_a_link(desk: Path) -> None:
    text = LAYOUT.replace("layout = 1", 'layout = 1\nglossary = "h.csv"')
    (desk / "lots.toml").write_text(text.replace("lot =", "lott ="), encoding="utf-8")
    (desk / "far.csv").write_text("heading,field\nart,species\n", encoding="utf-8")
    (desk / "h.csv").symlink_to("far.csv")
    done = program("headings", "lots.toml", "--adopt", "lot=lott", cwd=desk)
    assert (desk / "h.csv").is_symlink(), done
    assert "lot,lott" in (desk / "far.csv").read_text(encoding="utf-8")


def test_permissions_of_a_file_that_is_replaced_stay(desk: Path) -> None:
    out = desk / "out.csv"
    before = os.umask(0o022)
    try:
        assert program("extract", "lots.toml", "-o", "out.csv", cwd=desk).status == 0
        assert stat.S_IMODE(out.stat().st_mode) == 0o644
        out.chmod(0o600)
        (desk / "inbox" / "a.csv").write_text("species,lot\nPine,2\n", encoding="utf-8")
        assert program("extract", "lots.toml", "-o", "out.csv", cwd=desk).status == 0
    finally:
        os.umask(before)
    assert stat.S_IMODE(out.stat().st_mode) == 0o600 and "Pine,2" in out.read_text("utf-8")


def test_a_planted_link_of_our_part_is_not_followed(
    tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    tokens = iter(["0" * 8, "1" * 8])
    monkeypatch.setattr("secrets.token_hex", lambda _: next(tokens))
    victim = tmp_path / "victim"
    (tmp_path / f".out.csv.{os.getpid()}.{'0' * 8}.part").symlink_to(victim)
    with atomic_write(tmp_path / "out.csv") as stream:
        stream.write(b"x")
    assert not victim.exists() and (tmp_path / "out.csv").read_bytes() == b"x"


# --- what is no regular file ---------------------------------------------------------------------


def _special(folder: Path) -> list[Path]:
    """A pipe, a socket, a device and a link to one."""
    os.mkfifo(folder / "pipe.csv")
    with socket.socket(socket.AF_UNIX) as one:
        before = Path.cwd()
        os.chdir(folder)
        one.bind("socket.csv")
        os.chdir(before)
    (folder / "zero.csv").symlink_to("/dev/zero")
    (folder / "full.csv").symlink_to("/dev/full")
    return [folder / f"{name}.csv" for name in ("pipe", "socket", "zero", "full")]


def test_special_files_of_an_inbox_are_left_out(desk: Path) -> None:
    special = _special(desk / "inbox")
    done = program("extract", "lots.toml", "-o", "out.csv", cwd=desk)
    record = json.loads((desk / "out.csv.run" / "run.json").read_text("utf-8"))
    assert done.status == 0 and record["records"] == 1
    assert {one["file"] for one in record["left_out"]} == {one.name for one in special}
    told = {row["file"]: row["code"] for row in csv_rows(desk / "out.csv.run" / "findings.csv")}
    assert told == {one.name: "file-not-regular" for one in special}


def test_the_tables_of_a_folder_are_known_again(desk: Path) -> None:
    text = LAYOUT.replace(
        "[block]", '[[block]]\ninto = "a"\nstub = "species"\n[[block]]\ninto = "b"'
    )
    text = text.replace('"inbox"', '"."\ninclude = ["**/*.csv"]')
    (desk / "two.toml").write_text(text, encoding="utf-8")
    program("extract", "two.toml", "-o", "tables", cwd=desk)
    left = {one.below: (one.why, one.kind and one.kind.code) for one in sorted_files(desk)}
    assert left["tables/a.csv"] == left["tables/b.csv"] == ("output of an earlier run", None)
    (desk / "tables" / "a.csv").write_text("changed", encoding="utf-8")
    found = {one.below: one.kind and one.kind.code for one in sorted_files(desk)}
    assert (found["tables/a.csv"], found["tables/b.csv"]) == ("output-doubtful", None)


NAMED = [
    ["show", "{}"],
    ["extract", "{}", "-o", "out.csv"],
    ["extract", "lots.toml", "{}", "-o", "out.csv"],
    ["headings", "{}"],
    ["survey", "{}"],
    ["bind", "{}", "-o", "b.xlsx"],
    ["trace", "{}", "1"],
    ["trace", "{}", "A1", "--layout", "lots.toml"],
    ["coverage", "{}", "--rows", "species", "--across", "lot"],
    ["coverage", "out.csv", "--rows", "species", "--across", "lot", "--expect", "{}"],
    ["crosstab", "{}", "--rows", "species"],
    ["extract", "glossary.toml", "-o", "out2.csv"],
    ["extract", "list.toml", "-o", "out2.csv"],
    ["extract", "lots.toml", "-o", "{}"],
    ["extract", "lots.toml", "--into", "{}"],
    ["extract", "lots.toml", "-o", "out2.csv", "--report", "{}"],
]


@pytest.mark.parametrize("arguments", NAMED, ids=" ".join)
def test_special_files_are_refused_wherever_they_are_named(
    desk: Path, arguments: list[str]
) -> None:
    assert program("extract", "lots.toml", "-o", "out.csv", cwd=desk).status == 0
    for one in _special(desk):
        kept = LAYOUT.replace("layout = 1", f'layout = 1\nglossary = "{one.name}"')
        (desk / "glossary.toml").write_text(kept, encoding="utf-8")
        listed = LAYOUT.replace("[block]", f'[block]\nignore = {{ file = "{one.name}" }}')
        (desk / "list.toml").write_text(listed, encoding="utf-8")
        done = program(*(text.format(one.name) for text in arguments), cwd=desk)
        assert done.status == 2, done
        assert "Traceback" not in done.err and "fault of the program" not in done.err
        assert not stat.S_ISREG(one.stat().st_mode)  # it is as it was


# --- what is kept --------------------------------------------------------------------------------


def test_what_others_put_among_the_results_is_not_taken(desk: Path) -> None:
    layout = Layout.load(desk / "lots.toml")
    inbox = look(layout)
    mine = Cache.of(layout.digest, None, desk / "shared" / "kept")
    assert mine is not None
    theirs = replace(mine, secret=b"x" * 32)
    known = digests(inbox)
    (source,) = inbox.taken
    (forged,) = read_all(layout, inbox, ReadOptions(kept=theirs), known)
    digest = known[source.name]
    assert theirs.find(source, digest, lambda: forged) == forged
    assert mine.find(source, digest, lambda: forged) is None
    (entry,) = (desk / "shared").rglob("??/*")
    modes = [stat.S_IMODE(one.stat().st_mode) for one in (entry, entry.parent, desk / "shared")]
    assert modes == [0o600, 0o700, 0o700]


def test_the_key_is_ones_own_and_without_one_nothing_is_kept(
    desk: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    key = desk / "data" / "boreotabula" / "key"
    monkeypatch.setenv("XDG_DATA_HOME", str(desk / "data"))

    def again() -> bytes:
        own_key.cache_clear()
        return own_key()

    try:
        first = again()
        assert len(first) == 32 and again() == first
        assert stat.S_IMODE(key.stat().st_mode) == 0o600
        key.chmod(0o644)  # others may have read it
        second = again()
        assert second != first and stat.S_IMODE(key.stat().st_mode) == 0o600
        key.write_bytes(b"cut off")
        assert again() not in (b"", first, second) and len(list(key.parent.iterdir())) == 1
        monkeypatch.setenv("XDG_DATA_HOME", str(desk / "lots.toml"))  # where no folder can be
        assert again() == b"" and Cache.of("layout", None, desk) is None
        assert program("extract", "lots.toml", "-o", "out.csv", cwd=desk).status == 0
    finally:
        monkeypatch.undo()
        own_key.cache_clear()


@pytest.mark.parametrize("whole", [True, False])
def test_folders_that_a_killed_run_left_are_swept_and_the_old_one_comes_back(
    tmp_path: Path, whole: bool
) -> None:
    target = tmp_path / "data"
    with subprocess.Popen(["true"]) as ended:
        ended.wait()
    mine = {kind: tmp_path / f".data.{ended.pid}.0123abcd.{kind}" for kind in ("part", "old")}
    for kind, one in mine.items():
        one.mkdir()
        (one / "rows").write_text(kind)
    theirs = tmp_path / f".data.{os.getpid()}.0123abcd.part"
    theirs.mkdir()
    if whole:
        target.mkdir()
        (target / "rows").write_text("whole")
    with pytest.raises(ZeroDivisionError), placed_folder(target) as beside:
        (beside / "rows").write_text("half")
        1 / 0  # noqa: B018
    assert (target / "rows").read_text() == ("whole" if whole else "old")
    assert sorted(one.name for one in tmp_path.iterdir()) == sorted([theirs.name, "data"])


@pytest.mark.parametrize(
    ("command", "most"),
    [
        (("draft", "in", "-o", "out/x.toml"), 200),
        (("bind", "in", "-o", "out/x.xlsx"), 3_000),
        (("extract", "x.toml", "-o", "out/x.xlsx"), 3_000),
        (("extract", "x.toml", "-o", "out/x.csv"), 20),
        (("mark", "x.csv", "-o", "out/x"), 3_000),
    ],
)
def test_a_disk_that_is_full_leaves_nothing_half_written(
    tmp_path: Path, command: tuple[str, ...], most: int
) -> None:
    for at, word in enumerate(("Lot", "Lotte", "Parti")):
        rows = [[word, "Pieces"], [f"L{at}1", "ten"], [f"L{at}2", 5], [f"L{at}3", 6]]
        write_workbook(tmp_path / "in" / f"a{at}.xlsx", {"S": rows})
    (tmp_path / "x.toml").write_text(
        'layout = 1\n[source]\nfolder = "in"\n[block]\nstub = "lot"\n[fields]\n'
        'lot = { type = "text", also = ["Lotte", "Parti"] }\npieces = "integer"\n'
    )
    assert program("extract", tmp_path / "x.toml", "-o", tmp_path / "x.csv").status == 1
    (tmp_path / "out").mkdir()
    # A file that may not grow fails as on a full disk: with an error of the system.
    done = subprocess.run(
        ["prlimit", f"--fsize={most}", PROGRAM, *command],
        cwd=tmp_path, capture_output=True, text=True, check=False,
    )  # fmt: skip
    assert done.returncode == 2 and "cannot be written: File too large" in done.stderr
    assert "Traceback" not in done.stderr and ".part" not in done.stderr
    assert [one.name for one in (tmp_path / "out").iterdir() if one.suffix != ".run"] == []
