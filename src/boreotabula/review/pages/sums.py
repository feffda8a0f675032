"""The sums of each sender in the last month, beside the month before."""

from __future__ import annotations

from collections.abc import Iterator, Mapping, Sequence
from dataclasses import dataclass
from decimal import Decimal
from math import isfinite

from boreotabula.batch.run.outcome import Run
from boreotabula.reading.plan import BlockPlan, Plan
from boreotabula.texts import in_natural_order, plain_number

_MOST_FIELDS, _MOST_SENDERS = 6, 200
_TWO = 2


@dataclass(frozen=True)
class SenderSums:
    """The sums of a sender, formatted for people; blank where it has not reported."""

    name: str
    before: str
    now: str
    change: str
    share: str
    """The change in per cent of the month before."""


@dataclass(frozen=True)
class MonthSums:
    """The sums of a field by sender, in the last month and in the one before it."""

    field: str
    before: str
    now: str
    rows: Sequence[SenderSums]
    """In natural order; the last is all senders that have reported both times."""


def month_sums(run: Run, sender: str, period: str) -> list[MonthSums]:
    """The sums by sender of each field that can be added up, in the last two months of a run.

    `sender` and `period` are the stamps for these. Empty with fewer than two months, with more
    senders than a page can show, or if a tab with records lacks one of the two stamps: sums without
    it would be too small.
    """
    sums: dict[str, dict[tuple[str, str], Decimal]] = {}
    months: set[str] = set()
    for file in run.files:
        for tab in file.tabs:
            name, month = tab.stamps.get(sender), str(tab.stamps.get(period) or "")[:7]
            if not tab.records:
                continue
            if not name or not month or not all(map(isfinite, tab.sums.values())):
                return []
            months.add(month)
            for field, number in tab.sums.items():
                group = sums.setdefault(field, {})
                key = str(name), month
                group[key] = group.get(key, Decimal(0)) + _exact(number)
    if len(months) < _TWO:
        return []
    *_, before, now = sorted(months)
    fields = [name for name in _added_fields(run.layout.plan) if name in sums][:_MOST_FIELDS]
    tables = [MonthSums(name, before, now, list(_rows(sums[name], before, now))) for name in fields]
    return [table for table in tables if 0 < len(table.rows) <= _MOST_SENDERS]


def _exact(number: float) -> Decimal:
    """A sum as a decimal number; binary fractions keep only their certain digits."""
    return Decimal(f"{number:.12g}") if isinstance(number, float) else Decimal(number)


def _added_fields(plan: Plan) -> Iterator[str]:
    """The fields of values that can be added up, in the order of the output."""
    blocks = [block for form in plan.forms for block in form.blocks]
    values = {name for block in blocks for name in _values(block, plan)}
    for name, form in plan.fields.items():
        if name in values and form.type.totals:
            yield name


def _values(block: BlockPlan, plan: Plan) -> set[str]:
    """The value fields of a block; in a list all fields that name no row."""
    if not block.is_list:
        return set(block.value)
    return set(plan.fields) - block.row_names


def _rows(sums: Mapping[tuple[str, str], Decimal], before: str, now: str) -> Iterator[SenderSums]:
    names = sorted({name for name, month in sums if month in (before, now)}, key=in_natural_order)
    pairs = [(sums.get((name, before)), sums.get((name, now))) for name in names]
    for name, (first, second) in zip(names, pairs, strict=True):
        yield _written(name, first, second)
    both = [(first, second) for first, second in pairs if first is not None and second is not None]
    if len(both) > 1:
        total = [sum(numbers, Decimal(0)) for numbers in zip(*both, strict=True)]
        yield _written("all who reported both", total[0], total[1])


def _written(name: str, before: Decimal | None, now: Decimal | None) -> SenderSums:
    first, second = ("" if number is None else plain_number(number) for number in (before, now))
    if before is None or now is None:
        return SenderSums(name, first, second, "", "")
    change = plain_number(now - before, signed=True)
    share = f"{(now - before) / before * 100:+.1f} %" if before > 0 else ""
    return SenderSums(name, first, second, change.replace("-", "−"), share.replace("-", "−"))
