"""A layout while it is drafted: its parts as plain values, and its text."""

from __future__ import annotations

import re
from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field, replace
from enum import StrEnum
from functools import lru_cache
from typing import Any

import tomlkit

from boreotabula.drafting.doubts import Doubt
from boreotabula.layout.glossary import known_headings
from boreotabula.layout.headings import Naming
from boreotabula.layout.parsing import parse_layout
from boreotabula.reading.make_plan import make_plan
from boreotabula.reading.plan import Plan

NUMBERS = frozenset(("integer", "number", "percent"))
"""The types of fields that hold numbers."""


class TabForm(StrEnum):
    """What tabs are by a layout, as questions call it."""

    LIST = "a list"
    CROSS_TAB = "a cross-tab"
    TURNED = "a table whose headings run down the side"
    LABELS = "labels with values"


_MOST_ALSO = 3
"""At most this many further headings stand in the layout itself; more go to a glossary."""


@dataclass(frozen=True)
class Sketch:
    """The parts of a layout."""

    title: str = ""
    boilerplate: tuple[str, ...] = ()
    include: tuple[str, ...] = ()
    tabs: Mapping[str, Any] = field(default_factory=dict)
    reading: Mapping[str, Any] = field(default_factory=dict)
    stamps: Mapping[str, Any] = field(default_factory=dict)
    block: Mapping[str, Any] = field(default_factory=dict)
    more: tuple[Mapping[str, Any], ...] = ()
    """The keys of further blocks."""
    listed: bool = False
    """Whether there is a block although it needs no key: a list found by its headings."""
    fields: Mapping[str, str] = field(default_factory=dict)
    """The type of each field, in the order of the output."""
    options: Mapping[str, Mapping[str, Any]] = field(default_factory=dict)
    """The options of a field besides its type."""
    comments: Mapping[str, str] = field(default_factory=dict)
    """What a person should know of a field."""
    doubts: tuple[Doubt, ...] = ()
    """What a person should decide."""
    guessed: Mapping[str, str] = field(default_factory=dict)
    """Fields for whose values no cell shows how to read them, with the first value."""
    seen: Mapping[str, str] = field(default_factory=dict)
    """The number of tabs on which each heading of the glossary stands."""
    headings: Mapping[str, str] = field(default_factory=dict)
    """Headings other than the names of fields, and the field that each means."""
    key: tuple[str, ...] = ()
    """The fields that distinguish all records, for a person to adopt."""

    def having(self, **block: Any) -> Sketch:
        """The sketch with changed keys of the block; None removes a key."""
        keys = {**self.block, **block}
        return replace(self, block={key: one for key, one in keys.items() if one is not None})

    def reading_with(self, **keys: Any) -> Sketch:
        """The sketch with changed keys of [reading]."""
        return replace(self, reading={**self.reading, **keys})

    def typed(self, name: str, kind: str, **options: Any) -> Sketch:
        """The sketch with another type of a field, and other options."""
        more = {**self.options, name: {**self.options.get(name, {}), **options}}
        return replace(
            self,
            fields={**self.fields, name: kind},
            options={text: values for text, values in more.items() if values},
        )

    @property
    def captured(self) -> frozenset[str]:
        """The fields that names of files and tabs, and captions, fill."""
        patterns = (
            *self.include,
            *key_texts(self.tabs.get("named")),
            *key_texts(self.block.get("caption")),
        )
        return frozenset(name for pattern in patterns for name in _CAPTURE.findall(pattern))

    @property
    def table_fields(self) -> list[str]:
        """The fields that are not filled by stamps, names or captions, in order."""
        captured = self.captured
        return [name for name in self.fields if name not in self.stamps and name not in captured]

    @property
    def naming_fields(self) -> list[str]:
        """The fields that name the rows of a list: the first of its table, and the second if it
        holds no numbers."""
        first, *others = self.table_fields
        return [first, *(name for name in others[:1] if self.fields[name] not in NUMBERS)]

    @property
    def form(self) -> TabForm:
        """What the tabs are, by its first block."""
        if self.turned:
            return TabForm.TURNED
        if "across" in self.block:
            return TabForm.CROSS_TAB
        return TabForm.LIST if self.block or self.listed else TabForm.LABELS

    @property
    def sources(self) -> list[tuple[str, Mapping[str, Any]]]:
        """All sources of its stamps, each with its field; a stamp may have several."""
        return [
            (name, source)
            for name, sources in self.stamps.items()
            for source in (sources if isinstance(sources, list) else [sources])
        ]

    @property
    def turned(self) -> bool:
        """Whether its headings run down the side."""
        return bool(self.block.get("turned", False))

    @property
    def tables(self) -> list[str]:
        """The output tables of its blocks, if they have names."""
        blocks = (self.block, *self.more)
        return list(dict.fromkeys(block["into"] for block in blocks if "into" in block))

    @property
    def glossary(self) -> Mapping[str, str]:
        """The headings that stand in a separate glossary; none if there are few."""
        return self.headings if len(self.headings) > _MOST_ALSO else {}

    def plan(self) -> Plan:
        """The plan that it compiles to. Raises LayoutError if its parts do not fit together."""
        # Parsed as a file would be, so that a sketch is never read in a way that its text is not.
        spec = parse_layout(self.text(), "the draft")
        namings = [Naming(text, name, "the draft") for text, name in self.glossary.items()]
        return make_plan(spec, known_headings(spec, namings))

    def text(self, folder: str = ".", glossary: str = "", *, whole: bool = False) -> str:
        """The text of the layout file, in the order of the handbook.

        If `whole`, all headings are in it, so that it needs no glossary.
        """
        head: dict[str, Any] = {"layout": 1, **({"title": self.title} if self.title else {})}
        if glossary and self.glossary and not whole:
            head["glossary"] = glossary
        if self.boilerplate:
            head["boilerplate"] = one_or_list(self.boilerplate)
        source = {
            "folder": folder,
            **({"include": one_or_list(self.include)} if self.include else {}),
        }
        also: dict[str, list[str]] = {}
        for text, name in self.headings.items() if whole or not self.glossary else ():
            also.setdefault(name, []).append(text)
        fields: dict[str, Any] = {}
        for name, kind in self.fields.items():
            values = dict(self.options.get(name, {}))
            if name in also:
                values["also"] = one_or_list(also[name])
            fields[name] = {"type": kind, **values} if values else kind
        parts: list[tuple[str, Mapping[str, Any]]] = [("", head), ("source", source)]
        parts += [("tabs", self.tabs), ("reading", self.reading), ("stamps", self.stamps)]
        if self.block or self.listed:
            # Several blocks are an array of tables in TOML.
            name = "[block]" if self.more else "block"
            parts += [(name, one) for one in (self.block, *self.more)]
        texts = [
            _part(name, keys, self.comments if name == "fields" else {})
            for name, keys in (*parts, ("fields", fields))
            if keys or "block" in name
        ]
        if self.key:
            # A person decides: next month a field may tell less than it does now.
            texts[0] += f"# key = {written(self.key)}  # {_OF_KEY}\n"
        return "\n".join(texts)


