"""Work on untrusted files: in processes that may die of it without losing other files.

A reader can abort its process, take all memory or never end. So files are opened in separate
processes, each limited in memory and time; if one dies, one file was not read. Results come back in
order.
"""

from __future__ import annotations

import multiprocessing
import os
import pickle
import signal
import sys
import threading
from collections import deque
from collections.abc import Callable, Iterator, Sequence
from contextlib import contextmanager, suppress
from dataclasses import dataclass
from multiprocessing.connection import wait
from typing import Any, Generic, TypeVar

from boreotabula.batch.processes.worker import (
    OUT_OF_MEMORY,
    TIMED_OUT,
    Answer,
    End,
    Failed,
    Work,
    answer_of,
    live,
)
from boreotabula.errors import BoreotabulaError
from boreotabula.limits import Limits
from boreotabula.unreadable import SEND_AGAIN, UnreadableError

Source = TypeVar("Source")
Result = TypeVar("Result")

_FILES_EACH = 6
"""From this many files on, another process is worth its start."""
_AT_ONCE = 2
"""The number of sources that a process has: the current one, and the next."""
_AHEAD = 24
"""The number of results for each process that may wait in memory for their turn."""
_AT_END = 0.3
"""Seconds that a killed process may take to end."""


@dataclass(frozen=True)
class Ended:
    """How the work on a file ended without a result, in words."""

    end: End
    why: str
    advice: str

    @property
    def said(self) -> str:
        """The whole message."""
        return f"{self.why}. {self.advice}"


def _ended(end: End, limits: Limits, report: str = "") -> Ended:
    extra = f"If the file is in order, allow more with --memory-per-file {2 * limits.mebibytes}."
    if end is End.TOO_LONG:
        return Ended(end, f"reading it took longer than {limits.seconds:.0f} seconds", extra)
    if end is End.TOO_MUCH:
        why = f"reading it takes more than the {limits.mebibytes:,} MiB of memory that it may take"
        return Ended(end, why, extra)
    if end is End.BROKEN:
        why = "it stops the reader for good: it is damaged, or asks for more memory than it may"
        return Ended(end, why, f"{SEND_AGAIN} {extra}")
    return Ended(end, "the program itself failed at it", report)


def cores() -> int:
    """How many processes can work at the same time on this machine."""
    if hasattr(os, "sched_getaffinity"):
        return len(os.sched_getaffinity(0))
    return os.cpu_count() or 1


Stopped = Callable[[Source, Ended], Result]


@dataclass(frozen=True)
class PoolOptions:
    """How many processes work, and how they may start."""

    workers: int | None = None
    """At most this many; None for one for each core."""
    ahead: int = _AHEAD
    """This many results of each process may wait for the one that comes next."""
    threads: bool = False
    """Whether this process may have threads of other code: then no process starts as a copy of it.
    """


