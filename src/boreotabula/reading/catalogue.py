"""What each finding means, for people: the handbook's page of findings is made from this.

Each entry says what is wrong and what was done with the value, gives an example, and says what to
do. Code names are marked as in Markdown.
"""

from __future__ import annotations

from collections.abc import Mapping
from typing import NamedTuple

from boreotabula.reading.findings import Code


class Entry(NamedTuple):
    """A finding explained."""

    code: Code
    meaning: str
    example: str
    cure: str


_FILES = (
    Entry(
        Code.FILE_UNREADABLE,
        "The file is damaged, empty, protected, stops the reader, or is not a table; the others"
        " were read",
        "`april.xlsx` opens only with a password",
        "Save it again, or ask the sender for it again",
    ),
    Entry(
        Code.FILE_NOT_FETCHED,
        "A file could not be fetched from its server; the others were read",
        "The server stopped after 200 of 300 files",
        "Run again once the server answers",
    ),
    Entry(
        Code.FILE_OVER_BUDGET,
        "Reading the file would take more memory or time than one file may (see [what is"
        " trusted](trust.md)); it was not read",
        "One cell far below the table makes a sheet of 17 billion cells",
        "Delete what is beyond the table; for a sound file allow more with `--largest-part`",
    ),
    Entry(
        Code.FILE_FAULT,
        "The program failed at this file; the others were read",
        "The message names a report, which holds no content of cells",
        "Report it",
    ),
    Entry(
        Code.QUOTE_OPEN,
        "A quoted field of a text file goes on over several lines, or is never closed; those lines"
        " became one cell",
        'A lone `"` in line 7 of `lager.csv`',
        'Close or delete the quote; where quotes are ordinary characters, `quote = ""` in `[text]`',
    ),
    Entry(
        Code.READ_AS,
        "A text file is not UTF-8 and was read in the most likely encoding (one finding for the"
        " run); or a web page has several tables and the first was read; or the content is not"
        " what the ending says",
        "`lager.csv` was read as windows-1252",
        "Nothing if the letters look right; else `[text] encoding`",
    ),
    Entry(
        Code.FILE_TWICE,
        "The file has the same content as another; only one of them was read",
        "`Lomlia (1).xlsx` beside `Lomlia.xlsx`",
        "Delete the copy",
    ),
    Entry(
        Code.TAB_TWICE,
        "A tab holds the same records as an earlier one, stamps and values; only the earlier one"
        " was kept",
        "“Bench 1 (2)” is a copy of “Bench 1”, including the month",
        "Delete the copy, or add a stamp that tells the two apart",
    ),
    Entry(
        Code.FOLDER_UNREADABLE,
        "A folder cannot be opened; the files in it were not read",
        "`inbox/2026-04` belongs to another user",
        "Ask for access, or list it in `exclude`",
    ),
    Entry(
        Code.FOLDER_LINKED,
        "A link to a folder; links are not followed",
        "`inbox/archive` points to another drive",
        "Name that folder in `[source]`, or list the link in `exclude`",
    ),
    Entry(
        Code.FILE_NOT_REGULAR,
        "A pipe, a device, a socket or a broken link; it was not opened",
        "`lomlia.xlsx` is a link to a drive that is gone",
        "Put the file itself there, or list it in `exclude`",
    ),
    Entry(
        Code.OUTPUT_DOUBTFUL,
        "A run folder says that a run wrote this file, but the file has changed since; it was not"
        " read",
        "`lomlia.run` was sent along with the reports",
        "Move the run folder away if the file is a report; otherwise list it in `exclude`",
    ),
    Entry(
        Code.FILE_NOT_CHOSEN,
        "The file has the ending of those that are read, but its name matches no pattern of"
        " `include`; it was not read",
        "`lomlia-april.xlsx` beside `stock_Lomlia_2026-04.xlsx`",
        "Rename it, add a pattern, or list it in `exclude`",
    ),
    Entry(
        Code.NO_FILE_MATCHES,
        "No file of the source folder was read",
        '`include = "*.xls"`, but all files are .xlsx',
        "Correct `[source]`",
    ),
    Entry(
        Code.NAME_UNMATCHED,
        "A file named on the command line matches no pattern; it was read, but the fields that the"
        " pattern fills are empty",
        "`stock final.xlsx`, where the pattern is `stock_{month}.xlsx`",
        "Rename it, or add a pattern",
    ),
    Entry(
        Code.NAME_AMBIGUOUS,
        "The name of a file or tab, or a caption, fits its pattern in two ways; the first was used",
        "`{co}_orders_*` takes “My” from `My_orders_Ltd_orders_1.xlsx`, but “My_orders_Ltd” fits"
        " too",
        "Make the pattern or the name more exact",
    ),
    Entry(
        Code.NO_TAB_MATCHES,
        "No tab of the workbook is chosen by `[tabs]`; nothing was read from it",
        "The tab is called “Bnech 1”, the pattern is `Bench {bench}`",
        "Rename the tab, or add a pattern",
    ),
    Entry(
        Code.TAB_PATTERN_UNUSED,
        "A pattern of `[tabs]` matches no tab of any workbook",
        "`Huone {bench}` in `named`, and no workbook has such a tab",
        "Correct the pattern, or delete it",
    ),
    Entry(
        Code.TAB_NOT_CHOSEN,
        "A tab holds the headings of the table but was not read, since `[tabs]` does not choose"
        " it; with `where_found`, at least half of the headings, but not the texts by which the"
        " table is found",
        "“Bench 3 (2)” does not match `Bench {bench}` but holds the stock table",
        "Add a pattern, or list the tab in `except`",
    ),
    Entry(
        Code.TABS_ALIKE,
        "The names of two tabs give the same stamps; both were read",
        "“Bench 1” and “Huone 1” both give bench = 1",
        "Leave one of them out if it is a copy",
    ),
    Entry(
        Code.SEVERAL_TABS,
        "Several tabs are filled, and the layout does not say which to read; none was read",
        "“Sheet1” and “Sheet2” are filled, and there is no `[tabs]`",
        "Add `[tabs]`",
    ),
    Entry(
        Code.WORKBOOK_BLANK,
        "All tabs of the workbook are empty",
        "A template was sent back unfilled",
        "Ask for the file again",
    ),
    Entry(
        Code.TAB_UNREADABLE,
        "One tab is damaged or far too large; the others were read",
        "A cell in row 1,048,576 and column XFD",
        "Save the workbook again",
    ),
    Entry(Code.TAB_BLANK, "A chosen tab is empty", "“Bench 9” was added and never filled in", "–"),
    Entry(
        Code.TAB_HIDDEN,
        "A tab is hidden, but was read",
        "“Bench 2” is hidden in `Lomlia.xlsx`",
        "Unhide it and look; `visible_only` leaves such tabs out",
    ),
    Entry(
        Code.ROWS_HIDDEN,
        "Rows are hidden, but were read",
        "Rows 7 to 9 were filtered away",
        "Unhide them and look; `visible_only` leaves them out",
    ),
    Entry(
        Code.COLUMNS_HIDDEN,
        "Columns are hidden, but were read",
        "Columns D and E were folded away",
        "Unhide them and look; `visible_only` leaves them out",
    ),
    Entry(
        Code.EDITION_UNKNOWN,
        "A tab fits none of the `[[edition]]`s; nothing was read from it",
        "The form of 2027 arrives, and there are editions for 2025 and 2026",
        "Add an edition, or leave the tab out",
    ),
)

