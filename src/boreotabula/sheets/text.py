"""Delimited text becomes one sheet: encoding and delimiter are detected, or given."""

from __future__ import annotations

import codecs
import csv
import os
import re
from collections import Counter
from collections.abc import Iterator, Mapping, Sequence
from dataclasses import dataclass
from itertools import islice
from pathlib import Path
from typing import Literal

from boreotabula.files import open_regular
from boreotabula.limits import TEXT, Budget
from boreotabula.sheets.aligned import Starts, aligned_rows, cut_rows, find_columns
from boreotabula.sheets.kinds import looks_like_text, no_text
from boreotabula.sheets.look import check_extent
from boreotabula.unreadable import UnreadableError

DELIMITERS = {"\t": "tab", ";": "semicolon", "|": "pipe", ",": "comma"}
"""Possible delimiters, and their names in messages; the first of equals wins."""

_SAMPLE_LINES = 200
"""This many lines show how a text is written."""
_SAMPLE_BYTES = 256 * 1024
_MARKS = (
    (codecs.BOM_UTF8, "utf-8-sig"),
    (codecs.BOM_UTF16_LE, "utf-16"),
    (codecs.BOM_UTF16_BE, "utf-16"),
)
# The one-byte encodings that spreadsheet programs of Europe write.
_COMMON = "cp1252"
_ONE_BYTE = (_COMMON, "cp1257", "cp1250", "cp1251")
_TWO_BYTES = ("cp932", "euc_jp", "gb18030", "big5", "cp949")
"""The encodings of programs in East Asia: Japanese (Shift-JIS, EUC), Chinese, and Korean."""
_OFTEN = 0.8
"""A delimiter occurs equally often in most lines; otherwise the text may be aligned in columns."""
_NAMES = {
    "cp932": "Shift-JIS",
    "cp949": "Korean (CP949)",
    "utf-8-sig": "UTF-8",
    "utf_8": "UTF-8",
    "ascii": "ASCII",
}


@dataclass(frozen=True)
class TextForm:
    """How a text is written; None where it is to be detected."""

    delimiter: str | None = None
    encoding: str | None = None
    quote: str | None = None
    columns: Starts | Literal["aligned"] | None = None
    """The start of each column in a line, counted from 0; or that blanks separate them."""


@dataclass(frozen=True)
class OpenQuote:
    """A quote that opens a field over several lines; lines count from 1."""

    line: int
    last: int
    closed: bool
    text: str
    """The beginning of the field."""


@dataclass(frozen=True)
class TextTable:
    """The rows of a text, and what was detected about its form."""

    rows: list[list[str]]
    said: str
    guessed: str = ""
    """The name of the encoding in messages, if it was guessed among several possible ones."""
    quotes: tuple[OpenQuote, ...] = ()


