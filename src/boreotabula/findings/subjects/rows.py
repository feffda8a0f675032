"""Findings about the rows of tables."""

from __future__ import annotations

from boreotabula.findings import senders
from boreotabula.findings.kind import FindingKind, Severity

TITLE = "Rows"

GROUP_MISSING = FindingKind(
    "group-missing",
    Severity.ERROR,
    "no row above {row} names its “{field}”; the field is empty in its records",
    "Write the name of the group into a row of its own above the lines.",
    looked_for="{field}",
    found="no such row",
    meaning="No row above a record names its group; the field is empty",
    example="Records above the first row such as “Conifers”",
    cure="Write the name of the group",
    sender=senders.NO_GROUP,
)
GROUP_DOUBTFUL = FindingKind(
    "group-doubtful",
    Severity.ERROR,
    "{row} (“{text}”) names a “{field}”, but has no rows below it",
    "Fill in a value (zero, perhaps) if it is a row of the table; clear the row that is not a"
    " group.",
    looked_for="lines below the name of a group",
    found="no line",
    meaning="A row names a group that has no rows; or two rows in turn look like names of a group,"
    " and the lower one was used",
    example="“Conifers” and “Pine”, one below the other, both without values",
    cure="Fill in a value, or clear the row",
    sender=senders.NO_GROUP,
)
GROUPS_IN_TURN = GROUP_DOUBTFUL.worded(
    message="{row} and {next_row} both look like the name of a “{field}”; the lower one was used,"
    " but it may be a row without values",
    found="another row with nothing but a name",
)
GROUP_EMPTY = FindingKind(
    "group-empty",
    Severity.NOTE,
    "{row} (“{text}”) names a “{field}” that `group_row` lists, but has no rows below it",
    "Nothing to do if the group has nothing to report.",
    looked_for="lines below the name of a group",
    found="no line",
    meaning="A row with a name that `named` of `group_row` lists has no rows below it",
    example="“Broadleaves” as the last row of the table",
    cure="–",
)
ROW_WITHOUT_STUB = FindingKind(
    "row-without-stub",
    Severity.ERROR,
    "{rows} {count:holds|hold} values, but no stub cell names them; {count:it is|they are} in"
    " no record",
    "Fill in the stub cells; if this is a row of totals, write a label such as “Total” beside it"
    ' and list it in `totals` (`totals = [""]` is a row of sums without a label); for'
    " merged-looking groups use `carry_down`; a row of units under the headings is left out with"
    " `under_headings = 1`.",
    looked_for="a filled stub cell",
    found="{text}",
    meaning="A row has values, but no stub cell names it; they are in no record",
    example="12 and 15 in row 19, where Species is blank",
    cure="Fill in the stub, or list the label in `totals`",
    sender=senders.NO_NAME,
)
NOTHING_TO_CARRY = ROW_WITHOUT_STUB.worded(
    advice="Fill in the stub cells: the first rows of the table have none to carry down; if this is"
    " a row of totals, write a label such as “Total” beside it and list it in `totals`; a row of"
    " units under the headings is left out with `under_headings = 1`.",
)
STUB_CELL_BLANK = FindingKind(
    "stub-cell-blank",
    Severity.NOTE,
    "“{field}” is blank in {rows}{others:?, and filled in the other #|, all that the table has};"
    " the records were written without it",
    "Fill in the cell, or ask the sender; `carry_down` would take it from the row above.",
    looked_for="{field}",
    found="blank",
    meaning="A stub cell is blank in a few rows; the records were written without it",
    example="The lot is blank in row 7",
    cure="Fill it in; `carry_down` takes it from above",
)
STUB_CELL_BLANK_ABOVE = STUB_CELL_BLANK.worded(
    advice="Fill in the cell, or ask the sender; there is no value above to carry down."
)
ROW_WITHOUT_VALUE = FindingKind(
    "row-without-value",
    Severity.NOTE,
    "{rows} (“{text}”) {count:has|have} no value, so no record was made (rule `blank`)",
    'Nothing to do if rows without values mean nothing; otherwise write `blank = "keep"` into'
    " [block].",
    looked_for="a value in its row",
    found="{text}",
    meaning="Rows with a name but no value; no record was made of them (rule `blank`)",
    example="The lot “L7”, all months blank",
    cure="–",
)
ROW_UNCLEAR = FindingKind(
    "row-unclear",
    Severity.WARNING,
    "{rows} (“{text}”) {count:has|have} no values, but other cells besides the first, so it was"
    " not read as the name of a “{field}”; the rows below keep the group above",
    "If it is the name of a group, clear the other cells, or list it in `named` of `group_row`; if"
    " it is a line without values, there is nothing to do.",
    looked_for="values, or the name of a {field} alone",
    found="{text}",
    meaning="With `group_row`: a row without values has more than one filled cell, so it was not"
    " read as the name of a group; or rows were read as names of groups because they hold sums,"
    " which may be a coincidence",
    example="“Birch” with a line number beside it",
    cure="List the names in `named` of `group_row`",
)
GROUPS_BY_SUMS = ROW_UNCLEAR.worded(
    message="{rows} (“{text}”) {count:holds the sum|hold the sums} of the rows below, and"
    " {count:was|were} read as the name of a “{field}”; with such small numbers that may be a"
    " coincidence",
    advice="List the names of the groups in `named` of `group_row`, so that nothing is guessed.",
    looked_for="a row that names a {field}",
)
ROW_BELOW_TABLE = FindingKind(
    "row-below-table",
    Severity.ERROR,
    "{rows} below the table (“{text}”) {count:is|are} filled differently from its records, and"
    " {count:is|are} in no record",
    "If it is a record, fill in its cells, or write `every_row = true` into [block]; if it is a"
    " remark, end the table before it with `ends_at`, or leave it out with `skip`.",
    looked_for="a row filled as the records are",
    found="{text}",
    meaning="A row below a list is filled differently from its records; it is in no record",
    example="“Approved by”, “A. Holm” below three columns of dispatches",
    cure="`ends_at` or `skip`; `every_row = true` if it is a record",
    sender=senders.STRAY,
)
ROW_NEARLY_BLANK = FindingKind(
    "row-nearly-blank",
    Severity.WARNING,
    "{rows} (“{text}”) {count:has|have} only one filled cell, most others three or more;"
    " {count:it was read as a record|they were read as records}",
    "If it is a remark or a heading, leave it out with `skip`; if it names the rows below, say so"
    " with `group_row`; `every_row = true` says that all rows are records.",
    looked_for="a row filled as the others are",
    found="{text}",
    meaning="A row inside a list has one filled cell where most have three or more; it was read as"
    " a record",
    example="“see page 2” among the dispatches",
    cure="`skip`, or `group_row` if it names the rows below",
    sender=senders.STRAY,
)
RECORDS_BELOW_END = FindingKind(
    "records-below-end",
    Severity.ERROR,
    "`ends_at` (“{rule}”) ends the table at {row}, but {rows} below it {count:is|are} filled like"
    " its records; nothing there was read",
    "Make the pattern of `ends_at` more exact, or leave the row out with `skip`; if what follows is"
    ' not part of the table, write `below = "leave out"` into [block].',
    looked_for="the end of the table",
    found="{text}",
    meaning="Below the row where `ends_at` ends the table are rows that look like records; they"
    " were not read",
    example='`ends_at = "Note*"`, and a lot called “Note 5” inside the table',
    cure='Make the pattern more exact; `below = "leave out"` if what follows is not yours',
    sender=senders.STRAY,
)
TABLE_WITHOUT_RECORDS = FindingKind(
    "table-without-records",
    Severity.WARNING,
    "the table at {at} has no records; the stamps of this tab were not written",
    "Nothing to do if there was nothing to report; otherwise check why its rows were not read.",
    looked_for="records",
    found="none",
    meaning="A table has no records; the stamps of the tab were not written",
    example="A form without a single filled line",
    cure="–",
)
TABLE_NOT_FILLED = FindingKind(
    "table-not-filled",
    Severity.WARNING,
    "none of the {records} records of the table at {at} has a value for {names:q}{more}",
    "Ask the sender whether the form was filled in; if so, look where the values stand.",
    looked_for="values",
    found="none",
    meaning="The records of a table have names and perhaps remarks, but none of their numbers",
    example="A form with its seven days and nothing else",
    cure="–",
    sender=senders.NOTHING_FILLED,
)
HEADINGS_AS_RECORD = FindingKind(
    "headings-as-record",
    Severity.ERROR,
    "each value of {rows} equals the heading of its column: {count:it is a row|they are rows} of"
    " headings, so {count:it is|they are} in no record, and the rows below"
    " {count:it|them} may belong to another table",
    "If the rows below belong to a table of their own, write `repeat = true` into [block]; if the"
    " headings are only repeated, write the same text over the stub in each of them.",
    looked_for="values",
    found="{text}",
    meaning="A row repeats the headings of its columns as if they were values; it was not read",
    example="“Income (€) | 1997 | 1998” in the middle of a table headed “Income | 1997 | 1998”",
    cure="`repeat = true`, or correct the text over the stub",
    sender=senders.STRAY,
)
REQUIRED_VALUE_BLANK = FindingKind(
    "required-value-blank",
    Severity.ERROR,
    "“{field}” is blank in {at}{more:? (and # more)}, but `required`; the record was written"
    " without it",
    "Fill in the cell, or ask the sender.",
    looked_for="{field}",
    found="blank",
    meaning="A field with `required = true` is blank in a record; it was written without it",
    example="No species in row 14",
    cure="Fill in the cell",
    sender=senders.BLANK,
)
