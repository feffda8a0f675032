"""The columns of tables in databases: their types, and whether existing columns can be used."""

from __future__ import annotations

import re
from collections.abc import Iterator, Mapping, Sequence

import pyarrow as pa
import pyarrow.compute as pc

from boreotabula.errors import CallError
from boreotabula.reading.records.schema import unit_of
from boreotabula.reading.values.arrays import decoded
from boreotabula.stores.bases.base import Base, literal, quoted
from boreotabula.stores.csv import field_type

_TYPES = {
    "string": "text", "int64": "bigint", "float64": "double precision", "date32": "date",
    "timestamp[s]": "timestamp", "time32[s]": "time", "bool": "boolean",
}  # fmt: skip
"""The types of SQL by the Arrow types of fields."""
_SAME = {
    "character varying": "text", "varchar": "text", "string": "text", "int8": "bigint",
    "double": "double precision", "float8": "double precision", "bool": "boolean",
    "timestamp without time zone": "timestamp", "time without time zone": "time",
    "decimal": "numeric",
}  # fmt: skip
"""Other names of the same types in databases."""
_WIDEST = 38
"""The digits of a decimal field."""
_SIZES = re.compile(r"\((\d+)(?:,\s*(\d+))?\)")


def column_type(field: pa.Field) -> str:
    """The SQL type of a column, in databases with types."""
    kind = field_type(field)
    return f"numeric({_WIDEST}, {kind.digits})" if kind.digits is not None else _TYPES[kind.arrow]


# Databases give a type in several spellings and with its sizes.
def base_type(text: str) -> str:
    """The name of a type for comparisons, without its sizes."""
    name = " ".join(_SIZES.sub("", text).lower().split())
    return _SAME.get(name, name)


def _sizes(text: str) -> tuple[int | None, int | None]:
    """The sizes of a type: for `numeric(10,2)` the digits, and those after the point."""
    match = _SIZES.search(text)
    if match is None:
        return None, None
    return int(match[1]), int(match[2] or 0)


def check_columns(
    base: Base, table: str, schema: pa.Schema, *, add_columns: bool
) -> list[pa.Field]:
    """The fields that a table lacks, if they may be added; all of them if it does not exist.

    Raises CallError if a column has another type or would round its values, if one is missing and
    may not be added, or if names are too long.
    """
    where = f"“{base.shown}” › {table}"
    # Told before any file is read: two long names that begin alike would be one to the database.
    if base.longest_name:
        for name in (*table.split("."), *schema.names):
            if len(name.encode()) > base.longest_name:
                raise CallError(
                    f"{where}: the name “{name}” has {len(name.encode())} bytes, and this database"
                    f" knows names by their first {base.longest_name}; choose a shorter one"
                )
    texts = base.columns(table)
    if not texts:
        return list(schema)
    places = {_known(base, name): (name, kind) for name, kind in texts.items()}
    lacking = []
    for value in schema:
        _, text = places.get(_known(base, value.name), ("", None))
        if text is None:
            lacking.append(value)
        elif (problem := _problem(text, base.type_of(value), field_type(value).digits)) is not None:
            raise CallError(
                f"{where}: the column “{value.name}” is {text}, and the layout's field is"
                f" {base.type_of(value)}{problem}; rename the field, or write into another table"
            )
    if lacking and not add_columns:
        names = ", ".join(f"“{one.name}”" for one in lacking)
        raise CallError(
            f"{where} has no column {names}; add {'it' if len(lacking) == 1 else 'them'} there, or"
            " use --add-columns"
        )
    return lacking


def there_of(base: Base, table: str, schema: pa.Schema) -> list[pa.Field]:
    """The fields for which a table has columns."""
    existing_texts = {_known(base, name) for name in base.columns(table)}
    return [value for value in schema if _known(base, value.name) in existing_texts]


def _known(base: Base, name: str) -> str:
    return name.casefold() if base.folds_case else name


def _problem(text: str, wanted: str, digits: int | None) -> str | None:
    """Why a column cannot hold the values of a field, in words; None if it can."""
    if base_type(text) != base_type(wanted):
        return ""
    # Only a scale that is too small rounds; too few digits in front make the database refuse.
    _, scale = _sizes(text)
    if digits and base_type(text) == "numeric" and scale is not None and scale < digits:
        return f": it would be rounded to {scale} digits behind the point"
    return None


