"""The frame of a table: the rows and columns that it covers."""

from __future__ import annotations

from dataclasses import dataclass


@dataclass(frozen=True)
class TableFrame:
    """The rows and columns of an unturned sheet (counted from 0) that a table covers."""

    rows: range
    columns: range
