"""What a person should decide about a draft: remaining errors, and what the tabs do not show."""

from __future__ import annotations

from collections.abc import Iterator, Mapping, Sequence
from dataclasses import replace
from typing import Any

from boreotabula.drafting.asking.rows import about_rows, not_filled_in
from boreotabula.drafting.doubts import Doubt, Spot
from boreotabula.drafting.draft import Draft
from boreotabula.drafting.search.finishing import our_names
from boreotabula.drafting.sketch import Sketch, key_texts
from boreotabula.findings.finding import Finding
from boreotabula.findings.kind import Severity
from boreotabula.findings.subjects.files import FILE_TWICE
from boreotabula.findings.subjects.rows import TABLE_NOT_FILLED
from boreotabula.layout.addresses import Address
from boreotabula.reading.cells import cell_text
from boreotabula.sheets.sheet import Sheet
from boreotabula.texts import counted


def questions(
    draft: Draft,
    findings: Sequence[Finding] | None = None,
    records: tuple[int, int] | None = None,
) -> list[Doubt]:
    """The questions about a draft: errors and warnings first, then doubts ordered by the records
    that they change; names last.

    `findings` are those of a run over all files, `records` the numbers that the draft and its
    runner-up give there; otherwise both come from the tabs that it was drafted from.
    """
    if findings is None:
        # Findings of the tabs that were drafted from carry no file, as they were read without
        # one.
        findings = [
            replace(finding, file=specimen.file, tab=specimen.tab)
            for specimen, finding in draft.judged.errors
        ]
    # A copy that is left out is named there, and forms that are not filled in are asked about.
    copies = {omission.file for omission in draft.left_out if not omission.tab}
    bare = {(file, tab) for file, tab, _ in not_filled_in(draft)}
    findings = [
        finding for finding in findings
        if not (finding.kind == FILE_TWICE and finding.file in copies)
        and not (finding.kind == TABLE_NOT_FILLED and (finding.file, finding.tab) in bare)
    ]  # fmt: skip
    doubts = [
        *draft.sketch.doubts,
        *_of_another_reading(draft, records),
        *_guessed(draft),
        *about_rows(draft),
    ]
    return [
        *_about_findings(findings),
        *sorted(doubts, key=lambda doubt: -doubt.records),
        *_read_as_nothing(draft),
        *_unnamed(draft),
    ]


def _about_findings(findings: Sequence[Finding]) -> Iterator[Doubt]:
    """One question for each kind of error or warning of each field, with its first place and the
    number of further ones."""
    grave = [
        finding for finding in findings if finding.severity in (Severity.ERROR, Severity.WARNING)
    ]
    by_code: dict[tuple[str, str], list[Finding]] = {}
    # By code and field, since a wrong type gives an error in every cell of a column.
    for one in sorted(grave, key=lambda finding: finding.severity is not Severity.ERROR):
        by_code.setdefault((one.code, one.field), []).append(one)
    ranked = sorted(
        by_code.values(),
        key=lambda findings: (findings[0].severity is not Severity.ERROR, -len(findings)),
    )
    for group in ranked:
        first = group[0]
        extra = f" (and {len(group) - 1} more like it)" if len(group) > 1 else ""
        yield Doubt(
            first.code, first.message + extra, first.advice, first.file, first.tab,
            str(first.at) if first.at else "", first.field, records=len(group),
        )  # fmt: skip


READING = "reading"
"""The kind of the question what the tabs are."""


def _of_another_reading(draft: Draft, records: tuple[int, int] | None) -> Iterator[Doubt]:
    """The question whether the tabs are something else, if that is almost as likely."""
    if draft.runner_up is None:
        return
    sketch, judged = draft.runner_up
    # Counted over all files if there was a run; else over the tabs that were tried.
    own, count = records or (draft.judged.records, judged.records)
    example = draft.kind.examples[0]
    taken, other = draft.sketch.form, sketch.form
    row, column = min(
        ((shape.top, shape.left) for shape in example.shapes), default=_first_place(example.sheet)
    )
    yield Doubt.at_cell(
        READING, Spot(example.specimen.file, example.specimen.tab, row, column),
        f"the tabs are read as {taken} ({counted(own, 'record')}); {other} ({count:,}) is almost"
        " as likely",
        "`draft --ask` lets you choose",
        choices=(taken.value, other.value), records=max(own, count),
    )  # fmt: skip


def _first_place(sheet: Sheet) -> tuple[int, int]:
    """The row and column of the first filled cell, counted from 0."""
    rows, columns = sheet.filled.nonzero()
    return int(rows[0]), int(columns[0])


