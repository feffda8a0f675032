"""The terminal: its two consoles, progress, listings, and records in columns."""

from __future__ import annotations

import csv
import os
from collections.abc import Callable, Iterator, Sequence
from contextlib import contextmanager
from itertools import accumulate, islice
from pathlib import Path
from typing import TYPE_CHECKING, Literal

from rich.console import Console, ConsoleOptions, RenderableType
from rich.segment import Segment
from rich.table import Table
from rich.text import Text

from boreotabula.texts import clean, counted, display_width, folded

if TYPE_CHECKING:
    from rich.progress import Progress

    from boreotabula.batch.file.read import FileReading

PIPED_WIDTH = 140
"""Columns of text where the output is no terminal."""

WIDEST = 24
"""Longer cells are cut in the view of the first records, where there is no room for all."""


class PlainConsole(Console):
    """A console that takes texts as they are: no markup in them, no control characters."""

    def __init__(self, *, stderr: bool = False) -> None:
        # “[bold]” in the name of a tab is text, and colour is kept for what matters.
        super().__init__(stderr=stderr, highlight=False, soft_wrap=False, markup=False, emoji=False)

    def render(
        self, renderable: RenderableType, options: ConsoleOptions | None = None
    ) -> Iterator[Segment]:
        """What is drawn, piece by piece; the console's own control codes are separate from
        texts."""
        for segment in super().render(renderable, options):
            yield segment if segment.control else Segment(clean(segment.text), segment.style)

    def tell(self, text: str | Text, style: str = "") -> None:
        """Print a text, on a terminal folded to its width; it does not break at no-break spaces,
        which are then printed as plain ones."""
        whole = Text(text, style) if isinstance(text, str) else text
        lines = _folded_text(whole, self.width) if self.is_terminal else [whole]
        for line in lines:
            self.print(_with_plain_blanks(line), soft_wrap=True)


def _folded_text(text: Text, width: int) -> list[Text]:
    """The lines of a text as `folded` breaks them, with its styles."""
    lines: list[Text] = []
    index = 0
    for line in folded(text.plain, width).split("\n"):
        body = line.lstrip(" ")
        start = text.plain.index(body, index)
        index = start + len(body)
        lines.append(Text(" " * (len(line) - len(body))) + text[start:index])
    return lines


def _with_plain_blanks(line: Text) -> Text:
    plain = line.copy()
    # Whoever copies a line expects ordinary blanks in it.
    plain.plain = line.plain.replace("\u00a0", " ")
    return plain


def out() -> PlainConsole:
    """The console for results; wide where no terminal sets a width."""
    return _wide(PlainConsole())


def err() -> PlainConsole:
    """The console for progress and findings."""
    return _wide(PlainConsole(stderr=True))


def _wide(console: PlainConsole) -> PlainConsole:
    # rich takes 80 columns for a pipe, which would cut names and numbers.
    if not console.is_terminal and "COLUMNS" not in os.environ:
        console.width = PIPED_WIDTH
    return console


@contextmanager
def progress(total: int, *, shown: bool, verbose: bool) -> Iterator[Callable[[FileReading], None]]:
    """The callback after each file: moves a bar on a terminal, or prints a line if `verbose`."""
    console = err()
    if not (shown and console.is_terminal):
        yield (lambda reading: _file_line(console, reading)) if verbose else lambda _: None
        return
    with _bar(console) as bar:
        task = bar.add_task("", total=total, what="reading")

        def on_file(reading: FileReading) -> None:
            bar.update(task, advance=1, description=reading.name)
            if verbose:
                _file_line(console, reading)

        yield on_file


Start = Callable[..., None]
"""Called with the number of files, None if unknown; and with a new label, if the work changes."""


@contextmanager
def counting(what: str, *, shown: bool) -> Iterator[tuple[Start, Callable[[str], None]]]:
    """A bar for any work on files: a callback for its start, and one for each file with its
    name."""
    console = err()
    if not (shown and console.is_terminal):
        yield (lambda *_: None), (lambda _: None)
        return
    with _bar(console) as bar:
        task = bar.add_task("", total=None, what=what)

        def start(total: int | None, what: str = what) -> None:
            bar.reset(task, what=what)
            bar.tasks[0].total = total  # None cannot be given to reset

        yield start, lambda name: bar.update(task, advance=1, description=name)


