"""Changes of a layout that a new draft of the same files suggests: what the draft has and the
layout lacks, under the names that a person gave to the fields."""

from __future__ import annotations

from collections import Counter
from collections.abc import Iterator, Mapping, Sequence
from dataclasses import dataclass
from typing import Any

from boreotabula.batch.draft import look_into, specimens_of
from boreotabula.batch.headings.collect import HeadingList, HeadingUse, list_headings
from boreotabula.batch.inputs import Inbox
from boreotabula.batch.layouts.load import Layout
from boreotabula.batch.run.outcome import Run
from boreotabula.drafting.asking.amend import (
    Amendment,
    Change,
    all_of,
    field_typed,
    heading_known,
    label_known,
    of_block,
    of_part,
    place_of,
)
from boreotabula.drafting.draft import draft
from boreotabula.drafting.sketch import Sketch, key_texts, written
from boreotabula.findings.finding import Finding
from boreotabula.findings.kind import Severity
from boreotabula.layout.headings import normal_form
from boreotabula.limits import Limits


@dataclass(frozen=True)
class NewDraft:
    """A draft of the files that a layout reads, and the headings that it knows there."""

    sketch: Sketch
    headings: HeadingList


def new_draft(layout: Layout, inbox: Inbox, limits: Limits) -> NewDraft | None:
    """A draft of the files that a layout reads; None if there is nothing to draft from."""
    drafted = draft(specimens_of(look_into(inbox.taken, limits)))
    if drafted is None:
        return None
    folder = layout.path.parent
    text = drafted.sketch.text(folder.resolve().as_posix(), whole=True)
    # Loaded from its text, as a run would load it, so that both lists of headings come from the
    # same code.
    own = Layout.load(folder / "the draft", text)
    return NewDraft(drafted.sketch, list_headings(own, inbox, limits))


def draft_amendments(
    new: NewDraft, layout: Layout, run: Run, inbox: Inbox, limits: Limits
) -> Iterator[Amendment]:
    """What a draft of the files of a run has and their layout lacks.

    Headings and labels of its fields, in other words or another language; their types; words for
    totals and for blank values.
    """
    own = list_headings(layout, inbox, limits)
    same = _same_fields(own, new.headings) | _same_stamps(layout, new.sketch)
    yield from _words_of_tabs(layout, new, own, same)
    yield from _types(run.findings, new.sketch, same)
    yield from _words_of_reading(layout, new.sketch)


def _same_fields(own: HeadingList, drafted: HeadingList) -> dict[str, str]:
    """The field of the layout for each field of the draft, by the headings that both know.

    If several are possible, the one that most tabs support.
    """
    field_of = {normal_form(use.heading): use.field for use in own.of("column")}
    votes: dict[str, Counter[str]] = {}
    for use in drafted.of("column"):
        field = field_of.get(normal_form(use.heading))
        if field:
            # Each tab has a vote: a heading that stands on one odd tab must not decide.
            votes.setdefault(use.field, Counter())[field] += len(use.places)
    return {name: count.most_common(1)[0][0] for name, count in votes.items()}


def _same_stamps(layout: Layout, sketch: Sketch) -> dict[str, str]:
    """The stamp of the layout for each stamp of the draft, by the labels that both know."""
    stamps = {
        normal_form(label.text): source.field
        for form in layout.plan.forms for source in form.sources for label in source.labels
    }  # fmt: skip
    return {
        name: stamps[normal_form(label)]
        for name, source in sketch.sources
        # A sketch may name a label alone or a list of them, as a layout may.
        for label in _labels(source)
        if normal_form(label) in stamps
    }


def _labels(source: Mapping[str, Any]) -> list[str]:
    return [*key_texts(source.get("right_of")), *key_texts(source.get("below"))]


