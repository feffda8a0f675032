"""What holds of every kind of target: one set of tests, run over all of them."""

from __future__ import annotations

import csv
import gzip
import io
import json
import os
import secrets
import shutil
import sqlite3
import subprocess
import sys
from collections import Counter
from collections.abc import Callable, Mapping, Sequence
from contextlib import ExitStack
from dataclasses import dataclass, field
from itertools import permutations
from pathlib import Path
from typing import TYPE_CHECKING, Any

import duckdb
import openpyxl
import psycopg
import pyarrow as pa
import pytest
from hypothesis import HealthCheck, given, settings
from hypothesis import strategies as st
from pyarrow import dataset, parquet

import boreotabula.run
from boreotabula.batch.layouts.load import Layout
from boreotabula.batch.private_files import turn_of
from boreotabula.batch.read_all import ReadOptions
from boreotabula.cli.target import Into, OutputOptions, chosen_target
from boreotabula.errors import CallError
from boreotabula.stores.bases.address import DatabaseAddress
from helpers import PROGRAM, Outcome, csv_rows, program

if TYPE_CHECKING:
    from postgres_server import Server

LAYOUT = """layout = 1
{key}[source]
folder = "in"
[block]
[fields]
lot = "text"
n = "integer"
"""
KEY = 'key = ["lot"]\n'
Lines = Mapping[str, int]
"""The lots of a file with their numbers."""


@dataclass
class Desk:
    """A folder with files, a layout, and a target of some kind."""

    home: Path
    kind: str
    url: str = ""
    stem: str = "out"
    table: str = "records"
    files: dict[str, Lines] = field(default_factory=dict)

    @property
    def adds(self) -> bool:
        return self.kind.startswith("into")

    @property
    def path(self) -> Path:
        return self.home / f"{self.stem}{'' if self.kind == 'dataset' else self.ending}"

    @property
    def ending(self) -> str:
        return f".{self.kind.removeprefix('into ')}"

    @property
    def options(self) -> list[object]:
        if self.kind == "into postgres":
            return ["--into", self.url, "--into-tab", self.table]
        if self.adds:
            return ["--into", self.path]
        return ["-o", self.path, *(["--partition", "lot"] if self.kind == "dataset" else [])]

    @property
    def folder(self) -> Path:
        """Where the findings of a run are."""
        if self.kind == "into postgres":
            return self.home / f"{self.table}.run"
        return self.path.with_name(f"{self.path.name}.run")

    def start(self, key: str = "") -> None:
        (self.home / "in").mkdir(exist_ok=True)
        (self.home / "l.toml").write_text(LAYOUT.format(key=key), "utf-8")
        if self.kind == "into xlsx":
            book = openpyxl.Workbook()
            book.save(self.path)
        elif self.kind == "into sqlite":
            sqlite3.connect(self.path).close()
            self.path.touch()
        elif self.kind == "into duckdb":
            duckdb.connect(str(self.path)).close()

    def put(self, **files: Lines | None) -> None:
        """Write files, or delete them."""
        for name, lines in files.items():
            path = self.home / "in" / f"{name}.csv"
            if lines is None:
                path.unlink()
                del self.files[name]
                continue
            text = "".join(f"{lot},{number}\n" for lot, number in lines.items())
            path.write_text("lot,n\n" + text, "utf-8")
            self.files[name] = lines

    def run(self, *more: object) -> Outcome:
        done = program("extract", "l.toml", *self.options, *more, cwd=self.home)
        assert "Traceback" not in done.err and done.status != 70, done.err
        return done

    def ask(self, statement: str) -> list[tuple[Any, ...]]:
        """Rows of a database."""
        if self.kind == "into postgres":
            with psycopg.connect(self.url, autocommit=True) as base:
                found = base.execute(statement.encode())
                return found.fetchall() if found.description else []
        if self.kind.endswith("duckdb"):
            with duckdb.connect(str(self.path)) as duck:
                return duck.execute(statement).fetchall()
        with sqlite3.connect(self.path) as lite:
            rows = lite.execute(statement).fetchall()
        lite.close()
        return rows

    def records(self) -> Counter[tuple[str, int | None]]:
        """What the target holds, read by other programs than ours."""
        kind = self.kind.removeprefix("into ")
        if kind in ("postgres", "duckdb", "sqlite"):
            rows = self.ask(f"SELECT lot, n FROM {self.table}")
        elif kind in ("csv", "tsv", "psv", "csv.gz"):
            data = self.path.read_bytes()
            text = (gzip.decompress(data) if kind == "csv.gz" else data).decode()
            mark = {"tsv": "\t", "psv": "|"}.get(kind, ",")
            parsed = csv.DictReader(io.StringIO(text, newline=""), delimiter=mark)
            rows = [(one["lot"], int(one["n"]) if one["n"] else None) for one in parsed]
        elif kind == "jsonl":
            lines = self.path.read_text("utf-8").splitlines()
            rows = [(one["lot"], one["n"]) for one in map(json.loads, lines)]
        elif kind == "xlsx":
            sheet = openpyxl.load_workbook(self.path)[self.table]
            every = [list(row) for row in sheet.iter_rows(values_only=True)]
            lot, number = every[0].index("lot"), every[0].index("n")
            rows = [(row[lot], row[number]) for row in every[1:] if any(row)]
        else:
            if kind == "parquet":
                table = parquet.read_table(self.path)
            elif kind == "arrow":
                table = pa.ipc.open_file(self.path.read_bytes()).read_all()
            else:
                table = dataset.dataset(self.path, partitioning="hive").to_table()
            pairs = table.select(["lot", "n"]).to_pylist()
            rows = [(one["lot"], one["n"]) for one in pairs]
        return Counter((str(lot or ""), number) for lot, number in rows)

    def state(self) -> Any:
        """What must not change if nothing has."""
        if self.kind in ("into postgres", "into duckdb", "into sqlite"):
            return self.ask(f"SELECT * FROM {self.table} ORDER BY lot, source_file, source_cell")
        if self.kind == "dataset":
            return {one.name for one in self.path.rglob("*.parquet")}, self.records()
        return self.path.read_bytes()

    def restated(self) -> list[dict[str, str]]:
        return csv_rows(self.folder / "restated.csv")

    def codes(self) -> list[str]:
        return [one["code"] for one in csv_rows(self.folder / "findings.csv")]


