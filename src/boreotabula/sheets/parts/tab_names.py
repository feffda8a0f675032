"""Names that a workbook accepts for its tabs."""

from __future__ import annotations

import re
from collections.abc import Iterable

MOST_LETTERS = 31
"""The greatest length of a name, in units of UTF-16: ECMA-376 leaves it open, but programs refuse
more."""

_FORBIDDEN = re.compile(r"\s*[\[\]:*?/\\\x00-\x1f\x7f\ud800-\udfff\ufffe\uffff]+\s*")


def length(name: str) -> int:
    """The length of a name as workbooks count it: most emoji count as two."""
    return len(name.encode("utf-16-le", "surrogatepass")) // 2


def shortened(name: str, most: int = MOST_LETTERS) -> str:
    """The beginning of a name, of the greatest valid length."""
    # Half of a letter may be left at the end.
    units = name.encode("utf-16-le", "surrogatepass")[: 2 * most]
    return units.decode("utf-16-le", "ignore")


def valid_name(wanted: str, *, otherwise: str = "tab") -> str:
    """A name with a blank for each invalid character, shortened if necessary."""
    clean = _FORBIDDEN.sub(" ", wanted).strip("' ")
    return shortened(clean).strip("' ") or otherwise


def free_name(wanted: str, taken: Iterable[str], *, otherwise: str = "tab") -> str:
    """A valid name that no other tab has in any letter case, with a number if necessary."""
    used = {name.casefold() for name in taken}
    clean = name = valid_name(wanted, otherwise=otherwise)
    number = 1
    # Programs compare names of tabs without case.
    while name.casefold() in used:
        number += 1
        end = f" ({number})"
        name = shortened(clean, MOST_LETTERS - len(end)).strip("' ") + end
    return name