_STAMPS = (
    Entry(
        Code.STAMP_BLANK,
        "The cell of a stamp is blank; the field is empty in all records of the tab",
        "C2 should hold the month and is blank",
        "Fill it in, or check whether the form starts elsewhere",
    ),
    Entry(
        Code.STAMP_NOT_FOUND,
        "No cell has the label of a stamp or fits its pattern, there is no such named cell or tab,"
        " or none of its sources is there; the field is empty in all records of the tab",
        '`right_of = "Nursery"`, but the form says “Site”',
        "Add the label, or `optional = true`",
    ),
    Entry(
        Code.STAMP_FOUND_TWICE,
        "The label appears in several places with different values; none was used",
        "“Month” in B2 beside April, and in H2 beside May",
        "Make the label more exact",
    ),
    Entry(
        Code.STAMP_LABEL_DIFFERS,
        "A fixed cell does not have the label that `labelled` asks for; the field is empty",
        '`labelled = "Month"`, but beside C2 is “Bench”',
        "Check whether rows were inserted; `right_of` finds labels",
    ),
    Entry(
        Code.STAMP_PATTERN_DIFFERS,
        "The text does not match the `pattern` of the stamp; the field is empty",
        '`pattern = "Stock of {month}"`, but C2 says “April stock”',
        "Correct the cell or the pattern",
    ),
    Entry(
        Code.STAMP_NOT_CONVERTED,
        "The text does not have the type of the field; the field is empty",
        "The month in C2 is “soon”",
        "Correct it",
    ),
    Entry(
        Code.STAMP_DEFAULT,
        "A stamp is missing; the `default` of the layout was used",
        "No cell tells the unit, so “pcs” was used",
        "–",
    ),
    Entry(
        Code.STAMP_MOVED,
        "The cell of a stamp has another label beside it than on similar tabs; the value was used",
        "C2, read as the month, has “Bench” beside it; similar tabs have “Month”",
        "Check whether a row was inserted; use `right_of` or `labelled`",
    ),
    Entry(
        Code.STAMP_LABEL_UNUSUAL,
        "The label beside a fixed cell is another one than on most similar tabs; the value was"
        " used",
        "“Operator:” beside B1, where six files have “Station:”",
        "Check which value this is; `labelled` makes it an error, `right_of` finds the right label",
    ),
    Entry(
        Code.STAMP_SOURCE_UNUSUAL,
        "A stamp with a list of sources was read from a later one than on most similar tabs",
        "The site comes from the file name, on 40 similar tabs from C2",
        "Check why it is not in its usual place",
    ),
)

