"""Records into what people already have: which files can take them."""

from __future__ import annotations

from collections.abc import Collection
from pathlib import Path

from boreotabula.errors import CallError
from boreotabula.outputs.bases.address import RECORDED, is_server

BOOKS = (".xlsx", ".xlsm")
BASES = (".sqlite", ".sqlite3", ".db", ".duckdb", RECORDED)
_WITH_TABLES = (".duckdb", RECORDED)
"""Databases whose table can be named."""


def check_target(target: Path, tab: str | None, tables: Collection[str]) -> None:
    """Raises CallError if records cannot go into a file."""
    ending = target.suffix.lower()
    if ending not in (*BOOKS, *BASES):
        raise CallError(
            f"“{target}”: --into takes a workbook ({', '.join(BOOKS)}) or a database"
            f" ({', '.join(BASES[:-1])}, postgresql://host/name)"
        )
    if not target.is_file() and not is_server(target):
        raise CallError(f"there is no file “{target}”; write a new one with -o")
    named = ending in BOOKS or ending in _WITH_TABLES
    if tab is not None and (not named or len(tables) > 1):
        raise CallError(
            "--tab names the tab of a workbook, or the table of a database, that takes the only"
            " table of a layout"
        )
    lock = target.with_name(f"~${target.name}")
    other = target.with_name(f".~lock.{target.name}#")
    if ending in BOOKS and (lock.exists() or other.exists()):
        raise CallError(f"“{target.name}” is open in a spreadsheet program; close it first")
