"""Runs month after month: what is kept, what is taken over, and that neither changes a byte."""

from __future__ import annotations

import json
import os
import shutil
import signal
import subprocess
from collections.abc import Callable
from dataclasses import replace
from pathlib import Path
from typing import Any

import pytest

import boreotabula
from boreotabula.batch.cache.size import cache_size, clear, tidy
from boreotabula.batch.cache.store import Cache
from boreotabula.batch.file.read import file_digest
from boreotabula.batch.inputs import look
from boreotabula.batch.read_all import ReadOptions, digests, read_all
from helpers import PROGRAM, csv_rows, program, write_workbook

pytestmark = pytest.mark.apart

LAYOUT = """
layout = 1
[source]
folder = "in"
include = "{site}_{n}.xlsx"
[stamps]
day = { cell = "B1" }
part = { cell = "C1", optional = true }
[block]
stub = "lot"
[fields]
site = "text"
n = "integer"
day = "date"
part = "decimal(2)"
lot = "text"
count = "integer"
"""


def form(number: int) -> list[list[Any]]:
    head = ["Day", f"2026-04-{number % 28 + 1:02}", f"{number}.25"]
    lots = [[f"L{at}", number * 100 + at, "?" if at == 3 else None] for at in range(number % 5 + 2)]
    return [head, [], ["Lot", "Count"], *lots]


