"""More than one machine: a scheduler and workers in processes of their own, on loopback."""

from __future__ import annotations

import os
import re
import shlex
import shutil
import signal
import socket
import subprocess
import sys
from collections.abc import Iterator, Sequence
from contextlib import suppress
from dataclasses import dataclass
from pathlib import Path
from typing import Any

import pytest

import boreotabula
from boreotabula.batch.cache.packing import read_without_records
from boreotabula.batch.file.open_file import make_job
from boreotabula.batch.inputs import look
from boreotabula.errors import CallError
from boreotabula.stores.dataset import chunk as pipeline_chunk
from boreotabula.stores.dataset.chunk import ATTEMPTS, Chunk, ClusterJob, handshake, read_chunk
from boreotabula.stores.dataset.cluster import Cluster
from helpers import PROGRAM, csv_rows, program

distributed = pytest.importorskip("distributed")
FILES = 36
LAYOUT = """layout = 1
[source]
folder = "inbox"
[block]
[fields]
lot = "text"
month = "month"
count = { type = "integer", min = 0 }
seen = "date"
"""


@dataclass
class Machines:
    """A scheduler and two workers."""

    address: str
    workers: Sequence[subprocess.Popen[str]]


def _started(*arguments: str) -> subprocess.Popen[str]:
    command = [sys.executable, "-m", "dask", *arguments]
    return subprocess.Popen(command, stderr=subprocess.PIPE, text=True, start_new_session=True)


def _said(process: subprocess.Popen[str], form: str) -> str:
    """What a process says first that has some form."""
    assert process.stderr is not None
    for line in process.stderr:
        if found := re.search(form, line):
            return found[0]
    raise AssertionError(f"{process.args} said nothing of {form}")


def _kill(process: subprocess.Popen[str]) -> None:
    os.killpg(process.pid, signal.SIGKILL)
    process.wait()
    assert process.stderr is not None
    process.stderr.close()