def read_whole(path: Path, budget: Budget) -> bytes:
    """The content of a file, within the budget. Raises OverBudgetError or OSError."""
    with open_regular(path) as stream:
        # Refused before it is read: a file may have any size.
        budget.need(os.fstat(stream.fileno()).st_size * TEXT, "its text")
        # It may have grown since; no more is read than is allowed.
        data = stream.read(budget.room // TEXT + 1)
    budget.hold(len(data) * TEXT, "its text")
    return data


def read_text(path: Path, form: TextForm, budget: Budget) -> TextTable:
    """Read a delimited text.

    Raises UnreadableError if it is too large, or not text in the given or detected encoding.
    """
    data = read_whole(path, budget)
    encoding = form.encoding or find_encoding(data)
    try:
        text = data.decode(encoding)
    except (UnicodeDecodeError, LookupError) as error:
        why = f"it is not written in {encoding}" if form.encoding else "it is not readable as text"
        raise UnreadableError(why, "Say how it is written with [text] encoding.") from error
    # An old sign for the end of a text, which some programs still write.
    text = text.removesuffix("\x1a")
    quote = '"' if form.quote is None else form.quote
    # Lines are kept with their ends, as a quoted field may hold a line break.
    lines = text.splitlines(keepends=True)
    rows: list[list[str]]
    spans: dict[int, tuple[int, int]]
    delimiter, starts = _parting(form, text, lines, quote)
    if starts is not None:
        part = cut_rows if isinstance(form.columns, tuple) else aligned_rows
        rows, spans = part(lines, starts), {}
    else:
        rows, spans = _rows_and_spans(lines, delimiter, quote)
    width, cells = max(map(len, rows), default=0), sum(map(len, rows))
    # Before rows are made into a sheet, which takes more memory than the text.
    check_extent(max(len(rows) - 1, 0), max(width - 1, 0), cells, budget)
    # A text in UTF-8 or ASCII can be nothing else.
    could_differ = encoding in (*_ONE_BYTE, *_TWO_BYTES)
    guessed = _called(encoding) if could_differ and not form.encoding else ""
    if starts is not None:
        return TextTable(rows, _said_of_columns(encoding, starts, rows), guessed)
    quotes = tuple(_open_quotes(rows, spans, lines, delimiter, quote)) if quote else ()
    return TextTable(rows, _said(encoding, delimiter, rows), guessed, quotes)


def _parting(
    form: TextForm, text: str, lines: Sequence[str], quote: str
) -> tuple[str, Starts | None]:
    """The delimiter of a text, or the starts of its columns."""
    if form.columns == "aligned":
        return "", find_columns(lines) or (0,)
    if form.columns is not None:
        return "", form.columns
    if form.delimiter:
        return form.delimiter, None
    delimiter, often = find_delimiter(text, quote)
    # Commas in texts part lines here and there; columns part them all.
    starts = find_columns(lines) if often < _OFTEN else None
    return delimiter, starts


def find_encoding(data: bytes) -> str:
    """The encoding of a text, by its mark, its zeros, or its possible bytes."""
    for mark, name in _MARKS:
        if data.startswith(mark):
            return name
    head = data[: _SAMPLE_BYTES // 2 * 2]
    if not looks_like_text(head):
        raise no_text(head)
    if b"\0" in head:
        return "utf-16-be" if head[0::2].count(0) > head[1::2].count(0) else "utf-16-le"
    # Tried on all of it: a single letter at the end may show that it is none.
    try:
        data.decode("utf-8")
    except UnicodeDecodeError:
        return _two_byte_encoding(data) or _one_byte_encoding(data)
    return "ascii" if data.isascii() else "utf-8"


def _two_byte_encoding(data: bytes) -> str | None:
    """The encoding of a text in letters of East Asia; None if it is no such text.

    Letters of Europe can also be decoded as such, but then stand alone among others.
    """
    able = [name for name in _TWO_BYTES if _runs_of_wide(data, name)]
    if not able or _is_cyrillic(data):
        return None
    # Loaded only here; it takes longer than reading most texts.
    from charset_normalizer import from_bytes  # only needed for texts that are not UTF-8

    best = from_bytes(data[:_SAMPLE_BYTES], cp_isolation=[*able, *_ONE_BYTE]).best()
    if best is None:
        return None
    named = next(
        (name for name in _TWO_BYTES if name in (best.encoding, *best.could_be_from_charset)), None
    )
    return named if named and _runs_of_wide(data, named) else None


def _is_cyrillic(data: bytes) -> bool:
    """Whether a text reads as words in Cyrillic letters: of one case, or with one capital first."""
    words = _LETTERS.findall(data.decode("cp1251", "replace"))
    return bool(words) and all(_CYRILLIC.fullmatch(word) for word in words)


_LETTERS = re.compile("[^\x00-\x7f\\W\\d_]+")
_CYRILLIC = re.compile("[А-ЯЁІЇЄҐа-яёіїєґ]?[а-яёіїєґ]*|[А-ЯЁІЇЄҐ]+")


def _runs_of_wide(data: bytes, encoding: str) -> bool:
    """Whether a text in some encoding holds letters of East Asia, most of them side by side."""
    try:
        text = data.decode(encoding)
    except UnicodeDecodeError:
        return False
    wide = sum(map(len, _WIDE.findall(text)))
    in_runs = sum(map(len, _WIDE_RUN.findall(text)))
    # Korean is written in its own letters; others are Cyrillic ones that were misread.
    odd = len(_ODD.findall(text)) + (len(_HAN.findall(text)) if encoding == "cp949" else 0)
    return wide >= _FEWEST_WIDE and 10 * in_runs >= 7 * wide and 10 * odd < wide


_WIDE = re.compile("[\u3040-\u30ff\u4e00-\u9fff\uac00-\ud7a3]")
_WIDE_RUN = re.compile("[\u3040-\u30ff\u4e00-\u9fff\uac00-\ud7a3]{2,}")
_HAN = re.compile("[\u4e00-\u9fff]")
_ODD = re.compile("[\ue000-\uf8ff\uff61-\uff9f]")
"""Letters for private use, and narrow Japanese ones: they show that the encoding is another."""
_FEWEST_WIDE = 2
"""A single wide letter may show another encoding."""


def _one_byte_encoding(data: bytes) -> str:
    from charset_normalizer import from_bytes  # only needed for texts that are not UTF-8

    charset_matches = from_bytes(data[:_SAMPLE_BYTES], cp_isolation=list(_ONE_BYTE))
    # Northern letters are letters in most of them: among equals the most common one is taken.
    ranked = [
        (
            round(charset_match.chaos, 2),
            -round(charset_match.coherence, 2),
            _COMMON not in names,
            names,
        )
        for charset_match in charset_matches
        if (names := {charset_match.encoding, *charset_match.could_be_from_charset})
    ]
    names = min(ranked, key=lambda one: one[:3])[3] if ranked else {_COMMON}
    return _COMMON if _COMMON in names else min(names)


def find_delimiter(text: str, quote: str) -> tuple[str, float]:
    """The delimiter that splits the lines of a text into the same number of cells, and the share of
    lines for which it does.

    A decimal comma splits lines as evenly as a semicolon does, so the comma comes last.
    """
    lines = list(islice((line for line in text.splitlines(True) if line.strip()), _SAMPLE_LINES))
    scores: list[tuple[float, str]] = []
    for delimiter in DELIMITERS:
        widths = Counter(len(row) for row in _rows("".join(lines), delimiter, quote) if any(row))
        width, lines_of_it = max(
            # A width of one is what every delimiter gives that does not occur.
            widths.items(),
            key=lambda pair: (pair[0] > 1, pair[1]),
            default=(1, 0),
        )
        if width > 1:
            # Rounded, so that a title line more or less does not decide.
            scores.append((round(lines_of_it / widths.total(), 1), delimiter))
    often, best = max(scores, key=lambda one: one[0], default=(0.0, ","))
    return best, often


def _rows(text: str, delimiter: str, quote: str) -> list[list[str]]:
    return _rows_and_spans(text.splitlines(keepends=True), delimiter, quote)[0]


def _rows_and_spans(
    lines: Sequence[str], delimiter: str, quote: str
) -> tuple[list[list[str]], dict[int, tuple[int, int]]]:
    """The rows, and for those over several lines the first and the last, counted from 1."""
    reader = csv.reader(
        lines,
        delimiter=delimiter,
        quotechar=quote or None,
        quoting=csv.QUOTE_MINIMAL if quote else csv.QUOTE_NONE,
    )
    rows: list[list[str]] = []
    spans: dict[int, tuple[int, int]] = {}
    before = 0
    try:
        for row in reader:
            if reader.line_num > before + 1:
                spans[len(rows)] = (before + 1, reader.line_num)
            rows.append(row)
            before = reader.line_num
    except csv.Error as error:
        raise UnreadableError(f"its lines cannot be parted into cells ({error})") from error
    return rows, spans


_SHOWN = 40


def _open_quotes(
    rows: Sequence[Sequence[str]],
    spans: Mapping[int, tuple[int, int]],
    lines: Sequence[str],
    delimiter: str,
    quote: str,
) -> Iterator[OpenQuote]:
    """The quotes that may have swallowed lines: a field with line breaks and delimiters inside, or
    one cut off by the end of the file."""
    end = len(rows) - 1
    # The last row may be a field that the end of the file cuts off.
    spans = {**spans, end: spans.get(end, (len(lines), len(lines)))} if rows else spans
    for index, (first, last) in spans.items():
        cut = index == end and _cut_off(lines[first - 1 :], delimiter, quote)
        line = first
        for place, cell in enumerate(rows[index]):
            breaks = cell.count("\n")
            open_ = cut and place == len(rows[index]) - 1
            # A line break within a field is usual; with delimiters behind it, rows were
            # swallowed.
            if open_ or (breaks and delimiter in cell):
                yield OpenQuote(line, last if open_ else line + breaks, not open_, cell[:_SHOWN])
            line += breaks


def _cut_off(lines: Sequence[str], delimiter: str, quote: str) -> bool:
    """Whether some lines end within quotes."""
    try:
        list(csv.reader(lines, delimiter=delimiter, quotechar=quote, strict=True))
    except csv.Error as error:
        return "unexpected end of data" in str(error)
    return False


def _called(encoding: str) -> str:
    return _NAMES.get(encoding, encoding.upper())


def _said_of_columns(encoding: str, starts: Starts, rows: Sequence[Sequence[str]]) -> str:
    places = ", ".join(str(start + 1) for start in starts)
    return f"read as {_called(encoding)} text, columns at {places}, {len(rows):,} lines"


def _said(encoding: str, delimiter: str, rows: Sequence[Sequence[str]]) -> str:
    width = max(map(len, rows), default=0)
    parted = DELIMITERS.get(delimiter, f"“{delimiter}”") if width > 1 else "no delimiter"
    return f"read as {_called(encoding)} text, delimiter {parted}, {len(rows):,} lines"
