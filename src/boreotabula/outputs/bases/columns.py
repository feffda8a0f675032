"""The columns of tables in databases: their types, and whether those that are there will do."""

from __future__ import annotations

from collections.abc import Mapping

import pyarrow as pa

from boreotabula.errors import CallError
from boreotabula.layout.field_types import FieldType
from boreotabula.outputs.csv import field_type
from boreotabula.reading.records.schema import unit_of

_TYPES = {
    "text": "text", "integer": "bigint", "number": "double precision",
    "percent": "double precision", "date": "date", "month": "date", "datetime": "timestamp",
    "time": "time", "yesno": "boolean",
}  # fmt: skip
_SAME = {
    "character varying": "text", "varchar": "text", "string": "text", "int8": "bigint",
    "double": "double precision", "float8": "double precision", "bool": "boolean",
    "timestamp without time zone": "timestamp", "time without time zone": "time",
    "decimal": "numeric",
}  # fmt: skip
"""Other names of the same types, as databases give them."""


def column_type(kind: FieldType) -> str:
    """The type of a column in SQL."""
    return f"numeric(38, {kind.digits})" if kind.name == "decimal" else _TYPES[kind.name]


def plain_type(text: str) -> str:
    """The name of a type by which types are compared; digits of numbers aside."""
    name = text.lower().partition("(")[0].strip()
    return _SAME.get(name, name)


def check_columns(
    where: str, there: Mapping[str, str], schema: pa.Schema, *, add_columns: bool
) -> list[pa.Field]:
    """The fields that a table lacks, if they may be added.

    `there` are the types of its columns. Raises CallError if a column is of another type, or lacks
    and may not be added.
    """
    lacking = []
    for one in schema:
        wanted = column_type(field_type(one))
        found = there.get(one.name)
        if found is None:
            lacking.append(one)
        elif plain_type(found) != plain_type(wanted):
            raise CallError(
                f"{where}: the column “{one.name}” is {found}, and the layout's field is {wanted};"
                " rename the field, or write into another table"
            )
    if lacking and not add_columns:
        names = ", ".join(f"“{one.name}”" for one in lacking)
        raise CallError(
            f"{where} has no column {names}; add {'it' if len(lacking) == 1 else 'them'} there, or"
            " use --add-columns"
        )
    return lacking


def preparing(
    table: str,
    where: str,
    there: Mapping[str, str],
    schema: pa.Schema,
    headings: Mapping[str, str],
    *,
    add_columns: bool,
) -> list[str]:
    """The statements that make a table, or give it the columns that it lacks, with their remarks.

    `table` is its name as SQL writes it, `where` as messages do; `there` are the types of its
    columns, none if there is no such table. Raises CallError if the columns will not do.
    """
    if there:
        new = check_columns(where, there, schema, add_columns=add_columns)
        found = [f"ALTER TABLE {table} ADD COLUMN {_described(one)}" for one in new]
    else:
        new = list(schema)
        found = [f"CREATE TABLE {table} ({', '.join(map(_described, new))})"]
    remarks = (
        f"COMMENT ON COLUMN {table}.{quoted(one.name)} IS {literal(remark_of(one, headings))}"
        for one in new
    )
    return [*found, *remarks]


def _described(one: pa.Field) -> str:
    return f"{quoted(one.name)} {column_type(field_type(one))}"


def remark_of(one: pa.Field, headings: Mapping[str, str]) -> str:
    """What is noted at a column: its heading in the forms, and its unit."""
    unit = unit_of(one)
    heading = headings.get(one.name, one.name)
    return f"{heading}, {unit}" if unit else heading


def quoted(name: str) -> str:
    """A name as SQL writes it, whatever signs it holds."""
    return '"' + name.replace('"', '""') + '"'


def literal(text: str) -> str:
    """A text as SQL writes it."""
    return "'" + text.replace("'", "''") + "'"
