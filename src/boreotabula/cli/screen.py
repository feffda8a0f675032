"""What the commands print: summaries on stdout, findings and progress on stderr."""

from __future__ import annotations

import csv
import os
from collections import Counter
from collections.abc import Callable, Iterator, Sequence
from contextlib import contextmanager
from itertools import accumulate, islice
from pathlib import Path
from typing import TYPE_CHECKING, Literal

from rich.console import Console, ConsoleOptions, RenderableType
from rich.segment import Segment
from rich.table import Table
from rich.text import Text

from boreotabula.cli.role_looks import ROLE_LOOKS
from boreotabula.outputs.bases.address import address_of, is_server
from boreotabula.reading.account.roles import Account, Role
from boreotabula.reading.findings import Finding, Severity, in_order
from boreotabula.runs.compare.causes import by_cause, reach_of
from boreotabula.texts import agreeing, clean, counted

if TYPE_CHECKING:
    from rich.progress import Progress

    from boreotabula.runs.file.read import FileReading
    from boreotabula.runs.run.earlier import Since
    from boreotabula.runs.run.gather import Restated, Run

MOST_CAUSES = 12
"""So many causes are listed on screen; findings.csv holds every finding."""

_IN_FULL = 3
"""So many of them with all that there is to say."""

PIPED_WIDTH = 140
"""Columns of text where the output is no terminal."""

WIDEST = 24
"""Longer cells are cut in the view of the first records, where there is no room for all."""

# Readable on dark and on light terminals alike; the word stands beside the colour always.
_STYLES = {Severity.ERROR: "bold red", Severity.WARNING: "bold magenta", Severity.NOTE: ""}


class _PlainConsole(Console):
    """A console that takes texts as they are: no markup in them, no control characters."""

    def __init__(self, *, stderr: bool = False) -> None:
        super().__init__(stderr=stderr, highlight=False, soft_wrap=False, markup=False, emoji=False)

    def render(
        self, renderable: RenderableType, options: ConsoleOptions | None = None
    ) -> Iterator[Segment]:
        """What is drawn, piece by piece; the console's own control codes are apart from texts."""
        for one in super().render(renderable, options):
            yield one if one.control else Segment(clean(one.text), one.style)


def out() -> Console:
    """The console for results; wide where no terminal sets a width."""
    return _wide(_PlainConsole())


def err() -> Console:
    """The console for progress and findings."""
    return _wide(_PlainConsole(stderr=True))


def _wide(console: Console) -> Console:
    if not console.is_terminal and "COLUMNS" not in os.environ:
        console.width = PIPED_WIDTH
    return console


@contextmanager
def progress(total: int, *, shown: bool, verbose: bool) -> Iterator[Callable[[FileReading], None]]:
    """What is called after each file: moves a bar on a terminal, says a line if `verbose`."""
    console = err()
    if not (shown and console.is_terminal):
        yield (lambda reading: _file_line(console, reading)) if verbose else lambda _: None
        return
    with _bar(console, "reading") as bar:
        task = bar.add_task("", total=total)

        def on_file(reading: FileReading) -> None:
            bar.update(task, advance=1, description=reading.name)
            if verbose:
                _file_line(bar.console, reading)

        yield on_file


@contextmanager
def counting(
    what: str, *, shown: bool
) -> Iterator[tuple[Callable[[int], None], Callable[[str], None]]]:
    """A bar for any work on files: what to call with their number, and after each with its name."""
    console = err()
    if not (shown and console.is_terminal):
        yield (lambda _: None), (lambda _: None)
        return
    with _bar(console, what) as bar:
        task = bar.add_task("", total=None)
        yield (
            lambda total: bar.update(task, total=total),
            lambda name: bar.update(task, advance=1, description=name),
        )


def _bar(console: Console, what: str) -> Progress:
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
        TextColumn(what),
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


_WIDEST_CELL = 46
_SIZE = 2
"""The column of a listing that stands to the right."""


def listing(rows: Sequence[Sequence[str]]) -> None:
    """Rows of texts in columns, the last text of each row being its style.

    Thousands of rows are usual, so the columns are set by hand and not by a table of rich.
    """
    console = out()
    columns = list(zip(*rows, strict=True))[:-1]
    widths = [max(map(len, column)) for column in columns]
    if sum(widths) + 2 * len(widths) > console.width:
        widths = [min(one, _WIDEST_CELL) for one in widths]
    for row in rows:
        cells = [_cut(text, width) for text, width in zip(row[:-2], widths, strict=False)]
        cells[_SIZE] = cells[_SIZE].strip().rjust(widths[_SIZE])
        line = "  ".join([*cells, row[-2]]).rstrip()
        if row[-1] and console.is_terminal:
            console.print(Text(line, style=row[-1]), soft_wrap=True)
        else:
            console.file.write(clean(line) + "\n")


