"""Rows that hold the sums of others, above or below them, though no pattern of totals matches."""

from __future__ import annotations

from bisect import bisect_right, insort
from collections.abc import Iterator, Mapping, Sequence
from dataclasses import dataclass
from functools import cached_property
from math import log2

import numpy as np
from numpy.typing import NDArray

from boreotabula.findings.finding import Finding
from boreotabula.findings.kind import FindingKind
from boreotabula.findings.totals import LOOKS_LIKE_TOTAL, SUMS_WITHOUT_LABEL
from boreotabula.layout.field_types import type_called
from boreotabula.reading.cells import cell_text
from boreotabula.reading.columns.kinds import ColumnKind, Columns
from boreotabula.reading.rows.table_rows import RowKind, TableRows
from boreotabula.reading.rows.total_words import begins_as_total
from boreotabula.reading.totals.figures import Figures, all_agree
from boreotabula.reading.values.picked import Places
from boreotabula.sheets.sheet import Sheet

FEWEST_SUMMANDS = 2
FEWEST_PLACES = 2
"""So many sums must be seen in a row or column, each of at least two numbers other than zero."""


@dataclass(frozen=True)
class RowsOfSums:
    """Record rows that hold sums: those that surely do, and those that may."""

    sure: tuple[int, ...]
    maybe: tuple[int, ...]
    groups: tuple[int, ...] = ()
    """Of those that may: rows that sum up the ones below them, as names of groups do."""
    near: tuple[int, ...] = ()
    """Of those that may: rows named as totals, with numbers near the sums of the rows above."""


def rows_of_sums(figures: Figures, table: TableRows) -> RowsOfSums:
    """Record rows that hold, column by column, the sums of records above or below them.

    What is found is no member of other sums, so sums of sums show in the next round.
    """
    search = _Rows(figures, table)
    found: set[int] = set()
    # Again without those found: subtotals hide the grand total above them.
    while fresh := search.below_members(found) | search.above_members(found):
        found |= fresh
    rows = table.records
    return RowsOfSums(
        tuple(rows[at] for at in sorted(found)),
        tuple(rows[at] for at in sorted(search.maybe - found - search.group_like)),
        tuple(rows[at] for at in sorted(search.group_like - found)),
        tuple(rows[at] for at in search.near_sums(found | search.maybe | search.group_like)),
    )


@dataclass(frozen=True)
class GroupsBySums:
    """Record rows that name groups, as they hold the sums of the rows below them; `doubtful` if
    their numbers are so small that it may be a chance."""

    rows: tuple[int, ...] = ()
    doubtful: bool = False


def groups_by_sums(figures: Figures, table: TableRows) -> GroupsBySums:
    """Record rows that hold the sums of the rows below them, down to the next such row.

    Either all rows of the table are such rows and their members, one group after the other; or a
    row lacks a stub cell that the others have. If such rows are met, those that look like them are
    groups as well, whatever their sums: these are compared.
    """
    search = _Rows(figures, table)
    groups, agreeing = search.parted(search.chain_of_groups())
    lacking = {at for at in agreeing if search.unnamed[at]}
    evidence = sum(float(search.digits[at]) for at in agreeing)
    # Among sums that agree one that does not is an error of the sheet, and no chance.
    if groups != agreeing and not lacking and evidence < _HINTED:
        return GroupsBySums()
    if lacking:
        groups |= set(np.flatnonzero(search.unnamed).tolist())
    rows = table.records
    return GroupsBySums(
        tuple(rows[at] for at in sorted(groups)), not lacking and evidence < _HINTED
    )


_CHANCE = 16.0
"""So many binary digits the sums of a row must have to be no chance, whatever is around it."""
_HINTED = 8.0
"""The same where something else speaks for it: its place, or other sums."""
_WORTH_A_WORD = 6.0
"""With fewer than that, sums in several columns are nothing to speak of: 1, 2, 3 sum up as well."""


_NEAR = 0.75
"""A number that is at least so much of a sum, or the sum of it, is near it."""
_NEARLY_ONE = 1 - 1e-6
_FEWEST_MEMBERS = 3
"""So many rows make a group, where nobody says that it is one."""
_MOST_MEMBERS = 500
"""So many rows of a group are added up where the next group is not known."""
_MOST_ENDS = 50
"""So many rows at which the members of a row of sums could end are tried."""


