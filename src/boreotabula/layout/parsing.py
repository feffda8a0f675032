"""From the text of a layout file to a checked layout."""

from __future__ import annotations

import re
import tomllib
from collections.abc import Callable, Mapping
from functools import cache
from typing import TYPE_CHECKING, Any

from boreotabula.layout.model import LayoutSpec
from boreotabula.layout.problems import (
    KeyPath,
    LayoutError,
    Problem,
    from_validation,
    layout_error,
)

if TYPE_CHECKING:
    from pydantic import TypeAdapter

_PLACE = re.compile(r" \(at (?:line (\d+), column (\d+)|end of document)\)$")


ListOf = Callable[[str], list[str]]
"""Reads a list of names from a file, by its name; raises LookupError with what is wrong."""


KeptSpecs = Callable[[str, Callable[[], LayoutSpec]], LayoutSpec]
"""Returns the spec for the data of a layout, given as text in its plain form: a cached one, or the
result of the call."""


def parse_layout(
    text: str, file: str, list_of: ListOf | None = None, kept: KeptSpecs | None = None
) -> LayoutSpec:
    """Read a layout from its text; `file` is its name in messages.

    `list_of` reads the lists that the layout keeps in separate files; `kept` gives the spec of data
    that was checked before. Raises LayoutError with every problem: broken TOML, unknown keys,
    wrong shapes, parts that do not fit together.
    """
    # tomllib knows no positions, so lines are looked up again for messages.
    try:
        data = tomllib.loads(text)
    except tomllib.TOMLDecodeError as error:
        raise LayoutError([_broken(error, text, file)]) from None
    except RecursionError:
        raise LayoutError([(file, "its values are nested deeper than in any layout")]) from None
    problems: list[Problem] = []
    if list_of is not None:
        columns: list[str] = []
        data = _with_lists(data, (), list_of, problems, columns)
        _add_fields(data, columns)
    # Before the validation: a list that is missing would give misleading messages.
    if problems:
        raise layout_error(file, text, problems)
    if kept is not None:
        return kept(repr(data), lambda: _checked(data, text, file))
    return _checked(data, text, file)


def _checked(data: Mapping[str, Any], text: str, file: str) -> LayoutSpec:
    """The spec of the data of a layout. Raises LayoutError."""
    # Only needed to check a layout, not to use one.
    from pydantic import ValidationError

    from boreotabula.layout.checking import check

    try:
        spec = _validator().validate_python(data)
    except ValidationError as error:
        raise layout_error(file, text, from_validation(error)) from None
    problems = check(spec)
    if problems:
        raise layout_error(file, text, problems)
    return spec


@cache
def _validator() -> TypeAdapter[LayoutSpec]:
    from pydantic import TypeAdapter

    return TypeAdapter(LayoutSpec)


_OWN_NAMES = ("fields", "stamps", "same_as")
"""Tables whose keys are the layout's own names, so that `file` may be one of them."""


def _with_lists(
    data: Any, path: KeyPath, list_of: ListOf, problems: list[Problem], columns: list[str]
) -> Any:
    """The data with `{ file = "names.txt" }` replaced by the entries of that file.

    Those of `columns` are added to the list of that name as well.
    """
    if isinstance(data, list):
        return [
            _with_lists(value, (*path, index), list_of, problems, columns)
            for index, value in enumerate(data)
        ]
    if not isinstance(data, dict):
        return data
    named = data.get("file")
    # Only a table with nothing else in it, since a field may be called “file”.
    if len(data) == 1 and isinstance(named, str) and path and path[-1] not in _OWN_NAMES:
        try:
            names = list_of(named)
        except LookupError as error:
            problems.append(Problem(path, str(error.args[0])))
            return []
        columns += names if path[-1] == "columns" else []
        return names
    return {
        key: _with_lists(value, (*path, key), list_of, problems, columns)
        for key, value in data.items()
    }


def _add_fields(data: dict[str, Any], columns: list[str]) -> None:
    """Make the columns that a file lists text fields, where [fields] does not mention them."""
    from boreotabula.layout.block_checks import NO_FIELD

    fields = data.get("fields", {})
    # A list of names says all that is needed; anything else is told by the validation.
    if columns and isinstance(fields, dict):
        new = [name for name in columns if name not in NO_FIELD and name not in fields]
        data["fields"] = {**fields, **dict.fromkeys(new, "text")}


def _broken(error: tomllib.TOMLDecodeError, text: str, file: str) -> tuple[str, str]:
    message = str(error)
    place = _PLACE.search(message)
    line = place[1] if place and place[1] else str(len(text.splitlines()) or 1)
    what = _PLACE.sub("", message)
    return f"{file}, line {line}", f"this is not TOML: {what[:1].lower()}{what[1:]}"
