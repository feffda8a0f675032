"""The normal form in which headings, labels and names of fields are compared.

Two headings are the same if their normal forms are equal; never because one is part of the other.
Near misses are only ever suggested.
"""

from __future__ import annotations

import re
import unicodedata
from collections.abc import Iterable, Iterator, Mapping
from dataclasses import dataclass, field
from functools import lru_cache

# Soft hyphen and zero-width characters: nobody sees them, so they tell no headings apart.
_INVISIBLE = dict.fromkeys(map(ord, "\u00ad\u200b\u200c\u200d\u2060\ufeff"))
_JOINTS = re.compile(r"[:* ]*(?<=[:* ])/ ")
_GAPS = re.compile(r"[\s_\-\u2010\u2011]+")


def fold(text: str) -> str:
    """Compatibility form (Unicode NFKC), case folded, gaps as one space, untrimmed.

    White space, line breaks, '_' and '-' all count as a gap.
    """
    # Most headings are ASCII, and folding all of Unicode takes far longer.
    if text.isascii():
        return _GAPS.sub(" ", text.lower())  # nothing else of the below changes such a text
    # Twice, since folding the case may undo the compatibility form.
    seen = unicodedata.normalize("NFKC", text.translate(_INVISIBLE)).casefold()
    return _GAPS.sub(" ", unicodedata.normalize("NFKC", seen))


@lru_cache(maxsize=65_536)
def normal_form(text: str) -> str:
    """The form of a heading that is compared: `fold`, trimmed, without ':' or '*' at the end.

    Each part of headings joined from several levels with ' / ' is compared so. A heading that
    consists only of such signs stays as it is: it is not the same as none.
    """
    folded = fold(text).strip().rstrip(":* ") or text.strip()
    return _JOINTS.sub(" / ", folded) if "/" in folded else folded


@dataclass(frozen=True)
class Naming:
    """One statement that a heading means a field, and where it was made (for messages)."""

    heading: str
    field: str
    where: str


_MOST_MET = 100_000


@dataclass(frozen=True)
class HeadingNames:
    """Which field a heading means, by normal form."""

    by_form: Mapping[str, str]
    _met: dict[str, str | None] = field(default_factory=dict, repr=False, compare=False)
    """Answers given before: the same texts stand on many tabs."""
    _known: dict[str, str] = field(default_factory=dict, repr=False, compare=False)
    """The answers that are a field."""

    def field_of(self, heading: str) -> str | None:
        """The field that a heading means, or None if it is unknown."""
        try:
            return self._met[heading]
        except KeyError:
            if len(self._met) > _MOST_MET:
                self._met.clear()
            text = self.by_form.get(normal_form(heading))
            if text is not None:
                self._known[heading] = text
            return self._met.setdefault(heading, text)

    def fields_in(self, texts: set[str]) -> dict[str, str]:
        """The fields that some texts mean as headings, for those that mean one.

        Most texts of a sheet are no headings, and many have occurred before.
        """
        # These methods look the texts up; the operators would go through all that was ever met.
        for text in texts.difference(self._met):
            self.field_of(text)
        return {text: self._known[text] for text in texts.intersection(self._known)}

    def headings_of(self, field: str) -> list[str]:
        """The normal forms by which a field is known."""
        return [form for form, known_text in self.by_form.items() if known_text == field]


def conflicts(namings: Iterable[Naming]) -> Iterator[tuple[Naming, Naming]]:
    """Pairs of namings that give the same heading to two fields (first one, then the other)."""
    first: dict[str, Naming] = {}
    for naming in namings:
        known_naming = first.setdefault(normal_form(naming.heading), naming)
        if known_naming.field != naming.field:
            yield known_naming, naming


def heading_names(namings: Iterable[Naming]) -> HeadingNames:
    """The index of namings without conflicts."""
    return HeadingNames({normal_form(naming.heading): naming.field for naming in namings})
