"""What a layout needs since the form has changed: changes that make the files read better.

What the findings of a run speak for is tried, one change after the other, by reading the files with
it; a change stays if there are fewer errors, else fewer cells in no record, else less to look at.
"""

from __future__ import annotations

from collections.abc import Callable, Iterator, Sequence
from dataclasses import dataclass, replace

from boreotabula.batch.draft import Looked, look_into
from boreotabula.batch.file.read import FileReading
from boreotabula.batch.headings.collect import HeadingUse, list_headings
from boreotabula.batch.headings.suggest import suggestions
from boreotabula.batch.inputs import NO_PATTERN, Inbox, look
from boreotabula.batch.layouts.load import Layout
from boreotabula.batch.run.gather import Run, read_figures
from boreotabula.drafting.asking.amend import (
    Amendment,
    amended,
    heading_known,
    label_known,
    new_field,
    of_block,
    of_part,
    pattern_changed,
)
from boreotabula.drafting.labels.names import without_periods
from boreotabula.drafting.labels.pairs import Pair, pairs_of
from boreotabula.drafting.tabs.tab_tables import tables_of
from boreotabula.drafting.texts.types import NOTHING
from boreotabula.drafting.texts.words import field_name, total_pattern
from boreotabula.findings.files import NO_TAB_MATCHES, TAB_NOT_CHOSEN
from boreotabula.findings.finding import Finding
from boreotabula.findings.kind import FindingKind, Severity
from boreotabula.findings.stamps import STAMP_NOT_FOUND
from boreotabula.findings.totals import (
    LOOKS_LIKE_TOTAL,
    TEXTS_REPEATED,
    TEXTS_UNPLACED,
    TOTAL_LIKELY,
)
from boreotabula.findings.values import COLUMN_NOT_CONVERTED, VALUE_NOT_CONVERTED
from boreotabula.layout.headings import normal_form
from boreotabula.layout.patterns import Kind, pattern
from boreotabula.layout.problems import LayoutError
from boreotabula.limits import Limits
from boreotabula.reading.plan import StampPlan
from boreotabula.reading.values.convert import convert
from boreotabula.sheets.sheet import Sheet
from boreotabula.texts import counted

_ROUNDS = 3
"""A change can show what was hidden before it; more rounds show nothing new."""
_MOST_FILES = 60
_CERTAIN = 0.5
"""So certain a suggestion must be to be tried."""


@dataclass(frozen=True)
class Proposal:
    """What a layout could be, and what it gives then."""

    layout: Layout
    before: str
    after: str
    """The text of the layout, as it is and with the changes."""
    changes: tuple[Amendment, ...]
    run: Run
    """The run by the layout as it is, over the files that were looked at."""
    better: Run
    """The same with the changes."""
    more: int = 0
    """So many files were not looked at, as there are enough."""


def propose(
    layout: Layout,
    limits: Limits | None = None,
    on_file: Callable[[FileReading], None] | None = None,
    on_start: Callable[[int], None] | None = None,
) -> Proposal:
    """Look for what a layout needs, to read the files that are in its folders now.

    Raises CallError if a source folder is not there.
    """
    limits = limits or Limits()
    whole = look(layout)
    if on_start is not None:
        on_start(len(whole.taken))
    first = read_figures(layout, whole, limits, on_file)
    inbox = _those_in_question(whole, first)
    text = layout.path.read_text("utf-8-sig")
    unread = len(whole.taken) - len(inbox.taken)
    few = unread > 0
    start = best = read_figures(layout, inbox, limits, None) if few else first
    taken = list(_of_names(layout, text, whole, limits))
    if taken:
        layout_now = Layout.load(layout.path, amended(text, taken))
        inbox = _with_more(inbox, whole, look(layout_now))
        best = read_figures(layout_now, inbox, limits, None)
    tried = {amended(text, taken)}
    for _ in range(_ROUNDS):
        before = len(taken)
        for one in list(_amendments(best, inbox, limits)):
            changed = amended(text, [*taken, one])
            if changed in tried:
                continue
            tried.add(changed)
            try:
                other = Layout.load(layout.path, changed)
            except LayoutError:
                continue  # it would contradict what a person wrote
            # What files are read may depend on the change.
            found = read_figures(other, _those_of(look(other), inbox), limits, None)
            if _rank(found) < _rank(best):
                best = found
                taken.append(one)
                tried = {changed}
        if len(taken) == before:
            break
    return Proposal(
        layout, text, amended(text, taken), tuple(taken), start, best,
        unread,
    )  # fmt: skip