NEW = (
    "csv",
    "csv.gz",
    "tsv",
    "psv",
    "jsonl",
    "parquet",
    "arrow",
    "xlsx",
    "sqlite",
    "duckdb",
    "dataset",
)
INTO = ("into xlsx", "into sqlite", "into duckdb", "into postgres")
BASES = ("into sqlite", "into duckdb", "into postgres")


def desk_of(kind: str, home: Path, request: pytest.FixtureRequest) -> Desk:
    """A target of a kind; of PostgreSQL a table of its own."""
    desk = Desk(home, kind)
    if kind == "into postgres":
        server: Server = request.getfixturevalue("server")
        desk.url, desk.table = server.url(), f"t{secrets.token_hex(6)}"
    return desk


@pytest.fixture
def desk(request: pytest.FixtureRequest, tmp_path: Path) -> Desk:
    desk = desk_of(request.param, tmp_path, request)
    desk.start()
    desk.put(a={"A1": 1, "A2": 2}, b={"B1": 3})
    assert desk.run().status == 0
    return desk


every = pytest.mark.parametrize("desk", (*NEW, *INTO), indirect=True)
databases = pytest.mark.parametrize("desk", BASES, indirect=True)
added = pytest.mark.parametrize("desk", INTO, indirect=True)


def pairs(**numbers: int) -> Counter[tuple[str, int | None]]:
    return Counter(dict.fromkeys(numbers.items(), 1))


@every
def test_again_unchanged(desk: Desk) -> None:
    assert desk.records() == pairs(A1=1, A2=2, B1=3)
    before = desk.state()
    done = desk.run()
    assert "2 unchanged" in done.out and desk.state() == before


@every
def test_a_value_that_changes_is_restated(desk: Desk) -> None:
    before = desk.state()
    desk.put(a={"A1": 1, "A2": 20})
    done = desk.run("--strict-past")
    assert done.status == 1 and "Values were restated, so nothing was written" in done.err
    assert desk.state() == before
    done = desk.run()
    assert desk.records() == pairs(A1=1, A2=20, B1=3)
    assert desk.codes().count("value-restated") == 1 and "1 value restated" in done.out
    (line,) = desk.restated()
    found = [line[one] for one in ("file", "lot", "field", "before", "now")]
    assert found == ["a.csv", "A2", "n", "2", "20"]
    if desk.kind != "into postgres":
        assert program("trace", desk.path, "--where", "lot=A2", cwd=desk.home).status == 0


