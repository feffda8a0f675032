"""The results of a run, and what needs a look: figures on stdout, findings on stderr."""

from __future__ import annotations

from collections import Counter
from collections.abc import Callable, Iterator, Sequence
from dataclasses import dataclass
from typing import TYPE_CHECKING

from rich.table import Table
from rich.text import Text

from boreotabula.batch.compare.causes import by_cause, by_code, reach_of
from boreotabula.cli.role_looks import ROLE_LOOKS
from boreotabula.cli.screen import PlainConsole, err, out
from boreotabula.findings.finding import Finding, in_order
from boreotabula.findings.kind import Severity
from boreotabula.reading.account.roles import Account, Role
from boreotabula.texts import agreeing, counted

if TYPE_CHECKING:
    from boreotabula.batch.run.earlier import Since
    from boreotabula.batch.run.outcome import Restated, Run

MOST_CODES = 12
"""At most this many codes are listed on screen; findings.csv holds every finding."""

_IN_FULL = 3
"""This many causes of a code are listed in full."""

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
    """The figures of a run, most important first; the `whole` account, or one line of it."""
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
        console.tell(f"  findings  {record}/findings.csv")


def _first_lines(run: Run) -> Iterator[Text]:
    """The results of a run: records, files, what needs a look, and changes since the last run."""
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
"""Roles with a smaller share are not named in one line, except unplaced cells."""


def _shares(account: Account, width: int) -> Text:
    """The account in one line: a letter of the bar is a share of all filled cells."""
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
    """Counts, largest first, as lengths of parts of a bar; the first makes up for rounding."""
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
    """How many cells each kind of rule left out; run.json has every single rule."""
    kinds: Counter[str] = Counter()
    for rule, number in account.left_out.items():
        # The pattern of the single rule stands after the colon.
        kinds[rule.partition(":")[0]] += number
    return ", ".join(f"by {kind} {number:,}" for kind, number in kinds.items())


def _verdict(run: Run) -> Text:
    counts = run.severities
    accepted = f"{counted(run.accepted, 'finding')} accepted" if run.accepted else ""
    if not counts:
        rest = f" {accepted.capitalize()}." if accepted else ""
        return Text.assemble("  ", ("Nothing to check.", "bold"), rest)
    text = Text("  To check: ")
    parts = [
        (counted(counts[severity], str(severity)), _STYLES[severity])
        for severity in Severity
        if counts[severity]
    ]
    for place, (part, style) in enumerate(parts):
        text.append(", " if place else "")
        text.append(part, style=style)
    return text.append(f"; {accepted}") if accepted else text


@dataclass(frozen=True)
class SenderOf:
    """What senders are called, and who sent the file of a finding."""

    called: str
    of: Callable[[Finding], str]


_BY_FILE = SenderOf("file", lambda finding: finding.file)


def findings(
    values: Sequence[Finding],
    *,
    every: bool,
    more: str = "--verbose shows each in full",
    sender: SenderOf | None = None,
) -> None:
    """Findings by code and cause, most severe first; if `every`, all of them one by one.

    For a code with many causes the first is shown in full, and the number of findings of each
    `sender`. `more` says how to see everything that is not shown in full.
    """
    console = err()
    if every:
        for finding in in_order(values):
            _print_cause(console, [finding])
            if finding.accepted:
                console.tell(f"  accepted by {finding.accepted}")
        return
    causes = by_cause(finding for finding in values if not finding.accepted)
    # Notes need no action; findings.csv has them.
    graver = [cause for cause in causes if cause[0].severity is not Severity.NOTE]
    codes = by_code(graver)
    for group in codes[:MOST_CODES]:
        if len(group) <= _IN_FULL:
            for cause in group:
                _print_cause(console, cause)
            continue
        # The same fault in the words of each of thirty senders would fill the screen.
        together = [finding for cause in group for finding in cause]
        _print_cause(console, group[0], _count_of(together))
        console.tell(f"  {_senders(together, sender or _BY_FILE)}")
    left = len(codes) - MOST_CODES
    hints = [f"… and {counted(left, 'more code')}"] if left > 0 else []
    cut = left > 0 or any(len(group) > _IN_FULL for group in codes)
    hints += [more] if cut and more else []
    if hints:
        console.print(f"\n{'; '.join(hints)}")


def _print_cause(console: PlainConsole, cause: Sequence[Finding], count: str = "") -> None:
    """A cause in full: its first place, what is there, what to do; `count` is the number of
    findings of its code."""
    first = cause[0]
    console.print()
    if count:
        head = Text(str(first.severity), _STYLES[first.severity])
        console.tell(head.append(f"  {first.code}", "bold").append(f"  {count}", ""))
        console.tell(Text.assemble("  ", (_where(first), "bold")))
    else:
        console.tell(_head(first))
    console.tell(f"  {first.message}{reach_of(cause)}")
    console.tell(f"  → {first.advice}")


def _count_of(group: Sequence[Finding]) -> str:
    files = len({finding.file for finding in group})
    return f"{len(group):,} in {counted(files, 'file')}"


def _senders(group: Sequence[Finding], sender: SenderOf) -> str:
    """How many of the findings each sender has, the sender with most first."""
    counts = Counter(map(sender.of, group)).most_common()
    shown = ", ".join(f"{name} {count:,}" for name, count in counts[:_MOST_SENDERS])
    rest = len(counts) - _MOST_SENDERS
    return f"by {sender.called}: {shown}" + (f" and {rest:,} more" if rest > 0 else "")


_MOST_SENDERS = 5


def _head(finding: Finding) -> Text:
    return Text.assemble(
        (f"{finding.severity}", _STYLES[finding.severity]), "  ", (_where(finding), "bold")
    )


def _where(finding: Finding) -> str:
    parts = [finding.file, finding.tab, finding.cell]
    return " › ".join(part for part in parts if part) or "the whole run"