class _Rows:
    """What is needed to tell rows of sums; record rows are told by their numbers."""

    def __init__(self, figures: Figures, table: TableRows) -> None:
        self.figures = figures
        self.rows = table.record_rows
        self.numbers, self.values = figures.record_numbers, figures.record_values
        self.totals = table.where(RowKind.TOTAL)
        self.unnamed = _unnamed(figures, table)
        self.sums = self.values.sum(axis=1)
        self.before_gap = np.append(table.kinds == RowKind.NONE, True)[self.rows + 1 - table.start]
        self.labels = [one.column for one in figures.columns.of(ColumnKind.STUB, ColumnKind.BESIDE)]
        self.maybe: set[int] = set()
        self.group_like: set[int] = set()
        """Rows that sum up the ones below them, as names of groups do."""

    @cached_property
    def independent(self) -> NDArray[np.intp]:
        """The columns that say something of their own: a price times some pieces does not."""
        return _independent(self.values)

    @property
    def single_column(self) -> bool:
        """Whether only one column says something of its own."""
        return len(self.independent) == 1

    def below_members(self, known: set[int]) -> set[int]:
        """The rows that sum up records above them."""
        found: set[int] = set()
        member = np.ones(len(self.rows), bool)
        # Sums that were found before are no members of others.
        member[list(known)] = False
        # Where a row of totals stands, a new group of members may begin.
        ends = {*np.searchsorted(self.rows, self.totals).tolist(), *(at + 1 for at in known), 0}
        last: int | None = -1
        while last is not None:
            starts = np.array(sorted({*ends, *(at + 1 for at in found)}))
            last = self._next_below(last, member, starts)
            if last is not None:
                # It is no member of what follows, so the sums are looked at anew.
                found.add(last)
                member[last] = False
        return found

    def _next_below(
        self, last: int, member: NDArray[np.bool_], starts: NDArray[np.intp]
    ) -> int | None:
        """The first row after some row that surely sums up members above it: those since one of
        some rows, or all."""
        # Zero, so that what is no member adds nothing to the sums.
        values = np.where(member[:, None], self.values, 0.0)
        # Differences of sums so far sieve the ranges; the exact sums decide.
        so_far = np.concatenate((np.zeros((1, values.shape[1])), np.cumsum(values, axis=0)))
        near = self._near_below(member, starts)
        for at in np.flatnonzero(near[last + 1 :]).tolist():
            at += last + 1
            # The nearest first: it is the likeliest.
            reach = starts[starts <= at][::-1]
            ranges = self._ranges(at, reach, member, so_far)
            if any(self._is_sum(at, one) for one in ranges):
                if self._is_sure(at):
                    return int(at)
                self._may_be(at)
        return None

    def _near_below(self, member: NDArray[np.bool_], starts: NDArray[np.intp]) -> NDArray[np.bool_]:
        """The rows that may hold the sum of all above them, or of those since an earlier row of
        totals. Rows that lack what names the others are looked at anyway."""
        sums = np.where(member, self.sums, 0.0)
        before = np.concatenate(([0.0], np.cumsum(sums)))
        running = before[:-1]
        rows = np.arange(len(sums))
        since = running - before[starts[np.searchsorted(starts, rows, "right") - 1]]
        near = (np.abs(sums - running) <= 0.5) | (np.abs(sums - since) <= 0.5) | self.unnamed
        # Rows of zeros sum up to anything.
        found: NDArray[np.bool_] = near & member & (sums != 0)
        return found & (np.cumsum(member) > FEWEST_SUMMANDS)

    def _ranges(
        self,
        at: int,
        reach: NDArray[np.intp],
        member: NDArray[np.bool_],
        so_far: NDArray[np.float64],
    ) -> Iterator[Places]:
        """The members that a row may sum up, from one of some rows down to it, but for those whose
        sums are far off; `so_far` are the sums of all members above each row."""
        asked = ~np.isnan(self.numbers[at]) if self.unnamed[at] else slice(None)
        sums = (so_far[at] - so_far[reach])[:, asked]
        # Wider than any rounding: this only sieves, the exact sums decide.
        room = 0.5 + 1e-9 * (np.abs(sums) + np.abs(so_far[at][asked]) + 1.0)
        near = np.abs(self.values[at][asked] - sums) <= room
        for one in reach[near.all(axis=1)].tolist():
            some = np.flatnonzero(member[one:at]) + one
            if len(some):
                yield some

    def above_members(self, known: set[int]) -> set[int]:
        """The rows that sum up records below them.

        Where one ends its members, another row of sums, or something that ends a table, must
        follow; or its stub must look unlike theirs; or its numbers must be too long for a chance.
        """
        members = np.array([at for at in range(len(self.rows)) if at not in known], np.intp)
        numbers = self.sums[members]
        after = np.concatenate(([0.0], np.cumsum(numbers)))
        wanted = after[1:] + numbers
        # Sums so far may go down again: they are looked up in the order of their size.
        # With negative numbers they do not rise, so they cannot be searched as they stand.
        order = np.argsort(after, kind="stable")
        first = np.searchsorted(after[order], wanted - 0.5, "left")
        last = np.searchsorted(after[order], wanted + 0.5, "right")
        ranges: dict[int, Places] = {}
        for at in np.flatnonzero((first < last) & (numbers != 0)).tolist():
            places = order[first[at] : last[at]]
            # From the nearest end to the farthest: the last that fits is the whole group.
            places = np.sort(places[places > at + FEWEST_SUMMANDS])
            for end in places[:_MOST_ENDS].tolist():
                some = members[at + 1 : end]
                if self._is_sum(int(members[at]), some):
                    ranges[int(members[at])] = some
        if not ranges:
            return set()
        return self._with_an_end(ranges, members)

    def chain_of_groups(self) -> dict[int, int]:
        """The rows that sum up all rows down to the next of them, or to something that ends a
        table, and where the members of each end."""
        values = self.values
        so_far = np.concatenate((np.zeros((1, values.shape[1])), np.cumsum(values, axis=0)))
        gaps = (np.flatnonzero(self.before_gap) + 1).tolist()
        stops = sorted({*np.searchsorted(self.rows, self.totals).tolist(), *gaps, len(values)})
        chain: dict[int, int] = {}
        # From below, as a group ends where the next one begins.
        for at in range(len(values) - 2, -1, -1):
            if not values[at].any():  # zeros sum up to anything
                continue
            for end in stops[bisect_right(stops, at + 1) :][:_MOST_ENDS]:
                # Differences of sums so far sieve the ends; the exact sums decide.
                near = np.abs(values[at] - (so_far[end] - so_far[at + 1])) <= 0.5
                if near.all() and all_agree(values[at], values[at + 1 : end].sum(axis=0)).all():
                    chain[at] = end
                    insort(stops, at)
                    break
        return chain

    def parted(self, ends: Mapping[int, int]) -> tuple[set[int], set[int]]:
        """The rows that part all records into groups, one after the other, and those of them whose
        sums agree; none if some records are in no group. `ends` are those of `chain_of_groups`."""
        groups: set[int] = set()
        agreeing: set[int] = set()
        chain = sorted(ends)
        at = 0
        while at < len(self.rows):
            groups.add(at)
            end = ends.get(at) or self._end_of_group(at)
            if end is not None:
                agreeing.add(at)
                at = end
                continue
            # Its sum agrees with nothing: it ends where the next group surely begins.
            after = chain[bisect_right(chain, at + 1) :]
            if not after:
                lacking = {one for one in agreeing if self.unnamed[one]}
                return lacking, lacking
            at = after[0]
        return groups, agreeing

    def _end_of_group(self, at: int) -> int | None:
        """Where the rows below one end that it sums up, wherever that is."""
        if not self.values[at].any():
            return None
        sums = np.cumsum(self.values[at + 1 : at + 1 + _MOST_MEMBERS], axis=0)
        near = (np.abs(sums - self.values[at]) <= 0.5).all(axis=1)
        for some in np.flatnonzero(near).tolist():
            members = self.values[at + 1 : at + 2 + some]
            if all_agree(self.values[at], members.sum(axis=0)).all():
                return int(at + 2 + some)
        return None

    def _with_an_end(self, ranges: Mapping[int, Places], members: Places) -> set[int]:
        """Those of the rows that sum up some below them which are no chance."""
        # The row after a member, rows of sums left aside.
        follower = dict(zip(members.tolist(), [*members[1:].tolist(), -1], strict=True))
        self.group_like |= {at for at, some in ranges.items() if self._like_group(at, some, ranges)}
        taken = {
            at
            for at in ranges
            # The more rows there are, the likelier one of them sums up some others by chance.
            if self.unnamed[at] or self.digits[at] >= _CHANCE + log2(len(members))
        }
        # From below upwards, so that a chain of sums holds together up to the first of them.
        chain: set[int] = set()
        for at, some in sorted(ranges.items(), key=lambda one: one[0], reverse=True):
            last = int(some[-1])
            after = follower[last]
            ends = after < 0 or self.before_gap[last] or after in taken | chain
            if ends or self._total_between(last, after):
                chain.add(at)
        # A chain of sums, each of them small, is still no chance.
        if sum(float(self.digits[at]) for at in chain) >= _HINTED:
            taken |= chain
        else:
            for at in chain:
                self._may_be(at)
        # With one column a chance is likely: only a row without a name is taken out.
        if self.single_column:
            self.maybe |= {at for at in taken if not self.unnamed[at]}
            return {at for at in taken if self.unnamed[at]}
        return taken

    def _like_group(self, at: int, members: Places, ranges: Mapping[int, Places]) -> bool:
        """Whether a row that sums up those below it surely is no chance: they are indented below
        it, another such row follows them, or it is far larger than any of them."""
        if len(members) < _FEWEST_MEMBERS or self.digits[at] < _WORTH_A_WORD:
            return False
        after = int(members[-1]) + 1
        indents = [self._indent(int(one)) for one in (at, *members)]
        below = all(one > indents[0] for one in indents[1:])
        ends = {int(some[-1]) + 1 for some in ranges.values() if len(some) >= _FEWEST_MEMBERS}
        chained = at in ends or (after in ranges and len(ranges[after]) >= _FEWEST_MEMBERS)
        largest = float(np.abs(self.sums[members]).max())
        # The more rows there are, the likelier one of them sums up a few others by chance.
        enough = _FEWEST_MEMBERS + log2(len(self.rows)) / 2
        outstanding = len(members) > enough and abs(self.sums[at]) > 3 * largest
        return below or chained or outstanding

    def _indent(self, at: int) -> int:
        """How far the name of a record row is indented."""
        row = int(self.rows[at])
        sheet = self.figures.sheet
        named = next((one for one in self.labels if sheet.rows[row][one] != ""), None)
        return 0 if named is None else sheet.indent(row, named)

    def _total_between(self, one: int, other: int) -> bool:
        """Whether a row of totals stands between two records."""
        return bool(((self.totals > self.rows[one]) & (self.totals < self.rows[other])).any())

    def near_sums(self, known: set[int]) -> list[int]:
        """Rows named as totals whose numbers are near the sums of the rows above: those since the
        last row of sums, or all. A total that is off, or that counts a row which was not read."""
        near: list[int] = []
        if len(self.rows) <= FEWEST_SUMMANDS:
            return near
        # Words are dear to look up: most records are no more than the two above them.
        pairs = self.sums[:-2] + self.sums[1:-1]
        larger = np.flatnonzero(self.sums[2:] >= _NEAR * pairs) + FEWEST_SUMMANDS
        for at in larger.tolist():
            # What lacks a label that the others have is known by that.
            if at in known or self.unnamed[at] or not self._is_named_total(at):
                continue
            others = np.array([one for one in range(at) if one not in known and one not in near])
            since = others[others > max((one for one in [*known, *near] if one < at), default=-1)]
            if any(self._is_near(at, members) for members in (since, others)):
                near.append(at)
        return near

    def _is_named_total(self, at: int) -> bool:
        return begins_as_total(self.figures.sheet, int(self.rows[at]), self.labels)

    def _is_near(self, at: int, members: NDArray[np.intp]) -> bool:
        """Whether most numbers of a row are near the sums of some rows."""
        if len(members) < FEWEST_SUMMANDS:
            return False
        sums = self.values[members].sum(axis=0)
        asked = (self.values[at] != 0) & (sums != 0)
        ratios = self.values[at][asked] / sums[asked]
        near = (ratios >= _NEAR) & (ratios <= 1 / _NEAR)
        return bool(2 * np.count_nonzero(near) > len(near) > 0)

    def _is_sure(self, at: int) -> bool:
        """Whether a row that sums up others is no chance: its numbers are long, or it is the last
        of its kind, or lacks what names the others, or begins as totals do."""
        if self.unnamed[at] or self.digits[at] >= _CHANCE:
            return True
        # A word for a total and the sum of others: that is no chance.
        return self._is_named_total(at) or bool(self.before_gap[at] and self.digits[at] >= _HINTED)

    def _may_be(self, at: int) -> None:
        """Note a row that holds sums, though that may be a chance."""
        # Small numbers sum up by chance all the time: a word each would drown the rest.
        if self.single_column or self.digits[at] >= _WORTH_A_WORD:
            self.maybe.add(at)

    @cached_property
    def digits(self) -> NDArray[np.float64]:
        """How many binary digits the numbers of each row have."""
        values = np.abs(self.values[:, self.independent])
        found: NDArray[np.float64] = np.log2(1.0 + values).sum(axis=1)
        return found

    def _is_sum(self, at: int, members: Places) -> bool:
        """Whether a row holds the sums of some rows in each of its columns, and truly sums.

        A row that lacks what names the others may leave columns blank.
        """
        named = not self.unnamed[at]
        numbers, summands = self.values[at], self.values[members]
        # Totals often leave columns blank that are no use to sum.
        asked = slice(None) if named else ~np.isnan(self.numbers[at])
        if not all_agree(numbers[asked], summands.sum(axis=0)[asked]).all():
            return False
        telling = self.independent[numbers[self.independent] != 0]
        counts = np.count_nonzero(summands[:, telling], axis=0)
        seen, most = np.count_nonzero(counts >= FEWEST_SUMMANDS), max(counts, default=0)
        if seen >= FEWEST_PLACES:
            return True
        # One column alone may sum up by chance: then the row must lack what names the others, or
        # be the last one of a table with no other number.
        if seen != 1 or most <= FEWEST_SUMMANDS:
            return False
        below = members[-1] < at
        last = self.single_column and bool(self.before_gap[at]) and below
        if named and not last and self.single_column and below:
            self.maybe.add(at)
        return not named or last or bool(self.single_column and members[0] > at)


