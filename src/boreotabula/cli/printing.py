"""The only place where text reaches a terminal: cells and names are printed as plain text.

Tables and bars are drawn by the consoles of `screen`, which clean their texts the same way.
"""

from __future__ import annotations

import codecs
import io
import json
import os
import sys
from collections.abc import Mapping
from dataclasses import fields, is_dataclass
from datetime import date
from decimal import Decimal
from enum import Enum
from pathlib import Path
from typing import TYPE_CHECKING, Any, TextIO

import click

from boreotabula.files import from_here
from boreotabula.texts import CONTROLS, clean, command_line, folded

if TYPE_CHECKING:
    from boreotabula.stores.bases.base import BasePlace

_PLAIN: Mapping[str, str] = {
    "“": '"', "”": '"', "‘": "'", "’": "'", "›": ">", "→": ">", "↓": "v", "…": ".", "·": "-",
    "×": "x", "–": "-", "⋮": ":",
}  # fmt: skip
"""Printed instead of our own characters where a terminal lacks them: one for each, so that columns
stay aligned."""


def _plainly(error: UnicodeError) -> tuple[str, int]:
    assert isinstance(error, UnicodeEncodeError)
    text = error.object[error.start : error.end]
    return "".join(_PLAIN.get(one, "?") for one in text), error.end


def fit_stream(stream: TextIO | None) -> None:
    """Make a stream whose encoding lacks characters print others in their place, and never fail."""
    encoding = (getattr(stream, "encoding", None) or "utf-8").lower().replace("-", "")
    # UTF can print every character.
    if isinstance(stream, io.TextIOWrapper) and not encoding.startswith("utf"):
        codecs.register_error("boreotabula", _plainly)
        stream.reconfigure(errors="boreotabula")


def say(text: str = "", *, err: bool = False, whole: bool = False) -> None:
    """Print a line: on a terminal it is folded to its width, unless it is to stay `whole`."""
    # Names and cells come from strangers: their control characters must not reach the terminal.
    text = clean(text)
    width = 0 if whole else _terminal_width(sys.stderr if err else sys.stdout)
    click.echo(folded(text, width) if width else text, err=err)


def _terminal_width(stream: TextIO) -> int:
    """The columns of a terminal; 0 if the stream is no terminal, and lines stay whole."""
    try:
        # Programs that read the output need each message on one line.
        if not stream.isatty():
            return 0
        return int(os.environ.get("COLUMNS", 0)) or os.get_terminal_size(stream.fileno()).columns
    except (OSError, ValueError):
        return 0


def say_json(value: Any) -> None:
    """Print a value as JSON, see `plain`, with unsafe characters escaped on a terminal."""
    text = json.dumps(value, ensure_ascii=False, indent=2, default=plain)
    # JSON has an escape for each of them, so the data stay the same.
    click.echo(CONTROLS.sub(lambda match: f"\\u{ord(match[0]):04x}", text))


def plain(value: object) -> object:
    """What JSON has no type for as plain data: the fields of a dataclass, the value of an enum, and
    the text of dates, paths and decimals. Raises TypeError for anything else."""
    if is_dataclass(value) and not isinstance(value, type):
        return {field.name: getattr(value, field.name) for field in fields(value)}
    if isinstance(value, Mapping):
        return dict(value)
    if isinstance(value, Enum):
        return value.value
    if isinstance(value, date | Decimal | Path):
        return str(value)
    raise TypeError(f"{type(value).__name__} has no form in JSON")


def say_decided(
    key: str, path: Path, layout: Path, records: BasePlace | None, *, edited: bool
) -> None:
    """Report that a decision about `records` was written to a file, which the layout names by a
    key; whether the layout was `edited` for that; and which command reads it."""
    say(f"Written to {from_here(path)}.")
    if edited:
        say(f'{from_here(layout)} was edited too: it has {key} = "{path.name}".')
    say(f"Next: {command_line('extract', from_here(layout), '-o', _written_alone(records))}")


def _written_alone(records: BasePlace | None) -> str | Path:
    """An output that `-o` alone writes again.

    OUT stands for one that rows were added to, that is parted, or that is in a database, whose
    address may hold a password.
    """
    from boreotabula.batch.run.earlier import earlier_record

    if not isinstance(records, Path):
        return "OUT"
    record = earlier_record(records)
    if record is None or any(record.get(key) is not None for key in ("rows", "partition")):
        return "OUT"
    return from_here(records)
