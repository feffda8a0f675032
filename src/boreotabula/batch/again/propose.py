"""What a layout needs after the form has changed: changes with which the files read better.

The suggestions come from the findings of a run, and from what a new draft of the same files has and
the layout lacks. Each change is tried by reading the files with it. It is judged in bits, as the
candidates of a draft are: it stays if it saves more than it costs to write down.
"""

from __future__ import annotations

from collections.abc import Callable, Iterator, Sequence
from dataclasses import dataclass, replace
from functools import partial
from math import log2

from boreotabula.batch.again.from_draft import draft_amendments, new_draft
from boreotabula.batch.again.from_findings import finding_amendments
from boreotabula.batch.file.read import FileReading
from boreotabula.batch.inputs import NO_PATTERN, Inbox, look
from boreotabula.batch.layouts.load import Layout
from boreotabula.batch.run.gather import read_figures
from boreotabula.batch.run.outcome import Run
from boreotabula.drafting.asking.amend import (
    Amendment,
    amended,
    pattern_changed,
)
from boreotabula.drafting.labels.names import without_periods
from boreotabula.drafting.search.judging import BITS_OF_TEXT
from boreotabula.drafting.texts.bits import KEY, NAME, bits_of_letters
from boreotabula.findings.finding import Finding
from boreotabula.findings.kind import Severity
from boreotabula.layout.problems import LayoutError
from boreotabula.limits import Limits
from boreotabula.texts import counted

_ROUNDS = 3
"""A change can reveal what was hidden before. More rounds than these reveal nothing new."""
_MOST_FILES = 60
"""A proposal is tried on this many files at most, since it is run once for each change."""


@dataclass(frozen=True)
class Proposal:
    """How a layout could change, and the result."""

    layout: Layout
    before: str
    after: str
    """The text of the layout before and after the changes."""
    changes: tuple[Amendment, ...]
    run: Run
    """The run with the unchanged layout, over the files that were read."""
    better: Run
    """The run with the changes."""
    more: int = 0
    """How many files were not read, because enough others were."""


def propose(
    layout: Layout,
    limits: Limits | None = None,
    on_file: Callable[[FileReading], None] | None = None,
    on_start: Callable[[int], None] | None = None,
) -> Proposal:
    """Look for the changes that a layout needs to read the present files of its folders.

    Raises CallError if a source folder is missing.
    """
    limits = limits or Limits()
    whole = look(layout)
    if on_start is not None:
        on_start(len(whole.taken))
    first = read_figures(layout, whole, limits, on_file)
    # The whole folder is read once; each change is then tried only on files that had findings.
    inbox = _those_in_question(whole, first)
    text = layout.path.read_text("utf-8-sig")
    unread = len(whole.taken) - len(inbox.taken)
    # The same files before and after: a comparison of different files would say nothing.
    start = best = read_figures(layout, inbox, limits, None) if unread else first
    taken = list(_of_names(layout, text, whole, limits))
    if taken:
        layout_now = Layout.load(layout.path, amended(text, taken))
        inbox = _with_more(inbox, whole, look(layout_now))
        best = read_figures(layout_now, inbox, limits, None)
    search = _Search(layout, text, taken, inbox, limits, best, best.account.filled)
    search.go_on(finding_amendments)
    # Drafting costs more than all trials together, so it is left out where nothing is
    # unexplained.
    if bits_left(search.best, search.filled):
        new = new_draft(layout, search.inbox, limits)
        if new is not None:
            search.go_on(partial(draft_amendments, new))
            # What the draft brought may make findings speak that could not before.
            search.go_on(finding_amendments)
    taken, best = search.taken, search.best
    return Proposal(
        layout, text, amended(text, taken), tuple(taken), start, best,
        unread,
    )  # fmt: skip


Suggester = Callable[[Layout, Run, Inbox, Limits], Iterator[Amendment]]
"""Suggests changes, given a layout, its run, the files of it, and the limits."""