@every
def test_a_renamed_file_is_no_new_one(desk: Desk) -> None:
    (desk.home / "in" / "a.csv").rename(desk.home / "in" / "z.csv")
    assert "1 renamed" in desk.run().out
    assert desk.records() == pairs(A1=1, A2=2, B1=3)
    assert desk.run().status == 0 and desk.records() == pairs(A1=1, A2=2, B1=3)


@every
def test_a_copied_file_is_told_and_left_out(desk: Desk) -> None:
    shutil.copy(desk.home / "in" / "a.csv", desk.home / "in" / "a (1).csv")
    desk.run()
    assert desk.records() == pairs(A1=1, A2=2, B1=3) and "file-twice" in desk.codes()


@every
def test_a_file_that_is_gone(desk: Desk) -> None:
    desk.put(b=None)
    assert "1 gone" in desk.run().out
    stays = pairs(A1=1, A2=2, B1=3) if desk.adds else pairs(A1=1, A2=2)
    assert desk.records() == stays
    if desk.adds:
        desk.put(c={"C1": 5})
        assert desk.run("--replace").status == 0
        assert desk.records() == pairs(A1=1, A2=2, C1=5)


@every
def test_another_output_of_the_same_stem_in_between(desk: Desk) -> None:
    other = "csv" if desk.kind != "csv" else "jsonl"
    (desk.home / "in" / "a.csv").rename(desk.home / "in" / "z.csv")
    out = desk.home / f"out.{other}"
    assert program("extract", "l.toml", "-o", out, cwd=desk.home).status == 0
    desk.run()
    assert desk.records() == pairs(A1=1, A2=2, B1=3)
    desk.put(b={"B1": 30})
    assert program("extract", "l.toml", "-o", out, cwd=desk.home).status == 0
    assert desk.run("--strict-past").status == 1
    if desk.kind != "into postgres":
        for one in (desk.path, out):
            shown = program("crosstab", one, "--rows", "lot", "--value", "n", cwd=desk.home)
            assert shown.status == 0, shown.err


@every
def test_from_another_folder(desk: Desk, tmp_path_factory: pytest.TempPathFactory) -> None:
    (desk.home / "in" / "a.csv").rename(desk.home / "in" / "z.csv")
    elsewhere = tmp_path_factory.mktemp("elsewhere")
    layout = desk.home / "l.toml"
    done = program("extract", layout, *desk.options, cwd=elsewhere)
    assert done.status == 0 and "1 renamed" in done.out
    assert desk.records() == pairs(A1=1, A2=2, B1=3)


@every
def test_stopped_in_the_middle(desk: Desk, monkeypatch: pytest.MonkeyPatch) -> None:
    before = desk.state()
    desk.put(a={"A1": 9}, c={"C1": 1})

    def stopped(*_: object, **__: object) -> None:
        raise KeyboardInterrupt

    for home in ("new_file", "dataset.dataset", "master.store", "bases.writing"):
        monkeypatch.setattr(f"boreotabula.stores.{home}.write_record", stopped)
    assert desk.run().status == 130
    monkeypatch.undo()
    assert desk.state() == before
    desk.run()
    expected = {"A1": 9, "B1": 3, "C1": 1}
    assert desk.records() == pairs(**expected)


@every
def test_odd_texts(desk: Desk) -> None:
    odd = ['"', "a,b", "a\tb", "a|b", "\\.", "'=1", "é ☃ 𝄞", "x" * 99, "NULL", "a\nb"]
    lines = ["lot,n", *(f'"{one.replace(chr(34), chr(34) * 2)}",1' for one in odd)]
    (desk.home / "in" / "b.csv").write_text("\n".join(lines) + "\n", "utf-8", newline="")
    assert desk.run().status == 0
    assert {lot for lot, _ in desk.records()} == {*odd, "A1", "A2"}