_BLOCKS = (
    Entry(
        Code.BLOCK_NOT_FOUND,
        "The table was not found, so it was not read: no row has half of the stub headings or all"
        " of `found_by`, no cell matches the `caption`, or there is no table below it",
        "“Species” and “Lot” were renamed “Kind” and “Batch”",
        "Add the headings to the glossary",
    ),
    Entry(
        Code.BLOCK_FOUND_TWICE,
        "The headings of the table, or what else it is found by, appear again; the second table"
        " was not read",
        "Another table with “Species” and “Lot” starts in row 40",
        "`repeat = true`, or split the tab",
    ),
    Entry(
        Code.BLOCKS_OVERLAP,
        "Two blocks of the layout find the same table; only the first read it",
        "Two `[[block]]`s, stock and losses, have the same stub",
        "Make their stub headings differ, or use `at`",
    ),
    Entry(
        Code.STUB_HEADING_MISSING,
        "One stub heading is missing; the field is empty",
        "“Lot” is missing, “Species” is there",
        "Add the heading to the glossary",
    ),
    Entry(
        Code.HEADING_ROWS_DOUBTFUL,
        "It is not clear which rows are the heading rows; the lowest were used",
        "A row of units between the headings and the records",
        "Merge the stub headings over all heading rows",
    ),
    Entry(
        Code.HEADING_UNKNOWN,
        "No field has this heading; the cells below it are in no record",
        "A column “Taimia kpl”",
        "Add it to the glossary, or to `ignore`",
    ),
    Entry(
        Code.HEADING_ROW_MET,
        "A list without headings (`headings = 0`) begins with a row of headings; it was not read"
        " as a record",
        "“Time” and “Humidity” above the readings of one logger",
        "–",
    ),
    Entry(
        Code.HEADING_CONTRADICTS,
        "`columns` reads a column as one field, but its heading is that of another; or a text over"
        " the stub names another level than that of its row. It was read by its position",
        '`columns = ["rank", "laps"]` under the headings “Laps”, “Rank”',
        "Put `columns` in the order of the sheet, or find the table by its headings",
    ),
    Entry(
        Code.COLUMN_LACKING,
        "A table read by position has no column where similar tables have one, or numbers where"
        " they have texts; the columns from there on were read as other fields",
        "Six files have Rank, Team, Laps; this one has Rank, Laps",
        "Ask for the column, or give such files a block of their own",
    ),
    Entry(
        Code.COLUMNS_DIFFER,
        "A table read by position has more or fewer columns at its end than similar tables, or"
        " than `columns`",
        "Five columns where the others have six",
        "Check which column is missing or new",
    ),
    Entry(
        Code.HEADING_TWICE,
        "A stub field has a second heading; the table ends before it",
        "“Species” in B4 and in K4",
        "`repeat = true`, or rename one of them",
    ),
    Entry(
        Code.HEADINGS_REPEATED,
        "Two columns have the same headings; both were read",
        "Two columns “April › Pots”",
        "Correct one of them",
    ),
    Entry(
        Code.HEADING_TAKEN,
        "A column means a field that is already filled; the cells below it are in no record",
        "A column “Month”, and a stamp `month`",
        "List the heading in `ignore`",
    ),
    Entry(
        Code.HEADING_NOT_CONVERTED,
        "A heading does not have the type of its level; the field is empty there",
        "“Remarks” among the months of the upper heading",
        "List it in `ignore`",
    ),
    Entry(
        Code.HEADING_LEVEL_BLANK,
        "A column has no upper heading; the field is empty there",
        "“Pots” and “Trays” under a blank cell",
        "Write the heading, or merge it over the column",
    ),
    Entry(
        Code.HEADING_RARE,
        "Few tabs have this cross-tab heading; its column was read",
        "“Phone” on 1 of 74 tabs",
        "List it in `ignore` if it is not part of the table",
    ),
    Entry(
        Code.HEADING_NEAR,
        "A cross-tab heading is nearly another one, and rarer; both were read",
        "“Multpot 95” in 24 of 870 records, “Multipot 95” in 160",
        "`same_as` makes them one; `choices` says that both are meant",
    ),
    Entry(
        Code.GLOSSARY_ENTRY_TWICE,
        "Two rows of the glossaries say the same",
        "“Taimia” is listed for `seedlings` in two rows",
        "Delete one",
    ),
    Entry(
        Code.FIELD_MISSING,
        "Nothing on a tab fills a field; it is empty in the records of the tab",
        "“Bench 4” has no column “Remarks”",
        "Add its heading to the glossary",
    ),
    Entry(
        Code.REQUIRED_FIELD_MISSING,
        "The same, for a field with `required = true`",
        "“Bench 4” has no column “Seedlings”",
        "Add its heading to the glossary",
    ),
    Entry(
        Code.VALUES_WITHOUT_HEADING,
        "Cells have no heading, or lie beyond the last name of `columns`; they are in no record",
        "Numbers in column M, but M4 is blank",
        "Write a heading",
    ),
    Entry(
        Code.HEADING_BEYOND_GAP,
        "A blank column ends the table, but headings follow; the columns from there on were not"
        " read",
        "Column G is blank, and “June” is in H4",
        "Close the gap, or `gaps = true`",
    ),
    Entry(
        Code.COLUMNS_NUMBERED,
        "A row below the headings numbers the columns; it is in no record",
        "(1), (2), (3) … in the row below the headings",
        "`under_headings = 1`",
    ),
    Entry(
        Code.GROUP_MISSING,
        "No row above a record names its group; the field is empty",
        "Records above the first row such as “Conifers”",
        "Write the name of the group",
    ),
    Entry(
        Code.GROUP_DOUBTFUL,
        "A row names a group that has no rows; or two rows in turn look like names of a group, and"
        " the lower one was used",
        "“Conifers” and “Pine”, one below the other, both without values",
        "Fill in a value, or clear the row",
    ),
)

