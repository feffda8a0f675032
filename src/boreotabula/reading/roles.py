"""The role of every cell of a tab, and the account of them."""

from __future__ import annotations

from collections.abc import Iterator, Mapping
from dataclasses import dataclass, field
from enum import IntEnum

from boreotabula.layout.addresses import address
from boreotabula.reading.cells import cell_text
from boreotabula.reading.findings import Unplaced
from boreotabula.workbooks.sheet import Cell, Sheet


class Role(IntEnum):
    """What a filled cell is to the layout; exactly one for each."""

    UNPLACED = 0
    STAMP = 1
    LABEL = 2
    HEADING = 3
    STUB = 4
    VALUE = 5
    TOTAL = 6
    LEFT_OUT = 7
    """Left out by a rule: codes from here on count the rules."""

    @property
    def word(self) -> str:
        """The name in messages and files."""
        return self.name.lower().replace("_", " ")


@dataclass(frozen=True)
class Account:
    """How many filled cells have which role; `left_out` splits one role by its rule."""

    filled: int
    roles: Mapping[Role, int]
    left_out: Mapping[str, int]


@dataclass
class RoleMap:
    """Roles of a sheet's cells while it is read; all begin as unplaced."""

    sheet: Sheet
    codes: bytearray = field(init=False)
    rules: list[str] = field(default_factory=list)
    reasons: dict[int, str] = field(default_factory=dict)

    def __post_init__(self) -> None:
        self.codes = bytearray(self.sheet.height * self.sheet.width)

    def mark(self, row: int, column: int, code: int) -> None:
        """Give one cell a role (or the code of a rule); outside the sheet there is none to give."""
        if row < self.sheet.height and column < self.sheet.width:
            self.codes[row * self.sheet.width + column] = code

    def mark_line(self, row: int, column: int, codes: bytes) -> None:
        """Give the cells of a row, from a column on, one code each."""
        start = row * self.sheet.width + column
        self.codes[start : start + len(codes)] = codes

    def marked_rows(self) -> set[int]:
        """The rows that hold a cell with a role."""
        width = self.sheet.width
        spans = range(0, len(self.codes), width) if width else ()
        return {
            start // width for start in spans if self.codes.count(0, start, start + width) != width
        }

    def is_marked(self, row: int, column: int) -> bool:
        """Whether a cell has a role yet."""
        return self.codes[row * self.sheet.width + column] != 0

    def take_over(self, turned: RoleMap) -> None:
        """Take the roles of the same sheet with rows and columns changed, where it has any."""
        height = turned.sheet.width
        for row, codes in enumerate(turned.codes[at::height] for at in range(height)):
            start = row * self.sheet.width
            for column, code in enumerate(codes):
                if code:
                    rule = code - Role.LEFT_OUT
                    known = code if rule < 0 else self.rule(turned.rules[rule])
                    self.codes[start + column] = known
        for place, reason in turned.reasons.items():
            column, row = divmod(place, turned.sheet.width)
            self.reasons[row * self.sheet.width + column] = reason

    def rule(self, text: str) -> int:
        """The code for cells left out by a rule, such as 'ignore: Remarks'."""
        if text not in self.rules:
            if len(self.rules) == 256 - Role.LEFT_OUT:
                return Role.LEFT_OUT + len(self.rules) - 1
            self.rules.append(text)
        return Role.LEFT_OUT + self.rules.index(text)

    def unplace(self, row: int, column: int, reason: str) -> None:
        """Say why a cell is in no record."""
        place = row * self.sheet.width + column
        self.codes[place] = Role.UNPLACED
        self.reasons[place] = reason

    def role(self, row: int, column: int) -> Role:
        """The role of one cell."""
        return Role(min(self.codes[row * self.sheet.width + column], Role.LEFT_OUT))

    def why(self, row: int, column: int) -> str:
        """The rule that leaves a cell out, or the reason why it is unplaced; else nothing."""
        place = row * self.sheet.width + column
        rule = self.codes[place] - Role.LEFT_OUT
        return self.rules[rule] if rule >= 0 else self.reasons.get(place, "")

    def count(self, role: Role) -> int:
        """How many filled cells have a role."""
        return _where(self.sheet.filled, self.codes).count(role)

    def account(self) -> Account:
        """Count the filled cells by role."""
        seen = _where(self.sheet.filled, self.codes)
        counts = {rule: seen.count(Role.LEFT_OUT + at) for at, rule in enumerate(self.rules)}
        left_out = {rule: count for rule, count in counts.items() if count}
        roles: dict[Role, int] = {role: seen.count(role) for role in Role}
        roles[Role.LEFT_OUT] = sum(left_out.values())
        filled = self.sheet.filled.count(1)
        # Blank cells are 0 in `seen` as unplaced ones are; what is left of the filled is unplaced.
        roles[Role.UNPLACED] = filled - sum(
            count for role, count in roles.items() if role is not Role.UNPLACED
        )
        return Account(filled, roles, left_out)

    def unplaced(self) -> Iterator[tuple[int, int, Cell, str | None]]:
        """Row, column, cell and the reason given (if any) of each unplaced filled cell."""
        open_ = _where(self.sheet.filled, self.codes.translate(_ONLY_UNPLACED))
        place = open_.find(1)
        while place >= 0:
            row, column = divmod(place, self.sheet.width)
            yield row, column, self.sheet.rows[row][column], self.reasons.get(place)
            place = open_.find(1, place + 1)


_ONLY_UNPLACED = bytes([1, *[0] * 255])
"""Translates the code of an unplaced cell to 1, all others to 0."""


def _where(mask: bytes, codes: bytes | bytearray) -> bytes:
    """The codes where the mask is 1, else 0; all cells at once, as one long number."""
    kept = int.from_bytes(mask, "little") * 255 & int.from_bytes(codes, "little")
    return kept.to_bytes(len(mask), "little")


def unplaced_cell(row: int, column: int, cell: Cell, reason: str) -> Unplaced:
    """The unplaced cell at a place, with its address and text."""
    return Unplaced(address(row, column), cell_text(cell), reason)