@added
def test_with_a_key_rows_are_known_without_any_record(desk: Desk) -> None:
    (desk.home / "l.toml").write_text(LAYOUT.format(key=KEY), "utf-8")
    shutil.rmtree(desk.folder)
    if desk.kind in BASES:
        desk.ask("DELETE FROM boreotabula_runs")
    (desk.home / "in" / "a.csv").rename(desk.home / "in" / "z.csv")
    assert desk.run().status == 0
    assert desk.records() == pairs(A1=1, A2=2, B1=3)


@added
def test_a_run_over_a_few_files_takes_no_row_of_others(desk: Desk) -> None:
    (desk.home / "l.toml").write_text(LAYOUT.format(key=KEY), "utf-8")
    desk.put(c={"A1": 7, "C1": 8})
    if desk.kind in BASES:
        desk.run("--include", "c.csv")
        assert desk.records() == pairs(A1=1, A2=2, B1=3, C1=8) + Counter({("A1", 7): 1})
    desk.run()
    assert desk.records() == pairs(A1=1, A2=2, B1=3, C1=8) + Counter({("A1", 7): 1})


# --- databases ------------------------------------------------------------------------------------


@databases
@pytest.mark.parametrize("key", ["", KEY])
def test_columns_and_rows_of_the_user_stay(desk: Desk, key: str) -> None:
    (desk.home / "l.toml").write_text(LAYOUT.format(key=key), "utf-8")
    desk.ask(f"ALTER TABLE {desk.table} ADD COLUMN checked text")
    desk.ask(f"UPDATE {desk.table} SET checked = 'by ' || lot")
    desk.ask(f"INSERT INTO {desk.table} (lot, n) VALUES ('mine', 7)")
    desk.put(a={"A2": 2, "A1": 10})  # in another order, and one of them changed
    assert desk.run().status == 0
    found = desk.ask(f"SELECT lot, n, checked FROM {desk.table} ORDER BY lot")
    assert found == [
        ("A1", 10, "by A1"), ("A2", 2, "by A2"), ("B1", 3, "by B1"), ("mine", 7, None),
    ]  # fmt: skip


@pytest.mark.parametrize("desk", ["into sqlite", "into postgres"], indirect=True)
def test_no_operation_on_rows_of_unchanged_files(desk: Desk) -> None:
    desk.ask(f"CREATE TABLE seen_{desk.table} (lot text)")
    for event, row in (("INSERT", "NEW"), ("UPDATE", "OLD"), ("DELETE", "OLD")):
        insert = f"INSERT INTO seen_{desk.table} VALUES ({row}.lot)"
        name = f"on_{event}_{desk.table}"
        if desk.kind == "into sqlite":
            desk.ask(f"CREATE TRIGGER {name} AFTER {event} ON {desk.table} BEGIN {insert}; END")
            continue
        desk.ask(
            f"CREATE FUNCTION {name}() RETURNS trigger LANGUAGE plpgsql AS"
            f" $$ BEGIN {insert}; RETURN NULL; END $$"
        )
        desk.ask(f"CREATE TRIGGER {name} AFTER {event} ON {desk.table} FOR EACH ROW"
                 f" EXECUTE FUNCTION {name}()")  # fmt: skip
    desk.run()
    assert desk.ask(f"SELECT lot FROM seen_{desk.table}") == []
    desk.put(b={"B1": 3, "B2": 4})
    desk.run()
    assert desk.ask(f"SELECT lot FROM seen_{desk.table}") == [("B2",)]


@databases
def test_another_table_of_the_database_is_another_target(desk: Desk) -> None:
    other = f"u{secrets.token_hex(5)}"
    place = desk.url or desk.path
    desk.put(b=None)
    done = program("extract", "l.toml", "--into", place, "--into-tab", other, cwd=desk.home)
    assert "since the last run" not in done.out
    assert desk.ask(f"SELECT count(*) FROM {other}") == [(2,)]
    assert "1 gone, 1 unchanged" in desk.run().out
    call = ("crosstab", place, "--rows", "lot", "--value", "n", "--json")
    if not desk.url:
        assert "choose one with --table" in program(*call, cwd=desk.home).err
    done = program(*call, "--table", other, cwd=desk.home.parent)
    assert len(json.loads(done.out)["rows"]) == 2, done.err


