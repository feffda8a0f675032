"""Steps that improve how values are read: types, units, decimal marks, words that count as
blank."""

from __future__ import annotations

import re
from collections.abc import Callable, Iterator, Sequence
from functools import lru_cache

from boreotabula.drafting.columns.with_types import with_type
from boreotabula.drafting.search.judging import Judgement
from boreotabula.drafting.sketch import Sketch, key_texts
from boreotabula.drafting.tabs.specimens import TabFamily
from boreotabula.findings.subjects.headings import HEADING_NOT_CONVERTED
from boreotabula.findings.subjects.stamps import STAMP_NOT_CONVERTED
from boreotabula.findings.subjects.values import COLUMN_NOT_CONVERTED, VALUE_NOT_CONVERTED
from boreotabula.look.texts.types import NOTHING, Typed, month_languages, typed

Step = Callable[[Sketch, Judgement, TabFamily], Iterator[Sketch]]


def distinct_texts(judged: Judgement, name: str) -> list[str]:
    """The distinct texts that the records have for a field, in order."""
    result: dict[str, None] = {}
    for reading in judged.readings:
        for batch in reading.tables.values():
            if name in batch.schema.names:
                values = batch.column(name).unique().to_pylist()
                result |= dict.fromkeys(value for value in values if isinstance(value, str))
    return list(result)


def _text_fields(sketch: Sketch, judged: Judgement) -> Iterator[tuple[str, list[str]]]:
    """The fields that are texts, with the texts that occur."""
    # A part of a caption or of a name stays as it is written: 3.10 is another one than 3.1.
    for name, kind in sketch.fields.items():
        if (
            kind == "text"
            and name not in sketch.captured
            and (texts := distinct_texts(judged, name))
        ):
            yield name, texts


def _for_nothing(sketch: Sketch, judged: Judgement, kind: TabFamily) -> Iterator[Sketch]:
    """Texts that count as blank where numbers belong."""
    texts: dict[str, None] = {}
    for _, finding in judged.errors:
        if finding.kind in (VALUE_NOT_CONVERTED, COLUMN_NOT_CONVERTED):
            text = finding.found.strip()
            if text in NOTHING:
                texts[text] = None
    known_texts = key_texts(sketch.reading.get("empty"))
    if texts:
        yield sketch.reading_with(empty=[*known_texts, *texts])


def narrower(sketch: Sketch, judged: Judgement, kind: TabFamily) -> Iterator[Sketch]:
    """Make all fields of texts narrower whose values are numbers or moments."""
    best = sketch
    for name, texts in _text_fields(sketch, judged):
        best = _narrower(best, name, texts) or best
    if best is not sketch:
        yield best


def _narrower_types(sketch: Sketch, judged: Judgement, kind: TabFamily) -> Iterator[Sketch]:
    """Make them narrower field by field."""
    for name, texts in _text_fields(sketch, judged):
        if other_sketch := _narrower(sketch, name, texts):
            yield other_sketch


def _narrower(sketch: Sketch, name: str, texts: Sequence[str]) -> Sketch | None:
    """The narrower type of a field of texts: with its texts as they stand, with words that count as
    blank, with decimal commas, or with units."""
    heading = next((text for text, heading in sketch.headings.items() if heading == name), name)
    mark = sketch.reading.get("decimal_mark")
    type_ = _type_of_texts(tuple(texts), tuple(_languages(sketch)), mark, heading)
    if type_.kind == "text":
        return None
    return with_type(sketch, name, type_)


@lru_cache(maxsize=1024)
def _type_of_texts(
    texts: tuple[str, ...], languages: tuple[str, ...], decimal_mark: str | None, heading: str
) -> Typed:
    """The narrowest type of some texts; most sketches of a search have the same ones."""
    return typed(texts, languages, decimal_mark, heading)


def _languages(sketch: Sketch) -> list[str]:
    return key_texts(sketch.reading.get("languages"))


def _months_of_a_year(sketch: Sketch, judged: Judgement, kind: TabFamily) -> Iterator[Sketch]:
    """Names of months without a year, where another field gives the year."""
    years = [name for name in sketch.fields if _is_year(judged, name)]
    if not years:
        return
    known_texts = key_texts(sketch.reading.get("languages"))
    for name, texts in _text_fields(sketch, judged):
        languages = month_languages(texts, known_texts)
        if languages is not None:
            other_sketch = sketch.reading_with(languages=languages) if languages else sketch
            for year in years:
                yield other_sketch.typed(name, "month", year_from=year)


def _is_year(judged: Judgement, name: str) -> bool:
    values = {
        value
        for reading in judged.readings
        for batch in reading.tables.values()
        if name in batch.schema.names
        for value in batch.column(name).unique().to_pylist()
    }
    texts = {str(value) for value in values if value is not None}
    return bool(texts) and all(re.fullmatch(r"(?:19|20)\d\d", text) for text in texts)


def _wider_types(sketch: Sketch, judged: Judgement, kind: TabFamily) -> Iterator[Sketch]:
    """Fields whose values are not all of the type that most of them have."""
    wider = {"integer": "number", "number": "text", "month": "text", "date": "text", "time": "text",
             "datetime": "text", "yesno": "text", "percent": "text"}  # fmt: skip
    failed = [
        finding.field for _, finding in judged.errors
        if finding.kind in (COLUMN_NOT_CONVERTED, HEADING_NOT_CONVERTED,
                            STAMP_NOT_CONVERTED)
    ]  # fmt: skip
    for name in dict.fromkeys(failed):
        if sketch.fields.get(name) in wider:
            yield sketch.typed(name, wider[sketch.fields[name]])


VALUE_STEPS: tuple[Step, ...] = (
    _for_nothing, _wider_types, _narrower_types, _months_of_a_year,
)  # fmt: skip
