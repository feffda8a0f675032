"""The list that `mark` puts in front of a sender's workbook is ours, not the sender's: it is not
read when the workbook comes back."""

from __future__ import annotations

from collections.abc import Mapping

from boreotabula.sheets.look import NamedCell

MARKED_NAME = "boreotabula_marked"
"""The defined name of the list; programs keep it when they save the workbook."""


def own_tab(names: Mapping[str, NamedCell]) -> str | None:
    """The tab that holds the list, if there is one."""
    named_cell = next(
        (cell for name, cell in names.items() if name.casefold() == MARKED_NAME), None
    )
    return named_cell.tab if named_cell else None