def _guessed(draft: Draft) -> Iterator[Doubt]:
    """The fields for whose values no cell shows how to read them, each with its first value."""
    for name, text in draft.sketch.guessed.items():
        # The first cell shows the person what the question is about.
        file, tab, cell, number = _first_cell(draft, text)
        options = draft.sketch.options.get(name, {})
        if "decimal_mark" in options:
            mark = options["decimal_mark"]
            other_text = "," if mark == "." else "."
            where, elsewhere = "decimals", "thousands"
            if mark not in text:
                where, elsewhere = elsewhere, where
            sign = mark if mark in text else other_text
            message = f"no number of “{name}” shows whether “{sign}” marks decimals or thousands;"
            message += f" it is read as marking {where}"
            change = f'if it marks {elsewhere}, write decimal_mark = "{other_text}" into the field'
            choices = (f'decimal_mark = "{mark}"', f'decimal_mark = "{other_text}"')
        else:
            first = bool(options.get("day_first", True))
            message = f"no date of “{name}” shows whether the day or the month comes first;"
            message += f" the {'day' if first else 'month'} is taken to"
            change = f"otherwise write day_first = {str(not first).lower()} into the field"
            choices = (f"day_first = {str(first).lower()}", f"day_first = {str(not first).lower()}")
        yield Doubt(
            kind="value",
            text=message,
            change=change,
            file=file,
            tab=tab,
            cell=cell,
            column=name,
            choices=choices,
            records=number,
            example=f": {text}",
        )


def _first_cell(draft: Draft, text: str) -> tuple[str, str, str, int]:
    """The first place of a text: file, tab and cell; and the number of records that the tabs
    give."""
    for example in draft.kind.examples:
        for row, cells in enumerate(example.sheet.rows):
            for column, cell in enumerate(cells):
                if cell != "" and cell_text(cell) == text:
                    specimen = example.specimen
                    return (
                        specimen.file,
                        specimen.tab,
                        str(Address(row, column)),
                        draft.judged.records,
                    )
    return "", "", "", draft.judged.records


def _read_as_nothing(draft: Draft) -> Iterator[Doubt]:
    """The signs that are read as no value, each with the first cell that holds it."""
    for sign in key_texts(draft.sketch.reading.get("empty")):
        cells = [
            (example.specimen, row, column)
            for example in draft.kind.examples
            for row, cells in enumerate(example.sheet.rows)
            for column, cell in enumerate(cells)
            if cell != "" and cell_text(cell).strip() == sign
        ]
        if cells:
            specimen, row, column = cells[0]
            yield Doubt.at_cell(
                "blank", Spot(specimen.file, specimen.tab, row, column),
                f"“{sign}” in {counted(len(cells), 'cell')} counts as blank",
                f"if it means something, remove “{sign}” from `empty` in [reading]",
                choices=(f"“{sign}” is blank", f"“{sign}” is a value"),
            )  # fmt: skip


def _unnamed(draft: Draft) -> Iterator[Doubt]:
    # One question for each name that the form itself does not give.
    for name, question in our_names(draft.sketch, draft.kind).items():
        file, tab, cell, value = next(_values(draft, name), ("", "", "", ""))
        shown = f"“{value}”" if value != "" else "this"
        text = f"{question.format(example=shown)} It is called “{name}” for now."
        keys = _in_words(_keys_with(draft.sketch, name))
        yield Doubt("name", text, f"rename `{name}` in {keys} of the layout", file, tab, cell, name)


def _keys_with(sketch: Sketch, name: str) -> list[str]:
    """The keys of a layout that hold the name of a field, worded for a person who looks for
    them."""
    capture = f"{{{name}}}"
    keys = ["`include`"] if any(capture in text for text in sketch.include) else []
    keys += (
        ["[tabs]"] if any(capture in text for text in key_texts(sketch.tabs.get("named"))) else []
    )
    keys += ["[stamps]"] if name in sketch.stamps else []
    for block in (sketch.block, *sketch.more):
        keys += [
            f"`{key}`" for key, value in block.items()
            if name in _names_in(value) or any(capture in text for text in _names_in(value))
        ]  # fmt: skip
    return [*dict.fromkeys(keys), "[fields]"]


def _names_in(value: Any) -> list[str]:
    """The texts that a key of a block holds, including those in its tables."""
    if isinstance(value, Mapping):
        return [*value, *(text for part in value.values() for text in _names_in(part))]
    if isinstance(value, list | tuple):
        return [text for part in value for text in _names_in(part)]
    return [value] if isinstance(value, str) else []


def _in_words(texts: Sequence[str]) -> str:
    return " and ".join(filter(None, [", ".join(texts[:-1]), texts[-1]]))


def _values(draft: Draft, name: str) -> Iterator[tuple[str, str, str, Any]]:
    """All values of a field, each with file, tab and cell of its record."""
    for example, reading in zip(draft.judged.examples, draft.judged.readings, strict=True):
        for batch in reading.tables.values():
            if name not in batch.schema.names:
                continue
            columns = (batch.column(text).to_pylist() for text in (name, "source_cell"))
            for value, cell in zip(*columns, strict=True):
                if value is not None:
                    yield example.file, example.tab, cell or "", value


def changes_records(doubt: Doubt) -> bool:
    """Whether another answer to a question changes records."""
    return doubt.kind != "name" and doubt.records > 0
