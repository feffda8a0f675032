"""Rows that hold the sums of others, above or below them, though no pattern of totals matches."""

from __future__ import annotations

from bisect import bisect_right, insort
from collections.abc import Iterator, Mapping
from dataclasses import dataclass
from math import log2

import numpy as np
from numpy.typing import NDArray

from boreotabula.reading.rows.table_rows import TableRows
from boreotabula.reading.totals.figures import Figures, all_agree
from boreotabula.reading.totals.record_rows import FEWEST_MEMBERS, FEWEST_SUMMANDS, NEAR, RecordRows
from boreotabula.reading.values.picked import Places

FEWEST_PLACES = 2
"""This many sums must be seen in a row or column, each of at least two non-zero numbers."""


@dataclass(frozen=True)
class RowsOfSums:
    """Record rows that hold sums: the certain ones, and the possible ones."""

    sure: tuple[int, ...]
    maybe: tuple[int, ...]
    groups: tuple[int, ...] = ()
    """Possible ones that sum up the rows below them, as names of groups do."""
    near: tuple[int, ...] = ()
    """Possible ones that are named as totals, with numbers near the sums of the rows above."""


def rows_of_sums(figures: Figures, table: TableRows) -> RowsOfSums:
    """Record rows that hold, column by column, the sums of records above or below them."""
    search = _Search(figures, table)
    numbers: set[int] = set()
    # Again without those found: subtotals hide the grand total above them.
    while fresh := search.below_members(numbers) | search.above_members(numbers):
        numbers |= fresh
    rows = table.records
    return RowsOfSums(
        tuple(rows[index] for index in sorted(numbers)),
        tuple(rows[index] for index in sorted(search.maybe - numbers - search.group_like)),
        tuple(rows[index] for index in sorted(search.group_like - numbers)),
        tuple(
            rows[near_sum]
            for near_sum in search.near_sums(numbers | search.maybe | search.group_like)
        ),
    )


@dataclass(frozen=True)
class GroupsBySums:
    """Record rows that name groups by their sums; `doubtful` if that may be a coincidence."""

    rows: tuple[int, ...] = ()
    doubtful: bool = False


def groups_by_sums(figures: Figures, table: TableRows) -> GroupsBySums:
    """Record rows that hold the sums of the rows below them, down to the next such row.

    Either all rows of the table are such rows and their members, or a row lacks a stub cell that
    the others have. Rows that look like them are groups as well, whatever their sums.
    """
    search = _Search(figures, table)
    groups, agreeing = search.parted(search.chain_of_groups())
    lacking = {index for index in agreeing if search.unnamed[index]}
    evidence = sum(float(search.digits[index]) for index in agreeing)
    # Among sums that agree one that does not is an error of the sheet, and no chance.
    if groups != agreeing and not lacking and evidence < _HINTED:
        return GroupsBySums()
    if lacking:
        groups |= set(np.flatnonzero(search.unnamed).tolist())
    rows = table.records
    return GroupsBySums(
        tuple(rows[group] for group in sorted(groups)), not lacking and evidence < _HINTED
    )


CHANCE = 16.0
"""Bits of evidence that rule out coincidence, whatever stands around the row."""
_HINTED = 8.0
"""The same where something else supports it: its place, or other sums."""
_WORTH_A_WORD = 6.0
"""Below this, sums in several columns are not worth reporting: 1, 2, 3 sum up as well."""

_MOST_MEMBERS = 500
"""The number of rows of a group that are added up where the next group is not known."""
_MOST_ENDS = 50
"""The number of rows tried as the end of the members of a row of sums."""


