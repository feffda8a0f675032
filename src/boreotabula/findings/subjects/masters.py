"""Findings about workbooks that records go into."""

from __future__ import annotations

from boreotabula.findings import senders
from boreotabula.findings.kind import FindingKind, Severity

TITLE = "Workbooks and databases that records go into"

ROWS_KEPT = FindingKind(
    "rows-kept",
    Severity.NOTE,
    "{rows:# row|# rows} of “{book}” {rows:is|are} not written by a run, and {rows:was|were} left"
    " alone",
    "Nothing to do if you or another layout wrote them; otherwise delete them there.",
    looked_for="a source_file that a run has read",
    found="{rows:# row|# rows}",
    meaning="A workbook has rows that no run wrote; they were left alone",
    example="Five rows typed by hand below the records",
    cure="–",
)
REMARK_GONE = FindingKind(
    "remark-gone",
    Severity.WARNING,
    "row {row} of “{book}” › {master_tab} was removed, because its file no longer contains that"
    " record; with it went {texts:q}",
    "If the remark still matters, write it in another row. The record was in {tab} {cell} of"
    " {file}.",
    looked_for="the record in its file",
    found="{texts}",
    meaning="A row of your workbook was removed, since its file no longer has the record; what you"
    " wrote beside it went too",
    example="“seen 4 April” beside a lot that the nursery has removed",
    cure="Write it in another row if it still matters",
)
VALUE_NOT_HELD = FindingKind(
    "value-not-held",
    Severity.ERROR,
    "“{text}” cannot be stored in the database ({why}); “{field}” is left empty there",
    "Correct the value in the report, or give the database a column that can hold it.",
    looked_for="a value that the column can hold",
    found="{text}",
    meaning="A database cannot hold a value, so that it is empty there: a character that it does"
    " not know, or more characters or digits than its column has",
    example="A name of 40 characters in a column `varchar(20)`",
    cure="Widen the column, or correct the report",
    sender=senders.WRONG,
)
CHANGED_BY_HAND = FindingKind(
    "changed-by-hand",
    Severity.WARNING,
    "{rows:# row|# rows} of “{book}” › {master_tab} had been changed by hand; the values of the"
    " files were written again (row {numbers})",
    "Correct the value in the report itself, or keep your correction in a column of your own.",
    looked_for="the values of the files",
    found="{rows:# row|# rows}",
    meaning="Rows of your workbook were changed by hand; the values of the files were written"
    " again",
    example="99 seedlings typed over 20",
    cure="Correct the report itself, or keep the correction in a column of your own",
)
ROWS_WRITTEN_AGAIN = FindingKind(
    "rows-written-again",
    Severity.WARNING,
    "{rows:# row|# rows} that an earlier run put into “{book}” › {master_tab} {rows:is|are} not"
    " there any more, though {rows:its file has|their files have} not changed;"
    " {rows:it was|they were} written again",
    "If you deleted or retyped rows there, see whether any stands twice now; to leave out a record"
    " for good, leave it out of the report or by `skip` in the layout.",
    looked_for="the rows of files that have not changed",
    found="{rows:# row|# rows}",
    meaning="Rows that an earlier run put into a workbook were deleted or retyped there, and were"
    " written again",
    example="A species that was typed over in all rows of a file",
    cure="See whether rows stand twice; leave records out in the layout",
)
