"""The role of every cell of a tab, and the account of the roles."""

from __future__ import annotations

from collections.abc import Iterable, Iterator, Mapping, Sequence
from dataclasses import dataclass
from enum import IntEnum
from typing import Any

import numpy as np
from numpy.typing import NDArray

from boreotabula.findings.finding import Finding, ScopedFinding, Spot
from boreotabula.findings.kind import Severity
from boreotabula.reading.values.picked import Places
from boreotabula.sheets.sheet import Sheet

Lines = Sequence[int] | slice | NDArray[Any]
"""Rows or columns, counted from 0."""


class Role(IntEnum):
    """What a filled cell is to the layout; each cell has exactly one."""

    UNPLACED = 0
    STAMP = 1
    LABEL = 2
    HEADING = 3
    STUB = 4
    VALUE = 5
    TOTAL = 6
    LEFT_OUT = 7
    """Left out by a rule."""

    @property
    def word(self) -> str:
        """The name in messages and files."""
        return self.name.lower().replace("_", " ")


@dataclass(frozen=True)
class Account:
    """How many filled cells have which role; `left_out` splits that role by rule."""

    filled: int
    roles: Mapping[Role, int]
    left_out: Mapping[str, int]


_RANKS = {Severity.NOTE: 1, Severity.WARNING: 2, Severity.ERROR: 3}
"""How severely a cell is reported; 0 is not at all."""


