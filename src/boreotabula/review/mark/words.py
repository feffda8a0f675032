"""What is said to senders, in their language: no word of the layout, nothing of other senders.

The English texts are the keys of the catalogues in `locale/`, gettext files (.po) as any tool for
translations edits them. A new language is a new file there.
"""

from __future__ import annotations

import io
from collections.abc import Callable, Mapping
from functools import cache
from gettext import GNUTranslations, NullTranslations
from importlib.resources import files

from boreotabula.errors import CallError
from boreotabula.layout.problems import did_you_mean
from boreotabula.reading.findings import Code

Say = Callable[[str], str]
"""Gives a text in the chosen language."""


def N_(text: str) -> str:  # noqa: N802  # as gettext's tools look for it
    """Marks a text that is translated later."""
    return text


KINDS: Mapping[str, tuple[str, str]] = {
    "integer": (N_("a whole number"), "120"),
    "number": (N_("a number"), "12.5"),
    "decimal": (N_("a number"), "12.50"),
    "percent": (N_("a share in percent"), "15 %"),
    "date": (N_("a date"), "2026-04-17"),
    "month": (N_("a month"), "2026-04"),
    "datetime": (N_("a date and a time"), "2026-04-17 06:30"),
    "time": (N_("a time of day"), "06:30"),
    "yesno": (N_("yes or no"), N_("yes")),
}
"""What a cell should hold, and an example of it, by the type of its field."""

_WRONG = N_("This cell should hold {wanted}, but it holds “{found}”. For example: {example}")
_BLANK = N_("This cell is blank. Please fill it in.")
_TWO_WAYS = N_(
    "“{found}” can be read in two ways. Please write it without doubt, such as 2026-04-17 for a"
    " date, or 1234.5 for a number."
)
_TOTAL = N_(
    "This total says {found}, but what it adds up comes to {wanted}. Please check the total and the"
    " cells that it adds up."
)
_HEADING = N_("We do not know the heading “{found}”. Please use the headings of the form.")
_NO_HEADING = N_("This column has no heading. Please write one.")
_HEADING_TWICE = N_("This heading is here twice. Please keep one of them.")
_MISSING = N_("A column of the form is missing here. Please add it, with the heading of the form.")
_NO_TABLE = N_("We do not find the table on this tab. Please use the headings of the form.")
_ABOVE = N_(
    "Something that the form asks for above the table is missing. Please fill in all its fields,"
    " and keep their labels."
)
_MOVED = N_("The label beside this cell is another one than usual. Was a row inserted here?")
_NO_NAME = N_("This row holds values, but does not say what they are of. Please name the row.")
_NO_GROUP = N_("These rows have no group. Please write the name of their group above them.")
_LIKE_TOTAL = N_(
    "This looks like a total. If it is one, please begin its row with the word “Total”."
)
_STRAY = N_(
    "This does not fit into the table. Please complete the row, or move remarks away from the"
    " table."
)
_OUTSIDE = N_("“{found}” is not possible here. Please check it.")
_TWICE = N_("This line is there more than once. Please keep one of them.")
_TAB_TWICE = N_("This tab holds the same as an earlier one. Please check whether it was filled in.")
_SENT_TWICE = N_(
    "We have two reports for the same place and time, with different values. Which one is right?"
)
_RESTATED = N_(
    "In an earlier report this was {wanted}, and now it is {found}. Please tell us whether that is"
    " intended."
)

