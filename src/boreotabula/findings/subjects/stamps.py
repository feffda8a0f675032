"""Findings about stamps."""

from __future__ import annotations

from boreotabula.findings import senders
from boreotabula.findings.kind import FindingKind, Severity

TITLE = "Stamps"

STAMP_BLANK = FindingKind(
    "stamp-blank",
    Severity.ERROR,
    "the cell for “{field}” is blank{label:?, beside “#”}; the field is empty in all records of"
    " this tab",
    "Fill in the cell, or check whether the form starts elsewhere on this tab.",
    looked_for="{field}",
    found="blank",
    meaning="The cell of a stamp is blank; the field is empty in all records of the tab",
    example="C2 should hold the month and is blank",
    cure="Fill it in, or check whether the form starts elsewhere",
    sender=senders.BLANK,
)
STAMP_BLANK_BY_LABEL = STAMP_BLANK.worded(
    message="the cell for “{field}” is blank, beside its label; the field is empty in all records"
    " of this tab",
)
STUB_HEAD_BLANK = STAMP_BLANK.worded(
    message="the cell for “{field}” is blank over the stub of the table; the field is empty in all"
    " records of this tab",
)
TABLE_TITLE_BLANK = STAMP_BLANK.worded(
    message="no text stands alone above the table for “{field}”; the field is empty in all its"
    " records",
    advice="Write the title of the table right above it, or above one blank row.",
)
STAMP_SAYS_NOTHING = STAMP_BLANK.worded(
    message="“{text}” counts as blank (`empty` in [reading]), so “{field}” is empty in all records"
    " of this tab",
    advice="Fill in the cell, or write `optional = true` or a `default` into the stamp.",
    found="{text}",
)
STAMP_NOT_FOUND = FindingKind(
    "stamp-not-found",
    Severity.ERROR,
    "no cell of this tab {by_label:holds the label|fits the pattern} {wanted}, so “{field}” is"
    " empty in all its records",
    "Add the label that this tab has to the stamp in the layout, or write `optional = true` into"
    " the stamp.",
    looked_for="{wanted}",
    found="no such label",
    meaning="No cell has the label of a stamp or fits its pattern, there is no such named cell or"
    " tab, or none of its sources is there; the field is empty in all records of the tab",
    example='`right_of = "Nursery"`, but the form says “Site”',
    cure="Add the label, or `optional = true`",
    sender=senders.ABOVE,
)
STAMP_NOT_NEAR = STAMP_NOT_FOUND.worded(
    message="the label {wanted} is not above or left of the table at {at} (the first one is in"
    " {first}), so “{field}” is empty in the records of that table",
    advice="Write the label above each table, or write `optional = true` into the stamp.",
    found="the label in {first}",
)
STAMP_NAME_UNKNOWN = STAMP_NOT_FOUND.worded(
    message="the workbook has no cell named “{wanted}”, so “{field}” is empty in all records of"
    " this tab",
    advice="Define the name again in the workbook, or use `cell` or `right_of` for the stamp.",
    found="no such name",
)
STAMP_TAB_UNKNOWN = STAMP_NOT_FOUND.worded(
    message="no tab of this workbook matches {wanted}, so “{field}” is empty in all records of this"
    " tab",
    advice="Check whether the tab has another name here, or write `optional = true` into the"
    " stamp.",
    found="{tabs:?#|no other tab}",
)
STAMP_IN_NO_SOURCE = STAMP_NOT_FOUND.worded(
    message="“{field}” was not found in any of its {sources} places, so it is empty in all records"
    " of this tab",
    advice="Add the place where it is on this tab to the stamp in the layout, or write `optional ="
    " true` into the stamp.",
    found="nothing",
)
STAMP_FOUND_TWICE = FindingKind(
    "stamp-found-twice",
    Severity.ERROR,
    "{by_label:the label of|a text for} “{field}” appears more than once, with {texts:q} in"
    " {places}; none was used, and the field is empty in all records of this tab",
    "Make the label of the stamp more exact, or name the cell with `cell`.",
    looked_for="one such label",
    found="{places}",
    meaning="The label appears in several places with different values; none was used",
    example="“Month” in B2 beside April, and in H2 beside May",
    cure="Make the label more exact",
    sender=senders.HEADING_TWICE,
)
STAMP_TABS_DIFFER = STAMP_FOUND_TWICE.worded(
    message="the tabs {tabs:q} give different values for “{field}” ({texts}); none was used, and"
    " the field is empty in all records of this tab",
    advice="Make the pattern of `tab` more exact.",
    looked_for="one such tab",
    found="{tabs}",
)
STAMP_SOURCES_DIFFER = FindingKind(
    "stamp-sources-differ",
    Severity.ERROR,
    "“{field}” is “{text}” ({origin}), but “{other_text}” ({other_origin}); the first was used",
    "Look which of them is right, and correct the other, or ask the sender.",
    looked_for="{text}",
    found="{other_text}",
    meaning="Sources of a stamp with `compared = true` say something else than the one that was"
    " taken",
    example="April in C2, but May in the name of the tab",
    cure="Correct the one that is wrong",
    sender=senders.SOURCES_DIFFER,
)
STAMP_LABEL_DIFFERS = FindingKind(
    "stamp-label-differs",
    Severity.ERROR,
    "the cell for “{field}” should have the label {wanted} left of it or above it, but"
    " “{label:?#|blank}” is there; the field is empty in all records of this tab",
    "Check whether rows or columns were inserted on this tab; `right_of` finds a label wherever it"
    " is.",
    looked_for="{wanted}",
    found="{label:?#|blank}",
    meaning="A fixed cell does not have the label that `labelled` asks for; the field is empty",
    example='`labelled = "Month"`, but beside C2 is “Bench”',
    cure="Check whether rows were inserted; `right_of` finds labels",
    sender=senders.MOVED,
)
STAMP_PATTERN_DIFFERS = FindingKind(
    "stamp-pattern-differs",
    Severity.ERROR,
    "“{text}” does not match “{pattern}”, so “{field}” is empty in all records of this tab",
    "Correct the cell, or the pattern of the stamp.",
    looked_for="{pattern}",
    found="{text}",
    meaning="The text does not match the `pattern` of the stamp; the field is empty",
    example='`pattern = "Stock of {month}"`, but C2 says “April stock”',
    cure="Correct the cell or the pattern",
    sender=senders.PATTERN,
)
STAMP_NOT_CONVERTED = FindingKind(
    "stamp-not-converted",
    Severity.ERROR,
    "“{text}”{origin:? (from #)} is not {noun}{why:? (#)}, so “{field}” is empty in all records of"
    " this tab",
    "Correct the cell, or check whether the form starts elsewhere on this tab.{remedy:? #}",
    looked_for="{type}",
    found="{there}",
    meaning="The text does not have the type of the field; the field is empty",
    example="The month in C2 is “soon”",
    cure="Correct it",
    sender=senders.WRONG,
)
NAME_NOT_CONVERTED = STAMP_NOT_CONVERTED.worded(
    advice="Correct the name, or the pattern that captures it.{remedy:? #}"
)
STAMP_DEFAULT = FindingKind(
    "stamp-default",
    Severity.NOTE,
    "no value for “{field}” on this tab; the default of the layout was used",
    "Nothing to do if the default is right here.",
    looked_for="{field}",
    found="default {default}",
    meaning="A stamp is missing; the `default` of the layout was used",
    example="No cell tells the unit, so “pcs” was used",
    cure="–",
)
STAMP_MOVED = FindingKind(
    "stamp-moved",
    Severity.WARNING,
    "{at} was read as “{field}”, but has {label} beside it; similar tabs have {usual}{place:?,"
    " which is in # here}{more:? (so on # more tabs)}",
    "Check whether a row or column was inserted above; `right_of` finds a label wherever it is,"
    " `labelled` makes this an error.",
    looked_for="{usual}",
    found="{there}",
    meaning="The cell of a stamp has another label beside it than on similar tabs; the value was"
    " used",
    example="C2, read as the month, has “Bench” beside it; similar tabs have “Month”",
    cure="Check whether a row was inserted; use `right_of` or `labelled`",
    sender=senders.MOVED,
)
STAMP_LABEL_UNUSUAL = FindingKind(
    "stamp-label-unusual",
    Severity.WARNING,
    STAMP_MOVED.message,
    "Check whether this is still the right cell; `right_of` finds a label wherever it is,"
    " `labelled` makes this an error, and takes several labels.",
    looked_for="{usual}",
    found="{there}",
    meaning="The label beside a fixed cell is another one than on most similar tabs; the value was"
    " used",
    example="“Operator:” beside B1, where six files have “Station:”",
    cure="Check which value this is; `labelled` makes it an error, `right_of` finds the right"
    " label",
    sender=senders.MOVED,
)
STAMP_SOURCE_UNUSUAL = FindingKind(
    "stamp-source-unusual",
    Severity.WARNING,
    "“{field}” was read from source {taken} of its list{more:? (so on # more tabs)}, on {tabs}"
    " similar tabs from source {usual}",
    "Check why it is not in its usual place here.",
    looked_for="the source in place {usual}",
    found="the source in place {taken}",
    meaning="A stamp with a list of sources was read from a later one than on most similar tabs",
    example="The site comes from the file name, on 40 similar tabs from C2",
    cure="Check why it is not in its usual place",
)

UNREAD_STAMPS = (
    STAMP_BLANK, STAMP_NOT_FOUND, STAMP_FOUND_TWICE, STAMP_SOURCES_DIFFER, STAMP_LABEL_DIFFERS,
    STAMP_PATTERN_DIFFERS, STAMP_NOT_CONVERTED,
)  # fmt: skip
"""After one of these, the records of the tab lack a stamp."""
