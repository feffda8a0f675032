"""The types of fields, written into a sketch with the options that they imply."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import replace
from typing import Any

from boreotabula.drafting.sketch import Sketch, key_texts
from boreotabula.look.texts.types import Typed


def with_type(sketch: Sketch, name: str, type_: Typed) -> Sketch:
    """A sketch with the type of a field, and the options that it implies."""
    empty = dict.fromkeys([*key_texts(sketch.reading.get("empty")), *type_.nothing])
    keys: dict[str, Any] = {"empty": list(empty)} if empty else {}
    # What is said of the whole layout is said once, under [reading].
    options = dict(type_.options)
    # What no number shows for sure is said of this field alone.
    if "decimal_mark" in options and not type_.guessed:
        keys["decimal_mark"] = options.pop("decimal_mark")
    guessed = {one: text for one, text in sketch.guessed.items() if one != name}
    guessed |= {name: type_.guessed} if type_.guessed else {}
    sketch = replace(sketch, guessed=guessed)
    return sketch.reading_with(**keys).typed(name, type_.kind, **options)


def with_types(sketch: Sketch, types: Mapping[str, Typed]) -> Sketch:
    """A sketch with the types of some of its fields."""
    for name, kind in types.items():
        sketch = with_type(sketch, name, kind)
    return sketch
