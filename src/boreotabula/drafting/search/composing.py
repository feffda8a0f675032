"""One layout for several kinds of tabs, each with a block and an output table of its own."""

from __future__ import annotations

from collections import Counter
from collections.abc import Mapping, Sequence
from dataclasses import replace
from typing import Any

from boreotabula.drafting.sketch import Sketch, key_texts, one_or_list
from boreotabula.drafting.tabs.specimens import TabFamily
from boreotabula.layout.headings import normal_form
from boreotabula.look.texts.words import field_name


def composed(parts: Sequence[tuple[TabFamily, Sketch]]) -> Sketch:
    """The layout of several kinds, each drafted by itself; the first is the main one, whose files
    are read."""
    _, main = parts[0]
    blocks: list[Mapping[str, Any]] = []
    fields: dict[str, str] = {}
    options: dict[str, Mapping[str, Any]] = {}
    comments: dict[str, str] = {}
    headings: dict[str, str] = {}
    reading: dict[str, Any] = {}
    tables: list[str] = []
    counts: Counter[str] = Counter()
    for kind, sketch in parts:
        sketch = sketch if sketch is main else _without_file_names(sketch, main)
        names = _names(sketch, fields, options, headings)
        table = _table_name(kind, sketch, tables)
        tables.append(table)
        blocks += _blocks(sketch, names, headings, table)
        fields |= {names[name]: how for name, how in sketch.fields.items()}
        counts.update({names[name] for name in sketch.fields})
        options |= {names[name]: option for name, option in sketch.options.items() if name in names}
        comments |= {names[name]: text for name, text in sketch.comments.items() if name in names}
        for text, name in sketch.headings.items():
            headings.setdefault(text, names[name])
        for key, value in sketch.reading.items():
            values = dict.fromkeys([*key_texts(reading.get(key)), *key_texts(value)])
            reading[key] = list(values) if key in ("empty", "languages") else value
    return replace(
        main,
        boilerplate=tuple(
            dict.fromkeys(text for _, sketch in parts for text in sketch.boilerplate)
        ),
        tabs={},
        stamps={},
        reading=reading,
        block=blocks[0],
        more=tuple(blocks[1:]),
        listed=True,
        fields=fields,
        options={
            name: option if counts[name] == len(parts) else _without_required(option)
            for name, option in options.items()
        },
        comments=comments,
        headings=headings,
        doubts=tuple(doubt for _, sketch in parts for doubt in sketch.doubts),
        guessed={name: text for _, sketch in parts for name, text in sketch.guessed.items()},
    )


def _without_required(option: Mapping[str, Any]) -> Mapping[str, Any]:
    """The options of a field that some of the tables lack: it is required in none of them."""
    return {key: value for key, value in option.items() if key != "required"}


def _without_file_names(sketch: Sketch, main: Sketch) -> Sketch:
    """A sketch without the fields that names of files fill: the main one has them."""
    own = replace(sketch, tabs={}, block={}).captured
    fields = {name: how for name, how in sketch.fields.items() if name not in own}
    return replace(sketch, include=main.include, fields=fields)


def _names(
    sketch: Sketch,
    fields: Mapping[str, str],
    options: Mapping[str, Mapping[str, Any]],
    headings: Mapping[str, str],
) -> dict[str, str]:
    """The names of a kind's fields beside those of the kinds before it.

    A field of the same name, type and options is the same field.
    """
    names: dict[str, str] = {}
    for name, how in sketch.fields.items():
        same = fields.get(name, how) == how and (
            name not in fields or options.get(name, {}) == sketch.options.get(name, {})
        )
        # The files are named for all kinds at once.
        same = same or name in sketch.captured
        names[name] = name if same else field_name(name, [*fields, *sketch.fields, *names.values()])
    return names


def _blocks(
    sketch: Sketch, names: Mapping[str, str], headings: Mapping[str, str], table: str
) -> list[Mapping[str, Any]]:
    """The blocks of a kind, with its tabs and stamps in them."""
    blocks: list[Mapping[str, Any]] = []
    for block in (sketch.block, *sketch.more):
        own: dict[str, Any] = {"into": table, **_renamed(block, names)}
        if "stub" not in own and "columns" not in own and sketch.listed:
            own["stub"] = one_or_list([names[name] for name in sketch.naming_fields])
        also = {
            names[name]: text
            for text, name in sketch.headings.items()
            if headings.get(text, names[name]) != names[name]
        }
        also |= {
            new: name.replace("_", " ")
            for name, new in names.items()
            if new != name and not any(heading == name for heading in sketch.headings.values())
            and name not in sketch.stamps
        }  # fmt: skip
        if also:
            own["also"] = also
        if sketch.stamps:
            stamps = {names[name]: source for name, source in sketch.stamps.items()}
            own["stamps"] = {**stamps, **block.get("stamps", {})}
        own["tabs"] = dict(sketch.tabs)
        blocks.append(own)
    return blocks


_FIELDS_IN = ("stub", "across", "value", "columns", "carry_down", "group_row")


def _renamed(block: Mapping[str, Any], names: Mapping[str, str]) -> dict[str, Any]:
    def renamed(value: Any) -> Any:
        if isinstance(value, str):
            return names.get(value, value)
        if isinstance(value, Mapping):
            return {key: renamed(part) if key == "field" else part for key, part in value.items()}
        return [renamed(part) for part in value]

    own = {key: renamed(value) if key in _FIELDS_IN else value for key, value in block.items()}
    sums = own.get("control", {}).get("sums", {})
    if sums:
        named = {names.get(name, name): place for name, place in sums.items()}
        own["control"] = {**own["control"], "sums": named}
    return own


def _table_name(kind: TabFamily, sketch: Sketch, taken: Sequence[str]) -> str:
    """The name of a kind's output table: from its tabs, or its title."""
    tabs = {example.specimen.tab for example in kind.examples}
    named = key_texts(sketch.tabs.get("named"))
    text = tabs.pop() if len(tabs) == 1 else (named[0].partition("{")[0] if named else "")
    plain = normal_form(text).replace(" ", "_")
    return field_name(plain or sketch.title, taken, "table")
