"""From the text of a layout file to a checked layout."""

from __future__ import annotations

import re
import tomllib

from pydantic import ValidationError

from boreotabula.layout.checking import check
from boreotabula.layout.model import LayoutSpec
from boreotabula.layout.problems import LayoutError, from_validation, layout_error

_PLACE = re.compile(r" \(at (?:line (\d+), column (\d+)|end of document)\)$")


def parse_layout(text: str, file: str) -> LayoutSpec:
    """Read a layout from its text; `file` is the name that messages give.

    Raises LayoutError with every problem found: broken TOML, unknown keys, wrong shapes, and
    parts that do not fit together.
    """
    try:
        data = tomllib.loads(text)
    except tomllib.TOMLDecodeError as error:
        raise LayoutError([_broken(error, text, file)]) from None
    try:
        spec = LayoutSpec.model_validate(data)
    except ValidationError as error:
        raise layout_error(file, text, from_validation(error)) from None
    problems = check(spec)
    if problems:
        raise layout_error(file, text, problems)
    return spec


def _broken(error: tomllib.TOMLDecodeError, text: str, file: str) -> tuple[str, str]:
    said = str(error)
    place = _PLACE.search(said)
    line = place[1] if place and place[1] else str(len(text.splitlines()) or 1)
    what = _PLACE.sub("", said)
    return f"{file}, line {line}", f"this is not TOML: {what[:1].lower()}{what[1:]}"