@dataclass
class _Search:
    """The changes that are accepted so far, and the run with them."""

    layout: Layout
    text: str
    taken: list[Amendment]
    inbox: Inbox
    limits: Limits
    best: Run
    filled: int
    """The filled cells of the files as they were first read."""

    def go_on(self, source: Suggester) -> None:
        """Try the suggestions of a source, until none of them makes the files read better."""
        for _ in range(_ROUNDS):
            before = len(self.taken)
            layout = self._layout_with(())
            assert layout is not None  # what is taken was read before
            # Two findings may suggest the same change; each text is tried once.
            tried = {amended(self.text, self.taken)}
            # As a list, since the generator reads the run that a taken change replaces.
            for change in list(source(layout, self.best, self.inbox, self.limits)):
                text = amended(self.text, [*self.taken, change])
                if text not in tried:
                    tried.add(text)
                    self._try(change)
            if len(self.taken) == before:
                return

    def _try(self, change: Amendment) -> None:
        other_layout = self._layout_with([change])
        if other_layout is None:
            return  # it would contradict what a person wrote
        # What files are read may depend on the change.
        run = read_figures(
            other_layout, _those_of(look(other_layout), self.inbox), self.limits, None
        )
        before = bits_left(self.best, self.filled)
        # A change must save more than the key and the name cost that it adds to the layout;
        # otherwise anything that helps by chance would be taken.
        if bits_left(run, self.filled) + KEY + NAME < before:
            self.best = run
            self.taken.append(change)

    def _layout_with(self, more_amendments: Sequence[Amendment]) -> Layout | None:
        try:
            return Layout.load(
                self.layout.path, amended(self.text, [*self.taken, *more_amendments])
            )
        except LayoutError:
            return None


def _of_names(layout: Layout, text: str, inbox: Inbox, limits: Limits) -> Iterator[Amendment]:
    """Patterns of files that leave some out only by a number or period, though their tabs are read
    without an error."""
    left_out = [omission.name for omission in inbox.left_out if omission.why == NO_PATTERN]
    if not left_out:
        return
    known_names = {source.name for source in inbox.taken}
    # The patterns one by one: opening all at once could take in files of another form.
    for old in map(str, layout.spec.source.include):
        new = without_periods(old)
        if new == old:
            continue
        opened = Amendment("", "", pattern_changed("source", "include", old, new))
        try:
            other_layout = Layout.load(layout.path, amended(text, [opened]))
        except LayoutError:
            continue  # it would contradict what a person wrote
        more_inbox = look(other_layout)
        added = tuple(source for source in more_inbox.taken if source.name not in known_names)
        if not added:
            continue
        run = read_figures(
            other_layout, replace(more_inbox, taken=added[:_MOST_FILES]), limits, None
        )
        # Files with errors are not taken in silently by a wider pattern; a person decides about
        # them.
        if run.record_count and not run.severities[Severity.ERROR]:
            known_names |= {source.name for source in added}
            text = amended(text, [opened])
            files = counted(len(added), "file")
            message = f"{files} more would be read without an error if “{old}” were “{new}”"
            yield replace(opened, said=message, where=added[0].name)


def _with_more(inbox: Inbox, before: Inbox, after: Inbox) -> Inbox:
    """Some files, and those that are added only afterwards."""
    names = {source.name for source in inbox.taken} | (
        {source.name for source in after.taken} - {source.name for source in before.taken}
    )
    return replace(after, taken=tuple(source for source in after.taken if source.name in names))


def bits_left(run: Run, filled: int) -> float:
    """What the records of a run do not explain, in bits; less is better.

    Each cell in no record, and each finding, costs its place among this many filled cells and its
    content. Compared runs share a scale: reading more tabs does not make places dearer.
    """
    # The place of a cell costs the same for both runs, so that reading more tabs is not punished.
    place = log2(filled + 1)
    unplaced = sum(place + bits_of_letters(cell.text) for cell in run.unplaced)
    findings = (finding for finding in run.findings if not finding.accepted)
    return unplaced + sum(place + _bits_of_finding(finding) for finding in findings)


def _bits_of_finding(finding: Finding) -> float:
    """The content of a finding's cell; missing content costs as much as a short text.

    A note says that a cell was read, so it costs no more than its place.
    """
    if finding.severity is Severity.NOTE:
        return 0.0
    return bits_of_letters(finding.found) if finding.found else BITS_OF_TEXT


def _those_in_question(inbox: Inbox, run: Run) -> Inbox:
    """The files with findings, and some of the others for comparison."""
    files = {finding.file for finding in run.findings}
    # Files with findings first, since these decide; the others guard against making them worse.
    first = [source for source in inbox.taken if source.name in files]
    rest = [source for source in inbox.taken if source.name not in files]
    names = {source.name for source in [*first, *rest][:_MOST_FILES]}
    return replace(inbox, taken=tuple(source for source in inbox.taken if source.name in names))


def _those_of(inbox: Inbox, like: Inbox) -> Inbox:
    names = {source.name for source in like.taken}
    return replace(inbox, taken=tuple(source for source in inbox.taken if source.name in names))
