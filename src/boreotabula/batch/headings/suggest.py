"""What an unknown heading may mean, by its words and by its cells.

Suggestions are never adopted automatically: a person adopts them, or gives the required certainty.
"""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass

from boreotabula.batch.headings.collect import HeadingList, HeadingUse
from boreotabula.layout.headings import normal_form
from boreotabula.look.headings import Profile, merged
from boreotabula.reading.plan import Plan
from boreotabula.reading.values.convert import convert

LEAST_SHOWN = 0.35
"""Less certain ones are no help."""
_LIKE = 60
"""Words that are less similar than this, out of 100, prove nothing."""


@dataclass(frozen=True)
class Suggestion:
    """A field that a heading may mean; `certainty` from 0 to 1, and the evidence for it."""

    heading: str
    field: str
    certainty: float
    why: str


def suggestions(headings: HeadingList, plan: Plan) -> Mapping[str, Sequence[Suggestion]]:
    """For each unknown heading the fields that it may mean, likeliest first.

    Only fields that its tabs lack are possible, and of two headings on one tab only the likelier
    may mean the same field.
    """
    # What a field's cells hold on tabs where its heading is known.
    profiles = {
        field: merged([use.profile for use in headings.of("column") if use.field == field])
        for field in plan.fields
    }
    unknown = headings.of("unknown")
    every = [
        (use, _suggestion(use, field, profiles[field], plan))
        for use in unknown
        # Only fields that are missing somewhere among its tabs can be meant.
        for field in use.lacking
    ]
    likely = [(use, suggestion) for use, suggestion in every if suggestion.certainty >= LEAST_SHOWN]
    likely.sort(key=lambda pair: pair[1].certainty, reverse=True)
    # By field the tabs where a likelier heading has taken it.
    taken: dict[str, set[tuple[str, str]]] = {}
    fields_of: dict[str, list[Suggestion]] = {use.heading: [] for use in unknown}
    for use, suggestion in likely:
        best = not fields_of[use.heading]
        if best and not taken.get(suggestion.field, set()).isdisjoint(use.places):
            continue
        if best:
            taken.setdefault(suggestion.field, set()).update(use.places)
        fields_of[use.heading].append(suggestion)
    return fields_of


def _suggestion(use: HeadingUse, field: str, known_profile: Profile, plan: Plan) -> Suggestion:
    like, word = _word_likeness(use.heading, field, plan)
    fits = _share_that_fits(use.profile, field, plan)
    cells, message = _cell_likeness(use.profile, field, known_profile, plan)
    # By elimination: half of the remaining doubt is gone.
    if use.alone and len(use.lacking) == 1:
        cells = 1 - (1 - cells) / 2
        message += "; no other heading of its tabs is unknown, no other field is missing"
    # Words and cells count as two independent witnesses, neither quite certain; cells that do not
    # fit the type rule a field out.
    certainty = fits * (1 - (1 - 0.95 * like) * (1 - 0.9 * cells))
    # A field that only some of its tabs lack is less likely to be meant.
    certainty *= use.lacking[field] / len(use.places)
    why = f"written like “{word}”; {message}" if like else message
    return Suggestion(use.heading, field, round(certainty, 2), why)


def _word_likeness(heading: str, field: str, plan: Plan) -> tuple[float, str]:
    """How similar a heading is to one of a field, from 0 to 1, and that heading."""
    from rapidfuzz import fuzz  # only needed where something is unknown

    form = normal_form(heading)
    best, word = 0.0, ""
    for known_text in plan.names.headings_of(field):
        # The second measure ignores the order of words: “Date of birth”, “Birth date”.
        like = max(fuzz.ratio(form, known_text), fuzz.token_sort_ratio(form, known_text))
        if like > best:
            best, word = like, known_text
    return max(best - _LIKE, 0) / (100 - _LIKE), word


def _share_that_fits(profile: Profile, field: str, plan: Plan) -> float:
    """The share of the cells that could be values of a field, among those that were kept."""
    form = plan.form(field)
    # No cell is known; so nothing speaks for the field, and nothing against.
    if not profile.sample:
        return 0.5
    numbers = ("whole numbers", "numbers")
    if form.type.is_number and profile.kind in numbers:
        fitting = sum(profile.kinds[kind] for kind in numbers)
        if form.base == "integer":
            # Decimals cannot be values of a field of whole numbers.
            fitting = profile.kinds["whole numbers"]
        return fitting / max(profile.filled, 1)
    done = convert(list(profile.sample), form)
    return 1 - len(done.failures) / len(profile.sample)


def _cell_likeness(
    profile: Profile, field: str, known_profile: Profile, plan: Plan
) -> tuple[float, str]:
    """How similar the cells are to those of a field elsewhere, from 0 to 1, and in words."""
    kind = plan.form(field).base
    if not known_profile.filled:
        return 0.3, f"its cells could be {field} ({kind}), which no other tab fills"
    if kind == "text":
        shared = len(profile.values & known_profile.values)
        share = shared / max(len(profile.values), 1)
        if not shared:
            # Texts of the same kind may still be new values, as names of sites are.
            alike = 0.15 if profile.kind == known_profile.kind else 0.0
            return alike, f"none of its values is one of {field} elsewhere"
        return share, f"{shared} of {len(profile.values)} values are values of {field} elsewhere"
    if profile.least is None or known_profile.least is None or known_profile.most is None:
        return (
            0.5 if profile.kind == known_profile.kind else 0.3
        ), f"{profile.kind}, as {field} elsewhere"
    assert profile.most is not None
    # Half of the span beyond each end: a new month may lie above all before.
    room = (known_profile.most - known_profile.least) / 2
    inside = (
        known_profile.least - room <= profile.least and profile.most <= known_profile.most + room
    )
    message = f"{profile.least:g} to {profile.most:g}, "
    message += f"{field} elsewhere {known_profile.least:g} to {known_profile.most:g}"
    return (0.7 if inside else 0.2), message
