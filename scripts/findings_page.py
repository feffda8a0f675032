"""Write docs/findings.md from the kinds of findings in the code."""

from __future__ import annotations

from collections.abc import Iterator
from pathlib import Path

from boreotabula.findings.catalogue import SECTIONS

PAGE = Path(__file__).parents[1] / "docs" / "findings.md"
RULES = PAGE.with_name("findings-rules.md")

INTRODUCTION = """\
# Findings

A finding is one thing to look at. It says what is wrong and where, what was done with the value,
and what to do. Its severity is

- **error** if records are wrong, missing or doubtful,
- **warning** if a person should take a look,
- **note** for everything else.

On screen, findings are grouped by code and cause, the worst first. `findings.csv` in the run folder
lists each one with file, tab and cell.

This page is made from the program itself by `scripts/findings_page.py`.
[The rules of comparing](findings-rules.md) tell how tabs are compared with similar ones.
"""


def page() -> str:
    """The page."""
    return "\n".join([INTRODUCTION, *_sections()])


def _sections() -> Iterator[str]:
    for title, entries in SECTIONS.items():
        yield f"## {title}\n"
        yield "| code | severity | what it means | for example | what to do |"
        yield "|---|---|---|---|---|"
        for one in entries:
            cells = (f"`{one.code}`", str(one.severity), one.meaning, one.example, one.cure)
            yield "| " + " | ".join(cells) + " |"
        yield ""


if __name__ == "__main__":
    PAGE.write_text(page(), "utf-8")
