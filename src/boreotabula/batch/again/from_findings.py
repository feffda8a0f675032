"""Changes of a layout that the findings of a run suggest."""

from __future__ import annotations

from collections.abc import Iterator, Sequence

from boreotabula.batch.draft import FilledTabs, look_into
from boreotabula.batch.headings.collect import HeadingUse, list_headings
from boreotabula.batch.headings.suggest import suggestions
from boreotabula.batch.inputs import Inbox
from boreotabula.batch.layouts.load import Layout
from boreotabula.batch.run.outcome import Run
from boreotabula.drafting.asking.amend import (
    Amendment,
    heading_known,
    label_known,
    new_field,
    of_block,
    of_part,
    place_of,
)
from boreotabula.drafting.labels.pairs import Pair, pairs_of
from boreotabula.findings.finding import Finding
from boreotabula.findings.kind import FindingKind
from boreotabula.findings.subjects.files import NO_TAB_MATCHES, TAB_NOT_CHOSEN
from boreotabula.findings.subjects.stamps import STAMP_NOT_FOUND
from boreotabula.findings.subjects.totals import (
    LOOKS_LIKE_TOTAL,
    TEXTS_REPEATED,
    TEXTS_UNPLACED,
    TOTAL_LIKELY,
)
from boreotabula.findings.subjects.values import COLUMN_NOT_CONVERTED, VALUE_NOT_CONVERTED
from boreotabula.layout.headings import normal_form
from boreotabula.layout.patterns import Pattern
from boreotabula.limits import Limits
from boreotabula.look.tables import tables_of
from boreotabula.look.texts.types import NOTHING
from boreotabula.look.texts.words import field_name, total_pattern
from boreotabula.reading.plan import StampPlan
from boreotabula.reading.values.convert import convert
from boreotabula.sheets.sheet import Sheet
from boreotabula.texts import counted

_CERTAIN = 0.5
"""A suggestion is tried if it is at least this certain."""


def finding_amendments(
    layout: Layout, run: Run, inbox: Inbox, limits: Limits
) -> Iterator[Amendment]:
    """The changes that the findings of a run and its unknown headings suggest."""
    by_kind: dict[FindingKind, list[Finding]] = {}
    for finding in run.findings:
        by_kind.setdefault(finding.kind, []).append(finding)
    # In this order, as a tab that is not chosen hides its headings, and a heading its values.
    yield from _of_tabs(layout, by_kind, inbox, limits)
    yield from _of_stamps(layout, by_kind, inbox, limits)
    yield from _of_headings(layout, inbox, limits)
    yield from _of_totals(by_kind)
    yield from _of_nothing(by_kind)
    yield from _of_texts(run)


def _of_headings(layout: Layout, inbox: Inbox, limits: Limits) -> Iterator[Amendment]:
    """Headings that no field knows: of a field that is missing there, or of a new one."""
    headings = list_headings(layout, inbox, limits)
    suggested = suggestions(headings, layout.plan)
    for use in headings.of("unknown"):
        tabs = counted(len(use.places), "tab")
        for suggestion in suggested.get(use.heading, ()):
            if suggestion.certainty >= _CERTAIN:
                yield Amendment(
                    f"“{use.heading}” ({tabs}) means “{suggestion.field}”"
                    f" ({suggestion.certainty:.0%} certain: {suggestion.why})",
                    place_of(*use.first),
                    heading_known(suggestion.field, use.heading),
                )
    # Known from all tabs, not only from those with an unknown heading.
    headed = {use.field for use in headings.uses if use.field}
    for use in headings.of("unknown"):
        # Where a field has no column that it has on other tabs, an unknown heading may be its new
        # name: a person decides.
        if any(use.lacking[field] == len(use.places) for field in headed):
            continue
        name = field_name(use.heading, layout.spec.fields)
        # A heading that reads like the name of its field is found without being listed.
        is_known = normal_form(name.replace("_", " ")) == normal_form(use.heading)
        yield Amendment(
            f"“{use.heading}” ({counted(len(use.places), 'tab')}) is a new column",
            place_of(*use.first),
            new_field(name, _type_below(use), "" if is_known else use.heading),
        )


