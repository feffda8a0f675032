"""Sentences with named slots: the only place where numbers agree with their nouns and verbs.

A slot is written in braces, as Python's own format strings have it, and may say after a colon how
its value is put into words:

- `{rows}`: the value; of a list the first five items, with commas;
- `{tabs:q}`: the same, each in quotes;
- `{cells:# cell is|# cells are}`: the first part for one (or for True), else the second; `#` is the
number;
- `{more:? (and # more)}`: the part after the question mark, unless the value is empty or zero; `#`
is the value. A text after a `|` replaces it if it is empty or zero.
"""

from __future__ import annotations

from collections.abc import Iterable, Mapping, Sequence
from functools import lru_cache
from string import Formatter

from boreotabula.layout.addresses import Address

MOST_LISTED = 5
"""At most this many items of a list are named."""


@lru_cache(maxsize=2048)
def _parsed(sentence: str) -> Sequence[tuple[str, str | None, str]]:
    """The parts of a sentence: a text, the name of the slot after it (None at the end), and how its
    value is put into words.

    Cached, because a run may hold very many findings of a kind.
    """
    return tuple((text, name, spec or "") for text, name, spec, _ in Formatter().parse(sentence))


def _in_words(value: object, spec: str) -> str:
    """A value put into words as its slot requires."""
    if spec.startswith("?"):
        text, _, lacking = spec[1:].partition("|")
        return text.replace("#", _shown(value)) if value else lacking
    if "|" in spec:
        single, several = spec.split("|")
        number = int(value) if isinstance(value, int) else len(list(_items(value)))
        return (single if number == 1 else several).replace("#", f"{number:,}")
    return _shown(value, quoted=spec == "q")


def _items(value: object) -> Iterable[object]:
    return value if isinstance(value, Iterable) and not isinstance(value, str) else (value,)


def _shown(value: object, *, quoted: bool = False) -> str:
    # An address is a tuple, too, but shows itself.
    if isinstance(value, list | tuple) and not isinstance(value, Address):
        return _listed(value, quoted=quoted)
    if isinstance(value, int) and not isinstance(value, bool):
        return f"{value:,}"
    return f"“{value}”" if quoted else str(value)


def _listed(items: Iterable[object], *, quoted: bool) -> str:
    texts = [_shown(item, quoted=quoted) for item in items]
    return ", ".join(texts[:MOST_LISTED]) + (" …" if len(texts) > MOST_LISTED else "")


def filled(sentence: str, slots: Mapping[str, object]) -> str:
    """A sentence with its slots filled. Raises KeyError if a slot has no value."""
    # Most advice has no slots.
    if "{" not in sentence:
        return sentence
    words = []
    for text, name, spec in _parsed(sentence):
        words.append(text)
        if name is not None:
            # Slots within a slot are filled first.
            words.append(_in_words(slots[name], filled(spec, slots)))
    return "".join(words)


def captures(values: Mapping[str, str]) -> list[str]:
    """What patterns capture, by field."""
    return [f"{field} = “{text}”" for field, text in values.items()]


def located(text: str, where: object) -> str:
    """A text, and the cell that holds it."""
    return f"“{text}” in {where}"


def slots_of(sentence: str) -> set[str]:
    """The names of a sentence's slots, including those within slots."""
    names = set()
    for _, name, spec in _parsed(sentence):
        if name is not None:
            names |= {name, *slots_of(spec)}
    return names
