"""Texts for senders, in English: no word of the layout, nothing about other senders.

The texts are the keys of the catalogues in `locale/` of the marked copies. Slots are `found`, what
is there, `wanted`, what should be there, and `example`.
"""

from __future__ import annotations


def N_(text: str) -> str:  # noqa: N802  # as gettext's tools look for it
    """Marks a text that is translated later."""
    return text


WRONG = N_("This cell should hold {wanted}, but it holds “{found}”. For example: {example}")
BLANK = N_("This cell is blank. Please fill it in.")
TWO_WAYS = N_(
    "“{found}” can be read in two ways. Please write it without doubt, such as 2026-04-17 for a"
    " date, or 1234.5 for a number."
)
OUTSIDE = N_("“{found}” is not possible here. Please check it.")
FAR = N_("“{found}” is much more than usual. Please check it.")
YEAR_MISSING = N_("The year is missing here. Please write it.")
TOTAL = N_(
    "This total says {found}, but what it adds up comes to {wanted}. Please check the total and the"
    " cells that it adds up."
)
TOTAL_FLAWED = N_("This total shows an error. Please check its formula.")
HEADING = N_("We do not know the heading “{found}”. Please use the headings of the form.")
NO_HEADING = N_("This column has no heading. Please write one.")
HEADING_TWICE = N_("This heading is here twice. Please keep one of them.")
MISSING = N_("A column of the form is missing here. Please add it, with the heading of the form.")
NO_TABLE = N_("We do not find the table on this tab. Please use the headings of the form.")
ABOVE = N_(
    "Something that the form asks for above the table is missing. Please fill in all its fields,"
    " and keep their labels."
)
SOURCES_DIFFER = N_(
    "This says “{found}”, but elsewhere your report says “{wanted}”. Which one is right?"
)
PATTERN = N_("“{found}” is not written as the form shows it.")
MOVED = N_("The label beside this cell is another one than usual. Was a row inserted here?")
NO_NAME = N_("This row holds values, but does not say what they are of. Please name the row.")
NO_GROUP = N_("These rows have no group. Please write the name of their group above them.")
LIKE_TOTAL = N_(
    "This looks like a total. If it is one, please begin its row with the word “Total”."
)
STRAY = N_(
    "This does not fit into the table. Please complete the row, or move remarks away from the"
    " table."
)
OUTSIDE_FORM = N_("This number is outside the form. Is it in the right place?")
TWICE = N_("This line is there more than once. Please keep one of them.")
TAB_TWICE = N_("This tab holds the same as an earlier one. Please check whether it was filled in.")
SENT_TWICE = N_(
    "We have two reports for the same place and time, with different values. Which one is right?"
)
RESTATED = N_("In an earlier report this was {wanted}, and now it is {found}. Is that intended?")
GONE = N_("Your last report had a value here; this one has none. Is that intended?")
"""Replaces `RESTATED` where nothing is there now."""
NOTHING_FILLED = N_("Nothing is filled in here.")
UNREADABLE = N_("We could not open your file. Please save it again and send it to us.")
READ_OTHERWISE = N_(
    "We read {wanted} here instead of what is written (“{found}”). Please correct it in your file."
)

QUESTIONS = frozenset({FAR, SOURCES_DIFFER, MOVED, OUTSIDE_FORM, TAB_TWICE, SENT_TWICE, RESTATED})
"""What may well be right: the sender is asked, and not told to correct it."""
