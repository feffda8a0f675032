"""Findings about the files of an inbox, and about patterns that match nothing."""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from pathlib import PurePosixPath

from boreotabula.batch.file.findings import name_ambiguous
from boreotabula.batch.inputs import NO_PATTERN, Inbox, SourceFile
from boreotabula.batch.layouts.load import Layout
from boreotabula.batch.run.outcome import FileSummary
from boreotabula.findings.finding import Finding
from boreotabula.findings.places import Rule
from boreotabula.findings.subjects.files import FILE_NOT_CHOSEN, NO_FILE_MATCHES, TAB_PATTERN_UNUSED
from boreotabula.findings.subjects.totals import RULE_UNUSED


def empty_inbox(inbox: Inbox, layout: Layout) -> Iterator[Finding]:
    if not inbox.taken:
        yield NO_FILE_MATCHES(
            folders=list(layout.folders),
            left_out=len(inbox.left_out),
            patterns=", ".join(map(str, layout.spec.source.include)) or "*",
            names=[omission.name for omission in inbox.left_out],
        )


def passed_over(inbox: Inbox) -> Iterator[Finding]:
    """A finding: files that match no pattern, though they have the ending of those that do; perhaps
    a misspelt name."""
    # Told by the ending only, as pictures and letters lie beside reports.
    endings = {source.path.suffix.casefold() for source in inbox.taken}
    for omission in inbox.left_out:
        if omission.why == NO_PATTERN and PurePosixPath(omission.name).suffix.casefold() in endings:
            yield FILE_NOT_CHOSEN(file=omission.name, why=NO_PATTERN)


def not_seen(inbox: Inbox) -> Iterator[Finding]:
    """Findings about what was left out although it may hold reports."""
    for omission in inbox.left_out:
        if omission.kind:
            yield omission.kind(file=omission.name, why=omission.why)


def ambiguous_names(inbox: Inbox) -> Iterator[Finding]:
    """Findings about names that match their pattern in two ways, once for each pattern."""
    sources: dict[str, list[SourceFile]] = {}
    for source in inbox.taken:
        if source.other is not None:
            sources.setdefault(source.pattern, []).append(source)
    for text, group in sources.items():
        first = group[0]
        # One for each pattern: with a pattern that is unclear all names are.
        yield name_ambiguous(text, first.name, first.captured, first.other or {}, len(group))


def idle_pattern(text: str) -> Finding:
    return TAB_PATTERN_UNUSED(pattern=text)


def idle_rules(layout: Layout, files: Sequence[FileSummary]) -> Iterator[Finding]:
    """Findings about rules for the surroundings of tables that cover nothing in the whole run."""
    blocks = [block for form in layout.plan.forms for block in form.blocks]
    rules = {rule for file in files for rule in file.account.left_out}
    for rule, flag in (
        (Rule.BELOW, any(block.below == "leave out" for block in blocks)),
        (Rule.BESIDE, any(block.beside == "leave out" for block in blocks)),
    ):
        # A rule that covers nothing may be for files that come later; a run without a tab says
        # nothing about it.
        if flag and rule not in rules and any(file.tabs for file in files):
            yield RULE_UNUSED(rule=f'{rule} = "leave out"')
