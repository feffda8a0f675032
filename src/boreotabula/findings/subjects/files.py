"""Findings about files, and about the choice of their tabs."""

from __future__ import annotations

from boreotabula.findings import senders
from boreotabula.findings.kind import FindingKind, Severity

TITLE = "Files and tabs"

FILE_UNREADABLE = FindingKind(
    "file-unreadable",
    Severity.ERROR,
    "this file was not read: {why}",
    "{way_out}",
    looked_for="a workbook or a text file",
    found="{why}",
    meaning="The file is damaged, empty, protected, stops the reader, or is not a table; the others"
    " were read",
    example="`april.xlsx` opens only with a password",
    cure="Save it again, or ask the sender for it again",
    sender=senders.UNREADABLE,
)
FILE_NOT_FETCHED = FindingKind(
    "file-not-fetched",
    Severity.ERROR,
    "this file was not read: {why}",
    "Run again once the server answers; else ask whoever keeps it there.",
    looked_for="reports",
    found="{why}",
    meaning="A file could not be fetched from its server; the others were read",
    example="The server stopped after 200 of 300 files",
    cure="Run again once the server answers",
)
FILE_OVER_BUDGET = FindingKind(
    "file-over-budget",
    Severity.ERROR,
    "this file was not read: {why}",
    "{way_out}",
    looked_for="a workbook or a text file",
    found="{why}",
    meaning="Reading the file would take more memory or time than one file may (see [what is"
    " trusted](trust.md)); it was not read",
    example="One cell far below the table makes a sheet of 17 billion cells",
    cure="Delete what is beyond the table; for a sound file allow more with `--memory-per-file`",
)
FILE_FAULT = FindingKind(
    "file-fault",
    Severity.ERROR,
    "this file was not read: {why}",
    "{way_out}",
    looked_for="a workbook or a text file",
    found="{why}",
    meaning="The program failed at this file; the others were read",
    example="The message names a report, which holds no content of cells",
    cure="Report it",
)
QUOTE_OPEN = FindingKind(
    "quote-open",
    Severity.ERROR,
    "the quote that opens in line {line} (“{text}”) is never closed, so all lines below it became"
    " one cell",
    "Close or delete the quote in the file; where quotes are ordinary characters, write `quote ="
    ' ""` into [text].',
    looked_for="a closing quote in the same line",
    found="line {line}",
    meaning="A quoted field of a text file goes on over several lines, or is never closed; those"
    " lines became one cell",
    example='A lone `"` in line 7 of `lager.csv`',
    cure='Close or delete the quote; where quotes are ordinary characters, `quote = ""` in'
    " `[text]`",
)
QUOTE_OVER_LINES = QUOTE_OPEN.worded(
    message="the quote that opens in line {line} (“{text}”) reaches to line {last}, with delimiters"
    " in between: these lines became one cell",
)
READ_AS = FindingKind(
    "read-as",
    Severity.NOTE,
    "{how}",
    "Nothing to do if this is right.",
    meaning="A text file is not UTF-8 and was read in the most likely encoding (one finding for the"
    " run); or a web page has several tables and the first was read; or the content is not what"
    " the ending says",
    example="`lager.csv` was read as windows-1252",
    cure="Nothing if the letters look right; else `[text] encoding`",
)
ENCODING_GUESSED = READ_AS.worded(
    message="this text is not UTF-8; it was read as {encoding}, the likeliest by its"
    " letters{more:? (and # more files)}",
    advice="If letters look wrong, name the right encoding in [text] encoding.",
    looked_for="UTF-8",
    found="{encoding}",
)
FILE_TWICE = FindingKind(
    "file-twice",
    Severity.ERROR,
    "this file has the same content as “{first}”; only that one was read",
    "Delete the copy, or ask the sender for the file that was meant.",
    looked_for="each file once",
    found="{first}",
    meaning="The file has the same content as another; only one of them was read",
    example="`Lomlia (1).xlsx` beside `Lomlia.xlsx`",
    cure="Delete the copy",
)
TAB_TWICE = FindingKind(
    "tab-twice",
    Severity.ERROR,
    "this tab holds the same {records:record|# records}, stamps and values, as “{of}”; only those"
    " of that tab were kept",
    "Delete the copy; or, if both are meant, add a stamp to the layout that tells them apart.",
    looked_for="each tab once",
    found="{of}",
    meaning="A tab holds the same records as an earlier one, stamps and values; only the earlier"
    " one was kept",
    example="“Bench 1 (2)” is a copy of “Bench 1”, including the month",
    cure="Delete the copy, or add a stamp that tells the two apart",
    sender=senders.TAB_TWICE,
)
FOLDER_UNREADABLE = FindingKind(
    "folder-unreadable",
    Severity.ERROR,
    "this was not read: {why}",
    "Ask for access, or list it in [source] exclude.",
    looked_for="reports",
    found="{why}",
    meaning="A folder cannot be opened; the files in it were not read",
    example="`inbox/2026-04` belongs to another user",
    cure="Ask for access, or list it in `exclude`",
)
FOLDER_LINKED = FindingKind(
    "folder-linked",
    Severity.WARNING,
    "this was not read: {why}",
    "Name the folder it points to in [source] folder, or list it in exclude.",
    looked_for="reports",
    found="{why}",
    meaning="A link to a folder; links are not followed",
    example="`inbox/archive` points to another drive",
    cure="Name that folder in `[source]`, or list the link in `exclude`",
)
FILE_NOT_REGULAR = FindingKind(
    "file-not-regular",
    Severity.WARNING,
    "this was not read: {why}",
    "Put the file itself there, or list it in [source] exclude.",
    looked_for="reports",
    found="{why}",
    meaning="A pipe, a device, a socket or a broken link; it was not opened",
    example="`lomlia.xlsx` is a link to a drive that is gone",
    cure="Put the file itself there, or list it in `exclude`",
)
OUTPUT_DOUBTFUL = FindingKind(
    "output-doubtful",
    Severity.ERROR,
    "this was not read: {why}",
    "If it is a report, move that folder away; if not, list it in exclude.",
    looked_for="reports",
    found="{why}",
    meaning="A run folder says that a run wrote this file, but the file has changed since; it was"
    " not read",
    example="`lomlia.run` was sent along with the reports",
    cure="Move the run folder away if the file is a report; otherwise list it in `exclude`",
)
FILE_NOT_CHOSEN = FindingKind(
    "file-not-chosen",
    Severity.NOTE,
    "this file was not read: its name matches no pattern of [source] include",
    "Rename it or add a pattern; or list it in [source] exclude.",
    looked_for="[source] include",
    found="{why}",
    meaning="The file has the ending of those that are read, but its name matches no pattern of"
    " `include`; it was not read",
    example="`lomlia-april.xlsx` beside `stock_Lomlia_2026-04.xlsx`",
    cure="Rename it, add a pattern, or list it in `exclude`",
)
NO_FILE_MATCHES = FindingKind(
    "no-file-matches",
    Severity.ERROR,
    "no file below {folders:q} was read; {left_out:one was|# were} left out",
    "Check `folder`, `include` and `exclude` in [source] of the layout.",
    looked_for="{patterns}",
    found="{names}",
    meaning="No file of the source folder was read",
    example='`include = "*.xls"`, but all files are .xlsx',
    cure="Correct `[source]`",
)
NAME_UNMATCHED = FindingKind(
    "name-unmatched",
    Severity.ERROR,
    "the name of this file matches no pattern of [source] include; it was read because you named"
    " it, but the fields that the pattern fills are empty",
    "Rename the file, or add a pattern to [source] include.",
    looked_for="a pattern that matches",
    found="{name}",
    meaning="A file named on the command line matches no pattern; it was read, but the fields that"
    " the pattern fills are empty",
    example="`stock final.xlsx`, where the pattern is `stock_{month}.xlsx`",
    cure="Rename it, or add a pattern",
)
NAME_AMBIGUOUS = FindingKind(
    "name-ambiguous",
    Severity.WARNING,
    "“{name}” fits the pattern “{pattern}” in two ways: {used} was used, {other} is possible"
    " too{more:? (so do # more names)}",
    "Make the pattern more exact, or rename the file or tab.",
    looked_for="one way to read the name",
    found="{other}",
    meaning="The name of a file or tab, or a caption, fits its pattern in two ways; the first was"
    " used",
    example="`{co}_orders_*` takes “My” from `My_orders_Ltd_orders_1.xlsx`, but “My_orders_Ltd”"
    " fits too",
    cure="Make the pattern or the name more exact",
)
CAPTION_AMBIGUOUS = NAME_AMBIGUOUS.worded(
    message="the caption “{caption}” fits its pattern in two ways: {used} was used, {other} is"
    " possible too",
    advice="Make the pattern of `caption` more exact, or correct the text.",
    looked_for="one way to read the caption",
)
NO_TAB_MATCHES = FindingKind(
    "no-tab-matches",
    Severity.ERROR,
    "no tab matches {patterns}, so nothing was read from this workbook; it has {tabs}",
    "Rename the tab, or add a pattern to [tabs] named.{nearest:? The nearest is “#”.}",
    looked_for="{patterns}",
    found="{tabs}",
    meaning="No tab of the workbook is chosen by `[tabs]`; nothing was read from it",
    example="The tab is called “Bnech 1”, the pattern is `Bench {bench}`",
    cure="Rename the tab, or add a pattern",
)
TAB_PATTERN_UNUSED = FindingKind(
    "tab-pattern-unused",
    Severity.WARNING,
    "the pattern “{pattern}” of [tabs] named matches no tab of any workbook",
    "Correct the pattern, or take it out of the layout.",
    looked_for="{pattern}",
    found="no such tab",
    meaning="A pattern of `[tabs]` matches no tab of any workbook",
    example="`Huone {bench}` in `named`, and no workbook has such a tab",
    cure="Correct the pattern, or delete it",
)
TAB_NOT_CHOSEN = FindingKind(
    "tab-not-chosen",
    Severity.WARNING,
    "this tab was not read, since [tabs] does not choose it, but it holds the headings of the"
    " table",
    "If it belongs to the form, rename the tab or add a pattern to [tabs] named; if not, list it in"
    " [tabs] except.",
    looked_for="{choice}",
    found="a tab that looks like the form",
    meaning="A tab holds the headings of the table but was not read, since `[tabs]` does not choose"
    " it; with `where_found`, at least half of the headings, but not the texts by which the table"
    " is found",
    example="“Bench 3 (2)” does not match `Bench {bench}` but holds the stock table",
    cure="Add a pattern, or list the tab in `except`",
)
TABLE_NOT_THERE = TAB_NOT_CHOSEN.worded(
    message="the table was not found on this tab, so it was not read, but half of its headings or"
    " more are those of a tab on which it was",
    advice="If the headings by which the table is found are worded differently here, add them to"
    " the glossary or to `also`; if it is another form, list the tab in [tabs] except.",
    looked_for="the texts by which the table is found",
)
BESIDE_POSITION = TAB_NOT_CHOSEN.worded(
    message="only {choice} is read, but {tabs:# more tab holds|# more tabs hold} the headings of"
    " the table: {tabs:q}",
    advice="If {tabs:it belongs|they belong} to the form, choose by `named` or `every` instead of"
    " `position` in [tabs]; if not, list {tabs:it|them} in [tabs] except.",
    found="{tabs:q}",
)
TABS_ALIKE = FindingKind(
    "tabs-alike",
    Severity.WARNING,
    "this tab and “{first}” both mean {captured}; both were read",
    "Check whether one of them is a copy; if so, delete it or leave it out with [tabs] except.",
    looked_for="one tab for {captured}",
    found="{first} and {second}",
    meaning="The names of two tabs give the same stamps; both were read",
    example="“Bench 1” and “Huone 1” both give bench = 1",
    cure="Leave one of them out if it is a copy",
)
SEVERAL_TABS = FindingKind(
    "several-tabs",
    Severity.ERROR,
    "{number} tabs are filled and the layout does not say which to read, so none was: {tabs}",
    "Choose with [tabs] named, position or every in the layout.",
    looked_for="one filled tab",
    found="{tabs}",
    meaning="Several tabs are filled, and the layout does not say which to read; none was read",
    example="“Sheet1” and “Sheet2” are filled, and there is no `[tabs]`",
    cure="Add `[tabs]`",
)
WORKBOOK_BLANK = FindingKind(
    "workbook-blank",
    Severity.ERROR,
    "no tab of this workbook holds anything",
    "Ask the sender for the file again.",
    looked_for="a filled tab",
    found="none",
    meaning="All tabs of the workbook that the layout chooses are empty",
    example="A template was sent back unfilled",
    cure="Ask for the file again; if the figures are on another tab, choose that one in `[tabs]`",
    sender=senders.NOTHING_FILLED,
)
CHOSEN_TABS_BLANK = WORKBOOK_BLANK.worded(
    message="{chosen:q} {chosen:is|are} empty, but {filled:q} {filled:is|are} filled; nothing was"
    " read from this workbook",
    advice="If the figures are on {filled:q} here, rename the tab as on the other files, or choose"
    " it in [tabs]; otherwise ask the sender.",
    found="{filled}",
)
TAB_UNREADABLE = FindingKind(
    "tab-unreadable",
    Severity.ERROR,
    "this tab was not read: {why}",
    "{way_out}",
    found="{why}",
    meaning="One tab is damaged or far too large; the others were read",
    example="A cell in row 1,048,576 and column XFD",
    cure="Save the workbook again",
)
TAB_BLANK = FindingKind(
    "tab-blank",
    Severity.NOTE,
    "this tab is empty",
    "Nothing to do.",
    meaning="A chosen tab is empty",
    example="“Bench 9” was added and never filled in",
    cure="–",
)
_UNHIDE = "Nothing to do if it belongs to the form; otherwise unhide it and look."
TAB_HIDDEN = FindingKind(
    "tab-hidden",
    Severity.NOTE,
    "this tab is {visibility}, but was read",
    _UNHIDE,
    meaning="A tab is hidden, but was read",
    example="“Bench 2” is hidden in `Lomlia.xlsx`",
    cure="Unhide it and look; `visible_only` leaves such tabs out",
)
ROWS_HIDDEN = FindingKind(
    "rows-hidden",
    Severity.NOTE,
    "{hidden} {hidden:is|are} hidden, but {hidden:was|were} read",
    _UNHIDE,
    meaning="Rows are hidden, but were read",
    example="Rows 7 to 9 were filtered away",
    cure="Unhide them and look; `visible_only` leaves them out",
)
COLUMNS_HIDDEN = FindingKind(
    "columns-hidden",
    Severity.NOTE,
    "{hidden} {hidden:is|are} hidden, but {hidden:was|were} read",
    _UNHIDE,
    meaning="Columns are hidden, but were read",
    example="Columns D and E were folded away",
    cure="Unhide them and look; `visible_only` leaves them out",
)
EDITION_UNKNOWN = FindingKind(
    "edition-unknown",
    Severity.ERROR,
    "this tab fits no edition of the layout, so nothing was read from it",
    "Add an [[edition]] for it, or leave the tab out in [tabs].",
    looked_for="{conditions}",
    found="none of them",
    meaning="A tab fits none of the `[[edition]]`s; nothing was read from it",
    example="The form of 2027 arrives, and there are editions for 2025 and 2026",
    cure="Add an edition, or leave the tab out",
)
