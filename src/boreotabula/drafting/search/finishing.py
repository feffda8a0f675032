"""The last step of a sketch: what is certain about its fields, and comments where a person
decides."""

from __future__ import annotations

from collections.abc import Iterator, Mapping
from dataclasses import dataclass, replace
from typing import Any

import pyarrow.compute as pc

from boreotabula.drafting.columns.over_columns import list_heading
from boreotabula.drafting.search.judging import Judgement
from boreotabula.drafting.search.keys import key_of
from boreotabula.drafting.sketch import Sketch, key_texts
from boreotabula.drafting.tabs.specimens import Example, TabFamily
from boreotabula.look.texts.types import FOOTNOTE_SIGNS
from boreotabula.look.texts.words import field_name
from boreotabula.reading.cells import cell_text, one_line

OUR_WORDS: Mapping[str, str] = {
    "value": "What do the values of the table, such as {example}, measure?",
    "heading": "What is {example} in the lowest row of headings?",
    "group": "What is {example} in the upper row of headings?",
    "name": "What is {example} in the first column?",
    "class": "What is {example} in the rows that name groups?",
    "corner": "What is {example} in the corner of the table?",
    "part": "What is {example} in the names of the files?",
    "title": "What is {example} in the title?",
    "header": "What is {example} in the header line?",
    "column": "What is {example} in this column?",
    "tab": "What is {example} as the name of a tab?",
}
"""Names that a draft gives where the form has no word, and how a person is asked for a better one.
"""

_SURE_RECORDS, _SURE_FILES = 100, 3
"""This many records from this many files make certain what holds for all of them."""


def our_names(sketch: Sketch, kind: TabFamily) -> dict[str, str]:
    """The fields that a draft has named because the form has no word, with the question for each
    name."""
    # A form may well have such a heading of its own.
    headed = {
        field_name(cell_text(cell))
        for example in kind.examples
        for shape in (*example.shapes, *example.further)
        for cell in shape.heads
    }
    for _, source in sketch.sources:
        texts: Any = source.get("right_of", source.get("below", ()))
        headed |= {field_name(value) for value in ([texts] if isinstance(texts, str) else texts)}
    return {
        name: OUR_WORDS[name.rstrip("_0123456789")]
        for name in sketch.fields
        if name.rstrip("_0123456789") in OUR_WORDS and name not in headed
    }


def finished(sketch: Sketch, judged: Judgement, kind: TabFamily) -> Sketch:
    """The sketch with what is certain about its fields, and what a person should know of them."""
    summaries = {name: _met(judged, name) for name in sketch.fields}
    options = dict(sketch.options)
    for name, summary in summaries.items():
        if summary.records >= _SURE_RECORDS and len(kind.files) >= _SURE_FILES:
            sure = dict(_sure(summary, sketch, name))
            options[name] = {**sure, **options.get(name, {})}
    comments = dict.fromkeys(our_names(sketch, kind), "placeholder, please rename")
    for name, summary in summaries.items():
        if summary.lacking and summary.lacking < summary.tabs and name not in comments:
            comments[name] = f"blank or missing on {summary.lacking} of {summary.tabs} tabs"
    for name, option in sketch.options.items():
        signs = [text for text in key_texts(option.get("unit")) if set(text) <= set(FOOTNOTE_SIGNS)]
        if signs and name not in comments:
            quoted = " and ".join(f"“{sign}”" for sign in signs)
            comments[name] = f"{quoted} behind a number is passed over"
    tabs = [set(_headings(example)) for example in kind.examples]
    numbers = {text: sum(text.rstrip(": *") in tab for tab in tabs) for text in sketch.glossary}
    return replace(
        sketch,
        options={name: option for name, option in options.items() if option},
        comments=comments,
        seen={text: f"{number} of {len(tabs)}" for text, number in numbers.items()},
        key=key_of(sketch, judged),
    )


def _headings(example: Example) -> Iterator[str]:
    """The headings of the tables of a tab, as a glossary has them."""
    for shape in example.shapes:
        for index, cell in enumerate(shape.heads):
            yield one_line(cell_text(cell)).rstrip(": *")
            yield list_heading(example, shape, index).rstrip(": *")


@dataclass(frozen=True)
class _Met:
    """What all records hold in a field."""

    records: int = 0
    filled: int = 0
    tabs: int = 0
    lacking: int = 0
    """The number of tabs on which no record has a value."""
    least: float | None = None


def _met(judged: Judgement, name: str) -> _Met:
    records = filled = tabs = lacking = 0
    least: list[float] = []
    for reading in judged.readings:
        for batch in reading.tables.values():
            if name not in batch.schema.names or not batch.num_rows:
                continue
            column = batch.column(name)
            count = len(column) - column.null_count
            records, filled, tabs = records + len(column), filled + count, tabs + 1
            lacking += not count
            if count and str(column.type) in ("int64", "double"):
                least.append(pc.min(column).as_py())
    return _Met(records, filled, tabs, lacking, min(least, default=None))


def _sure(summary: _Met, sketch: Sketch, name: str) -> Iterator[tuple[str, object]]:
    """Add the options that are certain.

    `required` for what names the rows of a list, and for its numbers, if they are always there;
    `min` for counts and measures that are never negative.
    """
    of_table = sketch.table_fields
    if name not in of_table:
        return
    wanted = (
        sketch.listed and not sketch.more and (name == of_table[0] or summary.least is not None)
    )
    if wanted and summary.filled == summary.records:
        yield "required", True
    if summary.least is not None and summary.least >= 0 and _is_measured(sketch, name):
        yield "min", 0


def _is_measured(sketch: Sketch, name: str) -> bool:
    values = sketch.block.get("value", ())
    values = (values,) if isinstance(values, str) else tuple(values)
    return name in values if values else sketch.listed