_ROWS = (
    Entry(
        Code.ROW_WITHOUT_STUB,
        "A row has values, but no stub cell names it; they are in no record",
        "12 and 15 in row 19, where Species is blank",
        "Fill in the stub, or list the label in `totals`",
    ),
    Entry(
        Code.STUB_CELL_BLANK,
        "A stub cell is blank in a few rows; the records were written without it",
        "The lot is blank in row 7",
        "Fill it in; `carry_down` takes it from above",
    ),
    Entry(
        Code.ROW_WITHOUT_VALUE,
        "Rows with a name but no value; no record was made of them (rule `blank`)",
        "The lot “L7”, all months blank",
        "–",
    ),
    Entry(
        Code.ROW_UNCLEAR,
        "With `group_row`: a row without values has more than one filled cell, so it was not read"
        " as the name of a group; or rows were read as names of groups because they hold sums,"
        " which may be a coincidence",
        "“Birch” with a line number beside it",
        "List the names in `named` of `group_row`",
    ),
    Entry(
        Code.ROW_BELOW_TABLE,
        "A row below a list is filled differently from its records; it is in no record",
        "“Approved by”, “A. Holm” below three columns of dispatches",
        "`ends_at` or `skip`; `every_row = true` if it is a record",
    ),
    Entry(
        Code.ROW_NEARLY_BLANK,
        "A row inside a list has one filled cell where most have three or more; it was read as a"
        " record",
        "“see page 2” among the dispatches",
        "`skip`, or `group_row` if it names the rows below",
    ),
    Entry(
        Code.RECORDS_BELOW_END,
        "Below the row where `ends_at` ends the table are rows that look like records; they were"
        " not read",
        '`ends_at = "Note*"`, and a lot called “Note 5” inside the table',
        "Make the pattern more exact",
    ),
    Entry(
        Code.RULE_TAKES_ALL,
        "A rule (`skip`, `ignore`, `[tabs] except`) leaves out every row or column of a table, or"
        " every tab",
        '`skip = "*:"`, where every lot ends with a colon',
        "Make the pattern more exact",
    ),
    Entry(
        Code.TABLE_WITHOUT_RECORDS,
        "A table has no records; the stamps of the tab were not written",
        "A form without a single filled line",
        "–",
    ),
    Entry(
        Code.REQUIRED_VALUE_BLANK,
        "A field with `required = true` is blank in a record; it was written without it",
        "No species in row 14",
        "Fill in the cell",
    ),
)

