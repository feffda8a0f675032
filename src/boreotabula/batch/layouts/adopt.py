"""Adding accepted headings to the glossary of a layout, without changing its order and comments."""

from __future__ import annotations

from collections.abc import Sequence
from pathlib import Path

from boreotabula.batch.layouts.beside import csv_lines, free_path, set_in_layout, write
from boreotabula.batch.layouts.glossaries import csv_rows, delimiter_of
from boreotabula.batch.layouts.load import Layout
from boreotabula.batch.private_files import turn_of
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
        # A heading may come twice in one call, for two fields.
        other_text = known_text or fresh.get(normal_form(heading), (heading, field))[1]
        if other_text != field:
            raise CallError(f"“{heading}” means “{other_text}” already; take that out first")
        if known_text is None:
            fresh.setdefault(normal_form(heading), (heading, field))
    return list(fresh.values())


def adopt(layout: Layout, pairs: Sequence[Pair]) -> Path:
    """Add headings to the first CSV glossary of a layout; returns its path.

    A layout without one gets `headings.csv` beside it. Raises CallError if it cannot be written.
    """
    # Two people may adopt headings at the same moment.
    with turn_of(layout.path):
        # Another call may have written meanwhile.
        return _add(Layout.load(layout.path), pairs)


def _add(layout: Layout, pairs: Sequence[Pair]) -> Path:
    for path in layout.glossaries:
        content = path.read_bytes()
        rows = _heading_rows(content, path)
        # A glossary may also list stamps or words; only one with headings is added to.
        if rows is not None:
            write(path, content + _lines(content, rows, pairs))
            return path
    path = free_path(layout.path, "headings.csv")
    head = b"heading,field\n"
    write(path, head + _lines(head, [HEADINGS], pairs))
    _name_glossary(layout, path.name)
    return path


def _heading_rows(content: bytes, path: Path) -> Sequence[Sequence[str]] | None:
    """The rows of a CSV glossary of headings from its header on; None for any other file."""
    if path.suffix.lower() not in (".csv", ".tsv", ".txt"):
        return None
    rows = csv_rows(content, path.name)
    for index, row in enumerate(rows):
        names = [normal_form(cell) for cell in row]
        if all(name in names for name in HEADINGS):
            return rows[index:]
    return None


def _lines(content: bytes, rows: Sequence[Sequence[str]], pairs: Sequence[Pair]) -> bytes:
    """The lines to add to a glossary, in the form of its other lines."""
    names = [normal_form(cell) for cell in rows[0]]
    lines = [{"heading": heading, "field": field} for heading, field in pairs]
    # In the glossary's own delimiter and columns, which may be more than these two.
    return csv_lines(content, names, lines, delimiter_of(content.decode("utf-8-sig")))


def _name_glossary(layout: Layout, name: str) -> None:
    """Name a glossary in the layout file, without changing its comments and form."""
    import tomlkit  # only needed to change a layout

    before = tomlkit.parse(layout.path.read_text("utf-8")).get("glossary")
    # Those that are named already stay as they are written: a table may name their columns.
    named = [*(before if isinstance(before, list) else [before] if before else []), name]
    set_in_layout(layout.path, "glossary", named if len(named) > 1 else name)
