"""Putting accepted headings into the glossary of a layout, its order and comments untouched."""

from __future__ import annotations

import csv
import io
from collections.abc import Sequence
from pathlib import Path

from boreotabula.batch.atomic import atomic_write
from boreotabula.batch.layouts.glossaries import csv_rows, delimiter_of
from boreotabula.batch.layouts.load import Layout
from boreotabula.errors import CallError
from boreotabula.layout.glossary import HEADINGS
from boreotabula.layout.headings import normal_form
from boreotabula.layout.problems import did_you_mean

Pair = tuple[str, str]
"""A heading, and the field that it means."""


def check_pairs(layout: Layout, pairs: Sequence[Pair]) -> list[Pair]:
    """The pairs that are not known yet. Raises CallError for fields that do not exist, and for
    headings that mean another field."""
    fresh: dict[str, Pair] = {}
    for heading, field in pairs:
        if field not in layout.spec.fields:
            near = did_you_mean(field, layout.spec.fields)
            raise CallError(f"“{heading}={field}”: the layout has no field “{field}”{near}")
        known_text = layout.plan.names.field_of(heading)
        other_text = known_text or fresh.get(normal_form(heading), (heading, field))[1]
        if other_text != field:
            raise CallError(f"“{heading}” means “{other_text}” already; take that out first")
        if known_text is None:
            fresh.setdefault(normal_form(heading), (heading, field))
    return list(fresh.values())


def adopt(layout: Layout, pairs: Sequence[Pair]) -> Path:
    """Add headings to the first CSV glossary of a layout; returns that.

    A layout that has none gets one, `headings.csv` beside it. Raises CallError if it cannot be
    written.
    """
    for path in layout.glossaries:
        content = path.read_bytes()
        rows = _heading_rows(content, path)
        if rows is not None:
            _write(path, content + _lines(content, rows, pairs))
            return path
    path = _new_glossary(layout)
    _write(path, _lines(b"heading,field\n", [HEADINGS], pairs, b"heading,field\n"))
    _name_glossary(layout, path.name)
    return path


def _heading_rows(content: bytes, path: Path) -> Sequence[Sequence[str]] | None:
    """The rows of a CSV glossary of headings from its header on; None of any other file."""
    if path.suffix.lower() not in (".csv", ".tsv", ".txt"):
        return None
    rows = csv_rows(content, path.name)
    for index, row in enumerate(rows):
        names = [normal_form(cell) for cell in row]
        if all(name in names for name in HEADINGS):
            return rows[index:]
    return None


def _lines(
    content: bytes,
    rows: Sequence[Sequence[str]],
    pairs: Sequence[Pair],
    before: bytes = b"",
) -> bytes:
    """The lines to add to a glossary, written as its other lines are."""
    names = [normal_form(cell) for cell in rows[0]]
    ending = "\r\n" if b"\r\n" in content else "\n"
    text = io.StringIO()
    if content and not content.endswith(b"\n"):
        text.write(ending)
    writer = csv.writer(text, delimiter_of(content.decode("utf-8-sig")), lineterminator=ending)
    for heading, field in pairs:
        line = [""] * len(names)
        line[names.index("heading")], line[names.index("field")] = heading, field
        writer.writerow(line)
    return before + text.getvalue().encode()


def _write(path: Path, content: bytes) -> None:
    with atomic_write(path) as stream:
        stream.write(content)


def _new_glossary(layout: Layout) -> Path:
    usual = layout.path.with_name("headings.csv")
    return (
        usual if not usual.exists() else layout.path.with_name(f"{layout.path.stem}-headings.csv")
    )


def _name_glossary(layout: Layout, name: str) -> None:
    """Name a glossary in the layout file, its comments and its form untouched."""
    import tomlkit  # only needed to change a layout

    document = tomlkit.parse(layout.path.read_text("utf-8"))
    before = document.get("glossary")
    # Those that are named already stay as they are written: a table may name their columns.
    named = [*(before if isinstance(before, list) else [before] if before else []), name]
    document["glossary"] = named if len(named) > 1 else name
    _write(layout.path, tomlkit.dumps(document).encode())
