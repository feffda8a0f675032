"""What is said of a fault of the program itself, and the report of it."""

from __future__ import annotations

import os
import platform
import sys
import tempfile
import traceback

import click

from boreotabula import __version__


def tell_fault(error: BaseException) -> None:
    """Say in one sentence that the program failed, and where its report is."""
    click.echo(
        "Boreotabula failed and wrote nothing: this is a fault of the program, not of your files."
        f" {_reported(error)}",
        err=True,
    )


def _reported(error: BaseException) -> str:
    try:
        handle, path = tempfile.mkstemp(prefix="boreotabula-fault-", suffix=".txt")
        with os.fdopen(handle, "w", encoding="utf-8") as stream:
            stream.write(fault_report(error))
    except OSError as failed:
        return f"Its report could not be written either ({failed.strerror})."
    return f"Please report it; the details, without any content of your files, are in {path}"


def fault_report(error: BaseException) -> str:
    """The places in the code that the fault came through. What the error says is left out, as it
    may hold what is in a cell."""
    lines = [
        f"boreotabula {__version__}, Python {platform.python_version()}, {platform.platform()}",
        f"command: {next(iter(sys.argv[1:2]), '')}",
    ]
    seen: BaseException | None = error
    while seen is not None:
        lines.append(f"{type(seen).__module__}.{type(seen).__qualname__}")
        lines += [
            f"  {frame.filename}:{frame.lineno} {frame.name}"
            for frame in traceback.extract_tb(seen.__traceback__)
        ]
        seen = seen.__cause__ or seen.__context__
    return "\n".join(lines) + "\n"
