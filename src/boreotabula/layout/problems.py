"""What is wrong with a layout, reported with file, line and the nearest right word."""

from __future__ import annotations

import tomllib
from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass
from types import UnionType
from typing import TYPE_CHECKING, Annotated, Any, Union, get_args, get_origin, get_type_hints

from boreotabula.errors import BoreotabulaError
from boreotabula.layout.keys import CUSTOM, Part, layout_key
from boreotabula.layout.model import FIELD_TYPE_NAMES, LayoutSpec

if TYPE_CHECKING:
    from pydantic import ValidationError

KeyPath = tuple[str | int, ...]


@dataclass(frozen=True)
class Problem:
    """A problem of a layout: where (the path of keys), what, and how to solve it."""

    path: KeyPath
    message: str


class LayoutError(BoreotabulaError):
    """A layout or glossary that cannot be used.

    `problems` pairs a place ('stock.toml, line 4') with what is wrong there.
    """

    def __init__(self, problems: Sequence[tuple[str, str]]) -> None:
        self.problems = tuple(problems)
        super().__init__("\n".join(f"{place}: {message}" for place, message in problems))

    def __reduce__(self) -> tuple[type[LayoutError], tuple[Sequence[tuple[str, str]]]]:
        return type(self), (self.problems,)


def layout_error(file: str, text: str, problems: Iterable[Problem]) -> LayoutError:
    """The error for the problems of a layout file, each with its line, in the order of lines."""
    placed = [(line_of(text, problem.path), problem.message) for problem in problems]
    placed.sort(key=lambda one: one[0] or 0)
    return LayoutError(
        [(f"{file}, line {line}" if line else file, message) for line, message in placed]
    )


def nearest(word: str, known_texts: Iterable[str]) -> str | None:
    """The known word most similar to a mistyped one, or None if none is near."""
    from rapidfuzz import fuzz, process, utils  # only needed once something is wrong

    # Much shorter words are found within nearly any other.
    choices = [text for text in known_texts if 2 * len(text) > len(word)]
    result = process.extractOne(
        word, choices, scorer=fuzz.WRatio, processor=utils.default_process, score_cutoff=68
    )
    return result[0] if result else None


def did_you_mean(word: str, known_texts: Iterable[str]) -> str:
    """'; did you mean “stub”?' or, if no word is near, the list of known ones."""
    choices = list(known_texts)
    near = nearest(word, choices)
    if near is not None:
        return f"; did you mean “{near}”?"
    listed = ", ".join(choices)
    return f"; known here: {listed}" if listed else ""


def line_of(text: str, path: KeyPath) -> int | None:
    """The line, counted from 1, of the key at a path; of its parent if it is absent.

    It is found by parsing ever more lines of the file: a key stands on the first line whose parsing
    adds it. That relies on the TOML parser alone, so every way of writing a key is covered.
    """
    lines = text.splitlines()
    while path:
        start = 1
        for end in range(1, len(lines) + 1):
            try:
                data = tomllib.loads("\n".join(lines[:end]))
            except tomllib.TOMLDecodeError:
                continue  # in the midst of a value of several lines
            if _holds(data, path):
                return start
            start = end + 1
        path = path[:-1]
    return None


def _holds(data: Any, path: KeyPath) -> bool:
    for step in path:
        if isinstance(data, list):
            data = dict(enumerate(data))
        elif step == 0:
            continue  # one table where several could be
        if not isinstance(data, dict) or step not in data:
            return False
        data = data[step]
    return True


def from_validation(error: ValidationError) -> list[Problem]:
    """The errors of pydantic in the words of the layout language."""
    errors = error.errors(include_url=False)
    misspelt = {
        (*error["loc"][:-1], near)
        for error in errors
        if error["type"] in _UNKNOWN_KEY
        and (near := nearest(str(error["loc"][-1]), _keys_at(error["loc"][:-1])))
    }
    return [
        Problem(error["loc"], _phrase(error))
        for error in errors
        if not (error["type"] == "missing" and error["loc"] in misspelt)
    ]


_UNKNOWN_KEY = ("unexpected_keyword_argument", "extra_forbidden")


