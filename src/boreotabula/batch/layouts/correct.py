"""Adding a correction of a cell to the file of corrections of a layout."""

from __future__ import annotations

import csv
import io
import re
from collections.abc import Mapping, Sequence
from datetime import UTC, datetime
from pathlib import Path

from boreotabula.batch.layouts.beside import csv_lines, free_name, set_in_layout, write
from boreotabula.batch.layouts.decisions import CORRECTION_COLUMNS, Line, correction_of
from boreotabula.batch.layouts.glossaries import decoded, read_file
from boreotabula.batch.layouts.load import Layout
from boreotabula.errors import CallError
from boreotabula.layout.patterns import Pattern
from boreotabula.reading.corrections import Correction


def correction_line(
    file: str, tab: str, files: Sequence[str], tabs: Sequence[str], values: Mapping[str, str]
) -> dict[str, str]:
    """A line of a file of corrections for a cell of a tab of a file, by the other columns.

    `files` are the files of the layout, `tabs` the tabs of the file. Raises CallError if a pattern
    for this file or tab would take another one too: its cell would be corrected unseen.
    """
    line = {"file": _literal(file), "tab": _literal(tab), **values}
    file_pattern, tab_pattern = Line("the correction", line).patterns()
    _check_alone(file, file_pattern, files)
    if tab_pattern is not None:
        _check_alone(tab, tab_pattern, tabs)
    return line


def _literal(name: str) -> str:
    """A pattern that matches a name; a brace, which cannot be written, is any text."""
    return re.sub(r"\{[^{}]*\}|[{}]", "*", name.replace("*", "[*]"))


def _check_alone(name: str, matched: Pattern, names: Sequence[str]) -> None:
    twin = next(
        (other for other in names if other != name and matched.match(other) is not None), None
    )
    if twin is not None:
        raise CallError(
            f"a correction of “{name}” would be one of “{twin}” too: their names cannot be told"
            " apart. Rename one of them"
        )
    if matched.match(name) is None or matched.text == "*":
        raise CallError(f"a correction cannot name “{name}”. Rename it")


def as_correction(line: Mapping[str, str]) -> Correction:
    """A line as it will be read. Raises CallError for one that says too little, or no day that is
    to come."""
    for column, option in (("is", "--to"), ("why", "--why"), ("who", "--who")):
        if not line[column]:
            raise CallError(f"{option} is blank; a correction needs it")
    until = Line("--until", dict(line)).until()
    if until is not None and until < datetime.now(UTC).date():
        raise CallError(f"--until: {until} is past; the correction would never hold")
    return correction_of(Line("the correction", dict(line)))


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
