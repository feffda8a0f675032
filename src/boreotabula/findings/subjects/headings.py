"""Findings about headings, and about the columns below them."""

from __future__ import annotations

from boreotabula.findings import senders
from boreotabula.findings.kind import FindingKind, Severity

TITLE = "Headings"

STUB_HEADING_MISSING = FindingKind(
    "stub-heading-missing",
    Severity.ERROR,
    "column “{field}” not found; it is empty in these records",
    "If the column has another heading here, add that to the glossary or to `also` of the field.",
    looked_for="{field}",
    found="the headings of {there:?#|other columns}",
    meaning="One stub heading is missing; the field is empty",
    example="“Lot” is missing, “Species” is there",
    cure="Add the heading to the glossary, or list the field in `optional`",
    sender=senders.MISSING,
)

STUB_COLUMN_UNHEADED = STUB_HEADING_MISSING.worded(
    advice="A column of the table has no heading at all: write “{field}” over it, if it is that"
    " one."
)

HEADING_ROWS_DOUBTFUL = FindingKind(
    "heading-rows-doubtful",
    Severity.ERROR,
    "the heading levels could begin in {upper} or in {lower}; {used} was used",
    "Compare with the sheet; clear the row that is not a heading, or merge the stub headings over"
    " all heading rows.",
    meaning="It is not clear which rows are the heading rows; the lowest were used",
    example="A row of units between the headings and the records",
    cure="Merge the stub headings over all heading rows",
)

HEADINGS_TOO_DEEP = HEADING_ROWS_DOUBTFUL.worded(
    message="the stub headings reach over {top} to {bottom}, but the layout names {named} heading"
    " rows; the lowest were used",
    advice="Compare `across` (or `heading_rows`) with the sheet: one for each heading row.",
    looked_for="{named} heading rows",
    found="{rows} heading rows",
)

HEADING_UNKNOWN = FindingKind(
    "heading-unknown",
    Severity.ERROR,
    "unknown heading “{heading}”; its column was not read",
    "Add the heading to the glossary or to `also` of a field (`boreotabula headings` suggests"
    " which), or list it in `ignore`.",
    looked_for="a heading that a field is known by",
    found="{heading}",
    meaning="No field has this heading; the cells below it are in no record",
    example="A column “Taimia kpl”",
    cure="Add it to the glossary, or to `ignore`",
    sender=senders.HEADING,
)

VALUE_HEADING_UNKNOWN = HEADING_UNKNOWN.worded(
    message="the lowest heading “{heading}” names none of the values; its column was not read",
    advice="Add the heading to the glossary or to `also` of a value field, or list it in `ignore`.",
    looked_for="{values}",
)

HEADING_ROW_MET = FindingKind(
    "heading-row-met",
    Severity.WARNING,
    "{row} (“{text}”) holds headings, though the layout says `headings = 0`; it was not read as a"
    " record",
    "Nothing to do if these are headings; if it is a record, check why all its cells are texts.",
    looked_for="a record",
    found="{text}",
    meaning="A list without headings (`headings = 0`) begins with a row of headings; it was not"
    " read as a record",
    example="“Time” and “Humidity” above the readings of one logger",
    cure="–",
)

HEADING_CONTRADICTS = FindingKind(
    "heading-contradicts",
    Severity.ERROR,
    "`columns` reads this column as “{field}”, but its heading “{heading}” is that of"
    " “{known}”{more:? (and so do # more)}; it was read by its position",
    "Put `columns` in the order of the sheet; if the order differs from file to file, find the"
    " table by its headings instead: take `columns` out.",
    looked_for="{field}",
    found="{heading}",
    meaning="`columns` reads a column as one field, but its heading is that of another; or a text"
    " over the stub names another level than that of its row. It was read by its position",
    example='`columns = ["rank", "laps"]` under the headings “Laps”, “Rank”',
    cure="Put `columns` in the order of the sheet, or find the table by its headings",
)

