"""How long it takes to load records into PostgreSQL, beside psql's \\copy of the same CSV.

    python bench/run_database.py postgresql://user@host/name [--files 200] [--rows 5000]

The time to read the files is left out on our side: results are cached first, and what taking them
from the cache costs is measured and subtracted. Then the same run again, with nothing changed.
Needs psql, and a database in which tables may be made and dropped.
"""

from __future__ import annotations

import argparse
import json
import os
import resource
import subprocess
import sys
import tempfile
import time
from collections.abc import Iterator
from pathlib import Path
from typing import Any

LAYOUT = """layout = 1
[source]
folder = "in"
[block]
[fields]
lot = "text"
species = "text"
day = "date"
count = "integer"
weight = "number"
"""
TABLE = "boreotabula_bench"


def make(home: Path, files: int, rows: int) -> None:
    """Files of lots."""
    (home / "in").mkdir()
    (home / "l.toml").write_text(LAYOUT, "utf-8")
    for file in range(files):
        lines = (
            f"L{file}-{row},{('Pine', 'Spruce', 'Birch')[row % 3]},2026-{row % 12 + 1:02}-17,"
            f"{row * file % 977},{row / 7:.3f}"
            for row in range(rows)
        )
        text = "lot,species,day,count,weight\n" + "\n".join(lines) + "\n"
        (home / "in" / f"f{file}.csv").write_text(text, "utf-8")


def load(home: Path, url: str) -> dict[str, float]:
    """One run in this process: its seconds without those of reading, and its peak memory."""
    import boreotabula.run as program
    from boreotabula.batch.cache.store import Cache
    from boreotabula.batch.layouts.load import Layout
    from boreotabula.batch.read_all import ReadOptions
    from boreotabula.limits import Limits
    from boreotabula.stores.bases.address import DatabaseAddress
    from boreotabula.stores.bases.store import BaseStore

    read = program.read_all
    reading = 0.0

    def timed(*arguments: Any) -> Iterator[Any]:
        nonlocal reading
        found = read(*arguments)
        while True:
            start = time.perf_counter()
            one = next(found, None)
            reading += time.perf_counter() - start
            if one is None:
                return
            yield one

    program.read_all = timed  # type: ignore[assignment]
    layout = Layout.load(home / "l.toml")
    store = BaseStore(DatabaseAddress(url), TABLE)
    inbox = store.look(layout)
    means = ReadOptions(1, Cache.of(layout.digest, Limits()))
    start = time.perf_counter()
    run = program.run_into(store, layout, inbox, lambda _: None, means)
    seconds = time.perf_counter() - start
    peak = resource.getrusage(resource.RUSAGE_SELF).ru_maxrss / 1024
    return {"records": run.record_count, "seconds": seconds - reading, "peak": peak}


def loaded(home: Path, url: str) -> dict[str, float]:
    """The same in a process of its own."""
    call = [sys.executable, __file__, url, "--load", str(home)]
    done = subprocess.run(call, check=True, stdout=subprocess.PIPE, text=True)
    found: dict[str, float] = json.loads(done.stdout)
    return found


def ask(url: str, statement: str) -> None:
    subprocess.run(["psql", url, "-q", "-c", statement], check=True, stdout=subprocess.DEVNULL)


def main() -> None:
    given = argparse.ArgumentParser(description=__doc__)
    given.add_argument("url")
    given.add_argument("--files", type=int, default=200)
    given.add_argument("--rows", type=int, default=5000)
    given.add_argument("--load", type=Path)
    options = given.parse_args()
    if options.load:
        print(json.dumps(load(options.load, options.url)))
        return
    os.environ["PGOPTIONS"] = "-c client_min_messages=warning"
    with tempfile.TemporaryDirectory() as folder:
        home = Path(folder)
        os.environ["BOREOTABULA_CACHE"] = str(home / "kept")
        make(home, options.files, options.rows)
        command = [sys.executable, "-m", "boreotabula", "extract", "l.toml", "-q", "-o", "out.csv"]
        subprocess.run(command, check=True, cwd=home)
        os.chdir(home)
        columns = ("lot text, species text, day date, count bigint, weight double precision,"
                   " source_file text, source_tab text, source_cell text")  # fmt: skip
        for number in range(3):
            ask(options.url, f"DROP TABLE IF EXISTS {TABLE}; DROP TABLE IF EXISTS boreotabula_runs")
            first = loaded(home, options.url)
            again = loaded(home, options.url)
            ask(options.url, f"DROP TABLE {TABLE}; CREATE TABLE {TABLE} ({columns});"
                             f" CREATE INDEX ON {TABLE} (source_file)")  # fmt: skip
            start = time.perf_counter()
            ask(options.url, f"\\copy {TABLE} FROM 'out.csv' WITH (FORMAT csv, HEADER true)")
            copied = time.perf_counter() - start
            print(
                f"round {number + 1}: {first['records']:,.0f} records {first['seconds']:.1f} s,"
                f" \\copy {copied:.1f} s, ratio {first['seconds'] / copied:.2f}; again"
                f" {again['seconds']:.2f} s ({again['seconds'] / first['seconds']:.0%}); peak"
                f" {first['peak']:.0f} MiB"
            )
        ask(options.url, f"DROP TABLE {TABLE}; DROP TABLE boreotabula_runs")


if __name__ == "__main__":
    main()