def _of_names(layout: Layout, text: str, inbox: Inbox, limits: Limits) -> Iterator[Amendment]:
    """Patterns of files that leave some out by a number or period alone, though their tabs are read
    without an error."""
    left_out = [one.name for one in inbox.left_out if one.why == NO_PATTERN]
    if not left_out:
        return
    known = {source.name for source in inbox.taken}
    for old in layout.spec.source.include:
        new = without_periods(old)
        if new == old:
            continue
        opened = Amendment("", "", pattern_changed("source", "include", old, new))
        try:
            other = Layout.load(layout.path, amended(text, [opened]))
        except LayoutError:
            continue  # it would contradict what a person wrote
        more = look(other)
        added = tuple(source for source in more.taken if source.name not in known)
        if not added:
            continue
        run = read_figures(other, replace(more, taken=added[:_MOST_FILES]), limits, None)
        if run.record_count and not run.severities[Severity.ERROR]:
            known |= {source.name for source in added}
            text = amended(text, [opened])
            files = counted(len(added), "file")
            said = f"{files} more would be read without an error if “{old}” were “{new}”"
            yield replace(opened, said=said, where=added[0].name)


def _with_more(inbox: Inbox, before: Inbox, after: Inbox) -> Inbox:
    """Some files, and those that are taken only afterwards."""
    names = {one.name for one in inbox.taken} | (
        {one.name for one in after.taken} - {one.name for one in before.taken}
    )
    return replace(after, taken=tuple(one for one in after.taken if one.name in names))


def _rank(run: Run) -> tuple[int, ...]:
    """How much there is to look at; less is better."""
    severities = run.severities
    return (
        severities[Severity.ERROR],
        len(run.unplaced),
        severities[Severity.WARNING],
        severities[Severity.NOTE],
    )


def _those_in_question(inbox: Inbox, run: Run) -> Inbox:
    """The files of which something was said, and some of the others to hold them against."""
    said = {one.file for one in run.findings}
    first = [one for one in inbox.taken if one.name in said]
    rest = [one for one in inbox.taken if one.name not in said]
    names = {one.name for one in [*first, *rest][:_MOST_FILES]}
    return replace(inbox, taken=tuple(one for one in inbox.taken if one.name in names))


def _those_of(inbox: Inbox, like: Inbox) -> Inbox:
    names = {one.name for one in like.taken}
    return replace(inbox, taken=tuple(one for one in inbox.taken if one.name in names))


# --- what findings speak for ---------------------------------------------------------------------


def _amendments(run: Run, inbox: Inbox, limits: Limits) -> Iterator[Amendment]:
    by_kind: dict[FindingKind, list[Finding]] = {}
    for one in run.findings:
        by_kind.setdefault(one.kind, []).append(one)
    yield from _of_tabs(run.layout, by_kind, inbox, limits)
    yield from _of_stamps(run.layout, by_kind, inbox, limits)
    yield from _of_headings(run.layout, inbox, limits)
    yield from _of_totals(by_kind)
    yield from _of_nothing(by_kind)
    yield from _of_texts(run)


def _place(*parts: str) -> str:
    return " › ".join(filter(None, parts))