ROW_CONTRADICTS = HEADING_CONTRADICTS.worded(
    message="{row} holds headings, though the layout says `headings = 0`, and “{heading}” is that"
    " of “{known}”; it was read as “{field}”",
    advice="Put `columns` in the order of the file, or find such files by their headings in a block"
    " of their own.",
)

LEVEL_CONTRADICTS = HEADING_CONTRADICTS.worded(
    message="the headings beside “{heading}” were read as {level:?“#”|no level}, but it names"
    " “{field}”",
    advice="Put `across` in the order of the heading rows, top to bottom.",
    looked_for="{level:?#|no level}",
)

HEADING_TWICE = FindingKind(
    "heading-twice",
    Severity.ERROR,
    "a second heading for “{field}”: the table at {first} ends before it; the columns from here on"
    " were not read",
    "If the tables are side by side, write `repeat = true` into [block]; otherwise split them, or"
    " rename the heading that is wrong.",
    looked_for="one column for {field}",
    found="columns at {first} and {at}",
    meaning="A stub field has a second heading; the table ends before it",
    example="“Species” in B4 and in K4",
    cure="`repeat = true`, or rename one of them",
    sender=senders.HEADING_TWICE,
)

HEADINGS_REPEATED = FindingKind(
    "headings-repeated",
    Severity.ERROR,
    "two columns have the same headings “{headings}”; both are read, and their records differ only"
    " in `source_cell`",
    "Correct the heading that is wrong, or list it in `ignore` or `totals`.",
    looked_for="each heading once",
    found="{first} and {at}",
    meaning="Two columns have the same headings; both were read",
    example="Two columns “April › Pots”",
    cure="Correct one of them",
    sender=senders.HEADING_TWICE,
)

HEADING_TAKEN = FindingKind(
    "heading-taken",
    Severity.ERROR,
    "the column “{heading}” means the field “{field}”, which is already filled by {filler}; its"
    " column was not read",
    "List the heading in `ignore`, or give it to another field in the glossary.",
    looked_for="one source for {field}",
    found="{filler}, and this column",
    meaning="A column means a field that is already filled; the cells below it are in no record",
    example="A column “Month”, and a stamp `month`",
    cure="List the heading in `ignore`",
)

HEADING_NOT_CONVERTED = FindingKind(
    "heading-not-converted",
    Severity.ERROR,
    "the heading “{heading}” is not {noun}{why:? (#)}, so “{field}” is empty in the records of its"
    " column",
    "{remedy:?# }If the column is not part of the table, list its heading in `ignore`.",
    looked_for="{type}",
    found="{heading}",
    meaning="A heading does not have the type of its level; the field is empty there",
    example="“Remarks” among the months of the upper heading",
    cure="List it in `ignore`",
    sender=senders.HEADING,
)

HEADING_LEVEL_BLANK = FindingKind(
    "heading-level-blank",
    Severity.ERROR,
    "no heading “{field}” over “{heading}”{text:? (“#” in {cell} begins right of it)}; the field is"
    " empty in its records",
    "Write the heading into the sheet, or merge the one beside it over this column; if upper"
    ' headings stand over the last column of their group, write `reach = "left"` into [block].',
    looked_for="{field}",
    found="blank",
    meaning="A column has no upper heading; the field is empty there",
    example="“Pots” and “Trays” under a blank cell",
    cure="Write the heading, or merge it over the column",
    sender=senders.NO_HEADING,
)

HEADING_RARE = FindingKind(
    "heading-rare",
    Severity.NOTE,
    "the heading “{heading}” appears on {tabs} of {of} tabs; its column was read as values like the"
    " others",
    "Check whether it is a column of the table; if not, list it in `ignore`.",
    looked_for="headings that other tabs have too",
    found="{heading}",
    meaning="Few tabs have this cross-tab heading; its column was read",
    example="“Phone” on 1 of 74 tabs",
    cure="List it in `ignore` if it is not part of the table",
)