_VALUES = (
    Entry(
        Code.VALUE_NOT_CONVERTED,
        "A cell does not have the type of its field; it is left empty in the record",
        "“12O” in D7, for seedlings",
        "Correct the cell",
    ),
    Entry(
        Code.COLUMN_NOT_CONVERTED,
        "All cells of a column fail in the same way; the field is left empty",
        "A column “Lot” with texts, read as seedlings",
        "List its heading in `ignore` or in the glossary",
    ),
    Entry(
        Code.VALUE_OUTSIDE,
        "A value is outside `min` and `max`, or not among the `choices`; it was kept",
        "“140” with `max = 100`",
        "Correct the cell, or the limits",
    ),
    Entry(
        Code.READING_DOUBTFUL,
        "Texts can be read in two ways (day or month first; decimal or thousands mark), and no"
        " other cell settles it; they are left empty",
        "“03/04/2026”, and no date of the tab has a day over 12",
        "`day_first` or `decimal_mark`",
    ),
    Entry(
        Code.READ_BY_EVIDENCE,
        "The same, but other cells of the field on the tab can be read in one way only; all were"
        " read like them",
        "“03/04/2026” beside “25/04/2026”",
        "`day_first` or `decimal_mark`",
    ),
    Entry(
        Code.VALUES_ROUNDED,
        "Numbers have more decimals than the field keeps; they were rounded",
        "0.333 for a field of two decimals",
        "Give the field more decimals",
    ),
    Entry(
        Code.MONTH_WITHOUT_YEAR,
        "A month has no year, and the field that should tell it is blank; it is left empty",
        "“April”, and `year` is blank",
        "Fill in the year",
    ),
    Entry(
        Code.VALUE_FAR,
        "A value is more than five times as large as the others of its sender; it was kept",
        "41,000 seedlings, where the others of Lomlia reach 900",
        "Check the cell: perhaps a digit too many, or another unit",
    ),
)

