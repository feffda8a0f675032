"""Times the whole command against the same job by hand and against only reading the tabs.

All run in alternation, each in a process of its own; medians, ratios and peak memory are
printed. The job is a folder of tabs that are alike; of folders whose tabs are each of another
form, or styled as people do, only the command and only reading are timed. The command runs in an
environment without pandas, as users install it; the script by hand in one with pandas and openpyxl.
Both are set up in bench/made on the first call.
"""

from __future__ import annotations

import argparse
import os
import platform
import statistics
import subprocess
import sys
import time
import venv
from collections.abc import Sequence
from dataclasses import dataclass, field
from itertools import chain
from pathlib import Path

HERE = Path(__file__).parent
WORK = HERE / "made"


@dataclass
class Contender:
    """A command that is timed."""

    name: str
    command: Sequence[object]
    output: Path | None = None
    seconds: list[float] = field(default_factory=list)
    peak: float = 0.0

    def go(self) -> None:
        """Run once; note time and peak memory (of the process and its children).

        The output of the round before is deleted first: freeing it is not part of the job.
        """
        if self.output is not None:
            self.output.unlink(missing_ok=True)
        start = time.perf_counter()
        child = subprocess.Popen(
            [str(part) for part in self.command], stdout=subprocess.DEVNULL, stderr=subprocess.PIPE
        )
        assert child.stderr is not None
        said = child.stderr.read()
        _, status, usage = os.wait4(child.pid, 0)
        self.seconds.append(time.perf_counter() - start)
        if os.waitstatus_to_exitcode(status):
            raise SystemExit(f"{self.name} failed:\n{said.decode()}")
        self.peak = max(self.peak, usage.ru_maxrss / 1024)

    @property
    def median(self) -> float:
        """Median time in seconds."""
        return statistics.median(self.seconds)


def environment(name: str, packages: Sequence[str]) -> Path:
    """A virtual environment with some packages; returns its folder of programs."""
    folder = WORK / name
    programs = folder / "bin"
    if not (folder / ".ready").exists():
        venv.create(folder, with_pip=True, clear=True)
        pip = [programs / "python", "-m", "pip", "install", "-q", "--disable-pip-version-check"]
        subprocess.run([*pip, *packages], check=True)
        source = HERE.parent / "src"  # as an installed program is
        subprocess.run([programs / "python", "-m", "compileall", "-q", source], check=True)
        (folder / ".ready").touch()
    return programs


def table(contenders: Sequence[Contender]) -> str:
    """Medians, spread, memory, and each time as a ratio to the first contender's."""
    lines = ["| what | median s | from – to s | ratio | peak MiB |", "|---|---|---|---|---|"]
    first = contenders[0].median
    for one in contenders:
        spread = f"{min(one.seconds):.2f} – {max(one.seconds):.2f}"
        ratio = f"{one.median / first:.2f}"
        lines.append(f"| {one.name} | {one.median:.2f} | {spread} | {ratio} | {one.peak:.0f} |")
    return "\n".join(lines)


def main() -> None:
    """Set up, run in alternation, print."""
    parser = argparse.ArgumentParser(description=__doc__)
    parser.add_argument("--files", type=int, default=200)
    parser.add_argument("--rounds", type=int, default=5)
    parser.add_argument(
        "--by-hand-rounds", type=int, default=2, help="the slow one runs less often"
    )
    given = parser.parse_args()
    tool = environment("tool", ["--editable", str(HERE.parent)])
    hand = environment("hand", ["pandas", "openpyxl"])
    os.environ["BOREOTABULA_CACHE"] = str(WORK / "kept")
    folder, inbox = made(tool, given.files, "alike")
    extract, two = (extracting(tool, folder, "alike", workers) for workers in (1, 2))
    only = only_reading(tool, folder, "alike")
    others = [
        (extracting(tool, other, form, 1), only_reading(tool, other, form))
        for form in ("unlike", "styled")
        for other, _ in [made(tool, given.files, form)]
    ]
    start = Contender("boreotabula --version", [tool / "boreotabula", "--version"])
    by_hand = Contender(
        "pandas + openpyxl by hand",
        [hand / "python", HERE / "by_hand.py", inbox, folder / "h.csv"],
        folder / "h.csv",
    )
    for round_ in range(given.rounds):
        print(f"round {round_ + 1} of {given.rounds}", file=sys.stderr)
        for one in (extract, only, two, start, *chain.from_iterable(others)):
            one.go()
        if round_ < given.by_hand_rounds:
            by_hand.go()
    assert extract.output is not None and two.output is not None
    same_records(extract.output, folder / "h.csv")
    if extract.output.read_bytes() != two.output.read_bytes():
        raise SystemExit("two workers give another output than one")
    print(
        f"{given.files} files × 3 tabs × 80 rows × 40 columns; Python {platform.python_version()},"
    )
    print(f"{os.cpu_count()} cores, {platform.machine()}\n")
    print(table([extract, two, only, by_hand, start, *chain.from_iterable(others)]))
    print(f"\nby hand / extract: {by_hand.median / extract.median:.1f} times")
    for extraction, reading in [(extract, only), *others]:
        ratio = extraction.median / reading.median
        print(f"{extraction.name} / {reading.name}: {ratio:.2f} times")
    print(f"one worker / two workers: {extract.median / two.median:.2f} times")


def made(tool: Path, files: int, form: str) -> tuple[Path, Path]:
    """The folder of workbooks whose tabs look so, and its inbox; made on the first call."""
    folder = WORK / (f"inbox-{files}" if form == "alike" else f"{form}-{files}")
    maker = [tool / "python", HERE / "make_inbox.py", folder, "--files", str(files), "--form", form]
    subprocess.run(maker, check=True)
    return folder, folder / "inbox"


def extracting(tool: Path, folder: Path, form: str, workers: int) -> Contender:
    """The command on a folder, as if for the first time."""
    output = folder / f"by-{workers}.csv"
    command = [tool / "boreotabula", "extract", folder / "stock.toml", "-q", "--fresh"]
    return Contender(
        f"boreotabula extract, {form}, {workers} worker(s)",
        [*command, "--workers", workers, "-o", output],
        output,
    )


def only_reading(tool: Path, folder: Path, form: str) -> Contender:
    """All cells of all tabs of a folder, read with the fast reader."""
    command = [tool / "python", HERE / "only_read.py", folder / "inbox"]
    return Contender(f"only reading, {form}", command)


def same_records(ours: Path, theirs: Path) -> None:
    """A race between two different results would say nothing."""
    sums = [_sum(path) for path in (ours, theirs)]
    if sums[0] != sums[1]:
        raise SystemExit(f"the results differ: {sums[0]} and {sums[1]} (records, seedlings)")


def _sum(path: Path) -> tuple[int, int]:
    import csv

    with path.open(encoding="utf-8", newline="") as stream:
        counts = [int(row["seedlings"]) for row in csv.DictReader(stream)]
    return len(counts), sum(counts)


if __name__ == "__main__":
    main()