HEADINGS_FOREIGN = FindingKind(
    "headings-foreign",
    Severity.WARNING,
    "none of the headings read as “{field}” on this tab ({headings:q}) is on the other {of} tabs,"
    " which share {usual:q}{more:? (so on # more tabs)}; they were read as they are",
    'If they mean the same, write them in one way with `same_as = {{ "{first_usual}" = "{first}"'
    " }}` for “{field}” in [fields].",
    looked_for="{usual}",
    found="{headings}",
    meaning="A tab shares no heading of a level with the other tabs, which share theirs; they were"
    " read as they are",
    example="“Monday … Sunday” on one of eight tabs, “Mon … Sun” on the others",
    cure="`same_as` makes them one",
    sender=senders.HEADING,
)

LEVEL_ROW_UNUSUAL = FindingKind(
    "level-row-unusual",
    Severity.ERROR,
    "{row} was read as “{field}” ({headings:q}), but shares no heading with that level on the other"
    " {of} tabs ({usual:q}); its records may have a wrong “{field}”",
    "Check whether a row was put between or above the headings, and take it out; if these are"
    " headings, list them in `choices` of the field.",
    looked_for="{usual}",
    found="{headings}",
    meaning="A row that was read as a heading level shares nothing with that level on the other"
    " tabs; the records were kept",
    example="“checked 3 May” between “Pot 95” and the grades",
    cure="Delete the row; where the headings are meant, `choices` lists them",
    sender=senders.HEADING,
)

LEVEL_ROW_REFUSED = FindingKind(
    "level-row-refused",
    Severity.ERROR,
    "{row} is among the headings, but {why}, so it was not"
    " read as “{field}”; its cells are in no record",
    "Move the row below the headings if it is a row of the table; otherwise delete it.",
    looked_for="headings of “{field}”",
    found="{text}",
    meaning="A row between the headings fills the stub, or holds what its level cannot be; it was"
    " not read as headings, nor as a record",
    example="A lot with its counts, pasted between the containers and the grades",
    cure="Move it into the table, or delete it",
    sender=senders.STRAY,
)

HEADING_NEAR = FindingKind(
    "heading-near",
    Severity.WARNING,
    "the heading “{heading}” ({records} of {of} records) is nearly “{usual}” ({usual_records}"
    " records): two values of “{field}” that may be one",
    'If they are one, write same_as = {{ "{usual}" = "{heading}" }} for “{field}” in [fields]; if'
    " both are meant, list them in its `choices`.",
    looked_for="{usual}",
    found="{heading}",
    meaning="A cross-tab heading is nearly another one, and rarer; both were read",
    example="“Multpot 95” in 24 of 870 records, “Multipot 95” in 160",
    cure="`same_as` makes them one; `choices` says that both are meant",
    sender=senders.HEADING,
)

GLOSSARY_ENTRY_TWICE = FindingKind(
    "glossary-entry-twice",
    Severity.NOTE,
    "{second}: the heading “{heading}” means “{meant}”, as {first} says already",
    "Delete one of the two rows.",
    looked_for="each heading once",
    found="{heading}",
    meaning="Two rows of the glossaries say the same",
    example="“Taimia” is listed for `seedlings` in two rows",
    cure="Delete one",
)


HEADING_BEYOND_GAP = FindingKind(
    "heading-beyond-gap",
    Severity.ERROR,
    "{column} is blank and ends the table, but “{heading}” is right of it; the columns from there"
    " on were not read",
    "Close the gap in the sheet if these columns belong to the table, or write `gaps = true` into"
    " [block]; if they are not yours, list them in `beside`.",
    looked_for="the end of the table",
    found="{heading}",
    meaning="A blank column ends the table, but headings follow; the columns from there on were not"
    " read",
    example="Column G is blank, and “June” is in H4",
    cure="Close the gap, or `gaps = true`; what is not yours is named in `beside`",
)
