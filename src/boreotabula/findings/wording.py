"""Sentences with named slots: the one place where numbers agree with their nouns and verbs.

A slot is written in braces, as Python's own format strings have it, and may say after a colon how
its value is put into words:

- `{rows}`: the value; of a list the first five items, with commas;
- `{tabs:q}`: the same, each in quotes;
- `{cells:# cell is|# cells are}`: the first part for one (or for True), else the second; `#` is the
  number;
- `{more:? (and # more)}`: the part behind the question mark, unless the value is empty or zero; `#`
  is the value. What follows a `|` stands in its place if it is empty or zero.
"""

from __future__ import annotations

from collections.abc import Iterable, Mapping
from string import Formatter

from boreotabula.layout.addresses import Address

MOST_LISTED = 5
"""So many items of a list are named."""


class _Wording(Formatter):
    """Fills the slots of a sentence."""

    def format_field(self, value: object, format_spec: str) -> str:
        """A value put into words as its slot says."""
        if format_spec.startswith("?"):
            there, _, lacking = format_spec[1:].partition("|")
            return there.replace("#", _shown(value)) if value else lacking
        if "|" in format_spec:
            single, several = format_spec.split("|")
            number = int(value) if isinstance(value, int) else len(list(_items(value)))
            return (single if number == 1 else several).replace("#", f"{number:,}")
        return _shown(value, quoted=format_spec == "q")


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


_WORDING = _Wording()


def filled(sentence: str, slots: Mapping[str, object]) -> str:
    """A sentence with its slots filled. Raises KeyError if one of them is not given."""
    # Most advice has no slots, and a run may hold very many findings.
    return _WORDING.vformat(sentence, (), slots) if "{" in sentence else sentence


def captures(values: Mapping[str, str]) -> list[str]:
    """What patterns capture, by field."""
    return [f"{field} = “{text}”" for field, text in values.items()]


def located(text: str, where: object) -> str:
    """A text, and the cell that holds it."""
    return f"“{text}” in {where}"


def slots_of(sentence: str) -> set[str]:
    """The names of a sentence's slots, those within slots too."""
    names = set()
    for _, name, spec, _ in _WORDING.parse(sentence):
        if name is not None:
            names |= {name, *slots_of(spec or "")}
    return names