def _independent(values: NDArray[np.float64]) -> NDArray[np.intp]:
    """The columns that are no multiple of one before them: only those are evidence of their own."""
    lengths = np.sqrt((values * values).sum(axis=0))
    directions = values / np.where(lengths == 0, 1.0, lengths)
    # Of two columns that are multiples the directions are the same, or nearly if rounded: few are
    # worth a closer look.
    near = np.abs(directions.T @ directions) > _NEARLY_ONE
    kept: list[int] = []
    for at in np.flatnonzero(lengths).tolist():
        before = [one for one in np.flatnonzero(near[at, :at]).tolist() if one in kept]
        if not any(_is_multiple(values[:, at], values[:, one]) for one in before):
            kept.append(at)
    return np.array(kept or [0], np.intp)


def _is_multiple(column: NDArray[np.float64], other: NDArray[np.float64]) -> bool:
    """Whether a column is another one times the same number throughout, in three rows at least."""
    there = other != 0
    if np.count_nonzero(there) < _FEWEST_MEMBERS or (column[~there] != 0).any():
        return False
    ratios = column[there] / other[there]
    # Rounded to cents, the product is only nearly one.
    return bool(np.allclose(ratios, ratios[0], rtol=1e-4))


def _unnamed(figures: Figures, table: TableRows) -> NDArray[np.bool_]:
    """The record rows where a cell is blank that most of the others have: one of the stub, in a
    list of any column that it fills. A row with a date or time of its own is a record that lacks
    something, and no sum."""
    sheet, columns = figures.sheet, figures.columns
    carry = columns.block.carry_down
    groups = [one.field for one in columns.block.groups]
    every = {
        name: stub.filled for name, stub in table.stub.items()
        if name not in carry and name not in groups
    }  # fmt: skip
    dated = np.zeros(len(table.record_rows), bool)
    if columns.block.is_list:
        beside = {
            name: sheet.filled[table.record_rows, column]
            for name, column in columns.by_row.items() if name not in table.stub
        }  # fmt: skip
        every |= beside
        for name, filled in beside.items():
            if type_called(figures.plan.form(name).kind).is_moment:
                dated |= filled
    found = np.zeros(len(table.record_rows), bool)
    for filled in every.values():
        if 2 * np.count_nonzero(~filled) < len(filled):
            found |= ~filled
    return found & ~dated


def row_finding(sheet: Sheet, columns: Columns, rows: Sequence[int]) -> Finding:
    """What is said of rows that surely hold sums."""
    label, patterns = _labels(sheet, columns, rows)
    where = sheet.address(rows[0], columns.left)
    slots = {"rows": sheet.rows_called(rows), "count": len(rows)}
    if not patterns:
        return SUMS_WITHOUT_LABEL(where, label=label, **slots)
    return LOOKS_LIKE_TOTAL(where, label=label, patterns=patterns, **slots)


def likely_finding(
    kind: FindingKind, sheet: Sheet, columns: Columns, rows: Sequence[int]
) -> Finding:
    """What is said of rows that may be totals, in the words of a kind."""
    label, patterns = _labels(sheet, columns, rows)
    return kind(
        sheet.address(rows[0], columns.left),
        rows=sheet.rows_called(rows),
        count=len(rows),
        label=label,
        patterns=patterns or [label],
    )


def _labels(sheet: Sheet, columns: Columns, rows: Sequence[int]) -> tuple[str, list[str]]:
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
    return labels[0], named
