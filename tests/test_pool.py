"""Work spread over processes: results in order, and a dead process is one result of its own."""

from __future__ import annotations

import os

import pytest

from boreotabula.runs.pool import spread


def work(number: int) -> int:
    if number == 60:
        os._exit(9)
    return number * 2


def stopped(number: int) -> int:
    return -number


@pytest.mark.filterwarnings("ignore:This process")
@pytest.mark.parametrize(("most", "workers"), [(100, 2), (59, 2), (30, 2), (50, 1)])
def test_results_come_in_order_whatever_happens(most: int, workers: int) -> None:
    expected = [-60 if number == 60 else number * 2 for number in range(most)]
    assert list(spread(work, range(most), stopped, workers)) == expected
