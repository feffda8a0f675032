"""Records into what people already have: which files can take them."""

from __future__ import annotations

from collections.abc import Collection
from pathlib import Path

from boreotabula.errors import CallError

BOOKS = (".xlsx", ".xlsm")
BASES = (".sqlite", ".sqlite3", ".db")


def check_target(target: Path, tab: str | None, tables: Collection[str]) -> None:
    """Raises CallError if records cannot go into a file."""
    ending = target.suffix.lower()
    if ending not in (*BOOKS, *BASES):
        raise CallError(
            f"“{target}”: --into takes a workbook ({', '.join(BOOKS)}) or a database"
            f" ({', '.join(BASES)})"
        )
    if not target.is_file():
        raise CallError(f"there is no file “{target}”; write a new one with -o")
    if tab is not None and (ending in BASES or len(tables) > 1):
        raise CallError("--tab names the tab of a workbook that takes the only table of a layout")
    lock = target.with_name(f"~${target.name}")
    other = target.with_name(f".~lock.{target.name}#")
    if ending in BOOKS and (lock.exists() or other.exists()):
        raise CallError(f"“{target.name}” is open in a spreadsheet program; close it first")
