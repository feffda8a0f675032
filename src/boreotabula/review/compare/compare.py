"""Two sides compared: records new, gone and changed, field by field, and sums by groups."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field
from decimal import Decimal
from pathlib import Path
from tempfile import TemporaryDirectory

import pyarrow as pa
import pyarrow.compute as pc

from boreotabula.errors import CallError
from boreotabula.layout.field_types import type_called
from boreotabula.layout.model import PROVENANCE
from boreotabula.layout.problems import did_you_mean
from boreotabula.review.compare.pairing import pair
from boreotabula.review.compare.parts import IN_A_PART, PLACE, split
from boreotabula.review.compare.sides import Side
from boreotabula.texts import in_natural_order

NEW, GONE, CHANGED = "new", "gone", "changed"
WHATS = (NEW, GONE, CHANGED)


@dataclass(frozen=True)
class Sums:
    """The sums of a field over a group, exactly, before and after."""

    before: Decimal = Decimal(0)
    after: Decimal = Decimal(0)

    @property
    def difference(self) -> Decimal:
        """After minus before."""
        return self.after - self.before


@dataclass(frozen=True)
class Comparison:
    """What two sides have in common, and what differs."""

    before: Side
    after: Side
    key: tuple[str, ...]
    fields: tuple[str, ...]
    """The fields that are compared."""
    only_before: tuple[str, ...]
    """Columns that the other side lacks; they are not compared."""
    only_after: tuple[str, ...]
    records: tuple[int, int]
    same: int
    new: int
    gone: int
    changed: int
    """Records with the same key and another value."""
    changes: pa.Table = field(repr=False)
    """One row for each record that is new or gone, and for each changed value: what changed, the
    key, field, before, after, and the cells of both."""
    by: str = ""
    sums: Mapping[tuple[str, str], Sums] = field(default_factory=dict, repr=False)
    """By group and field; without `by` the group is an empty text."""

    @property
    def alike(self) -> bool:
        """Whether nothing differs."""
        return not (self.new or self.gone or self.changed)


def compare(
    before: Side, after: Side, key: Sequence[str] = (), by: str = "", in_a_part: int = IN_A_PART
) -> Comparison:
    """Compare two sides by a key: the given one, else that of their layout, else the cells that
    their records are from.

    The order of rows and columns does not matter. About `in_a_part` records of each side are in
    memory at a time, besides the differences. Raises CallError if a side lacks a field.
    """
    shared = [name for name in after.kinds if name in before.kinds]
    known_texts = _key(before, after, key)
    for name in (*known_texts, *([by] if by else [])):
        for side in (before, after):
            if name not in side.kinds:
                near = did_you_mean(name, side.kinds)
                raise CallError(f"“{side.name}” has no column “{name}”{near}")
    fields = tuple(text for text in shared if text not in known_texts and text not in PROVENANCE)
    # With one side untraced, its cells could only be blank.
    traced = PROVENANCE if before.traced and after.traced else ()
    names = list(dict.fromkeys([*known_texts, *fields, *traced]))
    kinds = {name: (before.kinds[name], after.kinds[name]) for name in names}
    made = _Made(known_texts, fields, traced, by, kinds)
    # Small tables are compared in one part, without files.
    parts = 1 if _is_small(before, in_a_part) and _is_small(after, in_a_part) else PARTS
    with TemporaryDirectory(prefix="boreotabula-") as folder:
        splits = []
        for number, side in enumerate((before, after)):
            home = Path(folder, str(number))
            home.mkdir()
            splits.append(split(side, known_texts, names, _ways(kinds, number), home, parts))
        one, other_split = splits
        for number in range(parts):
            made.add(one.part(number), other_split.part(number))
    return Comparison(
        before=before,
        after=after,
        key=known_texts,
        fields=fields,
        only_before=_only(before, after),
        only_after=_only(after, before),
        records=(one.records, other_split.records),
        same=made.same,
        new=made.counts[NEW],
        gone=made.counts[GONE],
        changed=made.counts[CHANGED],
        changes=made.table(),
        by=by,
        sums=made.summed(),
    )


PARTS = 128
"""The number of parts into which records are split that do not fit into one."""


def _is_small(side: Side, most: int) -> bool:
    count = 0
    for batch in side.batches():
        count += batch.num_rows
        if count > most:
            return False
    return True


def _only(side: Side, other_side: Side) -> tuple[str, ...]:
    return tuple(
        name for name in side.kinds if name not in other_side.kinds and name not in PROVENANCE
    )


def _key(before: Side, after: Side, key: Sequence[str]) -> tuple[str, ...]:
    """The fields that identify records."""
    known_texts = tuple(key) or after.key or before.key
    if known_texts:
        return tuple(dict.fromkeys(known_texts))
    if before.traced and after.traced:
        return PROVENANCE
    raise CallError(
        "say with --key what tells records apart, such as --key nursery,month: the layout has no"
        " key, and not both tables say where their records are from"
    )


def _ways(kinds: Mapping[str, tuple[str, str]], side: int) -> dict[str, str]:
    """The columns of a side whose texts must change their form, because the other side has another
    type: 'number' or 'day'."""
    ways = {}
    for name, pair_of in kinds.items():
        own, other_kind = (type_called(text) if text else None for text in pair_of[:: 1 - 2 * side])
        if own is None or other_kind is None or own.called == other_kind.called:
            continue
        if own.is_number and other_kind.is_number:
            ways[name] = "number"
        elif {own.name, other_kind.name} == {"month", "date"} and own.name == "month":
            ways[name] = "day"
    return ways


class _Made:
    """The differences, collected part by part."""

    def __init__(
        self,
        key: Sequence[str],
        fields: Sequence[str],
        traced: Sequence[str],
        by: str,
        kinds: Mapping[str, tuple[str, str]],
    ) -> None:
        self._key, self._fields, self._traced, self._by = key, fields, traced, by
        self._numbers = {
            name: kind for name in fields if (kind := _number_kind(kinds[name])) is not None
        }
        self.same = 0
        self.counts = dict.fromkeys(WHATS, 0)
        self._tables: list[pa.Table] = []
        self._sums: dict[tuple[str, str], list[Decimal]] = {}

    def add(self, before: pa.Table, after: pa.Table) -> None:
        """Compare a part."""
        pairing = pair(before, after, self._key, self._fields)
        self.same += pairing.same
        self.counts[NEW] += len(pairing.new)
        self.counts[GONE] += len(pairing.gone)
        self.counts[CHANGED] += len(pairing.after)
        old, new = before.take(pa.array(pairing.before)), after.take(pa.array(pairing.after))
        for name in self._fields:
            value, other = old.column(name), new.column(name)
            # Null is equal to nothing, so two blanks are told apart from a blank and a value.
            equal = pc.fill_null(pc.equal(value, other), False)
            both_blank = pc.and_(value.is_null(), other.is_null())
            differ = pc.invert(pc.or_(equal, both_blank))
            if pc.any(differ).as_py():
                self._tables.append(
                    self._lines(CHANGED, name, old.filter(differ), new.filter(differ))
                )
        if len(pairing.new):
            self._tables.append(self._lines(NEW, "", None, after.take(pa.array(pairing.new))))
        if len(pairing.gone):
            self._tables.append(self._lines(GONE, "", before.take(pa.array(pairing.gone)), None))
        for number, side in enumerate((before, after)):
            self._add_up(side, number)

    def _lines(
        self, what: str, field_name: str, old: pa.Table | None, new: pa.Table | None
    ) -> pa.Table:
        """Rows of the list of changes."""
        side = new if new is not None else old
        assert side is not None
        count = side.num_rows
        blank = pa.nulls(count, pa.string())

        def of(table: pa.Table | None, name: str) -> pa.Array | pa.ChunkedArray:
            return table.column(name) if table is not None and name else blank

        columns = {
            "what": pa.array([what] * count, pa.string()),
            **{name: side.column(name) for name in self._key if name not in PROVENANCE},
            "field": pa.array([field_name] * count, pa.string()),
            "before": of(old, field_name),
            "after": of(new, field_name),
        }
        for name in self._traced:
            columns[f"before_{name.removeprefix('source_')}"] = of(old, name)
            columns[f"after_{name.removeprefix('source_')}"] = of(new, name)
        return pa.table({**columns, PLACE: side.column(PLACE)})

    def table(self) -> pa.Table:
        """All rows: changed values first, then new records, then gone ones, each in the order of
        their side."""
        if not self._tables:
            return pa.table({name: pa.array([], pa.string()) for name in self._names})
        # Put in order at the end, as parts come in the order of their keys.
        whole = pa.concat_tables(self._tables)
        ranks = pc.index_in(whole.column("what"), pa.array([CHANGED, NEW, GONE]))
        order = pc.sort_indices(
            pa.table({"rank": ranks, "place": whole.column(PLACE)}),
            sort_keys=[("rank", "ascending"), ("place", "ascending")],
        )
        return whole.take(order).drop_columns([PLACE])

    @property
    def _names(self) -> list[str]:
        cells = [name.removeprefix("source_") for name in self._traced]
        texts = [f"{side}_{name}" for name in cells for side in ("before", "after")]
        own = [name for name in self._key if name not in PROVENANCE]
        return ["what", *own, "field", "before", "after", *texts]

    # --- sums --------------------------------------------------------------------------------

    def _add_up(self, side: pa.Table, number: int) -> None:
        groups = (
            pc.fill_null(side.column(self._by), "")
            if self._by
            else pa.array([""] * side.num_rows, pa.string())
        )
        for name, kind in self._numbers.items():
            values = _values(side.column(name), kind)
            sums = (
                pa.table({"group": groups, "value": values})
                .group_by("group")
                .aggregate([("value", "sum")])
            )
            for group, value in zip(
                sums.column("group").to_pylist(), sums.column("value_sum").to_pylist(), strict=True
            ):
                known_numbers = self._sums.setdefault((group, name), [Decimal(0), Decimal(0)])
                # Exactly, since sums of floats would differ by their order.
                known_numbers[number] += Decimal(str(value)) if value is not None else 0

    def summed(self) -> dict[tuple[str, str], Sums]:
        """The sums by group and field, groups in natural order."""
        order = {name: index for index, name in enumerate(self._numbers)}
        places = sorted(self._sums, key=lambda place: (in_natural_order(place[0]), order[place[1]]))
        return {place: Sums(*self._sums[place]) for place in places}


def _number_kind(kinds: tuple[str, str]) -> pa.DataType | None:
    """How the sums of a field are computed; None if it is no number that can be summed."""
    types = [type_called(kind) for kind in kinds if kind]
    if not types or not all(kind.totals for kind in types):
        return None
    if all(kind.name == "integer" for kind in types):
        # The widest type that both sides fit into, without becoming a float.
        return pa.int64()
    if all(kind.name in ("integer", "decimal") for kind in types):
        return pa.decimal128(38, max(kind.digits or 0 for kind in types))
    return pa.float64()


_NUMBER = r"^-?\d+(\.\d+)?([eE][-+]?\d+)?$"


def _values(texts: pa.ChunkedArray, kind: pa.DataType) -> pa.ChunkedArray:
    """Texts as numbers; a text that is no number counts as zero."""
    # More than 18 digits would not fit, and Arrow would fail on the whole column.
    form = _NUMBER if pa.types.is_floating(kind) else r"^-?\d{1,18}(\.\d+)?$"
    numbers = pc.if_else(pc.match_substring_regex(texts, form), texts, None)
    if pa.types.is_integer(kind):
        numbers = pc.if_else(pc.match_substring_regex(texts, r"^-?\d{1,18}$"), texts, None)
        return numbers.cast(kind).cast(pa.decimal128(38, 0))
    return numbers.cast(kind)
