"""Work on many files spread over the cores; results come back in order."""

from __future__ import annotations

import hashlib
import multiprocessing
import os
import pickle
import signal
import threading
import time
from collections import deque
from collections.abc import Callable, Iterator, Sequence
from concurrent.futures import Executor, Future, ProcessPoolExecutor
from concurrent.futures.process import BrokenProcessPool
from contextlib import contextmanager
from dataclasses import dataclass
from functools import lru_cache
from typing import Any, Generic, TypeVar

Source = TypeVar("Source")
Result = TypeVar("Result")
Content = TypeVar("Content")

_FEW = 40
"""So many files are done faster than other processes start."""
_AT_ONCE = 8
"""At most so many files go to a process together."""
_AT_END = 0.3
"""Seconds that a process that was killed may take to be gone."""
_AHEAD = 3
"""So many portions for each process are under way; what is done waits for its turn in memory."""


def cores() -> int:
    """How many processes can work at once on this machine."""
    if hasattr(os, "sched_getaffinity"):
        return len(os.sched_getaffinity(0))
    return os.cpu_count() or 1


@dataclass(frozen=True)
class Sent(Generic[Content]):
    """Something large that goes along with every portion of work; a process unpacks it once."""

    key: str
    packed: bytes

    @classmethod
    def of(cls, content: Content) -> Sent[Content]:
        """Pack what can be pickled."""
        packed = pickle.dumps(content)
        return cls(hashlib.sha256(packed).hexdigest(), packed)

    def brief(self) -> Sent[Content]:
        """Only its key, for processes that have unpacked it already."""
        return Sent(self.key, b"")

    def get(self) -> Content:
        """The content: always the same object within a process."""
        found: Content = _unpacked(self.key, _Packed(self.packed))
        return found


class _Packed:
    """Bytes that count as equal, so that only their key tells contents apart."""

    def __init__(self, content: bytes) -> None:
        self.content = content

    def __eq__(self, other: object) -> bool:
        return isinstance(other, _Packed)

    def __hash__(self) -> int:
        return 0


@lru_cache(maxsize=8)
def _unpacked(key: str, packed: _Packed) -> Any:  # the key stands for the bytes
    return pickle.loads(packed.content)  # packed by this program


def spread(
    work: Callable[[Source], Result],
    sources: Sequence[Source],
    stopped: Callable[[Source], Result],
    workers: int | None = None,
    few: int = _FEW,
    start: Callable[[int], Executor] | None = None,
) -> Iterator[Result]:
    """The results of a work on each source, in their order.

    With more than a few sources they are worked on by as many processes as there are cores; work,
    sources and results must be such as can be sent to one. A source that takes its process down
    gets the result of `stopped`, and the others are still worked on. `start` makes the executor of
    so many workers: any that `concurrent.futures` describes.
    """
    workers = workers or cores()
    if workers == 1 or len(sources) <= few:
        yield from map(work, sources)
        return
    portion = max(1, min(_AT_ONCE, len(sources) // (workers * 4 * _AT_ONCE)))
    portions = [sources[at : at + portion] for at in range(0, len(sources), portion)]
    done = 0
    while done < len(portions):
        for results in _in_order(work, portions[done:], workers, start or processes):
            done += 1
            yield from results
        # A process died: what was under way is looked at one by one, the rest goes on as before.
        for some in portions[done : done + workers * _AHEAD]:
            done += 1
            for source in some:
                yield _alone(work, source, stopped, start or processes)


def _in_order(
    work: Callable[[Source], Result],
    portions: Sequence[Sequence[Source]],
    workers: int,
    start: Callable[[int], Executor],
) -> Iterator[list[Result]]:
    """The results of each portion, as far as no process dies."""
    waiting: deque[Future[list[Result]]] = deque()
    with start(workers) as pool:
        try:
            for some in portions:
                with _undisturbed():
                    waiting.append(pool.submit(_each, work, some))
                if len(waiting) >= workers * _AHEAD:
                    yield waiting.popleft().result()
            while waiting:
                yield waiting.popleft().result()
        except BrokenProcessPool:
            return
        except BaseException:
            _stop(pool)
            raise


def _each(work: Callable[[Source], Result], sources: Sequence[Source]) -> list[Result]:
    return [work(source) for source in sources]


def _alone(
    work: Callable[[Source], Result],
    source: Source,
    stopped: Callable[[Source], Result],
    start: Callable[[int], Executor],
) -> Result:
    with start(1) as pool:
        try:
            return pool.submit(work, source).result()
        except BrokenProcessPool:
            return stopped(source)
        except BaseException:
            _stop(pool)
            raise


def processes(workers: int, shared: Sent[Any] | None = None) -> Executor:
    """So many processes of this machine; each unpacks at once what is shared by all work."""
    return ProcessPoolExecutor(workers, initializer=_begin, initargs=(os.getpid(), shared))


def end_processes() -> None:
    """End all processes of this one, whatever they are at: it is about to end itself."""
    for child in multiprocessing.active_children():
        child.kill()
        child.join(_AT_END)


@contextmanager
def _undisturbed() -> Iterator[None]:
    """Put off an interruption while a process is started: in its midst it would be lost."""
    if not hasattr(signal, "pthread_sigmask"):
        yield
        return
    before = signal.pthread_sigmask(signal.SIG_BLOCK, [signal.SIGINT])
    try:
        yield
    finally:
        signal.pthread_sigmask(signal.SIG_SETMASK, before)


def _begin(parent: int, shared: Sent[Any] | None) -> None:
    """A process leaves it to its parent to be interrupted, and ends when that is gone."""
    if shared is not None:
        shared.get()
    signal.signal(signal.SIGINT, signal.SIG_IGN)
    threading.Thread(target=_watch, args=(parent,), daemon=True).start()


def _watch(parent: int) -> None:
    while os.getppid() == parent:
        time.sleep(1)
    os._exit(1)


def _stop(pool: Executor) -> None:
    """Let an executor end by itself: nobody waits for what is under way."""
    pool.shutdown(wait=False, cancel_futures=True)
