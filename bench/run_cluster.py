"""Times a run by the workers of a cluster: files a second with one and two, and the parent's share.

The scheduler and the workers are started before and stay; each run is a process of its own, that
starts, hands out the chunks and gathers what comes back. Its processor time is taken apart from
theirs. Two sizes of folder tell what a file costs apart from the start.
"""

from __future__ import annotations

import argparse
import os
import platform
import re
import shutil
import statistics
import subprocess
import time
from collections.abc import Iterator
from contextlib import contextmanager
from dataclasses import dataclass
from pathlib import Path

from run import HERE, WORK, environment
from run_again import made


@dataclass
class Taken:
    """What a run took."""

    seconds: float
    parent: float
    """Processor seconds of the process that was called."""


def main() -> None:
    """Set up, run in alternation, print."""
    parser = argparse.ArgumentParser(description=__doc__)
    parser.add_argument("--files", type=int, default=600)
    parser.add_argument("--rounds", type=int, default=3)
    given = parser.parse_args()
    tool = environment("tool-cluster", ["--editable", f"{HERE.parent}[cluster]"])
    os.environ["BOREOTABULA_CACHE"] = str(WORK / "kept-cluster")
    few, many = given.files // 3, given.files
    folders = {files: made(tool, files) for files in (few, many)}
    machine = f"Python {platform.python_version()}, {os.cpu_count()} cores, {platform.machine()}"
    print(f"{many} and {few} files × 3 tabs × 80 rows × 40 columns; {machine}\n")
    print("| workers | files a second | parent: ms a file | parent's share of all work |")
    print("|---|---|---|---|")
    for workers in (1, 2):
        with cluster(tool, workers) as address:
            runs: dict[int, list[Taken]] = {few: [], many: []}
            for _ in range(given.rounds):
                for files, folder in folders.items():
                    runs[files].append(run(tool, folder, address))
        seconds, parent = (
            statistics.median(getattr(one, what) for one in runs[many])
            - statistics.median(getattr(one, what) for one in runs[few])
            for what in ("seconds", "parent")
        )
        more = many - few
        share = parent / (parent + seconds * workers)
        print(f"| {workers} | {more / seconds:.1f} | {1000 * parent / more:.2f} | {share:.1%} |")
        first = statistics.median(one.seconds for one in runs[few]) - few * seconds / more
        print(f"|  | start: {first:.1f} s | | |")


@contextmanager
def cluster(tool: Path, workers: int) -> Iterator[str]:
    """A scheduler and so many workers of one thread each."""
    folder = WORK / "cluster"
    shutil.rmtree(folder, ignore_errors=True)
    folder.mkdir(parents=True)
    dask = [str(tool / "python"), "-m", "dask"]
    own = ["--local-directory", str(folder), "--no-dashboard"]
    started = [_start([*dask, "scheduler", "--host", "127.0.0.1", "--port", "0", "--no-dashboard"])]
    try:
        address = _said(started[0], r"tcp://[\d.]+:\d+")
        for _ in range(workers):
            started.append(_start([*dask, "worker", address, "--nthreads", "1", *own]))
            _said(started[-1], "Registered to")
        yield address
    finally:
        for one in reversed(started):
            one.terminate()
            one.wait()


def _start(command: list[str]) -> subprocess.Popen[str]:
    return subprocess.Popen(command, stderr=subprocess.PIPE, text=True)


def _said(process: subprocess.Popen[str], form: str) -> str:
    assert process.stderr is not None
    for line in process.stderr:
        if found := re.search(form, line):
            return found[0]
    raise SystemExit(f"{process.args} did not start")


def run(tool: Path, folder: Path, address: str) -> Taken:
    """Extract a folder by a cluster."""
    out = folder / "parted"
    shutil.rmtree(out, ignore_errors=True)
    call = [tool / "boreotabula", "extract", folder / "stock.toml", "-q", "--fresh", "-o", out,
            "--partition", "nursery,month", "--cluster", address]  # fmt: skip
    start = time.perf_counter()
    child = subprocess.Popen([str(one) for one in call], stderr=subprocess.PIPE)
    assert child.stderr is not None
    said = child.stderr.read()
    _, status, usage = os.wait4(child.pid, 0)
    if os.waitstatus_to_exitcode(status):
        raise SystemExit(f"the run failed:\n{said.decode()}")
    return Taken(time.perf_counter() - start, usage.ru_utime + usage.ru_stime)


if __name__ == "__main__":
    main()