class RoleMap:
    """Roles of a sheet's cells while it is read; all begin as unplaced.

    The arrays have the shape of the sheet. A map of the turned sheet shares them: a write to either
    shows in both.
    """

    def __init__(self, sheet: Sheet, like: RoleMap | None = None) -> None:
        self.sheet = sheet
        shape = (sheet.height, sheet.width)
        self.filled = sheet.filled
        # Views, not copies: both maps write into the same cells.
        self._codes: NDArray[np.uint8] = like._codes.T if like else np.zeros(shape, np.uint8)
        self._whys: NDArray[np.int32] = like._whys.T if like else np.zeros(shape, np.int32)
        self._told: NDArray[np.int32] = like._told.T if like else np.zeros(shape, np.int32)
        self._heard: NDArray[np.uint8] = like._heard.T if like else np.zeros(shape, np.uint8)
        self._texts: dict[str, int] = like._texts if like else {"": 0}
        """Rules and reasons, with the number that `_whys` stores for each."""
        self._scoped_findings: list[ScopedFinding] = like._scoped_findings if like else []

    # --- giving roles ------------------------------------------------------------------------

    def give(self, rows: Lines, columns: Lines, role: Role, why: str = "") -> None:
        """Give a role to the cells where rows and columns meet, and the rule that leaves them out.

        Cells outside the sheet are ignored.
        """
        # No rows would otherwise mean all of them to the array.
        if not isinstance(rows, slice) and not len(rows):
            return
        meet = self._meet(rows, columns)
        self._codes[meet] = role
        # Reasons are numbered: a million cells share a handful of them.
        self._whys[meet] = self._text(why)

    def give_spots(self, spots: Iterable[Spot], role: Role, why: str = "") -> None:
        """Give a role to single cells."""
        for row, column in spots:
            if row < self.sheet.height and column < self.sheet.width:
                self._codes[row, column] = role
                self._whys[row, column] = self._text(why)

    def explain_cells(self, rows: Places, columns: Places, reason: str) -> None:
        """Say why cells are unplaced, where no reason is given yet."""
        # The first reason stands: it is the closest to the cell.
        whys = self._whys[rows, columns]
        self._whys[rows, columns] = np.where(whys, whys, self._text(reason))

    def label(self, spots: Iterable[Spot]) -> None:
        """Make cells labels if they have no role yet."""
        for row, column in spots:
            if self._codes[row, column] == Role.UNPLACED:
                self.give_spots([(row, column)], Role.LABEL)

    def book(self, rows: NDArray[Any], columns: NDArray[Any], role: Role) -> int:
        """Book the cells at pairs of rows and columns, because a record holds them.

        Returns how many of them were already values of another block.
        """
        again = 0
        if role is Role.VALUE:
            # Only values can be doubled; a stub cell is in every record of its row.
            again = int(np.count_nonzero(self._codes[rows, columns] == Role.VALUE))
        self._codes[rows, columns] = role
        self._whys[rows, columns] = 0
        return again

    def _meet(self, rows: Lines, columns: Lines) -> Any:
        rows, columns = _as_slice(rows), _as_slice(columns)
        if isinstance(rows, slice) or isinstance(columns, slice):
            return rows, columns
        return np.ix_(np.asarray(rows, np.intp), np.asarray(columns, np.intp))

    def _text(self, text: str) -> int:
        return self._texts.setdefault(text, len(self._texts))

    # --- what is told ------------------------------------------------------------------------

    def tell(self, scoped_finding: ScopedFinding) -> None:
        """Note that a finding is about some cells, in case they end up unplaced."""
        self._scoped_findings.append(scoped_finding)
        number, rank = len(self._scoped_findings), _RANKS[scoped_finding.finding.severity]
        # One without the other meets nowhere.
        if scoped_finding.rows != () and scoped_finding.columns != ():
            self._speak(self._meet(scoped_finding.rows, scoped_finding.columns), number, rank)
        if scoped_finding.cells is not None:
            self._speak(scoped_finding.cells, number, rank)
        height, width = self.filled.shape
        # Fixed cells of a layout may lie beyond what is filled.
        spots = [
            (row, column) for row, column in scoped_finding.spots if row < height and column < width
        ]
        if spots:
            rows, columns = zip(*spots, strict=True)
            self._speak((list(rows), list(columns)), number, rank)

    def _speak(self, value: Any, number: int, rank: int) -> None:
        # The loudest finding speaks of a cell; of equals the first.
        louder = self._heard[value] < rank
        self._told[value] = np.where(louder, number, self._told[value])
        self._heard[value] = np.where(louder, rank, self._heard[value])

    def findings(self) -> list[Finding]:
        """All findings that still hold: at least one of their cells is unplaced."""
        # Nothing can lapse: no cell need be looked at.
        if not any(scoped_finding.lapses for scoped_finding in self._scoped_findings):
            return [scoped_finding.finding for scoped_finding in self._scoped_findings]
        open_ = self.unplaced_mask
        needed = {int(value) for value in np.unique(self._told[open_])} if open_.any() else set()
        return [
            scoped_finding.finding
            for number, scoped_finding in enumerate(self._scoped_findings, 1)
            if not scoped_finding.lapses or number in needed
        ]

    # --- asking ------------------------------------------------------------------------------

    @property
    def unplaced_mask(self) -> NDArray[np.bool_]:
        """A mask of the filled cells that are unplaced."""
        return self.mask_of(Role.UNPLACED)

    def mask_of(self, role: Role) -> NDArray[np.bool_]:
        """A mask of the filled cells that have a role."""
        # numpy takes four times as long to compare with a member of an enum.
        mask: NDArray[np.bool_] = self.filled & (self._codes == int(role))
        return mask

    def heard(self, rows: Places, columns: Places) -> NDArray[np.uint8]:
        """How severely some cells are reported: see `rank_of`; 0 is not at all."""
        return self._heard[rows, columns]

    def role(self, row: int, column: int) -> Role:
        """The role of one cell."""
        return Role(int(self._codes[row, column]))

    def why(self, row: int, column: int) -> str:
        """The rule that leaves a cell out, or the reason why it is unplaced; else None."""
        return list(self._texts)[int(self._whys[row, column])]

    @property
    def all_placed(self) -> bool:
        """Whether no filled cell is unplaced."""
        return not self.unplaced_mask.any()

    def account(self) -> Account:
        """Count the filled cells by role."""
        counts = np.bincount(self._codes[self.filled], minlength=len(Role))
        # By rule, so that a rule that takes too much is seen.
        left = self._whys[self.filled & (self._codes == Role.LEFT_OUT)]
        rules = np.bincount(left, minlength=len(self._texts))
        return Account(
            int(np.count_nonzero(self.filled)),
            {role: int(counts[role]) for role in Role},
            {text: int(rules[index]) for text, index in self._texts.items() if rules[index]},
        )

    def unplaced(self) -> Iterator[tuple[Spot, str, str]]:
        """Each unplaced cell: where it is, why, and the code of the finding about it."""
        reasons, codes = self.reasons, self.codes
        for rows, columns in chunks_of(self.unplaced_mask):
            whys, values = self.explained(rows, columns)
            spots = zip(rows.tolist(), columns.tolist(), strict=True)
            for spot, why, by in zip(spots, whys.tolist(), values.tolist(), strict=True):
                yield spot, reasons[why], codes[by]

    @property
    def reasons(self) -> list[str]:
        """Every rule and reason that was given."""
        return list(self._texts)

    @property
    def codes(self) -> list[str]:
        """Nothing, then the code of each finding in the order in which they were noted."""
        return ["", *(scoped_finding.finding.code for scoped_finding in self._scoped_findings)]

    def explained(
        self, rows: NDArray[Any], columns: NDArray[Any]
    ) -> tuple[NDArray[np.int32], NDArray[np.int32]]:
        """For the cells at pairs of rows and columns: indices of their reasons in `reasons`, and of
        their findings in `codes`."""
        return self._whys[rows, columns], self._told[rows, columns]


def _as_slice(lines: Lines) -> Lines:
    """Rows or columns without a gap as a slice, which numpy indexes faster."""
    if isinstance(lines, slice) or not len(lines):
        return lines
    first, end = int(lines[0]), int(lines[-1]) + 1
    # Known to be without a gap: nothing is compared.
    if isinstance(lines, range) and lines.step == 1:
        return slice(first, end)
    whole = end - first == len(lines) and bool((np.diff(lines) == 1).all())
    return slice(first, end) if whole else lines


_AT_ONCE = 50_000


def chunks_of(mask: NDArray[np.bool_]) -> Iterator[tuple[NDArray[np.intp], NDArray[np.intp]]]:
    """Rows and columns of the cells of a mask, in reading order, in chunks of some thousands."""
    # So many rows that their cells fit into memory, however wide the sheet.
    step = max(1, _AT_ONCE // max(mask.shape[1], 1))
    for start in range(0, mask.shape[0], step):
        rows, columns = np.nonzero(mask[start : start + step])
        if len(rows):
            yield rows + start, columns


def rank_of(severity: Severity) -> int:
    """The rank of a finding's severity: errors highest."""
    return _RANKS[severity]
