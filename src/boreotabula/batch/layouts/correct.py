"""Adding a correction of a cell to the file of corrections of a layout."""

from __future__ import annotations

import csv
import io
import re
from collections.abc import Mapping, Sequence
from datetime import UTC, datetime
from pathlib import Path

from boreotabula.batch.layouts.beside import csv_lines, free_name, set_in_layout, write
from boreotabula.batch.layouts.decisions import CORRECTION_COLUMNS, corrections
from boreotabula.batch.layouts.glossaries import decoded, read_file
from boreotabula.batch.layouts.load import Layout
from boreotabula.errors import CallError
from boreotabula.layout.patterns import Kind, pattern
from boreotabula.reading.corrections import Correction


def correction_line(
    file: str, tab: str, others: Sequence[str], values: Mapping[str, str]
) -> dict[str, str]:
    """A line of a file of corrections for a cell of one file and tab, by the other columns.

    `others` are the names of the other files of the layout. Raises CallError if a pattern for this
    file would take one of them too: its cell would be corrected unseen.
    """
    line = {"file": _literal(file), "tab": _literal(tab), **values}
    matched = pattern(line["file"], Kind.FILE)
    twin = next((name for name in others if name != file and matched.match(name) is not None), None)
    if twin is not None:
        raise CallError(
            f"“{file}” and “{twin}” have the same name, which a correction cannot tell apart;"
            " rename one of them"
        )
    return line


def _literal(name: str) -> str:
    """A pattern that matches a name; a brace, which cannot be written, is any text."""
    return re.sub(r"\{[^{}]*\}", "*", name.replace("*", "[*]"))


def as_correction(line: Mapping[str, str]) -> Correction:
    """A line as it will be read. Raises CallError for one that says too little, or no day."""
    text = io.StringIO()
    writer = csv.DictWriter(text, CORRECTION_COLUMNS)
    writer.writeheader()
    writer.writerow(line)
    read, past = corrections(text.getvalue(), "the correction", datetime.now(UTC).date())
    if past:
        raise CallError(f"{line['until']} is past; the correction would never hold")
    return read[0]


def corrections_path(layout: Layout) -> Path:
    """The file of corrections of a layout, or where it will be."""
    named = layout.spec.corrections
    return layout.path.parent / named if named else free_name(layout.path, "corrections.csv")


def add_correction(layout: Layout, line: Mapping[str, str]) -> Path:
    """Add a line to the file of corrections of a layout; returns that.

    A layout that has none gets `corrections.csv` beside it, and names it. Raises CallError if it
    cannot be written, or has no column for something that the line says.
    """
    path = corrections_path(layout)
    head = (",".join(CORRECTION_COLUMNS) + "\n").encode()
    content = read_file(path, "file of corrections") if layout.spec.corrections else head
    columns = next(csv.reader(io.StringIO(decoded(content, path.name))), [])
    lacking = [column for column, value in line.items() if value and column not in columns]
    if lacking:
        raise CallError(f"{path.name} has no column “{lacking[0]}”; add it to its first line")
    write(path, content + csv_lines(content, columns, [line]))
    if layout.spec.corrections is None:
        set_in_layout(layout.path, "corrections", path.name)
    return path
