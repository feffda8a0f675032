"""One process that works on files: its limits of memory and time, and its answers."""

from __future__ import annotations

import errno
import faulthandler
import gc
import os
import pickle
import re
import signal
import sys
import threading
import time
from collections.abc import Callable
from contextlib import suppress
from dataclasses import dataclass
from enum import Enum
from multiprocessing.connection import Connection
from pathlib import Path
from typing import Any, TypeVar

from boreotabula.errors import BoreotabulaError
from boreotabula.faults import report_of
from boreotabula.limits import MEBI, Limits
from boreotabula.unreadable import UnreadableError

Source = TypeVar("Source")
Result = TypeVar("Result")
Work = Callable[[Source], Result]

_WORN = 192 * MEBI
"""A process that holds this much more than at its start is replaced."""
_WAITING = 30
"""The total time of a process, as a multiple of its time at work."""
TIMED_OUT = (1, -getattr(signal, "SIGPROF", 1))
"""The exit statuses of a process that took too long: ended by `faulthandler`, or by its own timer.
"""
OUT_OF_MEMORY = 71
"""The exit status of a process that ran out of memory and could not answer."""
_BROKE = 70
"""The exit status of a process that failed outside of its work."""


class End(Enum):
    """Why the work on a file has no result."""

    TOO_LONG = "too long"
    TOO_MUCH = "too much"
    BROKEN = "broken"
    FAULT = "fault"


@dataclass(frozen=True)
class Answer:
    """A result, as it is sent."""

    result: Any


@dataclass(frozen=True)
class Failed:
    """The lack of a result, as it is sent."""

    end: End
    report: str = ""


def live(connection: Connection, work: Work[Any, Any], limits: Limits) -> None:
    """Do a work with each source that comes in until none does, or the parent is gone.

    A process that ends by itself gives the reason in its exit status: 1 would be a time-out.
    """
    try:
        _live(connection, work, limits)
    except MemoryError:
        os._exit(OUT_OF_MEMORY)
    except BaseException as error:  # noqa: BLE001  # whatever it is, the parent must know the cause
        status = _BROKE
        with suppress(BaseException):  # without memory even this question can fail
            status = OUT_OF_MEMORY if out_of_memory(error) else _BROKE
        os._exit(status)


def _live(connection: Connection, work: Work[Any, Any], limits: Limits) -> None:
    gc.freeze()  # what the parent has made is shared with it as long as nobody touches it
    signal.signal(signal.SIGINT, signal.SIG_IGN)  # it is for the parent to be interrupted
    silent = _hush()
    threading.Thread(target=_watch, args=(os.getppid(),), daemon=True).start()
    start = _in_memory()
    _bound_memory(limits)
    while True:
        try:
            source = connection.recv()
        except (EOFError, OSError):
            return
        _start_clock(limits.seconds, silent)
        packed = _packed(answer_of(work, source))
        # Before sending: waiting for the parent is not this file's time.
        _stop_clock()
        del source
        connection.send((packed, _in_memory() > start + _WORN))


def _start_clock(seconds: float, silent: int) -> None:
    """End this process after this much time at work, or several times as much in total.

    The time at work does not depend on the load of the machine; the total time is for a process
    that waits. Both hold in any code, including libraries.
    """
    if hasattr(signal, "setitimer"):
        # The default action ends the process at once, in compiled code too, where no handler of
        # Python would run.
        signal.signal(signal.SIGPROF, signal.SIG_DFL)
        signal.setitimer(signal.ITIMER_PROF, seconds)
        seconds *= _WAITING
    faulthandler.dump_traceback_later(seconds, exit=True, file=silent)


def _stop_clock() -> None:
    if hasattr(signal, "setitimer"):
        signal.setitimer(signal.ITIMER_PROF, 0)
    faulthandler.cancel_dump_traceback_later()


def _packed(answer: object) -> bytes:
    """An answer as it is sent; a result that is too large to be sent counts as none."""
    try:
        # Packed here and not by the connection, so that what cannot be sent is known before
        # anything is.
        return pickle.dumps(answer)
    except Exception as error:  # noqa: BLE001  # what cannot be sent is a fault of the program
        return pickle.dumps(_failure(error))


def answer_of(work: Work[Source, Result], source: Source) -> object:
    """The only place where errors of a file are caught: the result, or what came instead."""
    try:
        return Answer(work(source))
    except (BoreotabulaError, UnreadableError) as error:
        return error
    except Exception as error:  # noqa: BLE001  # a fault must not reach the other files
        return _failure(error)


def _failure(error: Exception) -> Failed:
    """What an unexpected error means."""
    return Failed(End.TOO_MUCH) if out_of_memory(error) else Failed(End.FAULT, report_of(error))


def out_of_memory(error: BaseException) -> bool:
    """Whether an error is caused by too little memory.

    A library that could not be loaded for that reason says so in its own way, and its caller fails.
    """
    causes: list[BaseException] = [error]
    # The chain of causes may be a circle.
    while (cause := causes[-1].__cause__ or causes[-1].__context__) and cause not in causes:
        causes.append(cause)
    return any(
        isinstance(cause, MemoryError)
        or (isinstance(cause, OSError) and cause.errno == errno.ENOMEM)
        or (isinstance(cause, ImportError | OSError | SystemError) and _NO_ROOM.search(str(cause)))
        for cause in causes
    )


_NO_ROOM = re.compile(r"cannot allocate memory|failed to map segment|out of memory", re.IGNORECASE)


def _hush() -> int:
    """Discard what a reader prints as it crashes; returns the file descriptor."""
    silent = os.open(os.devnull, os.O_RDWR)
    # File descriptors, since compiled code does not ask for sys.stdout.
    for stream in (1, 2):
        os.dup2(silent, stream)
    sys.stdout = sys.stderr = os.fdopen(os.dup(silent), "w", encoding="utf-8")
    faulthandler.disable()
    return silent


def _bound_memory(limits: Limits) -> None:
    """Make the system refuse more memory than a file may take, on top of what is in use."""
    try:
        import resource

        # RLIMIT_DATA counts what is there already, which differs from machine to machine.
        position = _in_memory(data=True)
        if not position:
            return  # what the program itself takes is not known
        most = position + limits.memory
        resource.setrlimit(resource.RLIMIT_DATA, (most, most))
    except (ImportError, OSError, ValueError):
        return  # elsewhere only what is counted keeps a file within bounds
    import pyarrow as pa

    # The usual pool asks for a gibibyte ahead.
    pa.set_memory_pool(pa.system_memory_pool())


_MEMORY = Path("/proc/self/statm")


def _in_memory(*, data: bool = False) -> int:
    """The bytes that this process holds in memory, or has allocated as data; 0 if unknown."""
    try:
        pages = _MEMORY.read_text("ascii").split()
    except OSError:
        return 0
    # Two figures of that file: pages in memory, and pages of data.
    return int(pages[5] if data else pages[1]) * os.sysconf("SC_PAGE_SIZE")


def _watch(parent: int) -> None:
    while os.getppid() == parent:
        # The parent may be killed without a word to its children.
        time.sleep(1)
    os._exit(1)