def spread(
    work: Work[Source, Result],
    sources: Sequence[Source],
    stopped: Stopped[Source, Result],
    limits: Limits | None = None,
    options: PoolOptions | None = None,
) -> Iterator[Result]:
    """Run `work` on each source, in order.

    The work runs in processes of this machine, each of which receives it when it starts. Work,
    sources and results must be picklable. A source that kills its process, takes too long or meets
    an internal fault gets the result of `stopped`, and the others are still processed.
    """
    limits, options = limits or Limits(), options or PoolOptions()
    # Rounded up: seven files are worth two processes.
    most = max(1, -(-len(sources) // _FILES_EACH))
    count = min(options.workers or cores(), most)
    # Where no process can be forked, a single one is not worth its start.
    if count == 1 and not (_APART or options.threads):
        for source in sources:
            yield _taken(answer_of(work, source), source, stopped, limits)
        return
    with Crew(work, stopped, limits, count, threads=options.threads) as crew:
        yield from crew.results(sources, options.ahead)


def alone(
    work: Work[Source, Result],
    source: Source,
    stopped: Stopped[Source, Result],
    limits: Limits | None = None,
    *,
    threads: bool = False,
) -> Result:
    """Run `work` on one source, in a separate process; raises the error that it raised."""
    return next(spread(work, [source], stopped, limits, PoolOptions(1, threads=threads)))


# --- the processes, as the program sees them -----------------------------------------------------

_FORKS = hasattr(os, "fork") and sys.platform != "darwin"
"""Whether a process starts as a copy of this one, at once and without the program's file."""
_START = "fork" if _FORKS else "spawn"
_APART_FROM_THREADS = "forkserver" if _FORKS else "spawn"
"""How a process starts; a process with threads must not be copied together with the locks they
hold."""
_APART = _FORKS
"""Whether even few files are read in a separate process."""


_PRELOADED = ("boreotabula.batch.read_all", "python_calamine", "lxml.etree")
"""Modules that readers import, loaded once for all processes that start apart from threads."""


class _Worker:
    """A process, and the indices of the sources that it has not answered yet."""

    def __init__(self, work: Work[Any, Any], limits: Limits, start: str) -> None:
        context: Any = multiprocessing.get_context(start)
        if start == "forkserver":
            # The server from which such processes are copied imports what they need once.
            context.set_forkserver_preload([live.__module__, *_PRELOADED])
        self.connection, theirs = context.Pipe()
        self.given: deque[int] = deque()
        self.process = context.Process(target=live, args=(theirs, work, limits), daemon=True)
        # A process that starts while a signal arrives would die half-made.
        with undisturbed(), _as_parent():
            self.process.start()
        theirs.close()

    def end(self) -> None:
        """End the process, whatever it is doing."""
        # Killed, not asked: a reader in compiled code answers no request.
        self.process.kill()
        self.process.join(_AT_END)
        self.connection.close()

    def how_it_died(self) -> End:
        """What a process that no longer answers died of."""
        self.process.join(_AT_END)
        if self.process.exitcode == OUT_OF_MEMORY:
            return End.TOO_MUCH
        return End.TOO_LONG if self.process.exitcode in TIMED_OUT else End.BROKEN


class Crew(Generic[Source, Result]):
    """Processes that work on sources, see `spread`; they stay until the crew is left."""

    def __init__(
        self,
        work: Work[Source, Result],
        stopped: Stopped[Source, Result],
        limits: Limits,
        count: int,
        *,
        threads: bool = False,
    ) -> None:
        self._work, self._stopped, self._limits, self._count = work, stopped, limits, count
        self._start = _APART_FROM_THREADS if threads else _START
        self._workers: list[_Worker] = []
        self._sources: Sequence[Source] = ()
        self._waiting: deque[int] = deque()
        self._done: dict[int, Result] = {}

    def __enter__(self) -> Crew[Source, Result]:
        return self

    def __exit__(self, *_: object) -> None:
        """End all processes."""
        for worker in self._workers:
            worker.end()

    def results(self, sources: Sequence[Source], ahead: int = _AHEAD) -> Iterator[Result]:
        """The results of the work on sources, in order; all must be taken before the next call."""
        self._sources, self._waiting, self._done = sources, deque(range(len(sources))), {}
        for index in range(len(sources)):
            while index not in self._done:
                # So many results may wait; without the bound one slow file would let all others
                # pile up.
                self._give(index + ahead * self._count)
                self._take()
            yield self._done.pop(index)

    def _give(self, before: int) -> None:
        """Give each process work: from the sources before an index."""
        # First one for each process and then a second, so that none waits while another has two.
        for many in range(1, _AT_ONCE + 1):
            # Started when needed, so that two files do not start eight processes.
            while len(self._workers) < self._count and self._waiting:
                self._workers.append(_Worker(self._work, self._limits, self._start))
            for worker in list(self._workers):
                if len(worker.given) < many and self._waiting and self._waiting[0] < before:
                    index = self._waiting.popleft()
                    worker.given.append(index)
                    # One that died meanwhile is noticed when its answer is waited for.
                    with suppress(BrokenPipeError, ConnectionError):
                        worker.connection.send(self._sources[index])

    def _take(self) -> None:
        """Wait for an answer, and take all that have come."""
        ready = wait([worker.connection for worker in self._workers])
        # Answers of several may have come; all are taken so that none stays idle.
        for one in [worker for worker in self._workers if worker.connection in ready]:
            try:
                packed, worn = one.connection.recv()
                answer = pickle.loads(packed)
            except (EOFError, OSError):
                # The connection is closed because the process has died; its exit status says of
                # what.
                answer, worn = Failed(one.how_it_died()), True
            if one.given:  # else it died while it had nothing to do
                index = one.given.popleft()
                if isinstance(answer, Failed):
                    answer = self._cause(answer, self._sources[index])
                self._done[index] = _taken(
                    answer, self._sources[index], self._stopped, self._limits
                )
            # Worn means that it holds much more memory than at its start; the sources it was
            # still to read go back to the front.
            if worn:
                one.end()
                self._workers.remove(one)
                self._waiting.extendleft(reversed(one.given))

    def _cause(self, failed: Failed, source: Source) -> Failed:
        """Why a work failed with less memory than usual: libraries that get none fail in many ways.

        If it succeeds with the usual memory, that was the cause.
        """
        usual = Limits()
        if failed.end is End.TOO_MUCH or self._limits.mebibytes >= usual.mebibytes:
            return failed
        # Tried again alone, with the usual memory: if that succeeds, the limit was the cause and
        # not the file.
        worker = _Worker(self._work, usual, self._start)
        try:
            worker.connection.send(source)
            # By a worker of its own, since this may take the process down as well.
            answer = pickle.loads(worker.connection.recv()[0])
        except (EOFError, OSError):
            return failed
        finally:
            worker.end()
        return failed if isinstance(answer, Failed) else Failed(End.TOO_MUCH)


def _taken(
    answer: object, source: Source, stopped: Stopped[Source, Result], limits: Limits
) -> Result:
    """The result of an answer. Raises the errors that end a command."""
    if isinstance(answer, BoreotabulaError | UnreadableError):
        raise answer
    if isinstance(answer, Failed):
        return stopped(source, _ended(answer.end, limits, answer.report))
    assert isinstance(answer, Answer)
    result: Result = answer.result
    return result


def end_processes() -> None:
    """End all processes of this one, whatever they are doing, because it is about to end itself."""
    for child in multiprocessing.active_children():
        child.kill()
        child.join(_AT_END)


_STARTING = threading.Lock()


@contextmanager
def _as_parent() -> Iterator[None]:
    """Let a process that ends with its own parent start another.

    `multiprocessing` forbids it because such a process may outlive both: ours end once nobody is
    there to answer.
    """
    config: Any = multiprocessing.current_process()._config  # type: ignore[attr-defined]
    with _STARTING:  # threads of one process share what is changed
        before = config.pop("daemon", None)
        try:
            yield
        finally:
            if before is not None:
                config["daemon"] = before


@contextmanager
def undisturbed() -> Iterator[None]:
    """Postpone an interruption while processes are started: at that moment it would be lost.

    Processes that do not set it themselves are never interrupted: that is for their parent.
    """
    if not hasattr(signal, "pthread_sigmask"):
        yield
        return
    stopping = [signal.SIGINT, signal.SIGTERM, signal.SIGHUP]
    came: list[int] = []
    # A thread that was there before takes signals, too: so they are noted, and raised afterwards.
    in_main = threading.current_thread() is threading.main_thread()
    handlers = {signals: signal.getsignal(signals) for signals in stopping if in_main}
    for one, handler in handlers.items():
        if callable(handler):
            # An interruption is noted and raised once all processes are there.
            signal.signal(one, lambda number, _: came.append(number))
    before = signal.pthread_sigmask(signal.SIG_BLOCK, stopping)
    try:
        yield
    finally:
        signal.pthread_sigmask(signal.SIG_SETMASK, before)
        for one, handler in handlers.items():
            if callable(handler):
                signal.signal(one, handler)
        # Raised once, however often the keys were pressed.
        for number in came[:1]:
            signal.raise_signal(number)
