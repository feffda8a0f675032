"""Tables on a screen: in columns where they fit, else each row in lines of its own."""

from __future__ import annotations

from collections.abc import Collection, Sequence

from rich.text import Text

from boreotabula.cli.screen import PlainConsole
from boreotabula.texts import display_width

_GAP = 2
LONGEST = 200
"""A longer text of a cell is no name, number or code, and is of no more use on a screen."""


def print_table(
    console: PlainConsole,
    heads: Sequence[str],
    rows: Sequence[Sequence[str | Text]],
    right: Collection[str] = (),
) -> None:
    """Print rows of texts under their headings; the columns `right` are aligned right.

    On a terminal that is narrower than the columns the first text of a row has a line of its own,
    and the others follow with their headings, folded at blanks: only a text longer than `LONGEST`
    is cut.
    """
    cells = [[_shown(cell) for cell in row] for row in rows]
    widths = [
        max(display_width(head), *(display_width(row[index].plain) for row in cells), 0)
        for index, head in enumerate(heads)
    ]
    whole = sum(widths) + _GAP * (len(widths) - 1)
    if console.is_terminal and whole > console.width:
        for row in cells:
            _print_stacked(console, heads, row)
        return
    aligned = [head in right for head in heads]
    for line in ([Text(head, "bold") for head in heads], *cells):
        padded = [
            _padded(cell, width, to_right)
            for cell, width, to_right in zip(line, widths, aligned, strict=True)
        ]
        text = Text(" " * _GAP).join(padded)
        # Blanks at the end could wrap into an empty line.
        text.rstrip()
        console.print(text, soft_wrap=True)


def _print_stacked(console: PlainConsole, heads: Sequence[str], row: Sequence[Text]) -> None:
    first, *others = row
    console.tell(first)
    # Blanks that do not break keep a heading beside its text.
    named = [
        Text.assemble((f"{head} ".replace(" ", "\u00a0"), "dim"), cell)
        for head, cell in zip(heads[1:], others, strict=True) if cell.plain
    ]  # fmt: skip
    console.tell(Text("  ") + Text(" · ").join(named))


def _shown(cell: str | Text) -> Text:
    text = Text(cell) if isinstance(cell, str) else cell.copy()
    text.truncate(LONGEST, overflow="ellipsis")
    # A line break within a cell would break the columns.
    text.plain = text.plain.replace("\n", " ")
    return text


def _padded(cell: Text, width: int, to_right: bool) -> Text:
    blank = Text(" " * (width - display_width(cell.plain)))
    return blank + cell if to_right else cell + blank