def _words_of_tabs(
    layout: Layout, new: NewDraft, own: HeadingList, same: Mapping[str, str]
) -> Iterator[Amendment]:
    """Headings and labels that the layout does not know.

    Those of a tab come together, because a form in another language is read with all of them or not
    at all; then each by itself.
    """
    unknown = {normal_form(use.heading) for use in own.of("unknown")}
    uses = [
        use for use in new.headings.of("column")
        if normal_form(use.heading) in unknown and use.field in same
    ]  # fmt: skip
    headings = [(use, heading_known(same[use.field], use.heading)) for use in uses]
    labels = list(_unknown_labels(layout, new.sketch, same))
    by_first_tab: dict[tuple[str, str], list[tuple[HeadingUse, Change]]] = {}
    for use, change in headings:
        by_first_tab.setdefault(use.places[0], []).append((use, change))
    languages = _missing(layout.spec.reading.languages, new.sketch.reading.get("languages"))
    further = [change for _, _, change in labels]
    if languages:
        further.append(of_part("reading", "languages", languages))
    # Offered together first, since a form in another language gains nothing by one heading: with
    # all others unknown its tab still cannot be read.
    for (file, tab), group in by_first_tab.items():
        words = [f"“{use.heading}” is “{same[use.field]}”" for use, _ in group]
        words += [f"“{label}” is “{field}”" for label, field, _ in labels]
        words += [f"dates are in “{language}”" for language in languages]
        changes = [*(change for _, change in group), *further]
        message = f"as a new draft pairs them, {_in_a_row(words)}"
        yield Amendment(message, place_of(file, tab), all_of(changes))
    # Each by itself as well, in case the group holds one that is wrong.
    for use, change in headings:
        message = f"“{use.heading}” is “{same[use.field]}”, as a new draft reads it"
        yield Amendment(message, place_of(*use.first), change)
    for label, field, change in labels:
        yield Amendment(f"“{label}” is a label of “{field}”", "", change)
    if languages:
        message = f"dates are written in other languages too: {', '.join(languages)}"
        yield Amendment(message, "", of_part("reading", "languages", languages))


_MOST_WORDS = 8


def _in_a_row(words: Sequence[str]) -> str:
    count = len(words) - _MOST_WORDS
    return ", ".join(words[:_MOST_WORDS]) + (f" and {count} more" if count > 0 else "")


def _unknown_labels(
    layout: Layout, sketch: Sketch, same: Mapping[str, str]
) -> Iterator[tuple[str, str, Change]]:
    """The labels by which a draft finds the stamps of the layout, and which the layout lacks."""
    labels = [
        label for form in layout.plan.forms for source in form.sources for label in source.labels
    ]
    for name, source in sketch.sources:
        for label in _labels(source) if name in same else ():
            if not any(pattern.match(label) is not None for pattern in labels):
                yield label, same[name], label_known(same[name], label)


def _missing(texts: Sequence[str], drafted: Any) -> list[str]:
    """The texts of a draft that the layout lacks."""
    return [text for text in key_texts(drafted) if text not in texts]


def _types(
    findings: Sequence[Finding], sketch: Sketch, same: Mapping[str, str]
) -> Iterator[Amendment]:
    """The type of each field with errors in a draft of all files.

    No field becomes a text: its values would then be read whatever they are.
    """
    failed = {
        finding.field: finding
        # In reverse, so that the first finding of each field stays and gives the place.
        for finding in reversed(findings)
        if finding.severity is Severity.ERROR
    }
    for name, field in same.items():
        finding, kind = failed.get(field), sketch.fields.get(name, "text")
        if finding is None or kind == "text":
            continue
        options = dict(sketch.options.get(name, {}))
        shown = ", ".join([kind, *(f"{key} = {written(value)}" for key, value in options.items())])
        why = f"all values of “{field}” are read as {shown}"
        # The draft did not decide by evidence, so the person who takes the change over must look.
        if name in sketch.guessed:
            why = f"“{sketch.guessed[name]}” may be read in two ways; {why}: please check"
        place = place_of(finding.file, finding.tab, finding.cell)
        yield Amendment(why, place, field_typed(field, kind, options))


def _words_of_reading(layout: Layout, sketch: Sketch) -> Iterator[Amendment]:
    """Words for totals, and signs for blank values, in a draft of all files."""
    named = [text for block in layout.spec.block for text in block.totals.texts]
    totals = _missing(named, sketch.block.get("totals"))
    if totals:
        message = f"{_in_a_row([f'“{text}”' for text in totals])} hold sums"
        yield Amendment(message, "", of_block("totals", totals))
    signs = _missing(layout.spec.reading.empty, sketch.reading.get("empty"))
    if signs:
        message = f"{_in_a_row([f'“{text}”' for text in signs])} stand for nothing"
        yield Amendment(message, "", of_part("reading", "empty", signs))
