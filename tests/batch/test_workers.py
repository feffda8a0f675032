"""Work in processes of their own: results in order, and what brings one down is one result."""

from __future__ import annotations

import os
import tempfile
import time
from dataclasses import dataclass
from functools import partial
from pathlib import Path

import pytest

from boreotabula.batch.processes import worker
from boreotabula.batch.processes.pool import Ended, PoolOptions, alone, spread
from boreotabula.batch.processes.worker import End
from boreotabula.errors import CallError
from boreotabula.limits import Limits

pytestmark = [pytest.mark.apart, pytest.mark.filterwarnings("ignore:This process")]


@dataclass(frozen=True)
class Short(Limits):
    """Limits with a time that a test can wait for."""

    seconds: float = 0.7  # type: ignore[misc]


def work(number: int) -> int:
    if number == 60:
        os._exit(9)
    return number * 2


def stopped(number: int, ended: Ended) -> int:
    return -number


@pytest.mark.parametrize(("most", "workers"), [(100, 2), (59, 2), (70, 1), (3, 2)])
def test_results_come_in_order_whatever_happens(most: int, workers: int) -> None:
    expected = [-60 if number == 60 else number * 2 for number in range(most)]
    assert list(spread(work, range(most), stopped, options=PoolOptions(workers))) == expected


def hostile(what: str) -> object:
    if what == "endless":
        while True:
            pass
    if what == "asleep":
        time.sleep(60)
    if what == "greedy":
        return len(bytearray(2**30))
    if what == "aborts":
        os.abort()
    if what == "fails":
        return {}["no such key"]
    if what == "cannot be sent":
        return lambda: None
    return what


def told(what: str, ended: Ended) -> str:
    return f"{what}: {ended.end.name}"


ENDS = {
    "endless": End.TOO_LONG, "asleep": End.TOO_LONG, "greedy": End.TOO_MUCH, "aborts": End.BROKEN,
    "fails": End.FAULT, "cannot be sent": End.FAULT,
}  # fmt: skip


def test_what_brings_a_process_down_is_told_and_the_others_are_worked_on(
    tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    monkeypatch.setattr(tempfile, "tempdir", str(tmp_path))  # reports of faults
    # A process that does nothing is given more time than one that works; here little more.
    monkeypatch.setattr(worker, "_WAITING", 2)
    some = [part for what in ENDS for part in (f"before {what}", what)]
    found = list(spread(hostile, some, told, Short(), PoolOptions(2)))
    assert found == [f"{one}: {ENDS[one].name}" if one in ENDS else one for one in some]


def refused(_: str) -> str:
    raise CallError("no such tab")


def test_errors_that_end_a_command_arrive_as_they_are() -> None:
    with pytest.raises(CallError, match="no such tab"):
        alone(refused, "x", told)


def added(number: int, to: list[int]) -> list[int]:
    to.append(number)
    return to


def test_the_work_goes_to_a_process_once() -> None:
    found = list(spread(partial(added, to=[100]), [1, 2, 3], told, options=PoolOptions(1)))  # type: ignore[arg-type]
    assert found == [[100, 1], [100, 1, 2], [100, 1, 2, 3]]


def loud(_: str) -> str:
    os.write(1, b"trace on stdout")
    os.write(2, b"trace on stderr")
    return "done"


def test_nothing_that_a_reader_prints_reaches_the_terminal(
    capfd: pytest.CaptureFixture[str],
) -> None:
    assert alone(loud, "x", told) == "done"
    assert capfd.readouterr() == ("", "")