@pytest.mark.parametrize("desk", ["into duckdb", "into postgres"], indirect=True)
def test_a_column_that_would_round_is_refused_before_anything_is_read(desk: Desk) -> None:
    text = (desk.home / "l.toml").read_text("utf-8").replace('n = "integer"', 'n = "decimal(2)"')
    (desk.home / "l.toml").write_text(text, "utf-8")
    desk.ask(f"DROP TABLE {desk.table}")
    desk.ask(f"CREATE TABLE {desk.table} (lot text, n numeric(10,0), source_file text,"
             " source_tab text, source_cell text)")  # fmt: skip
    done = desk.run("-v")
    assert done.status == 2 and "it would be rounded to 0 digits" in done.err
    assert "a.csv" not in done.err and desk.ask(f"SELECT count(*) FROM {desk.table}") == [(0,)]


@pytest.mark.parametrize("desk", ["into postgres"], indirect=True)
def test_a_value_that_a_database_cannot_hold_is_told_at_its_cell(desk: Desk) -> None:
    desk.ask(f"ALTER TABLE {desk.table} ALTER COLUMN lot TYPE varchar(6)")
    book = openpyxl.Workbook()
    assert book.active is not None
    # ECMA-376 part 1, 22.4.2.4: so a workbook writes the character NUL.
    for line in (["lot", "n"], ["longer than six", 4], ["short", 5], ["d_x0000_d", 6]):
        book.active.append(line)
    book.save(desk.home / "in" / "c.xlsx")
    for _ in range(2):  # told again as long as it is so
        done = desk.run()
        assert done.status == 1
        told = [one for one in csv_rows(desk.folder / "findings.csv")
                if one["code"] == "value-not-held"]  # fmt: skip
        cells = sorted((one["file"], one["cell"]) for one in told)
        assert cells == [("c.xlsx", "A2"), ("c.xlsx", "A4")]
    assert desk.records() == pairs(A1=1, A2=2, B1=3, short=5) + Counter({("", 4): 1, ("", 6): 1})
    done = program("extract", "l.toml", "--into", desk.url, "--into-tab", "t" * 64, cwd=desk.home)
    assert done.status == 2 and "has 64 bytes" in done.err


@databases
def test_a_changed_file_of_a_run_that_is_not_at_hand(desk: Desk) -> None:
    """Somebody deletes rows in the database: the next run puts them back."""
    desk.ask(f"DELETE FROM {desk.table} WHERE lot = 'A1'")
    desk.run()
    assert desk.records() == pairs(A1=1, A2=2, B1=3)


# --- any order of steps ---------------------------------------------------------------------------

Step = Callable[["Model"], None]


@dataclass
class Model:
    """Two targets of one stem, and what each must hold."""

    desks: Sequence[Desk]
    held: list[dict[str, Lines]]
    count: int = 0

    @property
    def files(self) -> dict[str, Lines]:
        return self.desks[0].files

    def write(self, name: str) -> None:
        self.count += 1
        self.desks[0].put(**{name: {f"{name}{self.count}": self.count, f"{name}0": self.count}})

    def rename(self, name: str, new: str) -> None:
        if name in self.files and new not in self.files:
            lines = self.files[name]
            self.desks[0].put(**{name: None})
            self.desks[0].put(**{new: lines})

    def delete(self, name: str) -> None:
        if name in self.files and len(self.files) > 1:
            self.desks[0].put(**{name: None})

    def run(self, at: int) -> None:
        desk, held = self.desks[at], self.held[at]
        desk.run()
        if desk.adds:
            for name, lines in self.files.items():
                gone = [one for one, before in held.items()
                        if before == lines and one not in self.files]  # fmt: skip
                if name not in held and gone:
                    del held[gone[0]]
        else:
            held.clear()
        held.update(self.files)
        expected = Counter(pair for lines in held.values() for pair in lines.items())
        assert desk.records() == expected, (desk.kind, self.files)


names = st.sampled_from(["a", "b", "c"])
steps = st.lists(
    st.one_of(
        st.tuples(st.just("write"), names),
        st.tuples(st.just("rename"), names, names),
        st.tuples(st.just("delete"), names),
        st.tuples(st.just("run"), st.sampled_from([0, 1])),
        st.tuples(st.just("run"), st.sampled_from([0, 1])),
    ),
    min_size=5,
    max_size=8,
)


