"""Fields derived from other fields of the same record: parts of dates, years of months."""

from __future__ import annotations

from collections.abc import Callable, Container, Mapping, Sequence
from datetime import date

import pyarrow as pa

from boreotabula.findings.finding import Finding, Spot
from boreotabula.findings.subjects.values import MONTH_WITHOUT_YEAR
from boreotabula.layout.addresses import Address
from boreotabula.reading.plan import Plan
from boreotabula.reading.records.build import LongRecords
from boreotabula.reading.values.convert import as_array
from boreotabula.reading.values.form import ValueForm
from boreotabula.reading.values.moments import NO_YEAR, full_year


def completed(
    batch: pa.RecordBatch, plan: Plan
) -> tuple[pa.RecordBatch, Mapping[str, Sequence[int]]]:
    """Records whose months have taken their year from another field.

    Also returns, for each field, the indices of the records whose month has no year and is now
    empty.
    """
    lacking: dict[str, list[int]] = {}
    for field, year_field in plan.years.items():
        if field not in batch.schema.names:
            continue
        months = batch.column(field).to_pylist()
        # Most months have their year: then nothing is made anew.
        if not any(month is not None and month.year == NO_YEAR for month in months):
            continue
        years = _years(batch, year_field)
        for index, month in enumerate(months):
            if month is not None and month.year == NO_YEAR:
                year = years[index]
                months[index] = None if year is None else month.replace(year=year)
                if year is None:
                    # Rather empty, and told, than in a year that somebody guessed.
                    lacking.setdefault(field, []).append(index)
        batch = _replaced(batch, field, as_array(months, plan.form(field)))
    return batch, lacking


def _years(batch: pa.RecordBatch, field: str) -> list[int | None]:
    if field not in batch.schema.names:
        return [None] * batch.num_rows
    return [_year(value) for value in batch.column(field).to_pylist()]


def _year(value: object) -> int | None:
    """The year in a number or text; two digits are read by `full_year`."""
    text = str(int(value)) if isinstance(value, float) and value.is_integer() else str(value)
    if not text.isdigit() or len(text) not in (2, 4):
        return None
    year = full_year(text)
    # The year that stands for none must never come out as one.
    return year if year > NO_YEAR else None


def without_year(plan: Plan, field: str, number: int, where: Address | None) -> Finding:
    """A finding: months that stay without a year."""
    year_field = plan.years[field]
    return MONTH_WITHOUT_YEAR(where, field=field, records=number, year_field=year_field)


def with_parts(batch: pa.RecordBatch, plan: Plan) -> pa.RecordBatch:
    """Records whose fields with `part` are filled from their dates."""
    for field, (part, of) in plan.parts.items():
        # A table may hold the part without the date, or the other way round.
        if field in batch.schema.names and of in batch.schema.names:
            form = plan.form(field)
            # Parts are worked out once for each day, not once for each record.
            days = batch.column(of).dictionary_encode()
            parts = [
                None if day is None else _PARTS[part](day, form)
                for day in days.dictionary.to_pylist()
            ]
            batch = _replaced(batch, field, as_array(parts, form).take(days.indices))
    return batch


def _replaced(batch: pa.RecordBatch, field: str, values: pa.Array) -> pa.RecordBatch:
    position = batch.schema.get_field_index(field)
    columns = [*batch.columns[:position], values, *batch.columns[position + 1 :]]
    return pa.RecordBatch.from_arrays(columns, schema=batch.schema)


def _in_text(form: ValueForm) -> bool:
    return form.kind == "text"


def _year_of(day: date, form: ValueForm) -> object:
    return f"{day.year:04}" if _in_text(form) else day.year


def _quarter_of(day: date, form: ValueForm) -> object:
    quarter = (day.month + 2) // 3
    return f"{day.year:04}-Q{quarter}" if _in_text(form) else quarter


def _month_of(day: date, form: ValueForm) -> object:
    if form.kind == "month":
        return date(day.year, day.month, 1)
    return f"{day.year:04}-{day.month:02}" if _in_text(form) else day.month


def _week_of(day: date, form: ValueForm) -> object:
    """The week of ISO 8601, whose year may differ from the day's."""
    year, week, _ = day.isocalendar()
    return f"{year:04}-W{week:02}" if _in_text(form) else week


def _weekday_of(day: date, form: ValueForm) -> object:
    """The number of the day in ISO 8601, where Monday is 1; as text its name in the first
    language."""
    if not _in_text(form):
        return day.isoweekday()
    from babel.dates import get_day_names  # only needed for names of days

    language = form.languages[0] if form.languages else "en"
    return get_day_names("wide", "stand-alone", language)[day.weekday()]


_PARTS: Mapping[str, Callable[[date, ValueForm], object]] = {
    "year": _year_of,
    "quarter": _quarter_of,
    "month": _month_of,
    "week": _week_of,
    "weekday": _weekday_of,
}


def with_corrected_fields(
    batch: pa.RecordBatch,
    plan: Plan,
    long: LongRecords,
    corrected: Container[Spot],
    stamps: Sequence[str],
) -> pa.RecordBatch:
    """The records with the names of their corrected fields filled in.

    `corrected` are cells of the view, `stamps` the corrected stamps of the tab.
    """
    name = plan.corrected_fields
    if name is None or name not in batch.schema.names:
        return batch
    texts = [
        ", ".join([
            *stamps, *(field for field in long.sources if long.spot(field, record) in corrected)
        ])
        for record in range(batch.num_rows)
    ]  # fmt: skip
    index = batch.schema.get_field_index(name)
    array = as_array([text or None for text in texts], plan.form(name))
    return batch.set_column(index, batch.schema.field(index), array)