def _bar(console: Console) -> Progress:
    from rich.progress import (  # heavy, and not needed when piped
        BarColumn,
        MofNCompleteColumn,
        Progress,
        ProgressColumn,
        Task,
        TextColumn,
        TimeRemainingColumn,
    )

    class Rate(ProgressColumn):
        """How many files are done in a second."""

        def render(self, task: Task) -> Text:
            return Text(f"{task.speed:,.1f}/s" if task.speed else "", style="dim")

    return Progress(
        TextColumn("{task.fields[what]}"),
        BarColumn(bar_width=30, style="dim", complete_style="bold", finished_style="bold"),
        MofNCompleteColumn(),
        TextColumn("files"),
        Rate(),
        TextColumn("left"),
        TimeRemainingColumn(),
        TextColumn("{task.description}", markup=False),
        console=console,
        transient=True,
    )


_SIZE = 2
"""The column of a listing that stands to the right."""
_LEAST_NOTES = 24
"""At least this many columns are left for the notes of a listing; else each file has a line of its
own."""


def listing(rows: Sequence[Sequence[str]]) -> None:
    """Rows of texts in columns, the last but one being notes, and the last the style of the row.

    On a terminal that is too narrow the first text has a line of its own, and notes are folded.
    Thousands of rows are usual, so the columns are computed here and not by a table of rich.
    """
    console = out()
    columns = list(zip(*rows, strict=True))[:-2]
    widths = [max(map(display_width, column)) for column in columns]
    stacked = console.is_terminal and sum(widths) + 2 * len(widths) + _LEAST_NOTES > console.width
    for row in rows:
        *cells, notes, style = row
        cells[_SIZE] = cells[_SIZE].strip().rjust(widths[_SIZE])
        padded = [_padded(text, width) for text, width in zip(cells, widths, strict=True)]
        lead = "  ".join(padded[1:] if stacked else padded) + "  "
        lines = _noted("  " + lead if stacked else lead, notes, console)
        if stacked and cells[0]:
            # A file of which only the notes are told, because it has no tab that is read.
            lines = [cells[0], *(lines if any(cells[1:]) else _noted("  ", notes, console))]
        for line in lines:
            if style and console.is_terminal:
                console.print(Text(line, style=style), soft_wrap=True)
            else:
                console.file.write(clean(line) + "\n")


def _noted(lead: str, notes: str, console: Console) -> list[str]:
    """The lines of a row: its columns, and its notes beside them, or below if there is no room."""
    if not console.is_terminal or display_width(lead + notes) <= console.width:
        return [f"{lead}{notes}".rstrip()]
    room = console.width - display_width(lead)
    if room < _LEAST_NOTES:
        return [lead.rstrip(), *folded(f"    {notes}", console.width).split("\n")]
    first, *rest = folded(notes, room).split("\n")
    return [lead + first, *(" " * display_width(lead) + line.lstrip() for line in rest)]


def _padded(text: str, width: int) -> str:
    return text + " " * (width - display_width(text))


def _file_line(console: PlainConsole, reading: FileReading) -> None:
    """The result of one file, as it is read."""
    records = sum(tab.record_count for tab in reading.tabs)
    if reading.tabs:
        message = f"{counted(len(reading.tabs), 'tab')}, {counted(records, 'record')}"
    else:
        message = "nothing read"
    console.tell(f"{reading.name}: {message}")


def first_lines(path: Path, number: int) -> None:
    """The first records of a CSV file."""
    with path.open(encoding="utf-8", newline="") as stream:
        rows(list(islice(csv.reader(stream), number + 1)))


def rows(lines: Sequence[Sequence[str]]) -> None:
    """Records under their headings, as many columns as the terminal holds."""
    console = out()
    columns = list(zip(*lines, strict=True))
    widths = [max(map(len, column)) for column in columns]
    if sum(widths) + 2 * len(widths) > console.width:
        widths = [
            min(width, max(len(column[0]), WIDEST))
            for width, column in zip(widths, columns, strict=True)
        ]
    ends = list(accumulate(width + 2 for width in widths))
    shown = sum(end <= console.width for end in ends)
    table = Table(box=None, header_style="bold", pad_edge=False, padding=(0, 2, 0, 0))
    for column, width in zip(columns[:shown], widths, strict=False):
        numeric = all(cell.lstrip("-").isdecimal() for cell in column[1:])
        justify: Literal["left", "right"] = "right" if numeric else "left"
        table.add_column(column[0], justify=justify, width=width, no_wrap=True, overflow="ellipsis")
    for row in lines[1:]:
        table.add_row(*map(Text, row[:shown]))
    console.print(table)
    if shown < len(columns):
        # Named, so that nobody takes a column that is not shown for a missing one.
        console.print(f"and beside them {', '.join(lines[0][shown:])}")