@pytest.fixture
def machines(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> Iterator[Machines]:
    monkeypatch.setenv("BOREOTABULA_CACHE", str(tmp_path / "kept"))
    scheduler = _started("scheduler", "--host", "127.0.0.1", "--port", "0", "--no-dashboard")
    address = _said(scheduler, r"tcp://127\.0\.0\.1:\d+")
    workers = [_started("worker", address, "--nthreads", "1", "--no-dashboard",
                        "--local-directory", str(tmp_path)) for _ in range(2)]  # fmt: skip
    for one in workers:
        _said(one, "Registered to")
    yield Machines(address, workers)
    for one in (*workers, scheduler):
        if one.poll() is None:
            _kill(one)


@pytest.fixture
def desk(tmp_path: Path) -> Path:
    """Sixty files: a copy, a damaged workbook and a wrong value among them."""
    home = tmp_path / "desk"
    (home / "inbox").mkdir(parents=True)
    for number in range(FILES):
        lines = [f"L{number}-{at},2026-{at % 3 + 1:02},{number * at}" for at in range(40)]
        text = "\n".join(["lot,month,count", *lines, ""])
        (home / "inbox" / f"lots {number}.csv").write_text(text, "utf-8")
    first = (home / "inbox" / "lots 7.csv").read_text("utf-8")
    (home / "inbox" / "a lots 7 (1).csv").write_text(first, "utf-8")
    (home / "inbox" / "lots 30 again.csv").write_text(
        (home / "inbox" / "lots 30.csv").read_text("utf-8").replace(",", ";"), "utf-8"
    )
    (home / "inbox" / "broken.xlsx").write_bytes(b"PK\x03\x04 nothing")
    (home / "inbox" / "wrong.csv").write_text("lot,month,count\nX,2026-01,some\n", "utf-8")
    # The day in the last of them decides for the first two.
    for name, day in {
        "lots 5 seen": "05/01/2026",
        "s seen": "06/01/2026",
        "z seen": "23/02/2026",
    }.items():
        text = f"lot,month,count,seen\n{name},2026-01,1,{day}\n"
        (home / "inbox" / f"{name}.csv").write_text(text, "utf-8")
    (home / "l.toml").write_text(LAYOUT, "utf-8")
    return home


def extract(desk: Path, out: str, *more: object) -> Any:
    return program("extract", "l.toml", "-o", out, "--partition", "month", *more, cwd=desk)


def _findings(desk: Path, out: str) -> list[dict[str, str]]:
    return csv_rows(desk / f"{out}.run" / "findings.csv")


def test_a_cluster_whole_then_with_one_worker_then_with_none(
    machines: Machines, desk: Path, demo: Path, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    gives_the_records_of_one_machine(machines, desk)
    shutil.copytree(demo, tmp_path / "trial")
    does_what_the_handbook_says(machines, tmp_path / "trial")
    loses_a_worker(machines, desk)
    _kill(machines.workers[1])
    has_nobody_left(machines, desk, monkeypatch)


def gives_the_records_of_one_machine(machines: Machines, desk: Path) -> None:
    here = extract(desk, "here")
    there = extract(desk, "there", "--cluster", machines.address)
    assert (here.status, there.status) == (1, 1)
    assert here.out.replace("here", "there") == there.out
    assert _findings(desk, "here") == _findings(desk, "there")
    assert {one["code"] for one in _findings(desk, "there")} >= {
        "file-twice", "tab-twice", "file-unreadable", "value-not-converted", "read-by-evidence",
    }  # fmt: skip
    compared = program("compare", "here", "there", cwd=desk)
    assert "Nothing differs." in compared.out and f"{FILES * 40 + 4:,} the same" in compared.out
    tables = [boreotabula_records(desk / one) for one in ("here", "there")]
    assert tables[0] == tables[1]  # in the same order within a part
    assert not [*desk.glob(".*"), *(desk / "there").rglob(".*")]


def boreotabula_records(folder: Path) -> list[dict[str, str]]:
    from boreotabula.stores.records import records_as_texts
    from boreotabula.stores.saved import saved_output

    return [dict(one) for one in records_as_texts(saved_output(folder))]


def does_what_the_handbook_says(machines: Machines, trial: Path) -> None:
    page = Path(__file__).parents[2] / "docs" / "cluster.md"
    blocks = re.findall(r"```sh\n(.*?)```", page.read_text("utf-8"), re.DOTALL)
    commands = "".join(blocks).strip().splitlines()
    assert len(commands) == 5
    for command in commands:
        call = command.replace("tcp://scheduler:8786", machines.address)
        done = program(*shlex.split(call)[1:], cwd=trial)
        assert done.status in (0, 1) and done.out, (command, done.err)
    assert "3,392 the same, 0 changed" in done.out
    (listed,) = re.findall(r"```text\n(.*?)```", page.read_text("utf-8"), re.DOTALL)
    assert all((trial / name).is_file() for name in listed.split())


def loses_a_worker(machines: Machines, desk: Path) -> None:
    command = [PROGRAM, "extract", "l.toml", "-o", "there", "--partition", "month", "-v",
               "--fresh", "--cluster", machines.address]  # fmt: skip
    with subprocess.Popen(command, cwd=desk, stderr=subprocess.PIPE, stdout=subprocess.DEVNULL,
                          text=True) as run:  # fmt: skip
        assert run.stderr is not None
        assert "lots" in run.stderr.readline()
        _kill(machines.workers[0])
        said = run.stderr.read()
    assert run.returncode == 1 and "Traceback" not in said
    assert "Nothing differs." in program("compare", "here", "there", cwd=desk).out
    assert len(_findings(desk, "there")) == len(_findings(desk, "here"))


def has_nobody_left(machines: Machines, desk: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setattr("boreotabula.stores.dataset.cluster._SECONDS", 2)
    wrong = [
        (["--cluster", "tcp://127.0.0.1:9"], "cannot be reached"),
        (["--cluster", "nonsense"], "cannot be reached"),
        (["--cluster", "local:none"], "such as local:4"),
        (["--cluster", machines.address], "has no workers"),
    ]
    for more, said in wrong:
        done = extract(desk, "none", *more)
        assert done.status == 2 and said in done.err, more
        assert not (desk / "none").exists() and not [*desk.glob(".*")]


def _errand(desk: Path) -> tuple[ClusterJob, Chunk]:
    layout = boreotabula.Layout.load(desk / "l.toml")
    (desk / "out" / ATTEMPTS).mkdir(parents=True)
    cluster_job = ClusterJob(
        make_job(layout.spec, layout.plan), layout.digest, desk / "out", (), {"records": ""},
        kept=False,
    )  # fmt: skip
    sources = look(layout).taken[2:5]
    return cluster_job, Chunk("000001", sources, {one.name: "" for one in sources})


@pytest.mark.parametrize(("times", "read"), [(1, [True, True, True]), (2, [True, False, True])])
def test_a_file_at_which_two_workers_stopped_is_a_finding(
    desk: Path, times: int, read: list[bool]
) -> None:
    cluster_job, chunk = _errand(desk)
    note = cluster_job.folder / ATTEMPTS / chunk.label
    note.write_text("begun\nread\n" * times, "ascii")  # each stopped at the second file
    done = read_chunk(chunk, cluster_job)
    readings = [read_without_records(head) for head in done.heads]
    assert [one.read for one in readings] == read
    assert sum(part.records for part in done.parts["records"]) == 40 * sum(read)
    if not all(read):
        (finding,) = readings[1].findings
        assert finding.code == "file-unreadable" and "two workers" in finding.message


def test_an_attempt_is_noted_before_anything_is_read(
    desk: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    cluster_job, chunk = _errand(desk)
    noted, readings = list[str](), pipeline_chunk._readings

    def looking(*arguments: Any) -> Iterator[Any]:
        noted.append((cluster_job.folder / ATTEMPTS / chunk.label).read_text("ascii"))
        yield from readings(*arguments)

    monkeypatch.setattr(pipeline_chunk, "_readings", looking)
    read_chunk(chunk, cluster_job)
    assert noted == ["begun\n"]


class _Deadly:
    """Stands for a client whose workers die of one file, and of every chunk that holds it."""

    def __init__(self, name: str) -> None:
        self.name = name

    def ncores(self) -> dict[str, int]:
        return {"one": 1}

    def submit(self, work: Any, chunk: Chunk, cluster_job: ClusterJob, **_: object) -> Any:
        self.asked, outer = (work, chunk, cluster_job), self

        class Future:
            def result(self) -> Any:
                if outer.name in {one.name for one in chunk.sources}:
                    raise distributed.KilledWorker("task", None, 2)
                return work(chunk, cluster_job)

            def release(self) -> None:
                """Nothing is held."""

        return Future()


def test_a_chunk_that_no_worker_ends_is_read_file_by_file(desk: Path) -> None:
    cluster_job, chunk = _errand(desk)
    cluster = Cluster(_Deadly(chunk.sources[1].name), cluster_job, "tcp://x")
    ((_, done),) = cluster._each(read_chunk, [chunk])
    readings = [read_without_records(head) for head in done.heads]
    assert [one.read for one in readings] == [True, False, True]
    assert [one.name for one in readings] == [one.name for one in chunk.sources]
    assert [part.path for part in done.parts["records"]] == [
        "part-000001-0001-000001.parquet", "part-000001-0003-000001.parquet",
    ]  # fmt: skip


def test_a_scheduler_that_goes_away(desk: Path) -> None:
    cluster_job, chunk = _errand(desk)

    class Gone:
        def ncores(self) -> dict[str, int]:
            raise OSError("closed")

    with pytest.raises(CallError, match="does not answer any more"):
        list(Cluster(Gone(), cluster_job, "tcp://x").readings(chunk.sources))


def test_what_a_worker_answers_first(desk: Path) -> None:
    cluster_job, _ = _errand(desk)
    assert handshake(cluster_job.folder, [desk / "inbox"]) == boreotabula.__version__
    assert f"does not see the folder “{desk / 'none'}”" in handshake(
        cluster_job.folder, [desk / "none"]
    )
    assert f"does not see the folder “{desk}”" in handshake(desk / "x", [])

    class Older:
        def wait_for_workers(self, *_: object, **__: object) -> None:
            """They are there."""

        def run(self, *_: object) -> dict[str, str]:
            return {"tcp://a": boreotabula.__version__, "tcp://b": "0.1.9"}

    with pytest.raises(CallError, match=r"tcp://b cannot take part: it has version 0\.1\.9"):
        Cluster(Older(), cluster_job, "tcp://x").handshake([])


def test_a_worker_that_does_not_see_the_folder(desk: Path) -> None:
    cluster_job, chunk = _errand(desk)
    (cluster_job.folder / ATTEMPTS).rmdir()
    with pytest.raises(CallError, match="does not see the folder"):
        read_chunk(chunk, cluster_job)


def test_a_local_cluster_says_nothing_of_a_port_that_another_program_has(desk: Path) -> None:
    # Where another program has it already, it is taken just as well.
    with socket.socket() as other:
        with suppress(OSError):
            other.bind(("127.0.0.1", 8787))
            other.listen()
        call = [PROGRAM, "extract", "l.toml", "-o", "parts", "--cluster", "local:1"]
        done = subprocess.run(call, cwd=desk, capture_output=True, text=True, check=False)
    assert "8787" not in done.stderr and "Warning" not in done.stderr
    assert (desk / "parts").exists()


def test_an_interruption_of_a_local_cluster_prints_nothing_of_its_workers(desk: Path) -> None:
    import psutil

    run = subprocess.Popen(
        [PROGRAM, "extract", desk / "l.toml", "-o", desk / "parts", "--cluster", "local:2"],
        stderr=subprocess.PIPE, text=True, start_new_session=True,
    )  # fmt: skip
    try:
        # Its workers have started, and may still be importing what they need.
        while len(psutil.Process(run.pid).children()) < 2 and run.poll() is None:
            os.sched_yield()
        os.killpg(run.pid, signal.SIGINT)
        _, said = run.communicate(timeout=60)
    finally:
        run.kill()
    assert said.strip() == "Stopped; nothing was written." and run.returncode == 130
    assert not (desk / "parts").exists()
