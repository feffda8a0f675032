"""The folder of samples: made once, marked as ours, and replaced only if it has the mark."""

from __future__ import annotations

import csv
import os
from datetime import UTC, datetime
from importlib.resources import files
from importlib.resources.abc import Traversable
from pathlib import Path

from boreotabula.errors import CallError

MARK = ".boreotabula-demo"
"""A file that says that the demo made the folder and may replace it."""

LAYOUT = "stock.toml"


def write_demo(folder: Path) -> Path:
    """Copy samples, layouts and glossaries; returns the path of the first layout.

    Raises CallError if the folder holds something that the demo did not make.
    """
    if folder.exists() and not folder.is_dir():
        raise CallError(f"“{folder}” is a file; name a folder for the demo")
    if folder.is_dir() and any(folder.iterdir()) and not (folder / MARK).is_file():
        raise CallError(
            f"“{folder}” is not empty and was not made by the demo; name a new or empty folder"
        )
    try:
        folder.mkdir(parents=True, exist_ok=True)
        (folder / MARK).write_text(
            "Made by boreotabula demo; running it again replaces everything here.\n", "utf-8"
        )
        _copy(_shipped("files"), folder)
        _date(folder / "inbox", corrected=False)
    except OSError as error:
        raise CallError(f"the demo cannot be written to “{folder}”: {error.strerror}") from None
    return folder / LAYOUT


def correct_report(folder: Path) -> None:
    """Replace a report of the samples by the one that its sender has corrected."""
    _copy(_shipped("corrected"), folder / "inbox")
    _date(folder / "inbox", corrected=True)


def _shipped(name: str) -> Traversable:
    return files("boreotabula.demo").joinpath(name)


def _copy(source: Traversable, target: Path) -> None:
    target.mkdir(parents=True, exist_ok=True)
    for entry in source.iterdir():
        if entry.is_dir():
            _copy(entry, target / entry.name)
        else:
            (target / entry.name).write_bytes(entry.read_bytes())


def _date(inbox: Path, *, corrected: bool) -> None:
    """Set the age of the reports: a file counts as having come on the day of its last change."""
    lines = _shipped("came.csv").read_text("utf-8").splitlines()
    for line in csv.DictReader(lines):
        if bool(line["corrected"]) == corrected:
            day = datetime.fromisoformat(line["came"]).replace(hour=9, tzinfo=UTC).timestamp()
            os.utime(inbox / line["report"], (day, day))