_ACCOUNTS = (
    Entry(
        Code.LOOKS_LIKE_TOTAL,
        "A row or column holds the sums of others, but `totals` does not name it; its cells are in"
        " no record",
        "A row “Yhteensä” with the sums of the rows above",
        "Add its label to `totals`",
    ),
    Entry(
        Code.TOTAL_LIKELY,
        "A row may be a total: it begins with a word for total, or is just the sum of the rows"
        " above; it was read as a record",
        "“Total Hill”, with no lot beside it",
        "Add its label to `totals`",
    ),
    Entry(
        Code.TOTAL_DIFFERS,
        "A printed total is not the sum of its records; the message names the likely cause",
        "420 in F12, the records sum up to 402",
        "Check the cells that it sums up, and ask the sender",
    ),
    Entry(
        Code.TOTAL_WITHOUT_NUMBER,
        "A printed total is not a number and was not compared",
        "#REF! in F12",
        "The sender may want to check the formula",
    ),
    Entry(
        Code.CELLS_UNPLACED,
        "Cells inside a table are in no record, and no other finding explains why",
        "A remark in a row whose values are all blank",
        "Look at `unplaced.csv`",
    ),
    Entry(
        Code.NUMBERS_UNPLACED,
        "Numbers or dates outside the tables are in no record",
        "A phone number above the table",
        "Look at `unplaced.csv`",
    ),
    Entry(
        Code.TEXTS_UNPLACED,
        "Texts outside the tables are in no record: titles, remarks",
        "“Please return by Friday”",
        "–",
    ),
    Entry(
        Code.TEXTS_REPEATED,
        "Three or more similar tabs have the same texts outside their tables (one finding for the"
        " run)",
        "“Stock-take of spring” on 48 of 48 tabs",
        "List them in `boilerplate`",
    ),
)

_LIKE = (
    Entry(
        Code.KEY_TWICE,
        "Records have the same `key`; all were kept",
        "Lot L1 of bench 2 in April is in two files",
        "Delete what was sent twice, or add a field to `key`",
    ),
    Entry(
        Code.SENT_TWICE,
        "Tabs of two files have the same stamps, but other values; all were read",
        "`Lomlia_04.xlsx` and `Lomlia_04_new.xlsx`, both for April",
        "Check which is right, and `exclude` the other",
    ),
    Entry(
        Code.VALUES_REPEATED,
        "A tab holds all the numbers of another tab under other stamps; all were kept",
        "“Bench 3” is a copy of “Bench 1” without new numbers",
        "Ask the sender for the right one",
    ),
    Entry(
        Code.VALUE_RESTATED,
        "A file reports other values than in the run before, or some of its records are gone; the"
        " new ones were written",
        "342 seedlings in January, where the file said 335 last month",
        "Ask the sender; `restated.csv` lists them, `--strict-past` writes nothing while there are"
        " any",
    ),
    Entry(
        Code.TAB_MISSING,
        "One file has no tab that all others have",
        "No “Bench 1” in `Lomlia.xlsx`",
        "Check whether it was renamed",
    ),
    Entry(
        Code.RECORDS_FEW,
        "A tab gave less than a quarter of the records of similar tabs",
        "3 records, where half of the similar tabs have 40 or more",
        "Check whether the table was cut off, or has a gap",
    ),
    Entry(
        Code.FIELD_EMPTY_HERE,
        "A field is empty in all records of one file, and filled in all others",
        "`remark` is empty in `Pohja.xlsx` only",
        "Look for the column that fills it elsewhere",
    ),
)

_MASTERS = (
    Entry(
        Code.ROWS_KEPT,
        "A workbook has rows that no run wrote; they were left alone",
        "Five rows typed by hand below the records",
        "–",
    ),
    Entry(
        Code.REMARK_GONE,
        "A row of your workbook was removed, since its file no longer has the record; what you"
        " wrote beside it went too",
        "“seen 4 April” beside a lot that the nursery has removed",
        "Write it in another row if it still matters",
    ),
    Entry(
        Code.CHANGED_BY_HAND,
        "Rows of your workbook were changed by hand; the values of the files were written again",
        "99 seedlings typed over 20",
        "Correct the report itself, or keep the correction in a column of your own",
    ),
)

SECTIONS: Mapping[str, tuple[Entry, ...]] = {
    "Files and tabs": _FILES,
    "Stamps": _STAMPS,
    "Tables and headings": _BLOCKS,
    "Rows": _ROWS,
    "Values": _VALUES,
    "Totals and the account": _ACCOUNTS,
    "Compared with similar tabs, and with the run before": _LIKE,
    "Workbooks that records go into": _MASTERS,
}
"""All findings, by what they are about."""