def _phrase(error: Any) -> str:
    loc: KeyPath = error["loc"]
    key = str(loc[-1])
    kind = error["type"]
    if kind == CUSTOM:
        return str(error["ctx"]["message"])
    if kind in _UNKNOWN_KEY:
        return f"unknown key “{key}”{_within(loc)}{did_you_mean(key, _keys_at(loc[:-1]))}"
    if kind == "missing":
        return f"the key “{key}” is missing{_within(loc)}"
    if kind == "literal_error" and loc == ("layout",):
        return f"layout = {error['input']!r} is not known to this version; write layout = 1"
    if kind in ("literal_error", "field_type"):
        choices = FIELD_TYPE_NAMES if kind == "field_type" else tuple(_literals(error))
        return (
            f"{_name(loc)} cannot be “{error['input']}”{did_you_mean(str(error['input']), choices)}"
        )
    if kind in ("dataclass_type", "tuple_type") and "stamps" in loc:
        how = "{ right_of = … }, { cell = … } or another source"
        values = loc[:-1] if isinstance(loc[-1], int) else loc
        return f"{_name(values)} must be {how}, but is {_shown(error['input'])}"
    if kind in ("greater_than_equal", "less_than_equal"):
        bound = next(iter(error["ctx"].values()))
        least = "at least" if kind == "greater_than_equal" else "at most"
        return f"{_name(loc)} must be {least} {bound}, but is {error['input']}"
    if kind == "too_short":
        return f"{_name(loc)} needs at least one entry"
    wanted = _WANTED.get(kind)
    what = f" must be {wanted}, but is {_shown(error['input'])}" if wanted else f": {error['msg']}"
    return _name(loc) + what


_WANTED = {
    "string_type": "a text in quotes",
    "int_type": "a whole number",
    "string_too_short": "one sign in quotes",
    "string_too_long": "one sign in quotes",
    "bool_type": "true or false",
    "tuple_type": "a text or a list of texts",
    "dataclass_type": "a table of keys",
    "mapping_type": "a table of keys",
    "dict_type": "a table of keys",
}


def _shown(value: Any) -> str:
    if isinstance(value, bool):
        return "true" if value else "false"
    if isinstance(value, str):
        return f"the text “{value}”"
    if isinstance(value, Mapping):
        return "a table"
    return "a list" if isinstance(value, list | tuple) else f"{value}"


def _literals(error: Any) -> list[str]:
    return [part.strip(" '") for part in error["ctx"]["expected"].replace(" or ", ",").split(",")]


def _name(loc: KeyPath) -> str:
    keys = [str(step) for step in loc if isinstance(step, str)]
    entry = f", entry {loc[-1] + 1}," if isinstance(loc[-1], int) else ""
    if len(keys) == 1:
        return keys[0] + entry
    return f"“{keys[-1]}” in [{'.'.join(keys[:-1])}]{entry}"


def _within(loc: KeyPath) -> str:
    keys = [str(step) for step in loc[:-1] if isinstance(step, str)]
    return f" in [{'.'.join(keys)}]" if keys else ""


def _keys_at(loc: KeyPath) -> list[str]:
    """The keys that the model knows at a path."""
    model: type[Part] | None = LayoutSpec
    mapping = False
    for step in loc:
        if mapping or isinstance(step, int):
            mapping = False  # a freely chosen name, or a place in a list: the model stays
        elif model is not None and step in _by_key(model):
            field = _by_key(model)[str(step)]
            model, mapping = _part_in(field), get_origin(field) is Mapping
        else:
            return []
    return [] if model is None or mapping else list(_by_key(model))


def _by_key(model: type[Part]) -> dict[str, Any]:
    """What may stand under each key of a part."""
    return {layout_key(name): type_ for name, type_ in get_type_hints(model).items()}


def _part_in(annotation: Any) -> type[Part] | None:
    if isinstance(annotation, type) and issubclass(annotation, Part):
        return annotation
    if get_origin(annotation) in (Union, UnionType, Annotated, Mapping, list, tuple):
        for inner in get_args(annotation):
            class_ = _part_in(inner)
            if class_ is not None:
                return class_
    return None
