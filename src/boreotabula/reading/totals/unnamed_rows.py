"""Rows that hold the sums of others, above or below them, though no pattern of totals matches."""

from __future__ import annotations

from bisect import bisect_right
from collections.abc import Sequence
from dataclasses import dataclass
from math import fsum, log2

import numpy as np

from boreotabula.reading.cells import cell_text
from boreotabula.reading.columns.kinds import ColumnKind, Columns
from boreotabula.reading.findings import Finding
from boreotabula.reading.rows.lines import LineKind, Lines
from boreotabula.reading.rows.total_words import begins_as_total
from boreotabula.reading.totals.figures import Figures, agree
from boreotabula.workbooks.sheet import Sheet

FEWEST_SUMMANDS = 2
FEWEST_PLACES = 2
"""So many sums must be seen in a row or column, each of at least two numbers other than zero."""


@dataclass(frozen=True)
class AlikeRows:
    """Record rows that hold sums: those that surely do, and those that may."""

    sure: tuple[int, ...]
    maybe: tuple[int, ...]


def rows_alike(figures: Figures, lines: Lines) -> AlikeRows:
    """Record rows that hold, column by column, the sums of records above or below them.

    What is found is no member of other sums, so sums of sums show in the next round.
    """
    search = _Rows(figures, lines)
    found: set[int] = set()
    while fresh := search.below_members(found) | search.above_members(found):
        found |= fresh
    return AlikeRows(tuple(sorted(found)), tuple(sorted(search.maybe - found)))


_CHANCE = 16.0
"""So many binary digits the sums of a row must have to be no chance, whatever is around it."""
_HINTED = 8.0
"""The same where something else speaks for it: its place, or other sums."""
_WORTH_A_WORD = 6.0
"""With fewer than that, sums in several columns are nothing to speak of: 1, 2, 3 sum up as well."""


_MOST_ENDS = 50
"""So many rows at which the members of a row of sums could end are tried."""


class _Rows:
    """What is needed to tell rows of sums."""

    def __init__(self, figures: Figures, lines: Lines) -> None:
        self.figures = figures
        self.columns = [one.column for one in figures.summed]
        self.totals = lines.of(LineKind.TOTAL)
        self.unnamed = _unnamed(figures, lines)
        self.sums = dict(zip(figures.rows, figures.across(figures.rows, self.columns), strict=True))
        there = {line.row for line in lines.lines}
        self.before_gap = {row for row in figures.rows if row + 1 not in there}
        self.labels = [one.column for one in figures.columns.of(ColumnKind.STUB, ColumnKind.BESIDE)]
        self.maybe: set[int] = set()

    def below_members(self, known: set[int]) -> set[int]:
        """The rows that sum up records above them."""
        found: set[int] = set()
        members: list[int] = []
        ends = sorted({*self.totals, *known})
        running = since = 0.0
        at_end = 0
        for row in self.figures.rows:
            if row in known:
                continue
            while at_end < len(ends) and ends[at_end] < row:
                since, at_end = 0.0, at_end + 1
            number = self.sums[row]
            near = number and (
                abs(number - since) <= 0.5 or abs(number - running) <= 0.5 or row in self.unnamed
            )
            if near and len(members) >= FEWEST_SUMMANDS:
                starts = sorted({*ends[:at_end], *found}, reverse=True)
                cuts = [bisect_right(members, start) for start in starts]
                ranges = dict.fromkeys(tuple(members[cut:]) for cut in (*cuts, 0))
                if any(some and self._is_sum(row, some) for some in ranges):
                    if self._is_sure(row):
                        found.add(row)
                        since = 0.0
                        continue
                    self._may_be(row)
            members.append(row)
            running += number
            since += number
        return found

    def above_members(self, known: set[int]) -> set[int]:
        """The rows that sum up records below them.

        Where one ends its members, another row of sums, or something that ends a table, must
        follow; or its stub must look unlike theirs; or its numbers must be too long for a chance.
        """
        members = [row for row in self.figures.rows if row not in known]
        numbers = np.array([self.sums[row] for row in members])
        after = np.concatenate(([0.0], np.cumsum(numbers)))
        wanted = after[1:] + numbers
        # Sums so far may go down again: they are looked up in the order of their size.
        order = np.argsort(after, kind="stable")
        first = np.searchsorted(after[order], wanted - 0.5, "left")
        last = np.searchsorted(after[order], wanted + 0.5, "right")
        ranges: dict[int, tuple[int, ...]] = {}
        for at in np.flatnonzero((first < last) & (numbers != 0)).tolist():
            places = order[first[at] : last[at]]
            places = np.sort(places[places > at + FEWEST_SUMMANDS])
            for end in places[:_MOST_ENDS].tolist():
                some = tuple(members[at + 1 : end])
                if self._is_sum(members[at], some):
                    ranges[members[at]] = some
        if not ranges:
            return set()
        follower = dict(zip(members, [*members[1:], -1], strict=True))
        taken = {
            row
            for row, some in ranges.items()
            if row in self.unnamed or self._evidence(row) >= _CHANCE + log2(len(members))
        }
        # From below upwards, so that a chain of sums holds together up to the first of them.
        chain: set[int] = set()
        for row, some in sorted(ranges.items(), reverse=True):
            next_row = follower[some[-1]]
            ends = next_row < 0 or some[-1] in self.before_gap or next_row in taken | chain
            if ends or any(some[-1] < one < next_row for one in self.totals):
                chain.add(row)
        if sum(map(self._evidence, chain)) >= _HINTED:
            taken |= chain
        else:
            for row in chain:
                self._may_be(row)
        if len(self.columns) == 1:
            self.maybe |= taken - self.unnamed
            return taken & self.unnamed
        return taken

    def _is_sure(self, row: int) -> bool:
        """Whether a row that sums up others is no chance: its numbers are long, or it is the last
        of its kind, or lacks what names the others, or begins as totals do."""
        if row in self.unnamed or self._evidence(row) >= _CHANCE:
            return True
        labelled = begins_as_total(self.figures.sheet, row, self.labels)
        return labelled or (row in self.before_gap and self._evidence(row) >= _HINTED)

    def _may_be(self, row: int) -> None:
        """Note a row that holds sums, though that may be a chance."""
        if len(self.columns) == 1 or self._evidence(row) >= _WORTH_A_WORD:
            self.maybe.add(row)

    def _evidence(self, row: int) -> float:
        """How many binary digits the numbers of a row have."""
        numbers = [self.figures.at(row, column) or 0.0 for column in self.columns]
        return fsum(log2(1.0 + abs(number)) for number in numbers)

    def _is_sum(self, row: int, rows: tuple[int, ...]) -> bool:
        """Whether a row holds the sums of some rows in each of its columns, and truly sums.

        A row that lacks what names the others may leave columns blank.
        """
        named = row not in self.unnamed
        seen = most = 0
        for column in self.columns:
            number = self.figures.at(row, column)
            if number is None and not named:
                continue
            if not agree(number or 0.0, self.figures.down(column, rows)):
                return False
            if number:
                summands = sum(bool(self.figures.at(one, column)) for one in rows)
                seen += summands >= FEWEST_SUMMANDS
                most = max(most, summands)
        if seen >= FEWEST_PLACES:
            return True
        # One column alone may sum up by chance: then the row must lack what names the others, or
        # be the last one of a table with no other number.
        if seen != 1 or most <= FEWEST_SUMMANDS:
            return False
        last = len(self.columns) == 1 and row in self.before_gap and rows[-1] < row
        if named and not last and len(self.columns) == 1 and rows[-1] < row:
            self.maybe.add(row)
        return not named or last or (len(self.columns) == 1 and rows[0] > row)


