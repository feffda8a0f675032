"""Records in databases that know types: PostgreSQL, a real server on loopback, and DuckDB."""

from __future__ import annotations

import json
import re
import shlex
import shutil
from collections.abc import Callable, Sequence
from datetime import date, datetime, time
from decimal import Decimal
from pathlib import Path
from typing import Any

import duckdb
import pytest

from boreotabula.errors import CallError
from boreotabula.stores.bases.address import DatabaseAddress
from boreotabula.stores.bases.postgres import Postgres
from helpers import Outcome, csv_rows, program, write_workbook
from postgres_server import PASSWORD, Server

LAYOUT = """layout = 1
key = ["lot", "day"]
[source]
folder = "in"
[block]
stub = "lot"
every_row = true
[fields]
lot = { type = "text", also = ["Lot no."] }
day = "date"
month = "month"
at = "time"
seen = "datetime"
count = { type = "integer", unit = "pcs" }
price = "decimal(2)"
share = "percent"
ok = "yesno"
"""
HEADS = ["Lot no.", "Day", "Month", "At", "Seen", "Count", "Price", "Share", "Ok"]


def row(lot: str, count: int = 5) -> list[Any]:
    return [lot, "2026-04-01", "2026-04", "06:30", "2026-04-01 06:30", count, "1.10", "15 %", "yes"]


@pytest.fixture
def home(tmp_path: Path) -> Path:
    """Two files, one with a lot that is no plain text."""
    write_workbook(tmp_path / "in" / "a.xlsx", {"S": [HEADS, row('L"a", \\.\n=1')]})
    write_workbook(tmp_path / "in" / "b.xlsx", {"S": [HEADS, row("Lb", 2**53 - 1), ["Lc"]]})
    (tmp_path / "l.toml").write_text(LAYOUT, "utf-8")
    return tmp_path


@pytest.fixture
def stock(server: Server) -> str:
    """The name of a table that is not there yet."""
    server.ask("DROP TABLE IF EXISTS stock; DROP TABLE IF EXISTS boreotabula_runs")
    return "stock"


def put(home: Path, place: object, *more: object) -> Outcome:
    return program("extract", "l.toml", "--into", place, "--into-tab", "stock", *more, cwd=home)


WANTED = [
    ('L"a", \\.\n=1', date(2026, 4, 1), date(2026, 4, 1), time(6, 30), datetime(2026, 4, 1, 6, 30),
     5, Decimal("1.10"), 0.15, True, "a.xlsx"),
    ("Lb", date(2026, 4, 1), date(2026, 4, 1), time(6, 30), datetime(2026, 4, 1, 6, 30),
     2**53 - 1, Decimal("1.10"), 0.15, True, "b.xlsx"),
    ("Lc", *[None] * 8, "b.xlsx"),
]  # fmt: skip
ALL = (
    'SELECT "lot", "day", "month", "at", "seen", "count", "price", "share", "ok", "source_file"'
    " FROM stock ORDER BY source_file, lot"
)

Ask = Callable[[str], Sequence[tuple[Any, ...]]]


def check_promises(home: Path, place: object, ask: Ask) -> None:
    """What holds of every database: types, remarks, replaced and kept records, added columns."""
    done = put(home, place)
    assert (done.status, done.err) == (0, "")
    assert list(ask(ALL)) == WANTED
    ask("INSERT INTO stock (lot, source_file) VALUES ('by hand', NULL), ('other', 'z.xlsx')")
    write_workbook(home / "in" / "b.xlsx", {"S": [HEADS, row("Ld", 7)]})
    (home / "in" / "a.xlsx").unlink()
    for _ in range(2):  # a second time nothing is doubled
        assert put(home, place).status == 0
        lots = [one for (one,) in ask("SELECT lot FROM stock ORDER BY lot")]
        assert lots == sorted(['L"a", \\.\n=1', "Ld", "by hand", "other"])
    text = (home / "l.toml").read_text("utf-8")
    (home / "l.toml").write_text(text + 'remark = "text"\n', "utf-8")
    done = put(home, place)
    assert done.status == 2 and "has no column “remark”; add it there, or use" in done.err
    assert put(home, place, "--add-columns").status == 0
    assert ask("SELECT remark FROM stock WHERE lot = 'Ld'") == [(None,)]
    (home / "l.toml").write_text(text.replace('"percent"', '"text"'), "utf-8")
    done = put(home, place)
    assert done.status == 2 and "the column “share” is double" in done.err.lower()
    (home / "l.toml").write_text(text, "utf-8")
    write_workbook(home / "in" / "c.xlsx", {"S": [HEADS, [*row("Le")[:5], "many"]]})
    assert put(home, place, "--strict").status == 1
    assert ask("SELECT count(*) FROM stock WHERE lot = 'Le'") == [(0,)]
    (home / "in" / "c.xlsx").unlink()


