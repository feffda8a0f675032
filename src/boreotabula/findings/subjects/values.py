"""Findings about single values."""

from __future__ import annotations

from boreotabula.findings import senders
from boreotabula.findings.kind import FindingKind, Severity

TITLE = "Values"

VALUE_NOT_CONVERTED = FindingKind(
    "value-not-converted",
    Severity.ERROR,
    "“{text}” is not {noun}{why:? (#)}, so “{field}” is empty here",
    "Correct the cell, or ask the sender what is meant.{remedy:? #}",
    looked_for="{type}",
    found="{text}",
    meaning="A cell does not have the type of its field; it is left empty in the record",
    example="“12O” in D7, for seedlings",
    cure="Correct the cell",
    sender=senders.WRONG,
)
COLUMN_NOT_CONVERTED = FindingKind(
    "column-not-converted",
    Severity.ERROR,
    "none of the {cells} cells of {column} is {noun}{why:? (#)}, so “{field}” is empty in their"
    " records",
    "{remedy:?# }If the column is not part of the table, list its heading in `ignore`; if it is"
    " another field, add its heading to the glossary.",
    looked_for="{type}",
    found="{text}",
    meaning="All cells of a column fail in the same way; the field is left empty",
    example="A column “Lot” with texts, read as seedlings",
    cure="List its heading in `ignore` or in the glossary",
    sender=senders.WRONG,
)
VALUE_OUTSIDE = FindingKind(
    "value-outside",
    Severity.ERROR,
    "“{text}” for “{field}” is {bound}; it was kept",
    "Correct the cell; or change `min`, `max` or `choices` of the field, or list the spelling in"
    " `same_as`.",
    looked_for="{bound}",
    found="{text}",
    meaning="A value is outside `min` and `max`, or not among the `choices`; it was kept",
    example="“140” with `max = 100`",
    cure="Correct the cell, or the limits",
    sender=senders.OUTSIDE,
)
_DOUBT = (
    "{cells:# cell|# cells} for “{field}” {cells:leaves|leave} {about} open, such as “{text}”"
    " ({why}): "
)
_DOUBT_ADVICE = "Write `{key}` into [reading] of the layout, or into the field."
READING_DOUBTFUL = FindingKind(
    "reading-doubtful",
    Severity.ERROR,
    _DOUBT + "and no other cell settles it; they are empty in the records",
    _DOUBT_ADVICE,
    looked_for="{key}",
    found="{text}",
    meaning="Texts can be read in two ways (day or month first; decimal or thousands mark), and no"
    " other cell settles it; they are left empty",
    example="“03/04/2026”, and no date of the column has a day over 12 on any tab",
    cure="`day_first` or `decimal_mark`",
    sender=senders.TWO_WAYS,
)
READING_CONTRADICTORY = READING_DOUBTFUL.worded(
    message=_DOUBT + "and {evidence} speak for either way; they are empty in the records"
)
READ_BY_EVIDENCE = FindingKind(
    "read-by-evidence",
    Severity.WARNING,
    _DOUBT + "read like {evidence}, which can be read in one way only",
    _DOUBT_ADVICE,
    looked_for="{key}",
    found="{text}",
    meaning="The same, but other cells of the field, on this tab or on similar ones, can be read in"
    " one way only; all were read like them",
    example="“03/04/2026” beside “25/04/2026”",
    cure="`day_first` or `decimal_mark`",
)
FILES_DISAGREE = FindingKind(
    "files-disagree",
    Severity.ERROR,
    "“{text}” for “{field}” leaves {about} open, and other files speak for either way: {first}, but"
    " {other}; such texts are empty in the records",
    "Give the files of either way a block of their own whose field has `{key}`, or ask one of the"
    " senders to write dates as the others do.",
    looked_for="one way of writing",
    found="{text}",
    meaning="Files of one run write the dates of a field in opposite ways, so that texts which"
    " could be either are left empty",
    example="“23/02/2026” in one file, “02/23/2026” in another, “05/01/2026” in a third",
    cure="`day_first` for the files of either way",
    sender=senders.TWO_WAYS,
)
VALUES_ROUNDED = FindingKind(
    "values-rounded",
    Severity.NOTE,
    "{cells:# cell|# cells} for “{field}” with more than {digits} decimals, first “{text}”,"
    " {cells:was|were} rounded (halves away from zero, as spreadsheets show them)",
    "If the further decimals matter, give the field more of them, or make it a `number`.",
    looked_for="{type}",
    found="{text}",
    meaning="Numbers have more decimals than the field keeps; they were rounded, halves away from"
    " zero",
    example="0.333 for a field of two decimals",
    cure="Give the field more decimals",
)
MONTH_WITHOUT_YEAR = FindingKind(
    "month-without-year",
    Severity.ERROR,
    "the month of {records:# record|# records} has no year, and “{year_field}” is blank there;"
    " “{field}” is left empty",
    "Fill in “{year_field}”, or write the year beside the month.",
    looked_for="{year_field}",
    found="no year",
    meaning="A month has no year, and the field that should tell it is blank; it is left empty",
    example="“April”, and `year` is blank",
    cure="Fill in the year",
    sender=senders.YEAR_MISSING,
)
VALUE_FAR = FindingKind(
    "value-far",
    Severity.NOTE,
    "{number} for “{field}” is {times} times the {usual} that the others of {sender} reach",
    "Check the cell: perhaps a digit too many, or another unit.",
    looked_for="about {usual} at most",
    found="{number}",
    meaning="A value is more than five times as large as the others of its sender; it was kept",
    example="41,000 seedlings, where the others of Lomlia reach 900",
    cure="Check the cell: perhaps a digit too many, or another unit",
    sender=senders.FAR,
)
VALUE_STANDS_FOR_NOTHING = FindingKind(
    "value-stands-for-nothing",
    Severity.WARNING,
    "{number} is {cells} times a value of “{field}”, far from all others ({least} to {most}): it"
    " may stand for “no value”; it was kept",
    'If it stands for nothing, write `empty = ["{number}"]` into the field.',
    looked_for="values from {least} to {most}",
    found="{number}",
    meaning="One number far from all others comes many times: it may be a sign for “no value”; it"
    " was kept",
    example="-9999 in 31 cells, where all others lie between 0 and 900",
    cure="`empty` says which figures stand for nothing",
)

CELL_CORRECTED = FindingKind(
    "cell-corrected",
    Severity.NOTE,
    "{was:?“#”|a blank cell} is read as “{now}” here ({who}: {why})",
    "Nothing, until the sender has corrected it; then take {where} out.",
    looked_for="{now}",
    found="{was}",
    meaning="A person has corrected the cell in the file of corrections; the record has that value",
    example="The sender confirmed by telephone that 12 pieces should be 21",
    cure="Take the line out once the sender has corrected the file",
    sender=senders.READ_OTHERWISE,
)
CORRECTION_LAPSED = FindingKind(
    "correction-lapsed",
    Severity.WARNING,
    "{where} corrects {was:?“#”|a blank cell} to “{now}” here, but the cell"
    " {text:?holds “#”|is blank}; it was read as it is",
    "Take the line out, or correct what stands there now.",
    looked_for="{was}",
    found="{text}",
    meaning="A cell that was corrected holds something else now, so the correction does not apply",
    example="The sender has sent the file again, with the right number",
    cure="Take the line out of the file of corrections, or change it",
)
CORRECTION_PAST = CORRECTION_LAPSED.worded(
    message="{where} was to correct a cell until a day that is past; the cell was read as it is",
    advice="Have the sender correct it, or give the line a later day.",
    looked_for="no such line",
    found="{where}",
)
