"""Findings about totals, and about cells that no other finding covers."""

from __future__ import annotations

from boreotabula.findings import senders
from boreotabula.findings.kind import FindingKind, Severity

TITLE = "Totals and the account"

LOOKS_LIKE_TOTAL = FindingKind(
    "looks-like-total",
    Severity.ERROR,
    "{rows} (“{label}”) {count:holds|hold} the sums of records above or below;"
    " {count:its|their} cells are in no record",
    "Add {patterns:q} to `totals` of [block]; if these are records, list them in `not_totals`.",
    looked_for="a pattern in `totals`",
    found="{label}",
    meaning="A row or column holds the sums of others, but `totals` does not name it; its cells are"
    " in no record",
    example="A row “Yhteensä” with the sums of the rows above",
    cure="Add its label to `totals`; `not_totals` says that it is a record",
    sender=senders.LIKE_TOTAL,
)
SUMS_WITHOUT_LABEL = LOOKS_LIKE_TOTAL.worded(
    message="{rows} {count:holds|hold} the sums of records above or below, but no label;"
    " {count:its|their} cells are in no record",
    advice='Write `totals = [""]` into [block]: a row of sums without a label; or write “Total”'
    " beside it, and list that.",
)
COLUMN_LIKE_TOTAL = LOOKS_LIKE_TOTAL.worded(
    message="{column} (“{label}”) holds the sums of columns beside it; its cells are in no record",
    advice="Add “{label}” to `totals` of [block]; if it is not a total, list it in `ignore` or"
    " change its heading.",
)
TOTAL_LIKELY = FindingKind(
    "total-likely",
    Severity.WARNING,
    "{rows} (“{label}”) {count:looks like a row of totals|look like rows of totals}, but no pattern"
    " of `totals` matches; {count:it was read as a record|they were read as records}",
    "If it is a total, add “{label}” to `totals` of [block]; if it is a record, list it in"
    " `not_totals`.",
    looked_for="a pattern in `totals`",
    found="{label}",
    meaning="A row may be a total: it begins with a word for total, or is just the sum of the rows"
    " above or below; it was read as a record",
    example="“Total Hill”, with no lot beside it",
    cure="Add its label to `totals`; `not_totals` says that it is a record",
    sender=senders.LIKE_TOTAL,
)
SUMS_LIKELY = TOTAL_LIKELY.worded(
    message="{rows} (“{label}”) {count:holds|hold} just the sum of records above or below, but no"
    " pattern of `totals` matches; {count:it was read as a record|they were read as records}",
    advice="If it is a total, add {patterns:q} to `totals` of [block]; if it is a record,"
    " list it in `not_totals`.",
)
NEAR_SUMS_LIKELY = TOTAL_LIKELY.worded(
    message="{rows} (“{label}”) {count:is named like a total and holds|are named like totals and"
    " hold} about the sums of the rows above, but no pattern of `totals` matches; {count:it was"
    " read as a record|they were read as records}",
    advice="If it is a total, add {patterns:q} to `totals` of [block]; if it is a record,"
    " list it in `not_totals`.",
)
GROUP_SUMS_LIKELY = TOTAL_LIKELY.worded(
    message="{rows} (“{label}”) {count:holds|hold} the sums of the rows below; {count:it was"
    " read as a record|they were read as records}, so what they sum up counts twice",
    advice="If such rows name the rows below, write `group_row` into [block]; if they are totals,"
    " add {patterns:q} to `totals`; if they are records, list them in `not_totals`.",
)
TAB_LIKELY_TOTAL = FindingKind(
    "tab-likely-total",
    Severity.WARNING,
    "the numbers of this tab are the sums of those of {tabs:q}, cell by cell; all were read, so"
    " they count twice",
    "If it sums up the others, list it in [tabs] except.",
    looked_for="numbers of its own",
    found="{tabs}",
    meaning="All numbers of a tab are the sums of the same cells of other tabs of its workbook; all"
    " were read",
    example="“Q1” beside “Jan”, “Feb” and “Mar”",
    cure="List it in `except` of `[tabs]`",
)
TOTAL_DIFFERS = FindingKind(
    "total-differs",
    Severity.ERROR,
    "the printed total {printed} in {at} is {apart} {more:more|less} than the {summed} of the"
    " records that it sums up ({range}){others:?; so {number:is|are} #}{culprit:?: #}",
    "Look at the cells that it sums up, and ask the sender which figure is right.",
    looked_for="{summed}",
    found="{printed}",
    meaning="A printed total is not the sum of its records; the message names the likely cause",
    example="420 in F12, the records sum up to 402",
    cure="Check the cells that it sums up, and ask the sender",
    sender=senders.TOTAL,
)
AVERAGE_DIFFERS = TOTAL_DIFFERS.worded(
    message="the printed average {printed} in {at} is {apart} {more:more|less} than the {summed} of"
    " the records ({range}){others:?; so {number:is|are} #}{culprit:?: #}",
    advice="Look at the cells of which it is the average, and ask the sender which figure is"
    " right.",
)
TOTALS_OF_LINE_DIFFER = TOTAL_DIFFERS.worded(
    message="{line}: {wrong} of {totals} totals differ. {at} says {printed}, the records add up to"
    " {summed}{culprit:?: #}",
    advice="If they are not sums (but shares or prices), list the heading or label in `ignore` or"
    " `skip` instead of `totals`; otherwise check whether a row or column of records is missing,"
    " and ask the sender.",
)
NO_TOTAL_OF_LINE_AGREES = TOTALS_OF_LINE_DIFFER.worded(
    message="{line}: no total agrees. {at} says {printed}, the records add up to {summed}"
    "{culprit:?: #}",
)
TOTAL_WITHOUT_NUMBER = FindingKind(
    "total-without-number",
    Severity.NOTE,
    "{totals:# printed total holds|# printed totals hold} no number that could be compared:"
    " “{text}”",
    "The records are complete; the sender may want to check the formula.",
    looked_for="a number",
    found="{text}",
    meaning="A printed total is not a number and was not compared",
    example="#REF! in F12",
    cure="The sender may want to check the formula",
    sender=senders.TOTAL_FLAWED,
)
TOTAL_OVER_TEXTS = FindingKind(
    "total-over-texts",
    Severity.WARNING,
    "the printed total “{text}” in {at} cannot be compared: “{field}” is read as {noun}, not as"
    " numbers{more:? (and # more totals)}",
    'If its values are amounts, give the field a number type{unit:?: `type = "{proposed}"`, `unit ='
    ' "#"`}.',
    looked_for="a field of numbers",
    found="{text}",
    meaning="A total is printed over a field that is not read as numbers, so it was not compared",
    example="“kr 12,50” and “kr 8,-” as texts, and 20.50 in the row of totals",
    cure="Give the field a number type, and its `unit`",
)
TOTAL_DOUBTFUL = FindingKind(
    "total-doubtful",
    Severity.WARNING,
    "{row} (“{label}”) is left out by `totals` (“{pattern}”), but agrees with no sum, and is filled"
    " as records are",
    "If it is a record, list it in `not_totals`, or make the pattern of `totals` more exact.",
    looked_for="a sum of records",
    found="{label}",
    meaning="A row that a pattern of `totals` matches is filled like a record and is no sum; it is"
    " in no record",
    example='“Totality House” taken by `totals = "Total*"`',
    cure="Make the pattern more exact, or `not_totals`",
)
COUNT_DIFFERS = FindingKind(
    "control-differs",
    Severity.ERROR,
    "{row} says {text} records, but {counted} were read above it",
    "Check whether lines are missing or were sent twice, and ask the sender.",
    looked_for="{counted}",
    found="{text}",
    meaning="A control line of an interface file tells another count or sum than was read",
    example="`T|14|196049` below 13 lines",
    cure="Ask the sender for the file again",
    sender=senders.TOTAL,
)
SUM_OF_LINE_DIFFERS = COUNT_DIFFERS.worded(
    message="{row} says {text} for “{field}”, but the records above it add up to {counted}",
)
CONTROL_UNREADABLE = COUNT_DIFFERS.worded(
    message="{row} holds “{text}” where `control` looks for a figure, so nothing was compared",
    advice="Compare the columns of `control` with the line.",
    looked_for="a figure",
)
RULE_UNUSED = FindingKind(
    "rule-unused",
    Severity.WARNING,
    "the rule “{rule}” covers no cell of any tab",
    "Take it out of the layout, or correct it: what it was for is not there, or is read.",
    looked_for="cells that it leaves out",
    found="none",
    meaning="`below` or `beside` of the layout covers nothing in the whole run",
    example='`below = "leave out"`, and nothing stands below the table on any tab',
    cure="Take the rule out",
)
CELLS_UNPLACED = FindingKind(
    "cells-unplaced",
    Severity.ERROR,
    "{cells:# cell of the table is|# cells of the table are} in no record; the first is “{text}”"
    " ({reason})",
    "Look at unplaced.csv: give what belongs to the records a heading that a field has; leave out"
    " the rest with `ignore`, `skip` or `ends_at`.",
    looked_for="a role for every filled cell",
    found="{text}",
    meaning="Cells inside a table are in no record, and no other finding explains why",
    example="A remark in a row whose values are all blank",
    cure="Look at `unplaced.csv`",
    sender=senders.STRAY,
)
CELLS_WITHOUT_VALUE = CELLS_UNPLACED.worded(
    message="{cells:# cell is|# cells are} in rows whose values are all blank (“{text}” first); no"
    " record can hold {cells:it|them}",
    advice='Write `blank = "keep"` into [block], if blank values should make records too.',
    looked_for="a value in its row",
)
_LOOK = "Look at unplaced.csv, and add to the layout what matters."
NUMBERS_UNPLACED = FindingKind(
    "numbers-unplaced",
    Severity.WARNING,
    "{cells:# number or date of this tab is|# numbers or dates of this tab are} in no record; the"
    " first is “{text}” ({reason})",
    _LOOK,
    looked_for="a role for every filled cell",
    found="{text}",
    meaning="Numbers or dates outside the tables are in no record",
    example="A phone number above the table",
    cure="Look at `unplaced.csv`",
    sender=senders.OUTSIDE_FORM,
)
TEXTS_UNPLACED = FindingKind(
    "texts-unplaced",
    Severity.NOTE,
    "{cells:# text of this tab is|# texts of this tab are} in no record; the first is “{text}”"
    " ({reason})",
    _LOOK,
    looked_for="a role for every filled cell",
    found="{text}",
    meaning="Texts outside the tables are in no record: titles, remarks",
    example="“Please return by Friday”",
    cure="–",
)
TEXTS_REPEATED = FindingKind(
    "texts-repeated",
    Severity.NOTE,
    "{texts:# text is|# texts are} outside the tables of up to {tabs} tabs, in the same words:"
    " {shown:q}",
    "If they belong to the form itself, write `boilerplate = [{listed}]` at the top of the layout;"
    " then only new remarks are reported.",
    looked_for="a role for every filled cell",
    found="{first}",
    meaning="Three or more similar tabs have the same texts outside their tables (one finding for"
    " the run)",
    example="“Stock-take of spring” on 48 of 48 tabs",
    cure="List them in `boilerplate`",
)

TOTAL_BEFORE_CORRECTION = FindingKind(
    "total-before-correction",
    Severity.NOTE,
    "the printed total {printed} in {total} is that of the values before {cell} was"
    " corrected{number:?; so are {others}}",
    "Nothing; the sender's total is out of date by that correction.",
    looked_for="{summed}",
    found="{printed}",
    meaning="A printed total agrees with what the sender wrote, and not with a corrected cell",
    example="12 was corrected to 21, and the sender had added up 12",
    cure="Nothing, until the sender has corrected the file",
)