TEXTS: Mapping[Code, str] = {
    Code.VALUE_NOT_CONVERTED: _WRONG,
    Code.STAMP_NOT_CONVERTED: _WRONG,
    Code.COLUMN_NOT_CONVERTED: _WRONG,
    Code.READING_DOUBTFUL: _TWO_WAYS,
    Code.VALUE_OUTSIDE: _OUTSIDE,
    Code.VALUE_FAR: N_("“{found}” is much more than usual. Please check it."),
    Code.MONTH_WITHOUT_YEAR: N_("The year is missing here. Please write it."),
    Code.TOTAL_DIFFERS: _TOTAL,
    Code.TOTAL_WITHOUT_NUMBER: N_("This total shows an error. Please check its formula."),
    Code.STAMP_BLANK: _BLANK,
    Code.REQUIRED_VALUE_BLANK: _BLANK,
    Code.STAMP_NOT_FOUND: _ABOVE,
    Code.STAMP_FOUND_TWICE: _HEADING_TWICE,
    Code.STAMP_PATTERN_DIFFERS: N_("“{found}” is not written as the form shows it."),
    Code.STAMP_LABEL_DIFFERS: _MOVED,
    Code.STAMP_LABEL_UNUSUAL: _MOVED,
    Code.STAMP_MOVED: _MOVED,
    Code.HEADING_UNKNOWN: _HEADING,
    Code.HEADING_NOT_CONVERTED: _HEADING,
    Code.HEADING_NEAR: _HEADING,
    Code.HEADING_TWICE: _HEADING_TWICE,
    Code.HEADINGS_REPEATED: _HEADING_TWICE,
    Code.HEADING_LEVEL_BLANK: _NO_HEADING,
    Code.VALUES_WITHOUT_HEADING: _NO_HEADING,
    Code.STUB_HEADING_MISSING: _MISSING,
    Code.REQUIRED_FIELD_MISSING: _MISSING,
    Code.COLUMN_LACKING: _MISSING,
    Code.COLUMNS_DIFFER: _MISSING,
    Code.BLOCK_NOT_FOUND: _NO_TABLE,
    Code.ROW_WITHOUT_STUB: _NO_NAME,
    Code.GROUP_MISSING: _NO_GROUP,
    Code.GROUP_DOUBTFUL: _NO_GROUP,
    Code.LOOKS_LIKE_TOTAL: _LIKE_TOTAL,
    Code.TOTAL_LIKELY: _LIKE_TOTAL,
    Code.ROW_BELOW_TABLE: _STRAY,
    Code.ROW_NEARLY_BLANK: _STRAY,
    Code.RECORDS_BELOW_END: _STRAY,
    Code.CELLS_UNPLACED: _STRAY,
    Code.NUMBERS_UNPLACED: N_("This number is outside the form. Is it in the right place?"),
    Code.KEY_TWICE: _TWICE,
    Code.TAB_TWICE: _TAB_TWICE,
    Code.VALUES_REPEATED: _TAB_TWICE,
    Code.SENT_TWICE: _SENT_TWICE,
    Code.VALUE_RESTATED: _RESTATED,
    Code.WORKBOOK_BLANK: N_("Nothing is filled in here."),
    Code.FILE_UNREADABLE: N_(
        "We could not open your file. Please save it again and send it to us."
    ),
}
"""What is said of each finding that senders can mend; all others are for the analyst alone."""

FOR_TAB = N_("Please check this tab.")
PLEASE_MEND = N_("Please correct")
HEADS = (N_("tab"), N_("cell"), N_("what is wrong"))
SUBJECT = N_("Please correct: {name}")
HELLO = N_("Hello,")
FOUND = N_("Thank you for your report. In “{name}” these places need your attention:")
MARKED = N_("They are marked in the copy that comes with this letter; its first tab lists them.")
AGAIN = N_("Please correct them in your own file and send it again under the same name.")
THANKS = N_("Thank you very much.")
FORMULAS_KEPT = N_("The copy differs from your file in its marks alone; formulas are as they were.")
VALUES_ONLY = N_("The copy shows the results of formulas, not the formulas themselves.")


def languages() -> list[str]:
    """The languages that there are texts in; English needs no file."""
    found = files("boreotabula.review.mark").joinpath("locale").iterdir()
    return sorted(["en", *(one.name[:-3] for one in found if one.name.endswith(".po"))])


@cache
def say_in(language: str) -> Say:
    """The texts of a language. Raises CallError if there are none."""
    code = language.replace("-", "_").partition("_")[0].lower()
    code = "nb" if code == "no" else code
    if code not in languages():
        near = did_you_mean(code, languages())
        raise CallError(
            f"--language: there are no texts in “{language}”{near}; known: {', '.join(languages())}"
        )
    return _catalogue(code).gettext


def _catalogue(code: str) -> NullTranslations:
    if code == "en":
        return NullTranslations()
    from babel.messages.mofile import write_mo
    from babel.messages.pofile import read_po

    content = files("boreotabula.review.mark").joinpath("locale", f"{code}.po").read_bytes()
    compiled = io.BytesIO()
    write_mo(compiled, read_po(io.BytesIO(content)))
    compiled.seek(0)
    return GNUTranslations(compiled)


def said_of(code: Code, wanted: str, found: str, say: Say) -> str:
    """What is said to a sender of a finding; `wanted` is what was looked for."""
    kind, example = KINDS.get(wanted.partition("(")[0], (wanted, ""))
    text = say(TEXTS[code])
    if code in (Code.STAMP_NOT_FOUND, Code.WORKBOOK_BLANK):
        return text
    return text.format(wanted=say(kind) if kind else "", found=found, example=say(example or "–"))
