"""The common parts of texts of one form: names of files and tabs, titles and captions.

Each text is split into words, numbers, periods and separators. What nearly all of them share in the
same order is fixed; what stands between is a slot of its own.
"""

from __future__ import annotations

import re
from collections import Counter
from collections.abc import Callable, Sequence
from dataclasses import dataclass

from boreotabula.drafting.texts.periods import periods_in
from boreotabula.look.texts.words import level_name

_MOST = 0.9
"""What this share of the texts has in common is fixed: an odd one spoils nothing."""


@dataclass(frozen=True)
class TemplateSlot:
    """A part of a template that varies, or may vary: its text in each matching text."""

    kind: str
    """The kind of period; else 'number', 'running number' or 'text'."""
    values: tuple[str, ...]
    before: str = ""
    """The word right before it, if there is one."""

    @property
    def is_period(self) -> bool:
        """Whether it is a date, a month or another period."""
        return self.kind not in ("text", "number", "running number")

    @property
    def varies(self) -> bool:
        """Whether its texts differ."""
        return len(set(self.values)) > 1


@dataclass(frozen=True)
class Template:
    """The fixed texts and the slots that some texts consist of, in order."""

    parts: tuple[str | TemplateSlot, ...]
    fits: tuple[int, ...]
    """Which of the texts match it."""

    @property
    def slots(self) -> tuple[TemplateSlot, ...]:
        """Its slots, from left to right."""
        return tuple(part for part in self.parts if isinstance(part, TemplateSlot))

    @property
    def fixed(self) -> str:
        """All its fixed texts."""
        return "".join(part for part in self.parts if isinstance(part, str))

    def pattern(self, filled: Callable[[TemplateSlot], str]) -> str:
        """The pattern of the layout, with `filled` in place of each slot."""
        parts = [
            filled(part) if isinstance(part, TemplateSlot) else escaped(part) for part in self.parts
        ]
        # A field and an asterisk side by side would not be told apart.
        return re.sub(r"\*{2,}", "*", "".join(parts))


_YEAR = re.compile(r"(?:19|20)\d\d")


def meaning_of(slot: TemplateSlot, fallback: str) -> tuple[str, str]:
    """The name of a slot's field, and its type; `fallback` if nothing names it."""
    if slot.kind in ("month", "date"):
        return slot.kind, slot.kind
    if slot.kind == "year":
        return "year", "integer"
    if slot.kind in ("week", "quarter"):
        return slot.kind, "text"
    if slot.kind == "month name":
        return "month", "text"
    if slot.kind == "running number":
        return "number", "integer"
    if all(map(_YEAR.fullmatch, slot.values)):
        return "year", "integer"
    word = slot.before.casefold()
    if slot.kind == "number" and (len(word) > 1 or word in WEEK_WORDS):
        # What is numbered is a name, however its number is written.
        return "week" if word in WEEK_WORDS else slot.before, "text"
    return level_name(sorted(set(slot.values))) or fallback, "text"


def escaped(text: str) -> str:
    """A text as it is written in a pattern."""
    return re.sub(r"[*]", "[*]", text)


@dataclass(frozen=True)
class _Token:
    kind: str
    """'word', 'number', the kind of a period, or 'apart'."""
    text: str
    start: int


_RUN = re.compile(r"[^\W_]+")
WEEK_WORDS = ("w", "wk", "week", "uke", "vko", "viikko", "vecka", "kw")
_NUMBERED = re.compile(rf"([^\W\d_]{{3,}}|{'|'.join(WEEK_WORDS)})(\d+)", re.IGNORECASE)


def _tokens(text: str, *, months: bool) -> list[_Token]:
    """The words, numbers and periods of a text; a word that ends in a number is both.

    Names of months without a year are periods only if asked for: in a sentence they may be other
    words.
    """
    periods = [period for period in periods_in(text) if months or period.kind != "month name"]
    tokens = [
        _Token(period.kind, text[period.start : period.end], period.start) for period in periods
    ]
    for hit in _RUN.finditer(text):
        if any(period.start < hit.end() and hit.start() < period.end for period in periods):
            continue
        run = hit[0]
        numbered = _NUMBERED.fullmatch(run)
        if numbered and (not numbered[1].isupper() or numbered[1].casefold() in WEEK_WORDS):
            period = periods_in(numbered[2])
            kind = period[0].kind if period else "number"
            tokens.append(_Token("word", numbered[1], hit.start()))
            tokens.append(_Token(kind, numbered[2], hit.start() + numbered.start(2)))
        else:
            tokens.append(_Token("number" if run.isdigit() else "word", run, hit.start()))
    taken = [(period.start, period.end) for period in periods]
    marks = [
        hit for hit in MARKS.finditer(text)
        if not any(start < hit.end() and hit.start() < end for start, end in taken)
    ]  # fmt: skip
    # The first mark of a text is another one than the second.
    tokens += [
        _Token(f"mark {number} {hit[0].strip()}", hit[0], hit.start())
        for number, hit in enumerate(marks)
    ]
    return sorted(tokens, key=lambda token: token.start)


MARKS = re.compile(r"\s+[–—|/-]\s+|,\s+|:\s+|\s+\(")
"""The marks that separate the pieces of a title."""


