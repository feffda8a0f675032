"""Findings about where tables are, and about their headings."""

from __future__ import annotations

from boreotabula.findings import senders
from boreotabula.findings.kind import FindingKind, Severity

TITLE = "Tables"

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
_OTHER_HEADING = (
    "If the column has another heading here, add that to the glossary or to `also` of the field."
)
_FIELD_MISSING = "no column for the field “{field}”; it is empty in the records of this tab"
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
