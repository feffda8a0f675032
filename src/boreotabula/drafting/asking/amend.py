"""Small changes of a layout that a person wrote: every other line and comment stays as it is."""

from __future__ import annotations

import re
from collections.abc import Callable, Iterator, Mapping, Sequence
from dataclasses import dataclass
from typing import Any

import tomlkit
from tomlkit.items import AbstractTable, Array, InlineTable
from tomlkit.items import Table as TomlTable

from boreotabula.drafting.sketch import one_or_list, written

Change = Callable[[tomlkit.TOMLDocument], None]
"""A change of a layout, made to its parsed text."""


@dataclass(frozen=True)
class Amendment:
    """One change of a layout: what is changed, and why."""

    said: str
    """The evidence for it, in a sentence."""
    where: str
    """File, tab and cell where it was first seen."""
    change: Change


def place_of(*parts: str) -> str:
    """File, tab and cell, as far as they are known, in words."""
    return " › ".join(filter(None, parts))


def amended(text: str, amendments: Sequence[Amendment]) -> str:
    """The text of a layout with some changes made."""
    document = tomlkit.parse(text)
    before = set(document)
    for amendment in amendments:
        amendment.change(document)
    # Text again, as the writer keeps all that was not changed.
    text = tomlkit.dumps(document)
    for name in set(document) - before:
        # A part of its own begins after a blank line.
        text = re.sub(rf"(?m)(?<!\n)\n\[{re.escape(name)}\]", f"\n\n[{name}]", text)
    return text if text.endswith("\n") else f"{text}\n"


def all_of(changes: Sequence[Change]) -> Change:
    """Several changes at once."""

    def change(document: tomlkit.TOMLDocument) -> None:
        for change in changes:
            change(document)

    return change


def heading_known(field: str, heading: str) -> Change:
    """Add a heading by which a field is known."""

    def change(document: tomlkit.TOMLDocument) -> None:
        fields = _part(document, "fields")
        # A field may be given by its type alone, or as a table.
        value = fields.get(field, "text")
        values = {"type": str(value)} if isinstance(value, str) else dict(value.unwrap())
        _add(values, "also", [heading])
        _put(fields, field, values)

    return change


def pattern_changed(part: str, key: str, old: str, new: str) -> Change:
    """Replace a pattern of a part."""

    def change(document: tomlkit.TOMLDocument) -> None:
        holder = _part(document, part)
        value = holder[key]
        if isinstance(value, str):
            holder[key] = new
        else:
            # The new pattern may be there already.
            texts = dict.fromkeys(new if text == old else text for text in value.unwrap())
            holder[key] = _item(one_or_list(list(texts)))

    return change


def new_field(field: str, kind: str, heading: str = "") -> Change:
    """Append a field."""

    def change(document: tomlkit.TOMLDocument) -> None:
        value: Any = {"type": kind, "also": heading} if heading else kind
        _part(document, "fields")[field] = _item(value)

    return change


def field_typed(field: str, kind: str, options: Mapping[str, Any]) -> Change:
    """Change the type of a field and its options; its headings stay."""

    def change(document: tomlkit.TOMLDocument) -> None:
        fields = _part(document, "fields")
        value = fields.get(field, "text")
        values = {} if isinstance(value, str) else dict(value.unwrap())
        keys = {**values, **options, "type": kind}
        order = {"type": kind, **keys}
        _put(fields, field, order if len(order) > 1 else kind)

    return change


def label_known(stamp: str, label: str) -> Change:
    """Add a label by which a stamp is found."""

    def change(document: tomlkit.TOMLDocument) -> None:
        for holder, key in _sources(document, stamp):
            # The first source with a label takes it: a further source may be for another form.
            way = next((literal for literal in ("right_of", "below") if literal in holder[key]), "")
            if way:
                values = dict(holder[key].unwrap())
                _add(values, way, [label])
                _put(holder, key, values)
                return

    return change


def of_block(key: str, texts: Sequence[str]) -> Change:
    """Add texts to a key, such as `totals`, of every block that reads tables."""

    def change(document: tomlkit.TOMLDocument) -> None:
        for block in _blocks(document):
            _add(block, key, texts)

    return change


def of_part(part: str, key: str, texts: Sequence[str]) -> Change:
    """Add texts to a key of a part of the layout; without a part, at its top."""

    def change(document: tomlkit.TOMLDocument) -> None:
        if part:
            _add(_part(document, part), key, texts)
        elif key in document:
            _add(document, key, texts)
        else:
            _at_top(document, key, texts)

    return change


def _at_top(document: tomlkit.TOMLDocument, key: str, texts: Sequence[str]) -> None:
    """Insert a new key before the first table, below the last key that is there."""
    body = document.body
    last = max(index for index, (name, item) in enumerate(body)
               if name is not None and not isinstance(item, AbstractTable))  # fmt: skip
    # Added the usual way it would stand below the comment of the first table.
    document._insert_at(last + 1, key, tomlkit.item(one_or_list(texts)))


def _part(document: Any, name: str) -> Any:
    if name not in document:
        document.add(name, tomlkit.table())
    return document[name]


def _blocks(document: tomlkit.TOMLDocument) -> list[Any]:
    """All blocks: at the top of the layout, and in editions."""
    blocks: list[Any] = []
    for part in (document, *document.get("edition", ())):
        block = part.get("block")
        if block is not None:
            blocks += [block] if isinstance(block, TomlTable | dict) else list(block)
    return blocks


def _sources(document: tomlkit.TOMLDocument, stamp: str) -> Iterator[tuple[Any, Any]]:
    """All sources of a stamp, including those of blocks and editions: the table that holds each,
    and its key."""
    for part in (document, *document.get("edition", ()), *_blocks(document)):
        stamps = part.get("stamps", {})
        if isinstance(stamps.get(stamp), list):
            yield from ((stamps[stamp], index) for index in range(len(stamps[stamp])))
        elif stamp in stamps:
            yield stamps, stamp


def _item(value: Any) -> Any:
    """A value as this program writes it."""
    # Parsed from this program's own text, so that all values are written in one style.
    return tomlkit.parse(f"x = {written(value)}")["x"]


def _put(holder: Any, key: Any, value: Any) -> None:
    """Replace a value and keep the comment beside it."""
    trivia = getattr(holder.get(key), "trivia", None) if isinstance(key, str) else None
    holder[key] = _item(value)
    if trivia is not None and isinstance(holder[key], InlineTable):
        holder[key].trivia.comment_ws = trivia.comment_ws
        holder[key].trivia.comment = trivia.comment


def _add(table: Any, key: str, texts: Sequence[str]) -> None:
    """Add texts to a key that holds one text or several."""
    value = table.get(key)
    if isinstance(value, Array):
        # In its place: it may have lines and comments of its own.
        for text in texts:
            if text not in value:
                value.append(text)
        return
    values = [] if value is None else [str(value)] if isinstance(value, str) else list(value)
    table[key] = one_or_list(list(dict.fromkeys([*values, *texts])))
