"""The frame of a table: the rows and columns that it takes."""

from __future__ import annotations

from dataclasses import dataclass


@dataclass(frozen=True)
class Frame:
    """The rows and columns of a sheet (counted from 0) that a table takes, as the sheet lies."""

    rows: range
    columns: range