class _Search(RecordRows):
    """The search for rows of sums among the record rows."""

    def __init__(self, figures: Figures, table: TableRows) -> None:
        super().__init__(figures, table)
        self.maybe: set[int] = set()
        self.group_like: set[int] = set()
        """Rows that sum up the ones below them, as names of groups do."""

    def below_members(self, known_numbers: set[int]) -> set[int]:
        """The rows that sum up records above them."""
        numbers: set[int] = set()
        member = np.ones(len(self.rows), bool)
        # Sums that were found before are no members of others.
        member[list(known_numbers)] = False
        # Where a row of totals stands, a new group of members may begin.
        ends = {
            *np.searchsorted(self.rows, self.totals).tolist(),
            *(index + 1 for index in known_numbers),
            0,
        }
        last: int | None = -1
        while last is not None:
            starts = np.array(sorted({*ends, *(index + 1 for index in numbers)}))
            last = self._next_below(last, member, starts)
            if last is not None:
                # It is no member of what follows, so the sums are looked at anew.
                numbers.add(last)
                member[last] = False
        return numbers

    def _next_below(
        self, last: int, member: NDArray[np.bool_], starts: NDArray[np.intp]
    ) -> int | None:
        """The first row after `last` that surely sums up the members above it, or the last ones."""
        # Zero, so that what is no member adds nothing to the sums.
        values = np.where(member[:, None], self.values, 0.0)
        # Differences of sums so far sieve the ranges; the exact sums decide.
        so_far = np.concatenate((np.zeros((1, values.shape[1])), np.cumsum(values, axis=0)))
        near = self._near_below(member, starts)
        for index in np.flatnonzero(near[last + 1 :]).tolist():
            index += last + 1
            # The nearest first: it is the likeliest.
            reach = starts[starts <= index][::-1]
            ranges = self._ranges(index, reach, member, so_far)
            if any(self._is_sum(index, range_) for range_ in ranges):
                if self._is_sure(index):
                    return int(index)
                self._may_be(index)
        return None

    def _near_below(self, member: NDArray[np.bool_], starts: NDArray[np.intp]) -> NDArray[np.bool_]:
        """The rows that may hold the sum of all above, or of those since an earlier row of totals.

        Rows that lack what names the others are tried in any case.
        """
        sums = np.where(member, self.sums, 0.0)
        before = np.concatenate(([0.0], np.cumsum(sums)))
        running = before[:-1]
        rows = np.arange(len(sums))
        since = running - before[starts[np.searchsorted(starts, rows, "right") - 1]]
        near = (np.abs(sums - running) <= 0.5) | (np.abs(sums - since) <= 0.5) | self.unnamed
        # Rows of zeros sum up to anything.
        mask: NDArray[np.bool_] = near & member & (sums != 0)
        return mask & (np.cumsum(member) > FEWEST_SUMMANDS)

    def _ranges(
        self,
        index: int,
        reach: NDArray[np.intp],
        member: NDArray[np.bool_],
        so_far: NDArray[np.float64],
    ) -> Iterator[Places]:
        """The members above a row that may sum up to it; `so_far` are running sums of members."""
        value = ~np.isnan(self.numbers[index]) if self.unnamed[index] else slice(None)
        sums = (so_far[index] - so_far[reach])[:, value]
        # Wider than any rounding: this only sieves, the exact sums decide.
        room = 0.5 + 1e-9 * (np.abs(sums) + np.abs(so_far[index][value]) + 1.0)
        near = np.abs(self.values[index][value] - sums) <= room
        for one in reach[near.all(axis=1)].tolist():
            some = np.flatnonzero(member[one:index]) + one
            if len(some):
                yield some

    def above_members(self, known_numbers: set[int]) -> set[int]:
        """The rows that sum up records below them.

        The members must end at another such row or at an end of the table, or look unlike it in
        their stub, or the numbers must be too long for a coincidence.
        """
        members = np.array(
            [index for index in range(len(self.rows)) if index not in known_numbers], np.intp
        )
        numbers = self.sums[members]
        after = np.concatenate(([0.0], np.cumsum(numbers)))
        wanted = after[1:] + numbers
        # Sums so far may go down again: they are looked up in the order of their size.
        # With negative numbers they do not rise, so they cannot be searched as they stand.
        order = np.argsort(after, kind="stable")
        first = np.searchsorted(after[order], wanted - 0.5, "left")
        last = np.searchsorted(after[order], wanted + 0.5, "right")
        ranges: dict[int, Places] = {}
        for position in np.flatnonzero((first < last) & (numbers != 0)).tolist():
            places = order[first[position] : last[position]]
            # From the nearest end to the farthest: the last that fits is the whole group.
            places = np.sort(places[places > position + FEWEST_SUMMANDS])
            for end in places[:_MOST_ENDS].tolist():
                values = members[position + 1 : end]
                if self._is_sum(int(members[position]), values):
                    ranges[int(members[position])] = values
        if not ranges:
            return set()
        return self._with_an_end(ranges, members)

    def chain_of_groups(self) -> dict[int, int]:
        """The rows that sum up all rows down to the next of them, and where their members end."""
        values = self.values
        so_far = np.concatenate((np.zeros((1, values.shape[1])), np.cumsum(values, axis=0)))
        gaps = (np.flatnonzero(self.before_gap) + 1).tolist()
        stops = sorted({*np.searchsorted(self.rows, self.totals).tolist(), *gaps, len(values)})
        chain: dict[int, int] = {}
        # From below, as a group ends where the next one begins.
        for index in range(len(values) - 2, -1, -1):
            if not values[index].any():  # zeros sum up to anything
                continue
            for end in stops[bisect_right(stops, index + 1) :][:_MOST_ENDS]:
                # Differences of sums so far sieve the ends; the exact sums decide.
                near = np.abs(values[index] - (so_far[end] - so_far[index + 1])) <= 0.5
                if (
                    near.all()
                    and all_agree(values[index], values[index + 1 : end].sum(axis=0)).all()
                ):
                    chain[index] = end
                    insort(stops, index)
                    break
        return chain

    def parted(self, ends: Mapping[int, int]) -> tuple[set[int], set[int]]:
        """The rows that divide all records into groups, and those of them whose sums agree.

        Empty if some records are in no group. `ends` are those of `chain_of_groups`.
        """
        groups: set[int] = set()
        agreeing: set[int] = set()
        chain = sorted(ends)
        index = 0
        while index < len(self.rows):
            groups.add(index)
            end = ends.get(index) or self._end_of_group(index)
            if end is not None:
                agreeing.add(index)
                index = end
                continue
            # Its sum agrees with nothing: it ends where the next group surely begins.
            after = chain[bisect_right(chain, index + 1) :]
            if not after:
                lacking = {position for position in agreeing if self.unnamed[position]}
                return lacking, lacking
            index = after[0]
        return groups, agreeing

    def _end_of_group(self, index: int) -> int | None:
        """The end of the rows below one that it sums up, wherever that is."""
        if not self.values[index].any():
            return None
        sums = np.cumsum(self.values[index + 1 : index + 1 + _MOST_MEMBERS], axis=0)
        near = (np.abs(sums - self.values[index]) <= 0.5).all(axis=1)
        for position in np.flatnonzero(near).tolist():
            members = self.values[index + 1 : index + 2 + position]
            if all_agree(self.values[index], members.sum(axis=0)).all():
                return int(index + 2 + position)
        return None

    def _with_an_end(self, ranges: Mapping[int, Places], members: Places) -> set[int]:
        """The rows that sum up some below them and are no coincidence."""
        # The row after a member, rows of sums left aside.
        follower = dict(zip(members.tolist(), [*members[1:].tolist(), -1], strict=True))
        self.group_like |= {
            index for index, range_ in ranges.items() if self._like_group(index, range_, ranges)
        }
        taken = {
            range_
            for range_ in ranges
            # The more rows there are, the likelier one of them sums up some others by chance.
            if self.unnamed[range_] or self.digits[range_] >= CHANCE + log2(len(members))
        }
        # From below upwards, so that a chain of sums holds together up to the first of them.
        chain: set[int] = set()
        for position, values in sorted(ranges.items(), key=lambda one: one[0], reverse=True):
            last = int(values[-1])
            after = follower[last]
            ends = after < 0 or self.before_gap[last] or after in taken | chain
            if ends or self._total_between(last, after):
                chain.add(position)
        # A chain of sums, each of them small, is still no chance.
        if sum(float(self.digits[index]) for index in chain) >= _HINTED:
            taken |= chain
        else:
            for position in chain:
                self._may_be(position)
        # With one column a chance is likely: only a row without a name is taken out.
        if self.single_column:
            self.maybe |= {index for index in taken if not self.unnamed[index]}
            return {index for index in taken if self.unnamed[index]}
        return taken

    def _like_group(self, index: int, members: Places, ranges: Mapping[int, Places]) -> bool:
        """Whether a row that sums up those below it is certainly no coincidence.

        They are indented, another such row follows them, or it is far larger than any of them.
        """
        if len(members) < FEWEST_MEMBERS or self.digits[index] < _WORTH_A_WORD:
            return False
        after = int(members[-1]) + 1
        indents = [self.indent(int(member)) for member in (index, *members)]
        below = all(indent > indents[0] for indent in indents[1:])
        ends = {int(range_[-1]) + 1 for range_ in ranges.values() if len(range_) >= FEWEST_MEMBERS}
        chained = index in ends or (after in ranges and len(ranges[after]) >= FEWEST_MEMBERS)
        largest = float(np.abs(self.sums[members]).max())
        # The more rows there are, the likelier one of them sums up a few others by chance.
        enough = FEWEST_MEMBERS + log2(len(self.rows)) / 2
        outstanding = len(members) > enough and abs(self.sums[index]) > 3 * largest
        return below or chained or outstanding

    def _total_between(self, row: int, count: int) -> bool:
        """Whether a row of totals stands between two records."""
        return bool(((self.totals > self.rows[row]) & (self.totals < self.rows[count])).any())

    def near_sums(self, known_numbers: set[int]) -> list[int]:
        """Rows named as totals whose numbers are near the sums of the rows above them.

        Such a total is wrong, or counts a row that was not read.
        """
        near: list[int] = []
        if len(self.rows) <= FEWEST_SUMMANDS:
            return near
        # Words are dear to look up: most records are no more than the two above them.
        pairs = self.sums[:-2] + self.sums[1:-1]
        larger = np.flatnonzero(self.sums[2:] >= NEAR * pairs) + FEWEST_SUMMANDS
        for index in larger.tolist():
            # What lacks a label that the others have is known by that.
            if index in known_numbers or self.unnamed[index] or not self.is_named_total(index):
                continue
            values = np.array(
                [
                    position
                    for position in range(index)
                    if position not in known_numbers and position not in near
                ]
            )
            since = values[
                values
                > max(
                    (position for position in [*known_numbers, *near] if position < index),
                    default=-1,
                )
            ]
            if any(self.is_near(index, members) for members in (since, values)):
                near.append(index)
        return near

    def _is_sure(self, index: int) -> bool:
        """Whether a row that sums up others is no coincidence.

        Its numbers are long, or it is the last, without a name, or named as totals are.
        """
        if self.unnamed[index] or self.digits[index] >= CHANCE:
            return True
        # A word for a total and the sum of others: that is no chance.
        return self.is_named_total(index) or bool(
            self.before_gap[index] and self.digits[index] >= _HINTED
        )

    def _may_be(self, index: int) -> None:
        """Note a row that holds sums, though they may be a coincidence."""
        # Small numbers sum up by chance all the time: a word each would drown the rest.
        if self.single_column or self.digits[index] >= _WORTH_A_WORD:
            self.maybe.add(index)

    def _is_sum(self, index: int, members: Places) -> bool:
        """Whether a row holds the sums of some rows in each column, and truly sums.

        A row that lacks what names the others may leave columns blank.
        """
        named = not self.unnamed[index]
        numbers, summands = self.values[index], self.values[members]
        # Totals often leave columns blank that are no use to sum.
        value = slice(None) if named else ~np.isnan(self.numbers[index])
        if not all_agree(numbers[value], summands.sum(axis=0)[value]).all():
            return False
        telling = self.independent[numbers[self.independent] != 0]
        counts = np.count_nonzero(summands[:, telling], axis=0)
        signedinteger, most = np.count_nonzero(counts >= FEWEST_SUMMANDS), max(counts, default=0)
        if signedinteger >= FEWEST_PLACES:
            return True
        # One column alone may sum up by chance: then the row must lack what names the others, or
        # be the last one of a table with no other number.
        if signedinteger != 1 or most <= FEWEST_SUMMANDS:
            return False
        below = members[-1] < index
        last = self.single_column and bool(self.before_gap[index]) and below
        if named and not last and self.single_column and below:
            self.maybe.add(index)
        return not named or last or bool(self.single_column and members[0] > index)