def check_readers(home: Path, place: object) -> None:
    """What reads outputs reads a database like a file."""
    assert program("extract", "l.toml", "-o", "same.csv", cwd=home).status == 0
    compared = program("compare", "same.csv", place, "--json", cwd=home)
    assert compared.err == ""
    found = json.loads(compared.out)
    assert (found["same"], found["changed"], found["new"]) == (1, 0, found["new"])
    crossed = program("crosstab", place, "--rows", "lot", "--value", "count", "--json", cwd=home)
    assert crossed.err == ""
    assert ["Ld"] in json.loads(crossed.out)["rows"]
    covered = program("coverage", place, "--rows", "lot", "--across", "month", cwd=home)
    assert covered.status in (0, 1) and "Ld" in covered.out
    traced = program("trace", place, "--where", "lot=Ld", "--json", cwd=home)
    assert traced.err == ""
    (record,) = json.loads(traced.out)
    assert (record["record"]["price"], record["record"]["month"]) == ("1.10", "2026-04")


def test_records_in_duckdb(home: Path) -> None:
    def ask(statement: str) -> list[tuple[Any, ...]]:
        with duckdb.connect(str(home / "base.duckdb")) as base:
            return base.execute(statement).fetchall()

    assert program("extract", "l.toml", "-o", "new.duckdb", cwd=home).status == 0
    with duckdb.connect(str(home / "new.duckdb")) as base:
        assert base.execute(ALL.replace("stock", "records")).fetchall() == WANTED
    duckdb.connect(str(home / "base.duckdb")).close()
    check_promises(home, "base.duckdb", ask)
    check_readers(home, "base.duckdb")
    remarks = dict(ask("SELECT column_name, comment FROM duckdb_columns()"))
    assert (remarks["lot"], remarks["count"]) == ("Lot no.", "count, pcs")
    (home / "base.duckdb").write_bytes(b"no database")
    assert "“base.duckdb” cannot be opened" in put(home, "base.duckdb").err


def test_records_in_postgresql(home: Path, server: Server, stock: str) -> None:
    check_promises(home, server.url(), server.ask)
    check_readers(home, server.url())
    remarks = dict(
        server.ask(
            "SELECT attname, col_description(attrelid, attnum) FROM pg_attribute"
            " WHERE attrelid = 'stock'::regclass AND attnum > 0"
        )
    )
    assert (remarks["lot"], remarks["count"]) == ("Lot no.", "count, pcs")
    kinds = dict(
        server.ask("SELECT column_name, data_type FROM information_schema.columns"
                   " WHERE table_name = 'stock'")
    )  # fmt: skip
    assert [kinds[one] for one in ("price", "day", "seen", "ok", "count")] == [
        "numeric", "date", "timestamp without time zone", "boolean", "bigint",
    ]  # fmt: skip


