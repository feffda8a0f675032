"""What a run gave, and what needs a look: figures on stdout, findings on stderr."""

from __future__ import annotations

from collections import Counter
from collections.abc import Iterator, Sequence
from typing import TYPE_CHECKING

from rich.table import Table
from rich.text import Text

from boreotabula.batch.compare.causes import by_cause, reach_of
from boreotabula.cli.role_looks import ROLE_LOOKS
from boreotabula.cli.screen import PlainConsole, err, out
from boreotabula.findings.finding import Finding, in_order
from boreotabula.findings.kind import Severity
from boreotabula.reading.account.roles import Account, Role
from boreotabula.texts import agreeing, counted

if TYPE_CHECKING:
    from boreotabula.batch.run.earlier import Since
    from boreotabula.batch.run.gather import Restated, Run

MOST_CAUSES = 12
"""So many causes are listed on screen; findings.csv holds every finding."""

_IN_FULL = 3
"""So many of them with all that there is to say."""

# Readable on dark and on light terminals alike; the word stands beside the colour always.
_STYLES = {Severity.ERROR: "bold red", Severity.WARNING: "bold magenta", Severity.NOTE: ""}


def figures(
    run: Run,
    written: str | None,
    record: str | None,
    console: PlainConsole | None = None,
    *,
    whole: bool = False,
) -> None:
    """The figures of a run: what matters first; the `whole` account, or one line of it."""
    console = console or out()
    console.print(Text(run.layout.spec.title or run.layout.path.stem, style="bold"))
    for line in _first_lines(run):
        console.tell(line)
    console.print()
    if whole:
        console.print(_roles(run))
    else:
        console.tell(_shares(run.account, console.width))
    if run.totals.printed:
        style = "" if run.totals.agree == run.totals.printed else "bold"
        message = agreeing(run.totals.agree, run.totals.printed)
        console.print(Text.assemble("  totals    ", (message, style)))
    if run.editions:
        counts = " · ".join(f"{title} {counted(n, 'tab')}" for title, n in run.editions.items())
        console.tell(f"  editions  {counts}")
    if written is not None:
        console.tell(f"  records   {written}")
    if record is not None:
        console.tell(f"  findings  {record}")


def _first_lines(run: Run) -> Iterator[Text]:
    """What a run gave: records, files, what needs a look, and what has changed since the last."""
    read = sum(file.read for file in run.files)
    left = f" · {counted(len(run.left_out), 'file')} left out" if run.left_out else ""
    yield Text.assemble(
        "  ",
        (counted(run.record_count, "record"), "bold"),
        f" from {read:,} of {counted(len(run.files), 'file')}"
        f" ({counted(run.tab_count, 'tab')}){left}",
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
    named = [role for role in roles if role is not Role.UNPLACED
             and account.roles[role] >= _SMALL * account.filled]  # fmt: skip
    parts = [
        f"{ROLE_LOOKS[role][0]} {role.word} {100 * account.roles[role] / account.filled:.0f} %"
        for role in named
    ]
    shares = Text(", ".join(part.replace(" ", "\u00a0") for part in parts))
    if unplaced := account.roles[Role.UNPLACED]:
        shares.append(", ")
        shares.append(f"?\u00a0{unplaced:,}\u00a0unplaced", ROLE_LOOKS[Role.UNPLACED][1])
    beside = len(text) + 2 + len(shares) <= width
    return text + Text("  " if beside else "\n            ") + shares


def _lengths(counts: Sequence[int]) -> list[int]:
    """Counts, the largest first, as lengths of parts of a bar; the first makes up for rounding."""
    total = sum(counts)
    lengths = [round(_BAR * count / total) for count in counts]
    return [lengths[0] + _BAR - sum(lengths), *lengths[1:]]


def _restated(restatement: Restated | None) -> str:
    """What was restated, in brackets."""
    if not restatement:
        return ""
    parts = [f"{counted(restatement.values, 'value')} restated"] if restatement.values else []
    parts += (
        [f"{counted(restatement.records, 'record')} no longer there"] if restatement.records else []
    )
    return f" ({', '.join([*parts, *restatement.sums])})"


def _changes(since: Since) -> str:
    counts = {
        "new": len(since.new), "changed": len(since.changed), "renamed": len(since.renamed),
        "gone": len(since.gone), "unchanged": since.unchanged,
    }  # fmt: skip
    return ", ".join(f"{number:,} {what}" for what, number in counts.items() if number)


def _roles(run: Run) -> Table:
    """How many filled cells have which role; the rules that left cells out by name."""
    table = Table(box=None, pad_edge=False, padding=(0, 2, 0, 0), show_header=False)
    table.add_column()
    table.add_column(justify="right")
    table.add_column()
    account = run.account
    table.add_row("  cells", f"{account.filled:,}", "filled")
    for role in (*(role for role in Role if role is not Role.UNPLACED), Role.UNPLACED):
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
        (counted(counts[severity], str(severity)), _STYLES[severity])
        for severity in Severity
        if counts[severity]
    ]
    for place, (part, style) in enumerate(parts):
        text.append(", " if place else "")
        text.append(part, style=style)
    return text


def findings(
    values: Sequence[Finding], *, every: bool, more: str = "--verbose shows each in full"
) -> None:
    """Findings grouped by cause, worst first; all of them one by one if `every`.

    `more` says how to see all that is not shown in full.
    """
    console = err()
    groups = [[finding] for finding in in_order(values)] if every else by_cause(values)
    groups = (
        groups if every else [group for group in groups if group[0].severity is not Severity.NOTE]
    )
    whole = len(groups) if every else _IN_FULL
    for group in groups[:whole]:
        first = group[0]
        console.print()
        console.tell(_head(first))
        console.tell(f"  {first.message}{reach_of(group)}")
        console.tell(f"  → {first.advice}")
    if groups[whole:]:
        console.print()
    for group in groups[whole:MOST_CAUSES]:
        line = _head(group[0])
        line.append(f"  {group[0].message}{reach_of(group)}")
        line.truncate(console.width, overflow="ellipsis")
        console.print(line, no_wrap=True)
    left = len(groups) - MOST_CAUSES
    hints = [f"… and {counted(left, 'more cause')}"] if groups[whole:] and left > 0 else []
    hints += [more] if groups[whole:] and more else []
    if hints:
        console.print("; ".join(hints))


def _head(finding: Finding) -> Text:
    return Text.assemble(
        (f"{finding.severity}", _STYLES[finding.severity]), "  ", (_where(finding), "bold")
    )


def _where(finding: Finding) -> str:
    parts = [finding.file, finding.tab, finding.cell]
    return " › ".join(part for part in parts if part) or "the whole run"
