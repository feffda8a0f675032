"""Messages about internal faults, and reports of them."""

from __future__ import annotations

import os
import platform
import sys
import tempfile
import traceback
from functools import cache

from boreotabula import __version__


def report_of(error: BaseException) -> str:
    """Write a report of a fault; returns the message for the user: a sentence or two."""
    return _saved(fault_report(error))


@cache
def _saved(report: str) -> str:
    """Write the text of a report; the same fault at many files is one report."""
    try:
        handle, path = tempfile.mkstemp(prefix="boreotabula-fault-", suffix=".txt")
        with os.fdopen(handle, "w", encoding="utf-8") as stream:
            stream.write(report)
    except OSError as failed:
        return f"Its report could not be written either ({failed.strerror})."
    return f"Please report it; the details, without any content of your files, are in {path}"


def fault_report(error: BaseException) -> str:
    """The places in the code of a fault. The error message is omitted, because it may quote a
    cell."""
    lines = [
        f"boreotabula {__version__}, Python {platform.python_version()}, {platform.platform()}",
        f"command: {next(iter(sys.argv[1:2]), '')}",
    ]
    seen: BaseException | None = error
    while seen is not None:
        lines.append(f"{type(seen).__module__}.{type(seen).__qualname__}")
        frames = traceback.extract_tb(seen.__traceback__)
        lines += [f"  {frame.filename}:{frame.lineno} {frame.name}" for frame in frames[:_FRAMES]]
        lines += [f"  … and {len(frames) - _FRAMES} more"] if len(frames) > _FRAMES else []
        seen = seen.__cause__ or seen.__context__
    return "\n".join(lines) + "\n"


_FRAMES = 60