def _cut(text: str, width: int) -> str:
    """A text of just so many signs; of a longer one the middle is left out."""
    if len(text) > width:
        half = (width - 1) // 2
        text = f"{text[: width - 1 - half]}…{text[-half:]}"
    return text.ljust(width)


def summary(
    run: Run,
    written: Path | str | None,
    record: Path | str | None,
    console: Console | None = None,
    *,
    whole: bool = False,
) -> None:
    """The figures of a run: what matters first; the `whole` account, or one line of it."""
    console = console or out()
    console.print(Text(run.layout.spec.title or run.layout.path.stem, style="bold"))
    for line in _first_lines(run):
        console.print(line, soft_wrap=True)
    console.print()
    if whole:
        console.print(_roles(run))
    else:
        console.print(_shares(run.account, console.width), soft_wrap=True)
    if run.totals.printed:
        style = "" if run.totals.agree == run.totals.printed else "bold"
        said = agreeing(run.totals.agree, run.totals.printed)
        console.print(Text.assemble("  totals    ", (said, style)))
    if run.editions:
        counts = " · ".join(f"{title} {_count(n, 'tab')}" for title, n in run.editions.items())
        console.print(f"  editions  {counts}", soft_wrap=True)
    if written is not None:
        shown: object = written
        if isinstance(written, Path) and is_server(written):
            shown = address_of(written)
        console.print(f"  records   {shown}", soft_wrap=True)
    if record is not None:
        console.print(f"  findings  {record}", soft_wrap=True)


def _first_lines(run: Run) -> Iterator[Text]:
    """What a run gave: records, files, what needs a look, and what has changed since the last."""
    read = sum(file.read for file in run.files)
    left = f" · {_count(len(run.left_out), 'file')} left out" if run.left_out else ""
    yield Text.assemble(
        "  ",
        (_count(run.record_count, "record"), "bold"),
        f" from {read:,} of {_count(len(run.files), 'file')}"
        f" ({_count(run.tab_count, 'tab')}){left}",
    )
    yield _verdict(run)
    if run.since:
        changes = f"{_changes(run.since)}{_restated(run.restated)}"
        yield Text(f"  since the last run: {changes}")
    if run.rows:
        rows = run.rows
        yield Text(
            f"  rows: {rows.added:,} added, {rows.kept:,} kept, {rows.replaced:,} replaced,"
            f" {rows.gone:,} gone"
        )


_BAR = 32
_NARROW = 100
_SMALL = 0.02
"""Roles with a smaller share are not named in one line, but for unplaced cells."""


def _shares(account: Account, width: int) -> Text:
    """The account in one line: a letter of the bar is a part of all filled cells."""
    roles = sorted(
        (role for role in Role if account.roles[role]), key=lambda role: -account.roles[role]
    )
    text = Text(f"  cells     {account.filled:,} filled  ")
    if not roles:
        return text
    for role, length in zip(roles, _lengths([account.roles[role] for role in roles]), strict=True):
        letter, style = ROLE_LOOKS[role]
        # A cell that is unplaced is seen, however many others there are.
        text.append(letter * max(length, role is Role.UNPLACED), style)
    text.append("\n            " if width < _NARROW else "  ")
    named = [one for one in roles if one is not Role.UNPLACED
             and account.roles[one] >= _SMALL * account.filled]  # fmt: skip
    parts = [
        f"{ROLE_LOOKS[one][0]} {one.word} {100 * account.roles[one] / account.filled:.0f} %"
        for one in named
    ]
    text.append(", ".join(parts))
    if unplaced := account.roles[Role.UNPLACED]:
        text.append(", ")
        text.append(f"? {unplaced:,} unplaced", ROLE_LOOKS[Role.UNPLACED][1])
    return text


def _lengths(counts: Sequence[int]) -> list[int]:
    """Counts, the largest first, as lengths of parts of a bar; the first makes up for rounding."""
    total = sum(counts)
    lengths = [round(_BAR * one / total) for one in counts]
    return [lengths[0] + _BAR - sum(lengths), *lengths[1:]]