def _of_headings(layout: Layout, inbox: Inbox, limits: Limits) -> Iterator[Amendment]:
    """Headings that no field knows: of a field that is lacking there, or of a new one."""
    headings = list_headings(layout, inbox, limits)
    suggested = suggestions(headings, layout.plan)
    for use in headings.of("unknown"):
        tabs = counted(len(use.places), "tab")
        for one in suggested.get(use.heading, ()):
            if one.certainty >= _CERTAIN:
                yield Amendment(
                    f"“{use.heading}” ({tabs}) means “{one.field}” ({one.certainty:.0%} certain:"
                    f" {one.why})",
                    _place(*use.first),
                    heading_known(one.field, use.heading),
                )
    headed = {use.field for use in headings.uses if use.field}
    for use in headings.of("unknown"):
        # Where a field has no column that it has on other tabs, an unknown heading may be its new
        # name: a person decides.
        if any(use.lacking[field] == len(use.places) for field in headed):
            continue
        name = field_name(use.heading, layout.spec.fields)
        known = normal_form(name.replace("_", " ")) == normal_form(use.heading)
        yield Amendment(
            f"“{use.heading}” ({counted(len(use.places), 'tab')}) is a new column",
            _place(*use.first),
            new_field(name, _type_below(use), "" if known else use.heading),
        )


_TYPES = {
    "whole numbers": "integer", "numbers": "number", "dates": "date", "times": "time",
    "yes or no": "yesno",
}  # fmt: skip
"""The type of a new field, by what all of its cells hold."""


def _type_below(use: HeadingUse) -> str:
    kinds = {kind for kind, number in use.profile.kinds.items() if number}
    if kinds == {"whole numbers", "numbers"}:
        return "number"
    return _TYPES.get(kinds.pop(), "text") if len(kinds) == 1 else "text"


def _of_totals(by_kind: dict[FindingKind, list[Finding]]) -> Iterator[Amendment]:
    for kind in (LOOKS_LIKE_TOTAL, TOTAL_LIKELY):
        for one in by_kind.get(kind, ()):
            if one.found.strip():
                word = total_pattern(one.found).rstrip("*")
                # Sums by chance are a warning, and the record is kept: a word must speak for it.
                if kind is TOTAL_LIKELY and not word:
                    continue
                text = f"{word}*" if word else one.found
                yield Amendment(
                    f"“{one.found}” holds sums",
                    _place(one.file, one.tab, one.cell),
                    of_block("totals", [text]),
                )


def _of_nothing(by_kind: dict[FindingKind, list[Finding]]) -> Iterator[Amendment]:
    """Signs that stand where values belong."""
    told = [*by_kind.get(VALUE_NOT_CONVERTED, ()), *by_kind.get(COLUMN_NOT_CONVERTED, ())]
    for one in told:
        if one.found.strip() in NOTHING:
            yield Amendment(
                f"“{one.found}” stands for nothing",
                _place(one.file, one.tab, one.cell),
                of_part("reading", "empty", [one.found.strip()]),
            )


_MOST_TEXTS = 12


def _of_texts(run: Run) -> Iterator[Amendment]:
    """Texts that several tabs bear in the same words."""
    if not any(one.kind == TEXTS_REPEATED for one in run.findings):
        return
    tabs: dict[str, set[tuple[str, str]]] = {}
    first: dict[str, str] = {}
    for one in run.unplaced:
        if one.finding == TEXTS_UNPLACED.code:
            tabs.setdefault(one.text, set()).add((one.file, one.tab))
            first.setdefault(one.text, _place(one.file, one.tab, one.cell))
    texts = [text for text, some in tabs.items() if len(some) >= _SEVERAL][:_MOST_TEXTS]
    if texts:
        more = f" and {counted(len(texts) - 1, 'text')} more" if len(texts) > 1 else ""
        yield Amendment(
            f"“{texts[0]}”{more} are outside the tables of several tabs, in the same words",
            first[texts[0]],
            # An asterisk in a text is the sign itself.
            of_part("", "boilerplate", [one.replace("*", "[*]") for one in texts]),
        )


_SEVERAL = 3


