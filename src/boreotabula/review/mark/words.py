"""Texts for senders, in their language: no word of the layout, nothing about other senders.

The English texts are the keys of the catalogues in `locale/`, gettext files (.po) as any tool for
translations edits them. A new language is a new file there.
"""

from __future__ import annotations

import io
from collections.abc import Collection, Mapping
from dataclasses import dataclass
from decimal import Decimal, InvalidOperation
from enum import Enum, auto
from functools import cache
from gettext import GNUTranslations, NullTranslations
from importlib.resources import files

from boreotabula.errors import CallError
from boreotabula.findings.kind import FindingKind
from boreotabula.findings.senders import GONE, N_, QUESTIONS, RESTATED, TOTAL


@dataclass(frozen=True)
class Say:
    """Gives texts and numbers in a language, by its code."""

    code: str

    def __call__(self, text: str) -> str:
        """A text in the language."""
        return _catalogue(self.code).gettext(text)

    def number(self, text: str) -> str:
        """A number that was read, as the language writes it; any other text as it is."""
        from babel.numbers import format_decimal

        try:
            number = Decimal(text.replace(",", ""))
        except InvalidOperation:
            return text
        return format_decimal(number, "#,##0.##########", locale=self.code)


class Request(Enum):
    """What a sender is asked to do about a fault."""

    CORRECT = auto()
    CONFIRM = auto()


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

HEADING_OF = {Request.CORRECT: N_("Please correct"), Request.CONFIRM: N_("Please confirm")}
HEADS = (N_("tab"), N_("cell"), N_("what we noticed"))
SUBJECT_OF = {
    Request.CORRECT: N_("Please correct: {name}"),
    Request.CONFIRM: N_("Please confirm: {name}"),
}
HELLO = N_("Hello,")
FOUND = N_("Thank you for your report. Some places in “{name}” need your attention.")
CHECKED_OF = {
    Request.CORRECT: N_("In “{name}” these places should be corrected:"),
    Request.CONFIRM: N_("Please check whether these places in “{name}” are right:"),
}
"""The words about a report before it is sent."""
LIST_OF = {
    Request.CORRECT: N_(
        "Please correct these in your own file, and send it again under the same name:"
    ),
    Request.CONFIRM: N_("Please tell us whether these are right:"),
}
NOTHING_TO_CORRECT = N_("In “{name}” there is nothing to correct.")
MARKED_HERE = N_("Each place has a coloured border and a note.")
MARKED = N_("They are marked in the copy that comes with this letter; its first tab lists them.")
AGAIN = N_("Please correct them in your own file and send it again under the same name.")
THANKS = N_("Thank you very much.")
FORMULAS_KEPT = N_("The copy differs from your file in its marks alone; formulas are as they were.")
VALUES_ONLY = N_("The copy shows the results of formulas, not the formulas themselves.")

REMINDER = N_("Reports that are missing: {name}")
NOT_COME = N_("These reports of {name} have not reached us:")
DUE_ON = N_("{period}, due on {day}")
PLEASE_SEND = N_("Please send them as soon as you can. If they are on their way, all is well.")


def languages() -> list[str]:
    """The available languages; English needs no file."""
    traversables = files("boreotabula.review.mark").joinpath("locale").iterdir()
    return sorted(
        [
            "en",
            *(
                traversable.name[:-3]
                for traversable in traversables
                if traversable.name.endswith(".po")
            ),
        ]
    )


def say_in(language: str) -> Say:
    """The texts of a language. Raises CallError if there are none."""
    code = language.replace("-", "_").partition("_")[0].lower()
    code = "nb" if code == "no" else code
    if code not in languages():
        raise CallError(
            f"--language: there are no texts in “{language}”, only in {', '.join(languages())}"
        )
    return Say(code)


@cache
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


def subject(file: str, requests: Collection[Request], say: Say) -> str:
    """The subject of a letter: the first of some requests, and the name of the file."""
    return say(SUBJECT_OF[next(iter(requests))]).format(name=file.rpartition("/")[2])


def request_of(kind: FindingKind) -> Request:
    """What a sender is asked to do about a code of finding."""
    return Request.CONFIRM if kind.sender in QUESTIONS else Request.CORRECT


def said_of(kind: FindingKind, wanted: str, text: str, say: Say) -> str:
    """The text of a finding for a sender; `wanted` is what was looked for."""
    if kind.sender == RESTATED and not text:
        return say(GONE)
    if kind.sender == TOTAL:
        wanted, text = say.number(wanted), say.number(text)
    called, example = KINDS.get(wanted.partition("(")[0], (wanted, ""))
    slots = {
        "wanted": say(called) if called else "",
        "found": text,
        "example": say(example or "–"),
    }
    return say(kind.sender).format_map(slots)