def _key(token: _Token) -> str:
    return token.text.casefold() if token.kind == "word" else f"<{token.kind}>"


def template_of(texts: Sequence[str], *, months: bool = False) -> Template | None:
    """The template of some texts; None if there are none.

    With `months` the name of a month is a period also where it has no year. Words that nearly all
    texts share, each once, and periods of one kind hold it together. A text that lacks one of
    these, or has more where the others have nothing, does not match.
    """
    if not texts:
        return None
    every = [_tokens(text, months=months) for text in texts]
    anchors = _anchors(every)
    orders = [tuple(_key(token) for token in tokens if _key(token) in anchors) for tokens in every]
    (order, _), *_ = Counter(orders).most_common(1)
    fits = [index for index, texts in enumerate(orders) if texts == order]
    pieces = [_pieces(texts[fit], every[fit], order) for fit in fits]
    # Where most texts have nothing, one that has something is an odd one.
    for gap in range(len(order) + 1):
        bare = [not piece[2 * gap].strip(" _-.") for piece in pieces]
        if any(bare) and not all(bare):
            usual = 2 * sum(bare) >= len(bare)
            keep = [index for index, empty in enumerate(bare) if empty == usual]
            fits = [fits[index] for index in keep]
            pieces = [pieces[index] for index in keep]
    parts: list[str | TemplateSlot] = []
    for number, key in enumerate(order):
        parts += _between([piece[2 * number] for piece in pieces], parts)
        values = tuple(piece[2 * number + 1] for piece in pieces)
        if key.startswith("<") and not key.startswith("<mark"):
            parts.append(TemplateSlot(key[1:-1], values, _word_before(parts)))
        else:
            parts.append(values[0])
    parts += _between([piece[-1] for piece in pieces], parts)
    return Template(_joined(parts), tuple(fits))


def _anchors(every: Sequence[Sequence[_Token]]) -> set[str]:
    """What nearly all texts have, once each: words and periods."""
    least = max(_MOST * len(every), 1)
    once: Counter[str] = Counter()
    for tokens in every:
        keys = Counter(map(_key, tokens))
        once.update(key for key, number in keys.items() if number == 1 and key != "<number>")
    return {key for key, number in once.items() if number >= least}


def _pieces(text: str, tokens: Sequence[_Token], order: Sequence[str]) -> list[str]:
    """A text cut at its anchors: what stands before each, the anchor, … and the rest."""
    pieces: list[str] = []
    start = 0
    left = list(order)
    for token in tokens:
        if left and _key(token) == left[0]:
            pieces += [text[start : token.start], token.text]
            start = token.start + len(token.text)
            left.pop(0)
    return [*pieces, text[start:]]


def _between(
    texts: Sequence[str], before: Sequence[str | TemplateSlot]
) -> list[str | TemplateSlot]:
    """What stands between two anchors: separators, and a slot for what varies there."""
    if len(set(texts)) == 1 and not any(sign.isalnum() for sign in texts[0]):
        return [texts[0]] if texts[0] else []
    lead = _common([re.match(r"[\W_]*", text)[0] for text in texts])  # type: ignore[index]
    rest = [text[len(lead) :] for text in texts]
    trail = _common([re.search(r"[\W_]*$", text)[0][::-1] for text in rest])[::-1]  # type: ignore[index]
    values = tuple(text[: len(text) - len(trail)] for text in rest)
    kind = "number" if all(value.isdigit() for value in values) else "text"
    slots = _numbered(values) or [TemplateSlot(kind, values, _word_before([*before, lead]))]
    return [part for part in (lead, *slots, trail) if part != ""]


_NUMBER_FIRST = re.compile(r"([1-9]\d*|0)([\s_.-]+)([^\W\d_].*)")


def _numbered(values: Sequence[str]) -> list[str | TemplateSlot]:
    """The slots of texts that are numbered in front of their names, as “41_Detmold” is.

    Empty if some are not. A number with leading zeros is rather a code.
    """
    hits = [_NUMBER_FIRST.fullmatch(value) for value in values]
    parted = [hit.groups() for hit in hits if hit is not None]
    if not parted or len(parted) < len(hits) or len({apart for _, apart, _ in parted}) > 1:
        return []
    numbers, (apart, *_), names = zip(*parted, strict=True)
    return [TemplateSlot("running number", numbers), apart, TemplateSlot("text", names)]


def _word_before(parts: Sequence[str | TemplateSlot]) -> str:
    """The last word of the fixed text right before a slot."""
    text = ""
    for part in reversed(parts):
        if isinstance(part, TemplateSlot):
            break
        text = part + text
    words = re.findall(r"[^\W\d_]+", text)
    return words[-1] if words else ""


def _common(texts: Sequence[str]) -> str:
    first, last = min(texts), max(texts)
    same = next(
        (index for index, sign in enumerate(first) if last[index : index + 1] != sign), len(first)
    )
    return first[:same]


def _joined(parts: Sequence[str | TemplateSlot]) -> tuple[str | TemplateSlot, ...]:
    joined: list[str | TemplateSlot] = []
    for part in parts:
        if isinstance(part, str) and joined and isinstance(joined[-1], str):
            joined[-1] += part
        else:
            joined.append(part)
    return tuple(joined)
