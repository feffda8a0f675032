"""Work on many files spread over the cores; results come back in order."""

from __future__ import annotations

import os
from collections.abc import Callable, Iterator, Sequence
from concurrent.futures import Executor, ProcessPoolExecutor
from concurrent.futures.process import BrokenProcessPool
from typing import TypeVar

Source = TypeVar("Source")
Result = TypeVar("Result")

_FEW = 40
"""So many files are done faster than other processes start."""
_AT_ONCE = 8
"""Files that go to a process together."""


def spread(
    work: Callable[[Source], Result],
    sources: Sequence[Source],
    stopped: Callable[[Source], Result],
    workers: int | None = None,
) -> Iterator[Result]:
    """The results of a work on each source, in their order.

    With more than a few sources they are worked on by as many processes as there are cores; work
    and sources must be such as can be sent to one. A source that takes its process down gets the
    result of `stopped`, and the others are still worked on.
    """
    workers = workers or os.cpu_count() or 1
    if workers == 1 or len(sources) <= _FEW:
        yield from map(work, sources)
        return
    done = 0
    with ProcessPoolExecutor(workers) as pool:
        try:
            for result in _mapped(pool, work, sources):
                done += 1
                yield result
        except BrokenProcessPool:
            pass
        except BaseException:
            pool.shutdown(wait=False, cancel_futures=True)
            raise
    # What is left stood in the same process as the source that took it down: one by one, then.
    for source in sources[done:]:
        with ProcessPoolExecutor(1) as alone:
            try:
                yield alone.submit(work, source).result()
            except BrokenProcessPool:
                yield stopped(source)


def _mapped(
    pool: Executor, work: Callable[[Source], Result], sources: Sequence[Source]
) -> Iterator[Result]:
    return pool.map(work, sources, chunksize=_AT_ONCE)
