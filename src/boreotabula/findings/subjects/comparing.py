"""Findings from comparing tabs with similar ones, and with the run before."""

from __future__ import annotations

from boreotabula.findings import senders
from boreotabula.findings.kind import FindingKind, Severity

TITLE = "Compared with similar tabs, and with the run before"

KEY_TWICE = FindingKind(
    "key-twice",
    Severity.ERROR,
    "{records:# record has|# records have} the same key as {other}, the first with {key}; all were"
    " kept",
    "Correct the cell that makes them alike, delete what was sent twice, or add a field to `key`"
    " that tells them apart.",
    looked_for="each key once",
    found="{key}",
    meaning="Records have the same `key`; all were kept",
    example="Lot L1 of bench 2 in April is in two files",
    cure="Delete what was sent twice, or add a field to `key`",
    sender=senders.TWICE,
)
SENT_TWICE = FindingKind(
    "sent-twice",
    Severity.WARNING,
    "{tabs:# tab of this file has|# tabs of this file have} the same stamps as “{other}”, but other"
    " values: {stamps}, as on “{of}”; all were read",
    "Look which of the two is right, and leave the other out with [source] exclude.",
    looked_for="each set of stamps in one file",
    found="{of}",
    meaning="Tabs of two files have the same stamps, but other values; all were read",
    example="`Lomlia_04.xlsx` and `Lomlia_04_new.xlsx`, both for April",
    cure="Check which is right, and `exclude` the other",
    sender=senders.SENT_TWICE,
)
NEAR_COPY = FindingKind(
    "near-copy",
    Severity.WARNING,
    "{share} % of the records of this tab are those of “{of}”{changed:?, but for some numbers};"
    " all were read, so they count twice",
    "Look which of the two is right, and leave the other out with [source] exclude or [tabs]"
    " except.",
    looked_for="records of its own",
    found="{of}",
    meaning="Most records of a tab are those of another, but for a few values; all were read",
    example="`w3 corrected.csv` beside `w3.csv`",
    cure="Leave the one out that is no longer right",
    sender=senders.SENT_TWICE,
)
COPY_KEPT_TOO = FindingKind(
    "copy-kept-too",
    Severity.ERROR,
    NEAR_COPY.message,
    NEAR_COPY.advice,
    looked_for="records of its own",
    found="{of}",
    meaning="The same, where the name of the file or tab says that it is a copy or a correction",
    example="“Defects (2)” beside “Defects”, with one value changed",
    cure="Leave the one out that is no longer right",
    sender=senders.SENT_TWICE,
)
VALUES_REPEATED = FindingKind(
    "values-repeated",
    Severity.WARNING,
    "all {numbers} numbers of this tab are those of “{of}”{stamps:?, but #}; all were kept",
    "Check whether an old tab was copied without new numbers, or a stamp was not changed.",
    looked_for="values of its own",
    found="{of}",
    meaning="A tab holds all the numbers of another tab under other stamps; all were kept",
    example="“Bench 3” is a copy of “Bench 1” without new numbers",
    cure="Ask the sender for the right one",
    sender=senders.TAB_TWICE,
)
VALUE_RESTATED = FindingKind(
    "value-restated",
    Severity.WARNING,
    "{values:# value reported before has|# values reported before have} changed; the first:"
    " {field}, {before} → {now}",
    "Ask the sender whether this is intended; restated.csv lists all of them.",
    looked_for="{before}",
    found="{there}",
    meaning="A file reports other values than in the run before, or some of its records are gone;"
    " the new ones were written",
    example="342 seedlings in January, where the file said 335 last month",
    cure="Ask the sender; `restated.csv` lists them, `--strict-past` writes nothing while there are"
    " any",
    sender=senders.RESTATED,
)
RECORDS_MISSING_NOW = VALUE_RESTATED.worded(
    message="{values:# earlier record is|# earlier records are} missing now",
)
TAB_MISSING = FindingKind(
    "tab-missing",
    Severity.NOTE,
    "no tab “{name}” of this file was read; the other {files} files have one",
    "Check whether it was renamed, or ask the sender for it.",
    looked_for="{name}",
    found="no such tab",
    meaning="One file has no tab that all others have",
    example="No “Bench 1” in `Lomlia.xlsx`",
    cure="Check whether it was renamed",
)
RECORDS_FEW = FindingKind(
    "records-few",
    Severity.NOTE,
    "this tab gave {records:# record|# records}; half of the {tabs} tabs like it gave {usual} or"
    " more",
    "Check whether its table was cut off, or has a gap that ends it.",
    looked_for="about {usual} records",
    found="{records:# record|# records}",
    meaning="A tab gave less than a quarter of the records of similar tabs",
    example="3 records, where half of the similar tabs have 40 or more",
    cure="Check whether the table was cut off, or has a gap",
)
FIELD_EMPTY_HERE = FindingKind(
    "field-empty-here",
    Severity.NOTE,
    "“{field}” is empty in all records of this file, and filled in the other {files}",
    "Look for the column or cell that fills it in the other files.",
    looked_for="{field}",
    found="nothing",
    meaning="A field is empty in all records of one file, and filled in all others",
    example="`remark` is empty in `Pohja.xlsx` only",
    cure="Look for the column that fills it elsewhere",
)

ACCEPTANCE_IDLE = FindingKind(
    "acceptance-idle",
    Severity.NOTE,
    "{where}: {who} accepted {code} there, but it is not found any more",
    "Take the line out.",
    looked_for="{code}",
    found="nothing",
    meaning="A finding that somebody has accepted does not occur any more, though its file was"
    " read",
    example="The sender has corrected the total that was accepted",
    cure="Take the line out of the file of acceptances",
)
ACCEPTANCE_LAPSED = FindingKind(
    "acceptance-lapsed",
    Severity.WARNING,
    "{where}: {code} was accepted until {until}, and is still there",
    "Have it corrected, or give the line a later day.",
    looked_for="no {code}",
    found="{until}",
    meaning="A finding was accepted until a day that is past; it counts again",
    example="A gap that was to be filled by the end of May",
    cure="Have it corrected, or give the line a later day",
)