def check_steps(kinds: Sequence[str], home: Path, todo: Any, request: Any) -> None:
    home.mkdir()
    desks = [desk_of(kind, home, request) for kind in kinds]
    for one in desks:
        one.start()
    model = Model(desks, [{}, {}])
    desks[1].files = desks[0].files
    model.write("a")
    for name, *rest in [("run", 0), ("run", 1), *todo, ("run", 0), ("run", 1)]:
        getattr(model, name)(*rest)


KINDS = ("csv", "parquet", "xlsx", "sqlite", "duckdb", "dataset", *INTO)
PAIRS = [
    both
    for both in permutations(KINDS, 2)
    # One file cannot be both.
    if both[0].removeprefix("into ") != both[1].removeprefix("into ")
]


@pytest.mark.parametrize("kinds", PAIRS, ids=" then ".join)
def test_two_targets_of_one_stem_never_forget(
    kinds: tuple[str, str], tmp_path: Path, request: pytest.FixtureRequest
) -> None:
    @settings(
        max_examples=1,
        derandomize=True,
        suppress_health_check=[HealthCheck.function_scoped_fixture],
    )
    @given(todo=steps)
    def check(todo: Any) -> None:
        check_steps(kinds, tmp_path / secrets.token_hex(4), todo, request)

    check()


# --- two at once ----------------------------------------------------------------------------------


@pytest.mark.apart
@every
def test_two_runs_at_once_take_turns(desk: Desk) -> None:
    """Each adds files that the other does not know: both are there in what is added to."""
    for name in ("c", "d"):
        desk.put(**{name: {f"{name}{at}": at for at in range(50)}})
    call = [PROGRAM, "extract", "l.toml", *map(str, desk.options), "--include"]
    runs = [
        subprocess.Popen([*call, f"{name}.csv"], cwd=desk.home, stderr=subprocess.PIPE)
        for name in ("c", "d")
    ]
    for one in runs:
        _, said = one.communicate()
        assert one.returncode == 0, said
    lots = {lot[0] for lot, _ in desk.records()}
    assert lots == {"A", "B", "c", "d"} if desk.adds else len(lots) == 1
    assert sum(desk.records().values()) == (103 if desk.adds else 50)


@pytest.mark.parametrize("desk", ("csv", "dataset", "into xlsx"), indirect=True)
def test_a_run_waits_for_another_before_it_judges_the_output(desk: Desk) -> None:
    """A run that is about to end has put its record in place, and not its output yet."""
    output = next((path for path in desk.path.rglob("*.parquet")), desk.path)
    times = (output.stat().st_atime_ns, output.stat().st_mtime_ns)
    desk.put(c={"C1": 5})
    call = [PROGRAM, "extract", "l.toml", *map(str, desk.options)]
    with ExitStack() as other_run:
        other_run.enter_context(turn_of(desk.path))
        os.utime(output, ns=(0, 0))
        with subprocess.Popen(call, cwd=desk.home, stderr=subprocess.PIPE, text=True) as run:
            assert run.stderr is not None
            first = run.stderr.readline()
            assert f"another run writes to “{desk.path}”: waiting until it has ended" in first
            os.utime(output, ns=times)
            other_run.close()
            assert (run.wait(), run.stderr.read()) == (0, "")
    assert desk.records() == pairs(A1=1, A2=2, B1=3, C1=5)


_WITH_WORKER = """
import os, sys
from pathlib import Path
from boreotabula.batch.private_files import turn_of
waits, goes_on = os.pipe()
sees, is_there = os.pipe()
with turn_of(Path(sys.argv[1])):
    worker = os.fork()
    if not worker:
        os.close(goes_on)
        os.write(is_there, b".")
        os.read(waits, 1)
        os._exit(0)
    os.read(sees, 1)
with turn_of(Path(sys.argv[1]), print):
    os.write(goes_on, b".")
os.waitpid(worker, 0)
"""