_TYPES = {
    "whole numbers": "integer", "numbers": "number", "dates": "date", "times": "time",
    "yes or no": "yesno",
}  # fmt: skip
"""The type of a new field, by the kind of all its cells."""


def _type_below(use: HeadingUse) -> str:
    kinds = {kind for kind, number in use.profile.kinds.items() if number}
    # A column with decimals holds whole ones as well.
    if kinds == {"whole numbers", "numbers"}:
        return "number"
    return _TYPES.get(kinds.pop(), "text") if len(kinds) == 1 else "text"


def _of_totals(by_kind: dict[FindingKind, list[Finding]]) -> Iterator[Amendment]:
    for kind in (LOOKS_LIKE_TOTAL, TOTAL_LIKELY):
        for finding in by_kind.get(kind, ()):
            if finding.found.strip():
                word = total_pattern(finding.found).rstrip("*")
                # Sums by chance are a warning, and the record is kept: a word must speak for it.
                if kind is TOTAL_LIKELY and not word:
                    continue
                text = f"{word}*" if word else finding.found
                yield Amendment(
                    f"“{finding.found}” holds sums",
                    place_of(finding.file, finding.tab, finding.cell),
                    of_block("totals", [text]),
                    # The pattern covers all labels that begin alike, as sums do: “Total north”,
                    # “Total south”.
                )


def _of_nothing(by_kind: dict[FindingKind, list[Finding]]) -> Iterator[Amendment]:
    """Signs for blank values where values belong."""
    values = [*by_kind.get(VALUE_NOT_CONVERTED, ()), *by_kind.get(COLUMN_NOT_CONVERTED, ())]
    for value in values:
        if value.found.strip() in NOTHING:
            yield Amendment(
                f"“{value.found}” stands for nothing",
                place_of(value.file, value.tab, value.cell),
                of_part("reading", "empty", [value.found.strip()]),
            )


_MOST_TEXTS = 12


def _of_texts(run: Run) -> Iterator[Amendment]:
    """Texts that several tabs have in the same words."""
    # Only where the run itself said that texts repeat: otherwise a few cells are not worth a
    # rule.
    if not any(finding.kind == TEXTS_REPEATED for finding in run.findings):
        return
    tabs: dict[str, set[tuple[str, str]]] = {}
    first: dict[str, str] = {}
    for cell in run.unplaced:
        if cell.finding == TEXTS_UNPLACED.code:
            tabs.setdefault(cell.text, set()).add((cell.file, cell.tab))
            first.setdefault(cell.text, place_of(cell.file, cell.tab, cell.cell))
    texts = [text for text, places in tabs.items() if len(places) >= _SEVERAL][:_MOST_TEXTS]
    if texts:
        extra = f" and {counted(len(texts) - 1, 'text')} more" if len(texts) > 1 else ""
        yield Amendment(
            f"“{texts[0]}”{extra} are outside the tables of several tabs, in the same words",
            first[texts[0]],
            # An asterisk in a text is the sign itself.
            of_part("", "boilerplate", [text.replace("*", "[*]") for text in texts]),
        )


_SEVERAL = 3
"""A text on fewer tabs may be a value."""


def _of_tabs(
    layout: Layout, by_kind: dict[FindingKind, list[Finding]], inbox: Inbox, limits: Limits
) -> Iterator[Amendment]:
    """Tabs that are not chosen, but hold the table."""
    patterns = layout.spec.tabs.named if layout.spec.tabs else ()
    if not patterns:
        return
    places = [(finding.file, finding.tab) for finding in by_kind.get(TAB_NOT_CHOSEN, ())]
    without = {finding.file for finding in by_kind.get(NO_TAB_MATCHES, ())}
    sources = [source for source in inbox.taken if source.name in without]
    for looked in look_into(sources, limits):
        # Tabs of files that were not read at all must be opened first to know their names.
        places += [(looked.file, sheet.name) for sheet in looked.sheets]
    # In reverse, so that of the tabs that give the same pattern the first is shown as its place.
    for text, (file, tab) in {
        _tab_pattern(tab, patterns): (file, tab) for file, tab in reversed(places)
    }.items():
        yield Amendment(
            f"the tab “{tab}” looks like those that are read",
            place_of(file, tab),
            of_part("tabs", "named", [text]),
        )