def test_a_reader_sees_the_old_state_until_all_is_there(
    home: Path, server: Server, stock: str, monkeypatch: pytest.MonkeyPatch
) -> None:
    assert put(home, server.url()).status == 0
    write_workbook(home / "in" / "a.xlsx", {"S": [HEADS, row("half")]})
    count = "SELECT count(*) FROM stock"

    def stopped(self: Postgres) -> None:
        assert server.ask(count) == [(3,)]
        server.stop("immediate")  # as if the power had gone
        server.start()
        commit(self)

    commit = Postgres.commit
    monkeypatch.setattr(Postgres, "commit", stopped)
    done = put(home, server.url())
    assert done.status == 2 and "cannot be written" in done.err and "Traceback" not in done.err
    assert list(server.ask(ALL)) == WANTED
    monkeypatch.setattr(Postgres, "commit", commit)
    assert put(home, server.url()).status == 0
    assert server.ask("SELECT lot FROM stock WHERE source_file = 'a.xlsx'") == [("half",)]


def test_the_password_is_nowhere(
    home: Path, server: Server, stock: str, monkeypatch: pytest.MonkeyPatch
) -> None:
    monkeypatch.delenv("PGPASSWORD")
    kept = home / "kept"
    monkeypatch.setenv("BOREOTABULA_CACHE", str(kept))
    done = put(home, server.url(PASSWORD), "--json")
    assert done.status == 0
    outputs = done.out + done.err
    for wrong in ("wrong" + PASSWORD, "another"):
        done = put(home, server.url(wrong))
        assert done.status == 2 and "cannot be opened" in done.err
        outputs += done.out + done.err
    assert put(home, server.url()).status == 2
    (home / "pgpass").write_text(f"127.0.0.1:{server.port}:postgres:boss:{PASSWORD}\n", "utf-8")
    (home / "pgpass").chmod(0o600)
    monkeypatch.setenv("PGPASSFILE", str(home / "pgpass"))
    done = put(home, server.url())
    assert done.status == 0 and "stock.run" in done.out
    outputs += done.out
    secret = PASSWORD.rpartition(" ")[2]
    assert secret not in outputs
    for path in [*kept.rglob("*"), *(home / "stock.run").rglob("*")]:
        if path.is_file():
            assert secret.encode() not in path.read_bytes()
    assert csv_rows(home / "stock.run" / "findings.csv") == []


def test_the_commands_of_the_handbook_do_what_they_say(
    demo: Path, tmp_path: Path, server: Server, stock: str
) -> None:
    folder = tmp_path / "trial"
    shutil.copytree(demo, folder)
    page = Path(__file__).parents[2] / "docs" / "database.md"
    blocks = re.findall(r"```sh\n(.*?)```", page.read_text("utf-8"), re.DOTALL)
    commands = [line for block in blocks for line in block.strip().splitlines()]
    assert len(commands) == 9
    for command in commands:
        call = command.replace("postgresql://boss@db.example.org/stock", server.url())
        done = program(*shlex.split(call)[1:], cwd=folder)
        assert done.status in (0, 1) and done.out, command
    assert server.ask("SELECT count(*), sum(seedlings) FROM stock") == [(3_392, 1_264_105)]


@pytest.mark.parametrize(
    ("place", "said"),
    [
        ("postgresql://127.0.0.1:1/none", "cannot be opened"),
        ("postgresql://host", "such as postgresql://host/name"),
        ("mysql://host/name", "such as postgresql://host/name"),
        ("none.duckdb", "there is no file “none.duckdb”"),
    ],
)
def test_wrong_calls(home: Path, place: str, said: str) -> None:
    done = put(home, place)
    assert done.status == 2 and said in " ".join(done.err.split())
    assert "Traceback" not in done.err


def test_wrong_calls_of_outputs(home: Path) -> None:
    done = program("extract", "l.toml", "-o", "postgresql://h/n", cwd=home)
    assert done.status == 2 and "records go into a database with --into" in done.err
    done = program("crosstab", "postgresql://127.0.0.1:1/n", "--how", "count", cwd=home)
    assert done.status == 2 and "cannot be opened" in done.err
    done = program("extract", "l.toml", "-o", "x.csv", "--add-columns", cwd=home)
    assert done.status == 2 and "--add-columns only works with --into a database" in done.err
    assert str(DatabaseAddress("postgresql://u:pw@h/n?password=x")) == (
        "postgresql://u@h/n?password=…"
    )
    with pytest.raises(CallError):
        DatabaseAddress("sftp://h/n")