@pytest.fixture
def desk(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> Path:
    monkeypatch.setenv("BOREOTABULA_CACHE", str(tmp_path / "kept"))
    for number in range(20):
        write_workbook(tmp_path / "in" / f"a_{number}.xlsx", {"S": form(number)})
    (tmp_path / "lots.toml").write_text(LAYOUT, "utf-8")
    return tmp_path


def extract(desk: Path, *more: object, out: str = "out.csv") -> bytes:
    done = program("extract", "lots.toml", "-o", out, "-q", *more, cwd=desk)
    assert (done.status, done.out, done.err) == (0, "", "")
    return (desk / out).read_bytes()


def since(desk: Path, out: str = "out.csv") -> Any:
    return json.loads((desk / f"{out}.run" / "run.json").read_text("utf-8"))["since_last_run"]


def findings(desk: Path) -> Any:
    return csv_rows(desk / "out.csv.run" / "findings.csv"), csv_rows(
        desk / "out.csv.run" / "unplaced.csv"
    )


def test_any_number_of_workers_and_anything_kept_give_the_same_bytes(desk: Path) -> None:
    first = extract(desk, "--workers", 1, "--fresh")
    told = findings(desk)
    assert len(told[1]) > 5
    count, size = cache_size(desk / "kept")
    assert count == 20 and size > 0
    for more in (["--workers", 3, "--fresh"], ["--workers", 2], ["--fresh"], []):
        assert extract(desk, *more) == first
        assert findings(desk) == told
    clear(desk / "kept")
    assert extract(desk, "--workers", 2, out="other.csv") == first


@pytest.mark.parametrize("ending", ["csv", "jsonl", "parquet"])
def test_new_changed_and_gone_files(desk: Path, ending: str) -> None:
    out = f"out.{ending}"
    extract(desk, out=out)
    assert since(desk, out) is None
    write_workbook(desk / "in" / "a_3.xlsx", {"S": form(77)})
    write_workbook(desk / "in" / "a_30.xlsx", {"S": form(30)})
    (desk / "in" / "a_5.xlsx").unlink()
    again = extract(desk, out=out)
    assert since(desk, out) == {
        "new": ["a_30.xlsx"], "changed": ["a_3.xlsx"], "gone": ["a_5.xlsx"], "unchanged": 18,
        "renamed": [],
    }  # fmt: skip
    shutil.rmtree(desk / f"{out}.run")
    assert extract(desk, "--fresh", "--overwrite", out=out) == again


@pytest.mark.parametrize("out", ["out.csv", "out.xlsx", "out.sqlite"])
def test_an_unchanged_output_is_left_as_it_is(desk: Path, out: str) -> None:
    extract(desk, out=out)
    before = (desk / out).stat()
    done = program("extract", "lots.toml", "-o", out, cwd=desk)
    assert "since the last run: 20 unchanged" in done.out
    after = (desk / out).stat()
    assert (after.st_ino, after.st_mtime_ns) == (before.st_ino, before.st_mtime_ns)


def test_an_output_changed_by_hand_is_never_taken_over(desk: Path) -> None:
    whole = extract(desk)
    edited = whole.replace(b"L0", b"XX")
    (desk / "out.csv").write_bytes(edited)
    assert (
        "was changed or copied since"
        in program("extract", "lots.toml", "-o", "out.csv", cwd=desk).err
    )
    assert extract(desk, "--overwrite") == whole
    write_workbook(desk / "in" / "a_30.xlsx", {"S": form(30)})
    (desk / "out.csv").write_bytes(edited)
    assert b"XX" not in extract(desk, "--overwrite")


def test_another_layout_reads_anew(desk: Path) -> None:
    extract(desk)
    text = LAYOUT.replace("count =", "Number =").replace('"integer"\n', '"integer"\n', 1)
    (desk / "lots.toml").write_text(text.replace("Number =", 'count = "text"\nnumber ='), "utf-8")
    assert extract(desk).splitlines()[0].split(b",")[5:7] == [b"count", b"number"]


def _cut(path: Path) -> None:
    path.write_bytes(path.read_bytes()[: path.stat().st_size // 2])


def _flip(path: Path) -> None:
    content = bytearray(path.read_bytes())
    content[-9] ^= 1
    path.write_bytes(content)


@pytest.mark.parametrize("damage", [_cut, _flip, lambda path: path.write_bytes(b"")])
def test_a_damaged_result_is_read_anew(desk: Path, damage: Callable[[Path], object]) -> None:
    whole = extract(desk)
    for path in (desk / "kept").glob("??/*"):
        damage(path)
    assert extract(desk, out="other.csv") == whole


def test_a_folder_that_cannot_be_written_keeps_nothing(desk: Path) -> None:
    (desk / "kept").write_text("a file, not a folder", "utf-8")
    assert extract(desk, "--workers", 2) == extract(desk, "--workers", 1, out="other.csv")


def test_what_was_unused_longest_goes_first(desk: Path) -> None:
    extract(desk)
    kept = desk / "kept"
    paths = [*kept.glob("layouts/*"), *sorted(kept.glob("??/*"))]
    for age, path in enumerate(paths):
        os.utime(path, (age, age))
    sizes = [path.stat().st_size for path in paths]
    clear(kept, sum(sizes[-5:]))
    assert [path for path in paths if path.exists()] == paths[-5:]


def test_a_file_changed_at_once_is_looked_through_again(
    tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    path = tmp_path / "a.csv"
    path.write_text("Pine,1", "utf-8")
    first = file_digest(path)
    state = path.stat()
    path.write_text("Pine,2", "utf-8")
    os.utime(path, ns=(state.st_atime_ns, state.st_mtime_ns))
    assert file_digest(path) != first
    monkeypatch.setattr("boreotabula.batch.file.read._SETTLED", -1)  # as if it were long ago
    known = file_digest(path)
    monkeypatch.setattr("hashlib.file_digest", None)
    assert file_digest(path) == known


def test_the_folder_of_results_is_tidied_once_in_a_while(desk: Path) -> None:
    extract(desk)
    kept = desk / "kept"
    assert cache_size(kept)[0] == 20
    tidy(kept, 0)  # it was looked at a moment ago
    assert cache_size(kept)[0] == 20
    os.utime(kept / "tidied", (0, 0))
    tidy(kept, 0)
    assert cache_size(kept) == (0, 0)


def test_what_is_kept_is_shown_and_cleared(desk: Path) -> None:
    extract(desk)
    assert program("cache").out.startswith("20 results, ")
    assert json.loads(program("cache", "--json").out)["results"] == 20
    assert ": deleted" in program("cache", "--clear").out
    assert cache_size(desk / "kept") == (0, 0)


def test_a_kept_reading_is_the_same_in_every_part(desk: Path) -> None:
    layout = boreotabula.Layout.load(desk / "lots.toml")
    inbox = look(layout)
    means = ReadOptions(kept=Cache.of(layout.digest, None, desk / "kept"))
    known = digests(inbox)
    fresh = list(read_all(layout, inbox, replace(means, fresh=True), known))
    again = list(read_all(layout, inbox, means, known))
    for one, other in zip(fresh, again, strict=True):
        tabs = [replace(tab, tables=dict(tab.tables)) for tab in other.tabs]
        assert [dict(tab.tables) for tab in one.tabs] == [tab.tables for tab in tabs]
        assert replace(one, tabs=()) == replace(other, tabs=())
        assert [replace(tab, tables={}) for tab in one.tabs] == [
            replace(tab, tables={}) for tab in tabs
        ]


def _running(desk: Path, *more: object) -> subprocess.Popen[bytes]:
    command = [PROGRAM, "extract", "lots.toml", "-o", "out.csv", "-v", "--fresh", *map(str, more)]
    # Whoever runs the tests may have it ignored that their terminal goes, and this is inherited.
    before = signal.signal(signal.SIGHUP, signal.SIG_DFL)
    try:
        return subprocess.Popen(command, cwd=desk, stderr=subprocess.PIPE, start_new_session=True)
    finally:
        signal.signal(signal.SIGHUP, before)


def _once_read(run: subprocess.Popen[bytes], files: int) -> None:
    """Wait until so many files are read: the program says a line for each."""
    assert run.stderr is not None
    for _ in range(files):
        assert b"1 tab" in run.stderr.readline()


@pytest.mark.parametrize(
    ("workers", "sent", "whole_group"),
    [(1, signal.SIGINT, True), (2, signal.SIGINT, True), (2, signal.SIGTERM, False),
     (2, signal.SIGHUP, True)],
)  # fmt: skip
def test_an_interruption_stops_at_once_and_leaves_nothing(
    desk: Path, workers: int, sent: signal.Signals, whole_group: bool
) -> None:
    write_workbook(desk / "in" / "a_20.xlsx", {"S": form(20)})
    for number in range(21, 200):
        shutil.copy(desk / "in" / "a_20.xlsx", desk / "in" / f"a_{number}.xlsx")
    run = _running(desk, "--workers", workers)
    _once_read(run, 1)
    (os.killpg if whole_group else os.kill)(run.pid, sent)
    # Whatever holds its streams open keeps this waiting: children end with it.
    _, said = run.communicate(timeout=60)
    assert run.returncode == 128 + sent and b"Stopped; nothing was written." in said
    assert sorted(one.name for one in desk.iterdir()) == ["in", "kept", "lots.toml"]


def test_a_killed_run_leaves_the_old_output_or_the_new(desk: Path) -> None:
    new = extract(desk)
    old = extract(desk, "--limit", 15)
    for files in (1, 13, 20):
        extract(desk, "--limit", 15)
        run = _running(desk, "--workers", 2)
        _once_read(run, files)
        run.kill()
        run.communicate()
        assert (desk / "out.csv").read_bytes() in (old, new)
    assert extract(desk) == new
    assert [one.name for one in desk.iterdir() if one.name.startswith(".")] == []


def test_kept_results_cannot_stand_for_one_another(desk: Path) -> None:
    whole = extract(desk)
    one, other, *_ = sorted((desk / "kept").glob("??/*"))
    content = one.read_bytes()
    one.write_bytes(other.read_bytes())
    other.write_bytes(content)
    assert extract(desk, out="again.csv") == whole


def test_a_folder_that_others_may_write_into_is_not_used(desk: Path) -> None:
    (desk / "kept").mkdir(mode=0o700)
    (desk / "kept").chmod(0o777)
    extract(desk)
    assert cache_size(desk / "kept") == (0, 0)