def _tab_pattern(tab: str, patterns: Sequence[Pattern]) -> str:
    """A pattern for a tab, with the capture of the other patterns in place of its number or last
    word."""
    captures = [capture for pattern in patterns for capture in pattern.captures]
    # “Week 12” becomes “Week {week}” only if the layout captures something there already.
    word, gap, last = tab.rpartition(" ")
    return f"{word}{gap}{{{captures[0]}}}" if captures and word and last else tab


def _of_stamps(
    layout: Layout, by_kind: dict[FindingKind, list[Finding]], inbox: Inbox, limits: Limits
) -> Iterator[Amendment]:
    """Labels that are not found: another one stands at their place on other tabs, or a similar
    one."""
    lost = by_kind.get(STAMP_NOT_FOUND, [])
    if not lost:
        return
    files = {finding.file for finding in lost}
    other_sources = [source for source in inbox.taken if source.name not in files][:_SOME]
    sources = [source for source in inbox.taken if source.name in files][:_SOME] + other_sources
    looked = look_into(sources, limits)
    stamps = {
        source.field: source
        for form in layout.plan.forms
        for source in form.sources
        if source.labels
    }
    for name, stamp in stamps.items():
        tabs = {(finding.file, finding.tab) for finding in lost if finding.field == name}
        # Where the label stands on the tabs that are read; a label in the same cell elsewhere is
        # most likely its new wording.
        usual = {spot for file in looked for sheet in file.sheets for spot in _spots(sheet, stamp)}
        for file, sheet in _sheets(looked, tabs):
            for pair in _unknown_pairs(sheet, list(stamps.values())):
                like = _likeness(pair.label, stamp)
                is_here = (pair.row, pair.column) in usual
                # A new wording is only believed if the value beside it can be read as the field.
                if (is_here or like >= _LIKE) and _fits(pair, layout, name):
                    yield Amendment(
                        f"“{pair.label}” is where the label of “{name}” was"
                        if is_here
                        else f"“{pair.label}” is like the label of “{name}”",
                        place_of(file, sheet.name),
                        label_known(name, pair.label),
                    )


_SOME = 12
"""This many files of a large folder show what the labels are."""
_LIKE = 70
"""From this likeness on, in per cent, a label counts as another spelling of a known one."""


def _sheets(
    looked: Sequence[FilledTabs], tabs: set[tuple[str, str]]
) -> Iterator[tuple[str, Sheet]]:
    for file in looked:
        for sheet in file.sheets:
            if (file.file, sheet.name) in tabs:
                yield file.file, sheet


def _spots(sheet: Sheet, stamp: StampPlan) -> Iterator[tuple[int, int]]:
    """Where the labels of a stamp stand on a tab."""
    for row, column, text in sheet.texts(range(min(sheet.height, _COVER))):
        # Labels are compared without the value that follows them in the same cell.
        label = text.partition(":")[0] if ":" in text else text
        if any(pattern.match(label) is not None for pattern in stamp.labels):
            yield row, column


_COVER = 60
"""Labels stand in this many first rows."""


def _unknown_pairs(sheet: Sheet, stamps: Sequence[StampPlan]) -> Iterator[Pair]:
    """The labelled values of a tab whose labels no stamp has."""
    tables = tables_of(sheet)
    for pair in pairs_of(sheet, tables):
        if not any(
            label.match(pair.label) is not None for stamp in stamps for label in stamp.labels
        ):
            yield pair


def _likeness(label: str, stamp: StampPlan) -> float:
    # Loading it takes longer than comparing a few labels.
    from rapidfuzz import fuzz  # only needed where a label is not known

    form = normal_form(label)
    # An asterisk stands for any text, so it must not count as a sign that differs.
    return max(fuzz.ratio(form, normal_form(label.text.strip("*"))) for label in stamp.labels)


def _fits(pair: Pair, layout: Layout, field: str) -> bool:
    """Whether the value beside a label fits a field."""
    # Converted as a run would do it, so that the answer is the one that the run will give.
    return not convert([pair.value], layout.plan.form(field)).failures