def _restated(found: Restated | None) -> str:
    """What was restated, in brackets."""
    if not found:
        return ""
    parts = [f"{_count(found.values, 'value')} restated"] if found.values else []
    parts += [f"{_count(found.records, 'record')} no longer there"] if found.records else []
    return f" ({', '.join([*parts, *found.sums])})"


def _changes(since: Since) -> str:
    counts = {
        "new": len(since.new), "changed": len(since.changed), "renamed": len(since.renamed),
        "gone": len(since.gone), "unchanged": since.unchanged,
    }  # fmt: skip
    return ", ".join(f"{number:,} {what}" for what, number in counts.items() if number)


def _count(number: int, what: str) -> str:
    return f"{number:,} {what}" + ("" if number == 1 else "s")


def _roles(run: Run) -> Table:
    """How many filled cells have which role; the rules that left cells out by name."""
    table = Table(box=None, pad_edge=False, padding=(0, 2, 0, 0), show_header=False)
    table.add_column()
    table.add_column(justify="right")
    table.add_column()
    account = run.account
    table.add_row("  cells", f"{account.filled:,}", "filled")
    for role in (*(one for one in Role if one is not Role.UNPLACED), Role.UNPLACED):
        count = account.roles[role]
        if not count:
            continue
        style = "bold" if role is Role.UNPLACED else ""
        why = _rules(account) if role is Role.LEFT_OUT else ""
        table.add_row(Text(f"    {role.word}"), Text(f"{count:,}", style=style), Text(why))
    return table


def _rules(account: Account) -> str:
    """How many cells each kind of rule left out; run.json has every rule by itself."""
    kinds: Counter[str] = Counter()
    for rule, number in account.left_out.items():
        kinds[rule.partition(":")[0]] += number
    return ", ".join(f"by {kind} {number:,}" for kind, number in kinds.items())


def _verdict(run: Run) -> Text:
    counts = run.severities
    if not counts:
        return Text("  Nothing needs a look.", style="bold")
    text = Text("  needs a look: ")
    parts = [
        (_count(counts[severity], str(severity)), _STYLES[severity])
        for severity in Severity
        if counts[severity]
    ]
    for place, (part, style) in enumerate(parts):
        text.append(", " if place else "")
        text.append(part, style=style)
    return text


def findings(some: Sequence[Finding], *, every: bool) -> None:
    """Findings grouped by cause, worst first; all of them one by one if `every`."""
    console = err()
    groups = [[one] for one in in_order(some)] if every else by_cause(some)
    groups = groups if every else [one for one in groups if one[0].severity is not Severity.NOTE]
    whole = len(groups) if every else _IN_FULL
    for group in groups[:whole]:
        first = group[0]
        console.print()
        console.print(_head(first), soft_wrap=True)
        for said in (f"{first.message}{reach_of(group)}", f"→ {first.advice}"):
            for line in Text(said).wrap(console, console.width - 2):
                line.rstrip()
                console.print(Text("  ") + line, soft_wrap=True)
    if groups[whole:]:
        console.print()
    for group in groups[whole:MOST_CAUSES]:
        line = _head(group[0])
        line.append(f"  {group[0].message}{reach_of(group)}")
        line.truncate(console.width, overflow="ellipsis")
        console.print(line, no_wrap=True)
    if groups[whole:]:
        more = len(groups) - MOST_CAUSES
        also = f"… and {counted(more, 'more cause')} in findings.csv; " if more > 0 else ""
        console.print(f"{also}--verbose shows each in full")


def _head(finding: Finding) -> Text:
    return Text.assemble(
        (f"{finding.severity}", _STYLES[finding.severity]), "  ", (_where(finding), "bold")
    )


def _where(finding: Finding) -> str:
    parts = [finding.file, finding.tab, finding.cell]
    return " › ".join(part for part in parts if part) or "the whole run"


def _file_line(console: Console, reading: FileReading) -> None:
    """What came of one file, as it is read."""
    records = sum(tab.record_count for tab in reading.tabs)
    if reading.tabs:
        said = f"{_count(len(reading.tabs), 'tab')}, {_count(records, 'record')}"
    else:
        said = "nothing read"
    console.print(f"{reading.name}: {said}", soft_wrap=True, markup=False)


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
        console.print(f"and beside them {', '.join(lines[0][shown:])}")