@pytest.mark.skipif(not hasattr(os, "fork"), reason="processes are not forked here")
def test_processes_of_a_run_that_has_ended_keep_nobody_waiting(tmp_path: Path) -> None:
    call = [sys.executable, "-c", _WITH_WORKER, tmp_path / "out.csv"]
    assert subprocess.run(call, check=True, capture_output=True, text=True).stdout == ""


@pytest.mark.parametrize("desk", ("csv", "dataset"), indirect=True)
def test_what_others_made_of_the_output_meanwhile_is_not_replaced(desk: Desk) -> None:
    layout = Layout.load(desk.home / "l.toml")
    options = OutputOptions(str(desk.path), Into(), ("lot",) if desk.kind == "dataset" else ())
    store = chosen_target(options, on_wait=lambda _: None).store
    inbox = store.look(layout, ())
    output = next((path for path in desk.path.rglob("*.parquet")), desk.path)
    output.write_bytes(b"by hand")
    with pytest.raises(CallError, match="was changed or copied since extract wrote it"):
        boreotabula.run.run_into(store, layout, inbox, lambda _: None, ReadOptions())
    assert output.read_bytes() == b"by hand"


def test_a_run_says_that_it_waits_for_another(
    tmp_path: Path, request: pytest.FixtureRequest
) -> None:
    desk = desk_of("into postgres", tmp_path, request)
    desk.start()
    desk.put(a={"A1": 1})
    assert desk.run().status == 0
    with psycopg.connect(desk.url, autocommit=True) as other:
        held = [0x62_6F_72_65, desk.table]
        other.execute("SELECT pg_advisory_lock(%s, hashtext(%s))", held)
        call = [PROGRAM, "extract", "l.toml", *map(str, desk.options)]
        with subprocess.Popen(call, cwd=desk.home, stderr=subprocess.PIPE, text=True) as run:
            assert run.stderr is not None
            assert "another run writes into" in run.stderr.readline()
            other.execute("SELECT pg_advisory_unlock(%s, hashtext(%s))", held)
            assert run.wait() == 0
    with psycopg.connect(desk.url) as other:
        other.execute(f"SELECT * FROM {desk.table} FOR UPDATE")
        desk.put(a={"A1": 2})
        with subprocess.Popen(call, cwd=desk.home, stderr=subprocess.PIPE, text=True) as run:
            assert run.stderr is not None
            assert "is in use: waiting" in run.stderr.readline()
            other.rollback()
            assert run.wait() == 0
    assert desk.records() == pairs(A1=2)


@databases
def test_rows_that_refer_to_others_stay(desk: Desk) -> None:
    """With a key a row that is still there keeps its id: what refers to it stays, too."""
    if desk.kind == "into duckdb":  # whose own numbers of rows change with any of them
        desk.ask("ALTER TABLE records ADD COLUMN id int")
        desk.ask("UPDATE records SET id = n + 100")
        ids = "SELECT id FROM records WHERE lot = 'A2'"
    elif desk.kind == "into sqlite":
        ids = f"SELECT rowid FROM {desk.table} WHERE lot = 'A2'"
    else:
        desk.ask(f"ALTER TABLE {desk.table} ADD COLUMN id serial PRIMARY KEY")
        desk.ask(f"CREATE TABLE child_{desk.table} (id int REFERENCES {desk.table}"
                 f" ON DELETE CASCADE)")  # fmt: skip
        desk.ask(f"INSERT INTO child_{desk.table} SELECT id FROM {desk.table}")
        ids = f"SELECT id FROM {desk.table} WHERE lot = 'A2'"
    (desk.home / "l.toml").write_text(LAYOUT.format(key=KEY), "utf-8")
    before = desk.ask(ids)
    desk.put(a={"A2": 22, "A3": 3}, b={"B1": 4})
    assert desk.run().status == 0 and desk.ask(ids) == before
    if desk.kind == "into postgres":
        # Of what A1 had its child goes with it; those of A2 and B1 stay.
        assert desk.ask(f"SELECT count(*) FROM child_{desk.table}") == [(2,)]


def test_a_run_folder_of_an_earlier_version_is_taken_over(tmp_path: Path) -> None:
    desk = Desk(tmp_path, "csv")
    desk.start()
    desk.put(a={"A1": 1})
    desk.run()
    desk.folder.rename(tmp_path / "out.run")
    assert "1 unchanged" in desk.run().out and desk.folder.is_dir()
    (tmp_path / "out.run" / "run.json").write_text('{"output": "out.parquet"}', "utf-8")
    shutil.rmtree(desk.folder)
    assert "was not written by extract" in desk.run().err


