"""What could not be told from the tabs: at most five questions, each with a cell."""

from __future__ import annotations

import re
from collections import Counter
from collections.abc import Iterator
from dataclasses import dataclass
from itertools import islice
from typing import Any

from boreotabula.drafting.draft import Draft
from boreotabula.drafting.finishing import our_names
from boreotabula.drafting.sketch import listed
from boreotabula.drafting.specimens import Specimen
from boreotabula.findings.finding import Finding
from boreotabula.layout.addresses import Address
from boreotabula.reading.cells import reads_as_figure
from boreotabula.reading.values.convert import convert
from boreotabula.reading.values.form import ValueForm
from boreotabula.texts import counted

_MOST = 5


@dataclass(frozen=True)
class Question:
    """Something for the person to decide: where it is seen, what it is, and what to change."""

    where: str
    said: str
    change: str


def questions(draft: Draft) -> list[Question]:
    """The questions about a draft, the gravest first."""
    return list(islice(_all(draft), _MOST))


def _all(draft: Draft) -> Iterator[Question]:
    seen: dict[str, int] = {}
    for _, finding in draft.judged.errors:
        seen[finding.code] = seen.get(finding.code, 0) + 1
    told: set[str] = set()
    for specimen, finding in draft.judged.errors:
        if finding.code not in told:
            told.add(finding.code)
            more = seen[finding.code] - 1
            yield Question(
                _place(specimen, finding),
                finding.message + (f" (and {more} more like it)" if more else ""),
                finding.advice,
            )
    yield from _marks(draft)
    yield from _read_as_nothing(draft)
    yield from _nearly_typed(draft)
    yield from _unnamed(draft)


_EITHER = re.compile(r"[-+−]?[1-9]\d{0,2}[.,]\d{3}")


def _marks(draft: Draft) -> Iterator[Question]:
    """A decimal mark that no figure shows for sure."""
    mark = draft.sketch.reading.get("decimal_mark")
    if not mark:
        return
    first = ""
    for example in draft.kind.examples:
        for row, column, text in example.sheet.texts():
            if mark in text and reads_as_figure(text) and text.strip().count(mark) == 1:
                if not _EITHER.fullmatch(text.strip()):
                    return
                place = (example.specimen.file, example.specimen.tab, str(Address(row, column)))
                first = first or f"{' › '.join(filter(None, place))}: {text.strip()}"
    if first:
        other = "," if mark == "." else "."
        yield Question(
            first,
            f"no number shows whether “{mark}” marks decimals or thousands; it is read as the"
            " decimal mark",
            f'if it marks thousands, write decimal_mark = "{other}"',
        )


def _read_as_nothing(draft: Draft) -> Iterator[Question]:
    """The signs that are read as no value, each with the first cell that holds it."""
    for sign in listed(draft.sketch.reading.get("empty")):
        cells = [
            (example.specimen, row, column)
            for example in draft.kind.examples
            for row, column, text in example.sheet.texts()
            if text.strip() == sign
        ]
        if cells:
            specimen, row, column = cells[0]
            place = (specimen.file, specimen.tab, str(Address(row, column)))
            yield Question(
                " › ".join(filter(None, place)),
                f"“{sign}” in {counted(len(cells), 'cell')} counts as blank",
                f"if it means something, remove “{sign}” from `empty` in [reading]",
            )


_FEWEST = 20
"""So many values a field must have before a few odd ones are told from its type."""
_MOST_VALUES, _MOST_DIFFERENT = 2000, 500
_ODD = 0.05
"""The largest part of the values that may be odd."""


def _nearly_typed(draft: Draft) -> Iterator[Question]:
    """The fields that are texts only because of a few values."""
    for name in (name for name, kind in draft.sketch.fields.items() if kind == "text"):
        met = list(islice(_values(draft, name), _MOST_VALUES))
        counts = Counter(text for text, _ in met)
        # Of more different texts few are numbers or dates, or a person sees it at a glance.
        texts = list(counts)[:_MOST_DIFFERENT]
        for kind in ("integer", "number", "date") if len(met) >= _FEWEST else ():
            odd = {texts[at] for at, _ in convert(texts, ValueForm(kind)).failures}
            number = sum(counts[text] for text in odd)
            if 0 < number <= _ODD * len(met):
                text, where = next(one for one in met if one[0] in odd)
                more = f" (and {number - 1} more)" if number > 1 else ""
                yield Question(
                    where,
                    f"“{text}”{more} is not {ValueForm(kind).noun}, as the other"
                    f" {len(met) - number} values of “{name}” are, so the field is a text",
                    f'if they should be, write {name} = "{kind}"',
                )
                break


def _values(draft: Draft, name: str) -> Iterator[tuple[Any, str]]:
    """All values of a field, and the cell of the record of each."""
    for example, reading in zip(draft.kind.examples, draft.judged.readings, strict=True):
        if name not in reading.records.schema.names:
            continue
        columns = (reading.records[one].to_pylist() for one in (name, "source_cell"))
        for value, cell in zip(*columns, strict=True):
            if value is not None:
                place = (example.specimen.file, example.specimen.tab, cell or "")
                yield value, f"{' › '.join(filter(None, place))}, where {name} = {value}"


def _place(specimen: Specimen, finding: Finding) -> str:
    parts = (specimen.file, specimen.tab, finding.cell)
    return " › ".join(part for part in parts if part)


def _unnamed(draft: Draft) -> Iterator[Question]:
    for name, meant in our_names(draft.sketch, draft.kind).items():
        seen = _example(draft, name)
        yield Question(seen, f"the form has no word for {meant}", f"rename “{name}”")


def _example(draft: Draft, name: str) -> str:
    """The first value of a field, and the cell of its record."""
    return next((where for _, where in _values(draft, name)), name)
