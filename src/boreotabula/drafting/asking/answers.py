"""A person's answers to the questions about a draft, written into it."""

from __future__ import annotations

import re
from collections.abc import Mapping
from dataclasses import replace
from typing import Any

from boreotabula.drafting.doubts import Doubt
from boreotabula.drafting.sketch import NUMBERS, Sketch, key_texts, one_or_list
from boreotabula.look.texts.words import field_name

_ASKED = ("name", "value", "blank", "heading", "apart")


def can_be_answered(doubt: Doubt) -> bool:
    """Whether an answer to a question changes the layout by itself; an error is mended by hand."""
    return doubt.kind in _ASKED and (doubt.kind == "name" or len(doubt.choices) > 1)


def answered(sketch: Sketch, doubt: Doubt, answer: str) -> Sketch:
    """A sketch with the answer to a question: a name, or one of its choices.

    The first choice is what was taken, and changes nothing.
    """
    if doubt.kind == "name":
        return renamed(sketch, doubt.column, answer)
    if answer == doubt.choices[0]:
        return sketch
    if doubt.kind == "blank":
        sign = doubt.choices[0].partition("“")[2].partition("”")[0]
        left = [text for text in key_texts(sketch.reading.get("empty")) if text != sign]
        reading = {key: value for key, value in sketch.reading.items() if key != "empty"}
        return replace(sketch, reading={**reading, **({"empty": left} if left else {})})
    if doubt.kind == "value":
        key, _, value = answer.partition(" = ")
        said: Any = value == "true" if value in ("true", "false") else value.strip('"')
        options = {**sketch.options.get(doubt.column, {}), key: said}
        return replace(sketch, options={**sketch.options, doubt.column: options})
    if doubt.kind == "apart":
        return _as_one_field(sketch, *doubt.choices)
    return _with_field(sketch, doubt.choices[1])


def _as_one_field(sketch: Sketch, heading: str, other: str) -> Sketch:
    """A sketch in which a heading means the field of another heading, and has none of its own."""
    own, kept = (sketch.headings.get(text) or field_name(text) for text in (heading, other))
    if own == kept or own not in sketch.fields or kept not in sketch.fields:
        # A name that is no field, or one field for both: nothing to merge.
        return sketch
    without = {name: kind for name, kind in sketch.fields.items() if name != own}
    headings = {text: kept if name == own else name for text, name in sketch.headings.items()}
    # Whole numbers of the one column may be decimals of the other.
    types = {sketch.fields[own], sketch.fields[kept]}
    if len(types) > 1:
        without[kept] = "number" if types <= NUMBERS else "text"
    return replace(
        sketch,
        fields=without,
        headings={**headings, heading: kept},
        options={name: how for name, how in sketch.options.items() if name != own},
        comments={name: text for name, text in sketch.comments.items() if name not in (own, kept)},
        key=tuple(name for name in sketch.key if name != own),
    )


def _with_field(sketch: Sketch, heading: str) -> Sketch:
    """A sketch in which a heading means a field of its own, right after the one it was taken
    for."""
    before = sketch.headings.get(heading)
    if before is None:
        return sketch
    name = field_name(heading, sketch.fields)
    headings = {text: field for text, field in sketch.headings.items() if text != heading}
    fields: dict[str, str] = {}
    for one, how in sketch.fields.items():
        fields[one] = how
        if one == before:
            fields[name] = how
    # The heading is known by the name of its field, unless that was taken.
    if name != field_name(heading):
        headings[heading] = name
    return replace(sketch, headings=headings, fields=fields)


def renamed(sketch: Sketch, old: str, new: str) -> Sketch:
    """A sketch with a field renamed, wherever its name stands.

    Raises ValueError if the name is not valid, or belongs to another field.
    """
    name = field_name(new)
    # Checked by making a name of it: what comes back unchanged is one.
    if new != name or (new != old and new in sketch.fields):
        raise ValueError(f"“{new}” is no name for a field, or that of another; “{name}” would be")
    if new == old:
        return sketch

    def one(text: str) -> str:
        return new if text == old else text

    def keys(values: Mapping[str, Any]) -> dict[str, Any]:
        return {one(key): value for key, value in values.items()}

    return replace(
        sketch,
        include=tuple(_in_pattern(text, old, new) for text in sketch.include),
        tabs=_in_tabs(sketch.tabs, old, new),
        stamps=keys(sketch.stamps),
        block=_in_block(sketch.block, old, new),
        more=tuple(_in_block(block, old, new) for block in sketch.more),
        fields=keys(sketch.fields),
        options=keys(sketch.options),
        comments={key: text for key, text in sketch.comments.items() if key != old},
        guessed=keys(sketch.guessed),
        key=tuple(new if text == old else text for text in sketch.key),
        headings={text: one(field) for text, field in sketch.headings.items()},
    )


def _in_pattern(text: str, old: str, new: str) -> str:
    return re.sub(rf"\{{{re.escape(old)}\}}", f"{{{new}}}", text)


def _in_tabs(tabs: Mapping[str, Any], old: str, new: str) -> dict[str, Any]:
    named = [_in_pattern(text, old, new) for text in key_texts(tabs.get("named"))]
    return {**tabs, **({"named": one_or_list(named)} if named else {})}


_NAMES = ("stub", "across", "value", "columns", "carry_down")


def _in_block(block: Mapping[str, Any], old: str, new: str) -> dict[str, Any]:
    """The keys of a block with a field renamed."""
    values: dict[str, Any] = {}
    for key, value in block.items():
        if key in _NAMES:
            names = [new if name == old else name for name in key_texts(value)]
            values[key] = one_or_list(names) if isinstance(value, str) else names
        elif key == "group_row":
            values[key] = _in_groups(value, old, new)
        elif key == "control":
            values[key] = _in_control(value, old, new)
        elif key == "caption":
            values[key] = one_or_list([_in_pattern(text, old, new) for text in key_texts(value)])
        elif key == "tabs":
            values[key] = _in_tabs(value, old, new)
        elif key in ("stamps", "also"):
            values[key] = {new if name == old else name: part for name, part in value.items()}
        else:
            values[key] = value
    return values


def _in_control(value: Mapping[str, Any], old: str, new: str) -> dict[str, Any]:
    sums = {new if name == old else name: place for name, place in value.get("sums", {}).items()}
    return {**value, **({"sums": sums} if sums else {})}


def _in_groups(value: Any, old: str, new: str) -> Any:
    if isinstance(value, str):
        return new if value == old else value
    if isinstance(value, Mapping):
        return {**value, "field": _in_groups(value["field"], old, new)}
    return [_in_groups(part, old, new) for part in value]
