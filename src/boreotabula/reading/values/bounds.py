"""Values that convert, but lie outside of what the layout allows: they stay, with a finding."""

from __future__ import annotations

from collections.abc import Iterator
from datetime import date

import pyarrow as pa
import pyarrow.compute as pc

from boreotabula.findings import reasons
from boreotabula.findings.reasons import Reason
from boreotabula.layout.field_types import TextStyle
from boreotabula.layout.problems import nearest
from boreotabula.reading.values.form import ValueForm


def outside_of(values: pa.Array, form: ValueForm) -> tuple[tuple[int, Reason], ...]:
    """The indices of values that `min`, `max` or `choices` do not allow, and what is wrong."""
    if not form.bounded:
        return ()
    return tuple(_outside(values, form))


def _outside(values: pa.Array, form: ValueForm) -> Iterator[tuple[int, Reason]]:
    for limit, compare, cause in (
        (form.least, pc.less, reasons.TOO_SMALL),
        (form.most, pc.greater, reasons.TOO_LARGE),
    ):
        # A bound of zero is one as well.
        if limit is not None:
            beyond = compare(values, pa.scalar(limit, values.type))
            if pc.any(beyond).as_py():
                for place in pc.indices_nonzero(pc.fill_null(beyond, False)).to_pylist():
                    yield place, cause(limit=_shown(limit, form))
    if form.choices:
        yield from _no_choices(values, form)


def _no_choices(values: pa.Array, form: ValueForm) -> Iterator[tuple[int, Reason]]:
    allowed = set(form.choices)
    listed = [_shown(choice, form) for choice in form.choices]
    known: dict[object, Reason] = {}
    for place, value in enumerate(values.to_pylist()):
        # What is empty lies nowhere outside.
        if value is None or value in allowed:
            continue
        if value not in known:
            near = nearest(_shown(value, form), listed)
            known[value] = reasons.NO_CHOICE(choices=listed, nearest=near)
        yield place, known[value]


def _shown(value: object, form: ValueForm) -> str:
    if form.type.written is TextStyle.AS_MONTH and isinstance(value, date):
        return value.isoformat()[:7]
    return str(value)
