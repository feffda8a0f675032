"""The names of tabs in a bound workbook: valid, unique, and short enough."""

from __future__ import annotations

import re
from collections.abc import Mapping
from dataclasses import dataclass, field
from pathlib import Path

from boreotabula.batch.inputs import SourceFile
from boreotabula.errors import CallError
from boreotabula.sheets.parts.tab_names import MOST_LETTERS, free_name, length

CONTENTS = "Contents"
_FEWEST_SIGNS = 6
"""At least this many characters of a part remain when names are shortened."""


@dataclass
class TabNames:
    """The tab names given so far; two are reserved in every workbook."""

    taken: set[str] = field(default_factory=lambda: {CONTENTS.casefold(), "history"})

    def new(self, wanted: str) -> str:
        """A valid name that differs from all others in any letter case."""
        name = free_name(" ".join(wanted.split()), self.taken)
        self.taken.add(name.casefold())
        return name


def check_form(form: str) -> None:
    """Raises CallError if tab names cannot be made by a form."""
    for name in re.findall(r"\{(\w*)\}", form):
        if name not in ("file", "folder", "tab", "n"):
            raise CallError(
                f"--tab-name: there is no {{{name}}}; known: {{file}} {{folder}} {{tab}} {{n}}"
            )


def named(form: str, source: SourceFile, tab: str, number: int) -> str:
    """The name of a tab; if it is too long, the longest part loses its middle."""
    parts = {"file": Path(source.name).stem, "folder": source.folder, "tab": tab, "n": str(number)}
    made = _filled(form, parts)
    over = length(made) - MOST_LETTERS
    longest = max(re.findall(r"\{(\w+)\}", form), key=lambda value: len(parts[value]), default="")
    if over > 0 and len(parts.get(longest, "")) > over + _FEWEST_SIGNS:
        kept = len(parts[longest]) - over - 1
        end = kept // 2
        parts[longest] = f"{parts[longest][: kept - end]}…{parts[longest][-end:]}"
        made = _filled(form, parts)
    return made


def _filled(form: str, parts: Mapping[str, str]) -> str:
    return re.sub(r"\{(\w+)\}", lambda match: parts[match[1]], form).strip()