def prepare(
    base: Base,
    table: str,
    schema: pa.Schema,
    key: Sequence[str],
    headings: Mapping[str, str],
    *,
    add_columns: bool = False,
) -> None:
    """Make a table, or add the columns that it lacks.

    Raises CallError if it cannot be used, OSError if the database fails.
    """
    lacking = check_columns(base, table, schema, add_columns=add_columns)
    new = not base.columns(table)
    for statement in base.creating(table, lacking, headings, new=new) if lacking else ():
        base.run(statement)
    # An index for what rows are looked up by: their key, and their file.
    for label, over in (("key", key), ("source", ["source_file"])) if new else ():
        if over and set(over) <= set(schema.names):
            names = ", ".join(map(quoted, over))
            name = "" if base.names_indexes else f" IF NOT EXISTS {quoted(f'{table}_{label}')}"
            base.run(f"CREATE INDEX{name} ON {base.name(table)} ({names})")


def creating(
    table: str, fields: Sequence[pa.Field], headings: Mapping[str, str], *, new: bool
) -> Iterator[str]:
    """The statements that make a table with some columns, or add them to it, with their remarks.

    `table` is its name in SQL.
    """
    described = [f"{quoted(field.name)} {column_type(field)}" for field in fields]
    if new:
        yield f"CREATE TABLE {table} ({', '.join(described)})"
    else:
        yield from (f"ALTER TABLE {table} ADD COLUMN {text}" for text in described)
    for one in fields:
        remark = literal(remark_of(one, headings))
        yield f"COMMENT ON COLUMN {table}.{quoted(one.name)} IS {remark}"


class TypedBase(Base):
    """A session with a database that has types, and remarks on columns."""

    def creating(
        self, table: str, fields: Sequence[pa.Field], headings: Mapping[str, str], *, new: bool
    ) -> Iterator[str]:
        """The statements that make a table, with remarks."""
        # In a statement of their own, as the standard has no remarks.
        return creating(self.name(table), fields, headings, new=new)

    def type_of(self, field: pa.Field) -> str:
        """The type in SQL."""
        return column_type(field)


def remark_of(value: pa.Field, headings: Mapping[str, str]) -> str:
    """The remark on a column: its heading in the forms, and its unit."""
    unit = unit_of(value)
    heading = headings.get(value.name, value.name)
    return f"{heading}, {unit}" if unit else heading


# --- values that a column cannot hold -------------------------------------------------------------


def limits_of(base: Base, table: str, schema: pa.Schema) -> dict[str, str]:
    """The types of the columns of a table that cannot hold every value of their field, by field."""
    texts = {_known(base, name): kind for name, kind in base.columns(table).items()}
    limited = {}
    for value in schema:
        kind = texts.get(_known(base, value.name), "")
        size, _ = _sizes(kind)
        plain = base_type(kind)
        # Only these are looked at value by value later.
        if size is not None and (plain == "text" or (plain == "numeric" and size < _WIDEST)):
            limited[value.name] = kind
    return limited


def unfit(column: pa.Array, kind: str, *, holds_nul: bool) -> Iterator[tuple[pa.Array, str]]:
    """The values of a column that a database cannot hold, and why; nothing if it can hold all of
    them.

    `kind` is the type of the existing column, if it holds only some values.
    """
    repeated = pa.types.is_dictionary(column.type)
    values = column.dictionary if repeated else column
    size, scale = _sizes(kind)
    masks: list[tuple[pa.Array, str]] = []
    if pa.types.is_string(values.type):
        if not holds_nul:
            masks.append((pc.match_substring(values, "\0"), "it holds the character NUL"))
        if size is not None:
            masks.append((pc.greater(pc.utf8_length(values), size), f"the column is {kind}"))
    elif pa.types.is_decimal(values.type) and size is not None:
        # As floats, since only the size is asked for.
        amounts = pc.abs(values.cast(pa.float64(), safe=False))
        largest = float(10 ** (size - (scale or 0)))
        masks.append((pc.greater_equal(amounts, largest), f"the column is {kind}"))
    for mask, why in masks:
        if pc.any(mask).as_py():
            yield pc.fill_null(mask.take(column.indices) if repeated else mask, False), why


def without(batch: pa.RecordBatch, field: str, wrong: pa.Array) -> pa.RecordBatch:
    """A batch in which some values of a field are blank."""
    position = batch.schema.get_field_index(field)
    column = batch.column(position)
    # A dictionary may share its texts with other columns, so they are not changed in place.
    plain = decoded(column)
    blank = pc.if_else(wrong, pa.scalar(None, plain.type), plain)
    return batch.set_column(
        position,
        batch.schema.field(position),
        blank.dictionary_encode() if plain is not column else blank,
    )
