"""Whether the layout's statements about fields' values fit their types and each other."""

from __future__ import annotations

import re
from collections.abc import Iterator, Mapping
from datetime import date, datetime, time
from decimal import Decimal

from boreotabula.layout.field_types import type_called
from boreotabula.layout.model import FieldSpec, LayoutSpec, Reading
from boreotabula.layout.problems import KeyPath, Problem, did_you_mean

_WITH_DATE = ("date", "datetime", "month")
PART_TYPES: Mapping[str, tuple[str, ...]] = {
    "year": ("integer", "text"),
    "quarter": ("integer", "text"),
    "month": ("month", "integer", "text"),
    "week": ("integer", "text"),
    "weekday": ("integer", "text"),
}
"""The types of a field that can be a part of another."""

_MONTH = re.compile(r"(\d{4})-(\d{2})")


def bound_of(value: object, kind: str) -> object:
    """A limit or choice of the layout as a value of a field type. Raises ValueError."""
    known_kind = type_called(kind)
    base = known_kind.name
    if known_kind.is_number and isinstance(value, int | float) and not isinstance(value, bool):
        if base == "decimal":
            # By its text, so that 0.1 stays 0.1.
            return Decimal(str(value))
        if base == "integer" and isinstance(value, float):
            raise ValueError("a whole number")
        return value if base == "integer" else float(value)
    if base == "month" and isinstance(value, str) and (match := _MONTH.fullmatch(value)):
        return date(int(match[1]), int(match[2]), 1)
    if base in ("date", "month") and isinstance(value, date) and not isinstance(value, datetime):
        return value.replace(day=1) if base == "month" else value
    # Times with a zone cannot be compared with those of a cell, which have none.
    if base == "datetime" and isinstance(value, datetime) and value.tzinfo is None:
        return value
    if base == "time" and isinstance(value, time):
        return value
    if base == "text" and isinstance(value, str):
        return value
    raise ValueError(known_kind.in_layout)


def value_problems(spec: LayoutSpec) -> Iterator[Problem]:
    """Everything wrong with [reading], and with what fields say about their values."""
    yield from _reading_problems(spec.reading, ("reading",))
    for field, described in spec.fields.items():
        path: KeyPath = ("fields", field)
        yield from _reading_problems(described, path)
        yield from _bound_problems(described, path)
        yield from _spelling_problems(described, path)
        yield from _source_problems(spec, field, described, path)
        yield from _holding_problems(spec, field, described, path)


def _reading_problems(reading: Reading, path: KeyPath) -> Iterator[Problem]:
    if reading.decimal_mark and reading.decimal_mark == reading.thousands_mark:
        yield Problem(
            (*path, "thousands_mark"),
            "decimal_mark and thousands_mark cannot be the same character",
        )


def _bound_problems(field: FieldSpec, path: KeyPath) -> Iterator[Problem]:
    given = [("min", field.min), ("max", field.max)]
    base = type_called(field.type).name
    for key, value in given:
        if value is not None and base in ("text", "yesno"):
            yield Problem((*path, key), f"a {base} has no {key}; list its values in `choices`")
        elif value is not None:
            yield from _misfit(value, field, (*path, key))
    for value in field.choices:
        yield from _misfit(value, field, (*path, "choices"))
    if field.unit and not type_called(field.type).is_number:
        yield Problem((*path, "unit"), f"“unit” goes with numbers, and this field is {base}")


def _misfit(value: object, field: FieldSpec, path: KeyPath) -> Iterator[Problem]:
    try:
        bound_of(value, field.type)
    except ValueError as wanted:
        yield Problem(path, f"“{path[-1]}” of a field of type {field.type} is {wanted}")


def _spelling_problems(field: FieldSpec, path: KeyPath) -> Iterator[Problem]:
    meant: dict[str, str] = {}
    for means, written in field.same_as.items():
        for text in written:
            before = meant.setdefault(" ".join(text.split()).casefold(), means)
            if before != means:
                yield Problem(
                    (*path, "same_as"),
                    f"the spelling “{text}” cannot mean both “{before}” and “{means}”",
                )


def _holding_problems(
    spec: LayoutSpec, name: str, field: FieldSpec, path: KeyPath
) -> Iterator[Problem]:
    """Problems of `holds`: fields that nothing of the form fills."""
    # One field is enough for what a record holds; two would say the same.
    others = [other for other, described in spec.fields.items() if described.holds]
    if field.holds and others[0] != name:
        yield Problem((*path, "holds"), f"“{others[0]}” holds them already; keep one of them")
    if field.holds and field.type != "text":
        yield Problem((*path, "type"), f"the {field.holds} of a record are a text")


def _source_problems(
    spec: LayoutSpec, name: str, field: FieldSpec, path: KeyPath
) -> Iterator[Problem]:
    """Problems of `part` with `of`, and of `year_from`: fields derived from other fields."""
    if bool(field.part) != bool(field.of):
        has, lacks = ("part", "of") if field.part else ("of", "part")
        yield Problem((*path, has), f"“{has}” of a field needs “{lacks}” beside it")
    for key, other_text in (("of", field.of), ("year_from", field.year_from)):
        if other_text is None:
            continue
        if other_text not in spec.fields or other_text == name:
            near = did_you_mean(other_text, [field for field in spec.fields if field != name])
            yield Problem((*path, key), f"no other field “{other_text}” in [fields]{near}")
        elif key == "of" and spec.fields[other_text].type not in _WITH_DATE:
            yield Problem(
                (*path, key),
                f"“{other_text}” is {spec.fields[other_text].type}; a part is taken of a date",
            )
        elif key == "year_from" and spec.fields[other_text].type not in (
            "integer",
            "text",
            "number",
        ):
            yield Problem((*path, key), f"“{other_text}” cannot tell a year; make it integer")
    if field.part and field.type not in PART_TYPES[field.part]:
        wanted = " or ".join(PART_TYPES[field.part])
        yield Problem((*path, "type"), f"the {field.part} of a date is {wanted}")
    if field.year_from and field.type != "month":
        yield Problem((*path, "year_from"), "“year_from” goes with fields of type month")
