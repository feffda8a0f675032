"""Findings about where tables are, and about their headings."""

from __future__ import annotations

from boreotabula.findings import senders
from boreotabula.findings.kind import FindingKind, Severity

TITLE = "Tables and headings"

BLOCK_NOT_FOUND = FindingKind(
    "block-not-found",
    Severity.ERROR,
    "no row holds the headings of the stub columns, so the table was not read",
    "If the headings are worded differently here, add them to the glossary or to `also`; if this"
    " tab is another form, leave it out with the patterns of [tabs].",
    looked_for="{marks:?#|the table}",
    found="{there:?#|none of them}",
    meaning="The table was not found, so it was not read: no row has half of the stub headings or"
    " all of `found_by`, no cell matches the `caption`, or there is no table below it",
    example="“Species” and “Lot” were renamed “Kind” and “Batch”",
    cure="Add the headings to the glossary",
    sender=senders.NO_TABLE,
)
LIST_NOT_FOUND = BLOCK_NOT_FOUND.worded(
    message="no row holds two headings of fields, so the table was not read"
)
CAPTION_NOT_FOUND = BLOCK_NOT_FOUND.worded(
    message="no cell of this tab matches the caption {captions}, so the table was not read",
    advice="Compare the text over the table with the pattern of `caption`; if this tab is another"
    " form, leave it out in [tabs].",
    looked_for="{captions}",
    found="no such text",
)
_ELSEWHERE = "Compare the tab with the layout; if it is another form, leave it out in [tabs]."
TAB_OF_TABLE_EMPTY = BLOCK_NOT_FOUND.worded(
    message="this tab is empty, so the table was not read", advice=_ELSEWHERE, found="nothing"
)
NOTHING_AT_PLACE = BLOCK_NOT_FOUND.worded(
    message="there is nothing at {place} or beyond it, so the table was not read",
    advice=_ELSEWHERE,
    found="nothing",
)
LEADING_HEADINGS_UNKNOWN = BLOCK_NOT_FOUND.worded(
    message="no heading over the leading columns of the cross-tab is known, so the table was not"
    " read",
    advice=_ELSEWHERE,
    found="none of them",
)
TABLE_OBJECT_MISSING = BLOCK_NOT_FOUND.worded(
    message="no table object of this tab matches {marks}, so the table was not read",
    advice=_ELSEWHERE,
    found="{there:?#|no table object}",
)
TABLE_OBJECT_BLANK = BLOCK_NOT_FOUND.worded(
    message="the table object at {place} is blank, so the table was not read",
    advice=_ELSEWHERE,
    found="nothing",
)
NOTHING_BELOW_CAPTION = BLOCK_NOT_FOUND.worded(
    message="there is no table below the caption in {place}, so the table was not read",
    advice="If the table is further below, check what is between; if some captions have none,"
    " write `optional = true` beside `caption` in [block].",
    found="nothing",
)
FOUND_BY_MISSING = BLOCK_NOT_FOUND.worded(
    message="no row holds all of {marks}, so the table was not read", advice=_ELSEWHERE
)
COLUMNS_BESIDE_CROSS_TAB = BLOCK_NOT_FOUND.worded(
    message="“{heading}” in {at} is over column {place} of the table, but `columns` names {named}"
    " columns left of the cross-tab; nothing was read from it",
    advice="Check whether a column is missing on this tab; if not, name as many columns as there"
    " are.",
    looked_for="{named} columns left of “{heading}”",
    found="{there}",
)
BLOCK_FOUND_TWICE = FindingKind(
    "block-found-twice",
    Severity.ERROR,
    "the stub headings appear in two places: the table at {first} was read, the one here was not",
    "If both belong to the form, write `repeat = true` into [block]; otherwise clear the wrong"
    " headings, or name the right place with `at`.",
    looked_for="one table",
    found="headings in {row} and {other_row}",
    meaning="The headings of the table, or what else it is found by, appear again; the second table"
    " was not read",
    example="Another table with “Species” and “Lot” starts in row 40",
    cure="`repeat = true`, or split the tab",
)
TABLES_FOUND = BLOCK_FOUND_TWICE.worded(
    message="the table was found in {tables} places: the one at {first} was read, those from {at}"
    " on were not",
    advice="If all of them belong to the form, write `repeat = true` into [block]; otherwise make"
    " more exact what it is found by, or name the right place with `at`.",
    found="{tables} tables",
)
BLOCKS_OVERLAP = FindingKind(
    "blocks-overlap",
    Severity.ERROR,
    "two blocks of the layout find the same table at {place}; only the first of them read it",
    "Give the blocks different stub headings, say where each is with `at`, or give them `tabs` of"
    " their own.",
    looked_for="a table for each block",
    found="the same table for two",
    meaning="Two blocks of the layout find the same table; only the first read it",
    example="Two `[[block]]`s, stock and losses, have the same stub",
    cure="Make their stub headings differ, or use `at`",
)
CELLS_READ_TWICE = BLOCKS_OVERLAP.worded(
    message="the table at {place} reaches over another one: {cells:# cell|# cells} that another"
    " block reads as values were read again",
    advice="Tell where each block begins and ends: with `at`, `ends_at`, or stub headings of its"
    " own.",
    looked_for="each value in one block",
    found="cells in two blocks",
)
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
COLUMN_LACKING = FindingKind(
    "column-lacking",
    Severity.ERROR,
    "this table has {columns:# column|# columns}{more:? (so have # more)}, {tables} like it have"
    " {usual}{lacking:?, and “#” is not where it should be}; the columns from there on were read as"
    " other fields",
    "Ask the sender for the column, or read such files by a block of their own.",
    looked_for="{usual_fields}",
    found="{fields}",
    meaning="A table lacks a column that similar tables have: by position, the columns from there"
    " on were read as other fields; by headings, a field that all other tabs fill is empty here",
    example="Six files have Rank, Team, Laps; this one has Rank, Laps",
    cure="Ask for the column, or give such files a block of their own; leave out a tab that is no"
    " report",
    sender=senders.MISSING,
)
COLUMN_OF_OTHERS_LACKING = COLUMN_LACKING.worded(
    message="no column for the field “{field}”, which the other {tabs} tabs have; it is empty in"
    " the records of this tab",
    advice="If this tab is no report but sums up others, list it in [tabs] except; if the column"
    " has another heading here, add that to the glossary or to `also`; if it may be missing, write"
    " `optional = true` into the field.",
    looked_for="{field}",
    found="no such column",
)
LEADING_COLUMNS_DIFFER = COLUMN_LACKING.worded(
    message="the table begins with columns of {kinds}{more:? (so does that of # more)}, {tables}"
    " like it with {usual_kinds}: a column is missing or new there, so other columns were read in"
    " its place",
    advice="Compare the leading columns with `columns` of [block]; ask the sender, or read such"
    " files by a block of their own.",
    looked_for="{usual_kinds}",
    found="{kinds}",
)
COLUMNS_DIFFER = FindingKind(
    "columns-differ",
    Severity.WARNING,
    "`columns` names {named} columns, but the table has {columns}; the last fields are empty in its"
    " records",
    "Check whether a column is missing on this tab; the values may show which one.",
    looked_for="{named} columns",
    found="{columns} columns",
    meaning="A table read by position has more or fewer columns at its end than similar tables, or"
    " than `columns`",
    example="Five columns where the others have six",
    cure="Check which column is missing or new",
    sender=senders.MISSING,
)
COLUMNS_UNUSUAL = COLUMNS_DIFFER.worded(
    message="this table has {columns:# column|# columns}{more:? (so have # more)}, {tables} like it"
    " have {named}",
    advice="Check which column is missing or new at its end.",
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
_FIELD_MISSING = "no column for the field “{field}”; it is empty in the records of this tab"
_OTHER_HEADING = (
    "If the column has another heading here, add that to the glossary or to `also` of the field."
)
FIELD_MISSING = FindingKind(
    "field-missing",
    Severity.NOTE,
    _FIELD_MISSING,
    f"{_OTHER_HEADING} `required = true` would make this an error.",
    looked_for="{field}",
    found="no such heading",
    meaning="Nothing on a tab fills a field; it is empty in the records of the tab",
    example="“Bench 4” has no column “Remarks”",
    cure="Add its heading to the glossary",
)
REQUIRED_FIELD_MISSING = FindingKind(
    "required-field-missing",
    Severity.ERROR,
    _FIELD_MISSING,
    _OTHER_HEADING,
    looked_for="{field}",
    found="no such heading",
    meaning="The same, for a field with `required = true`",
    example="“Bench 4” has no column “Seedlings”",
    cure="Add its heading to the glossary",
    sender=senders.MISSING,
)
VALUES_WITHOUT_HEADING = FindingKind(
    "values-without-heading",
    Severity.ERROR,
    "{cells:# cell|# cells} of {column} {cells:has|have} no heading; {cells:it is|they are} in no"
    " record",
    "Write a heading into {heading_cell}, or clear {cells:it|them}.",
    looked_for="a heading in {heading_row} or above",
    found="{text}",
    meaning="Cells have no heading, or lie beyond the last name of `columns`; they are in no"
    " record",
    example="Numbers in column M, but M4 is blank",
    cure="Write a heading",
    sender=senders.NO_HEADING,
)
VALUES_BEYOND_COLUMNS = VALUES_WITHOUT_HEADING.worded(
    message="{cells:# cell|# cells} of {column} {cells:is|are} beyond the last name of `columns`;"
    " {cells:it is|they are} in no record",
    advice="Add a name to `columns` of the layout, or “-” to pass the column over.",
    looked_for="a name in `columns`",
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
CORNER_DIFFERS = FindingKind(
    "corner-differs",
    Severity.WARNING,
    "the text over “{field}” differs from table to table of this tab ({corners:q}), but is in no"
    " record: the records of these tables cannot be told apart by it",
    'Keep it in a field of its own: a stamp with `from = "stub head"`, or `caption` if it is a'
    " title.",
    looked_for="the same text over “{field}” in each table",
    found="{corners}",
    meaning="Tables of one tab have different texts over the same column, and no field holds them",
    example="“All people”, “Screened” and “Treated” over three tables one below the other",
    cure='A stamp with `from = "stub head"`, or a `caption`',
)
COLUMNS_NUMBERED = FindingKind(
    "columns-numbered",
    Severity.ERROR,
    "{row} under the headings numbers the columns; it is in no record",
    "Write `under_headings = 1` into [block], so that it is left out by a rule.",
    looked_for="a row of the table",
    found="1, 2, 3 …",
    meaning="A row below the headings numbers the columns; it is in no record",
    example="(1), (2), (3) … in the row below the headings",
    cure="`under_headings = 1`",
)
RULE_TAKES_ALL = FindingKind(
    "rule-takes-all",
    Severity.ERROR,
    "the rule “{rule}” leaves out every {lines} of the table, so it gives no records",
    "Make the pattern more exact: it should match only the {lines}s that are not wanted.",
    looked_for="{lines}s of the table",
    found="{rule}",
    meaning="A rule (`skip`, `ignore`, `[tabs] except`) leaves out every row or column of a table,"
    " or every tab",
    example='`skip = "*:"`, where every lot ends with a colon',
    cure="Make the pattern more exact",
)
TABS_ALL_LEFT_OUT = RULE_TAKES_ALL.worded(
    message="[tabs] leaves out every tab of this workbook ({tabs}), so nothing was read from it",
    advice="Make the patterns of `except` more exact, or take out `visible_only`.",
    looked_for="a tab that is not left out",
    found="{tabs}",
)