def _unnamed(figures: Figures, lines: Lines) -> set[int]:
    """The record rows where a cell is blank that most of the others have: one of the stub, in a
    list of any column that it fills."""
    sheet, columns = figures.sheet, figures.columns
    carry = columns.block.carry_down
    every = {
        name: stub.cells for name, stub in lines.stub.items()
        if name not in carry and name != columns.block.group_row
    }  # fmt: skip
    if columns.block.is_list:
        every |= {
            name: tuple(sheet.rows[row][column] for row in lines.records)
            for name, column in columns.by_row.items() if name not in lines.stub
        }  # fmt: skip
    return {
        row
        for cells in every.values()
        if cells.count("") * 2 < len(cells)
        for row, cell in zip(lines.records, cells, strict=True)
        if cell == ""
    }


def row_finding(sheet: Sheet, columns: Columns, rows: Sequence[int]) -> Finding:
    """What is said of rows that surely hold sums."""
    label, patterns = _labels(sheet, columns, rows)
    verb, their = ("holds", "its") if len(rows) == 1 else ("hold", "their")
    return Finding(
        "looks-like-total",
        f"{sheet.rows_called(rows)} (“{label}”) {verb} the sums of records above or below; {their}"
        " cells are unplaced, and make no records",
        f"Add {patterns} to `totals` of [block]; if this is no total, correct the sheet."
        if patterns
        else "Write a label such as “Total” beside it, and list that in `totals` of [block].",
        cell=sheet.address(rows[0], columns.left),
        looked_for="a pattern in `totals`",
        found=label,
    )


def maybe_finding(sheet: Sheet, columns: Columns, rows: Sequence[int]) -> Finding:
    """What is said of rows that may hold sums."""
    label, patterns = _labels(sheet, columns, rows)
    verb, were = ("holds", "it was") if len(rows) == 1 else ("hold", "they were")
    return Finding(
        "total-likely",
        f"{sheet.rows_called(rows)} (“{label}”) {verb} just the sum of records above or below, but"
        f" no pattern of `totals` matches; {were} read as a record",
        f"If it is a total, add {patterns or 'its label'} to `totals` of [block].",
        cell=sheet.address(rows[0], columns.left),
        looked_for="a pattern in `totals`",
        found=label,
    )


_MOST_NAMED = 5


def _labels(sheet: Sheet, columns: Columns, rows: Sequence[int]) -> tuple[str, str]:
    """The label of the first row, and those of all that have one, as patterns to add."""
    labels = [
        next(
            (
                cell_text(cell)
                for cell in sheet.rows[row][columns.left : columns.right]
                if cell != ""
            ),
            "",
        )
        for row in rows
    ]
    named = [one for one in dict.fromkeys(labels) if not one.replace(".", "").isdigit()]
    more = ", …" if len(named) > _MOST_NAMED else ""
    return labels[0], ", ".join(f"“{one}”" for one in named[:_MOST_NAMED]) + more