@pytest.mark.parametrize(
    ("url", "shown"),
    [
        ("POSTGRES://u:pw@h/n", "postgres://u@h/n"),
        ("postgresql:///?service=stock", "postgresql:///?service=stock"),
        ("postgresql://h?dbname=n&password=x", "postgresql://h?dbname=n&password=…"),
    ],
)
def test_addresses_of_databases(url: str, shown: str) -> None:
    assert str(DatabaseAddress(url)) == shown
    assert DatabaseAddress(url).url.startswith("postgres")


@pytest.mark.apart
def test_two_first_runs_at_once(server: Server, tmp_path: Path) -> None:
    server.ask("DROP TABLE IF EXISTS boreotabula_runs")
    desks = []
    for name in ("one", "two"):
        (tmp_path / name).mkdir()
        desks.append(Desk(tmp_path / name, "into postgres", server.url(), table=f"f_{name}"))
        desks[-1].start()
        desks[-1].put(a={f"A{at}": at for at in range(300)})
    call = [PROGRAM, "extract", "l.toml"]
    runs = [
        subprocess.Popen([*call, *map(str, one.options)], cwd=one.home, stderr=subprocess.PIPE)
        for one in (*desks, desks[0])
    ]
    for one in runs:
        _, said = one.communicate()
        assert one.returncode == 0, said
    assert [sum(one.records().values()) for one in desks] == [300, 300]
    assert {name for (name,) in server.ask("SELECT target FROM boreotabula_runs")} == {
        "f_one", "f_two",
    }  # fmt: skip


def test_no_transaction_is_open_while_files_are_read(
    tmp_path: Path, request: pytest.FixtureRequest, monkeypatch: pytest.MonkeyPatch
) -> None:
    """Servers end transactions that are idle for long."""
    desk = desk_of("into postgres", tmp_path, request)
    desk.start()
    desk.put(a={"A1": 1})
    assert desk.run().status == 0
    read, states = boreotabula.run.read_all, []

    def reading(*arguments: Any) -> Any:
        states.extend(
            desk.ask("SELECT state FROM pg_stat_activity WHERE application_name = 'boreotabula'")
        )
        return read(*arguments)

    monkeypatch.setattr(boreotabula.run, "read_all", reading)
    desk.put(a={"A1": 2})
    assert desk.run().status == 0 and states == [("idle",)]


def test_columns_are_known_whatever_their_letter_case(
    tmp_path: Path, request: pytest.FixtureRequest
) -> None:
    for kind in ("into duckdb", "into sqlite"):
        (tmp_path / kind[5:]).mkdir()
        desk = desk_of(kind, tmp_path / kind[5:], request)
        desk.start()
        desk.ask('CREATE TABLE records ("Lot" text)')
        desk.put(a={"A1": 1})
        assert desk.run("--add-columns").status == 0
        assert desk.run().status == 0 and desk.records() == pairs(A1=1)


def test_tables_whose_columns_are_known_at_the_end(
    tmp_path: Path, request: pytest.FixtureRequest
) -> None:
    """A file that becomes a copy, or holds no record any more, leaves no row behind."""
    text = LAYOUT.format(key="").replace(
        "[block]\n",
        '[[block]]\ninto = "records"\nstub = "lot"\n[[block]]\ninto = "more"\nstub = "tag"\n',
    )
    for kind in ("into duckdb", "into sqlite"):
        (tmp_path / kind[5:]).mkdir()
        desk = desk_of(kind, tmp_path / kind[5:], request)
        desk.start()
        (desk.home / "l.toml").write_text(text + 'tag = "text"\n', "utf-8")
        layout = Layout.load(desk.home / "l.toml")
        assert layout.plan.grows
        desk.put(a={"A1": 1}, b={"B1": 2}, c={"C1": 3})
        desk.run()
        assert desk.records() == pairs(A1=1, B1=2, C1=3)
        desk.put(b={"A1": 1}, c={})
        desk.run()
        assert desk.records() == pairs(A1=1)