_OF_KEY = "these tell all records apart"

_CAPTURE = re.compile(r"\{(\w+)\}")


def _part(name: str, keys: Mapping[str, Any], comments: Mapping[str, str]) -> str:
    """A table of the layout, one key below the other."""
    width = max((len(_key(key)) for key in keys), default=0)
    lines = [f"[{name}]"] if name else []
    for key, value in keys.items():
        comment = f"  # {comments[key]}" if key in comments else ""
        line = f"{_key(key):<{width}} = {written(value)}{comment}"
        if len(line) > _WIDEST and isinstance(value, list | tuple) and not comment:
            items = "".join(f"  {written(item)},\n" for item in value)
            line = f"{_key(key):<{width}} = [\n{items}]"
        lines.append(line)
    return "\n".join(lines) + "\n"


_WIDEST = 80
"""A list that makes a line longer than this gets a line for each of its texts."""


def one_or_list(texts: Sequence[str]) -> str | list[str]:
    """Some texts as a layout has them: a single one as a text, unless it is blank."""
    return texts[0] if len(texts) == 1 and texts[0] else list(texts)


def key_texts(value: Any) -> list[str]:
    """The texts of a key of a layout, whether it holds one, several, or is missing."""
    return [] if value is None else [value] if isinstance(value, str) else list(value)


# Called for each key of each candidate, hundreds of times with the same.
@lru_cache(maxsize=4096)
def _key(key: str) -> str:
    return tomlkit.key(key).as_string().strip()


def written(value: Any) -> str:
    """A value as TOML, tables inline."""
    if isinstance(value, Mapping):
        inside = ", ".join(f"{_key(key)} = {written(part)}" for key, part in value.items())
        return f"{{ {inside} }}"
    if isinstance(value, list | tuple):
        return f"[{', '.join(map(written, value))}]"
    return _scalar(value)


@lru_cache(maxsize=4096, typed=True)
def _scalar(value: Any) -> str:
    return str(tomlkit.item(value).as_string())