def _of_tabs(
    layout: Layout, by_kind: dict[FindingKind, list[Finding]], inbox: Inbox, limits: Limits
) -> Iterator[Amendment]:
    """Tabs that are not chosen, but hold the table."""
    patterns = layout.spec.tabs.named if layout.spec.tabs else ()
    if not patterns:
        return
    found = [(one.file, one.tab) for one in by_kind.get(TAB_NOT_CHOSEN, ())]
    without = {one.file for one in by_kind.get(NO_TAB_MATCHES, ())}
    sources = [one for one in inbox.taken if one.name in without]
    for looked in look_into(sources, limits):
        found += [(looked.file, sheet.name) for sheet in looked.sheets]
    for text, (file, tab) in {
        _tab_pattern(tab, patterns): (file, tab) for file, tab in reversed(found)
    }.items():
        yield Amendment(
            f"the tab “{tab}” looks like those that are read",
            _place(file, tab),
            of_part("tabs", "named", [text]),
        )


def _tab_pattern(tab: str, patterns: Sequence[str]) -> str:
    """A pattern for a tab, with the capture of the others in the place of its number or last
    word."""
    captures = [one for text in patterns for one in pattern(text, Kind.TAB).captures]
    word, gap, last = tab.rpartition(" ")
    return f"{word}{gap}{{{captures[0]}}}" if captures and word and last else tab


def _of_stamps(
    layout: Layout, by_kind: dict[FindingKind, list[Finding]], inbox: Inbox, limits: Limits
) -> Iterator[Amendment]:
    """Labels that are not found: another one stands where they do on other tabs, or a word like
    them."""
    lost = by_kind.get(STAMP_NOT_FOUND, [])
    if not lost:
        return
    told = {one.file for one in lost}
    others = [one for one in inbox.taken if one.name not in told][:_SOME]
    sources = [one for one in inbox.taken if one.name in told][:_SOME] + others
    looked = look_into(sources, limits)
    stamps = {
        source.field: source
        for form in layout.plan.forms
        for source in form.sources
        if source.labels
    }
    for name, stamp in stamps.items():
        tabs = {(one.file, one.tab) for one in lost if one.field == name}
        usual = {spot for one in looked for sheet in one.sheets for spot in _spots(sheet, stamp)}
        for file, sheet in _sheets(looked, tabs):
            every = [source for source in stamps.values() if source.labels]
            for pair in _unknown_pairs(sheet, every):
                like = _likeness(pair.label, stamp)
                here = (pair.row, pair.column) in usual
                if (here or like >= _LIKE) and _fits(pair, layout, name):
                    yield Amendment(
                        f"“{pair.label}” is where the label of “{name}” was"
                        if here
                        else f"“{pair.label}” is like the label of “{name}”",
                        _place(file, sheet.name),
                        label_known(name, pair.label),
                    )


_SOME = 12
_LIKE = 70


def _sheets(looked: Sequence[Looked], tabs: set[tuple[str, str]]) -> Iterator[tuple[str, Sheet]]:
    for one in looked:
        for sheet in one.sheets:
            if (one.file, sheet.name) in tabs:
                yield one.file, sheet


def _spots(sheet: Sheet, stamp: StampPlan) -> Iterator[tuple[int, int]]:
    """Where the labels of a stamp stand on a tab."""
    for row, column, text in sheet.texts(range(min(sheet.height, _COVER))):
        label = text.partition(":")[0] if ":" in text else text
        if any(one.match(label) is not None for one in stamp.labels):
            yield row, column


_COVER = 60
"""Labels stand in the first rows."""


def _unknown_pairs(sheet: Sheet, stamps: Sequence[StampPlan]) -> Iterator[Pair]:
    """The labelled values of a tab whose labels no stamp knows."""
    tables = tables_of(sheet)
    for pair in pairs_of(sheet, tables):
        if not any(one.match(pair.label) is not None for some in stamps for one in some.labels):
            yield pair


def _likeness(label: str, stamp: StampPlan) -> float:
    from rapidfuzz import fuzz  # only needed where a label is not known

    form = normal_form(label)
    return max(fuzz.ratio(form, normal_form(one.text.strip("*"))) for one in stamp.labels)


def _fits(pair: Pair, layout: Layout, field: str) -> bool:
    """Whether the value beside a label is one of a field."""
    return not convert([pair.value], layout.plan.form(field)).failures
