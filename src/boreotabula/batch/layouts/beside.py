"""Adding to the files beside a layout, and naming them in it; existing content is unchanged."""

from __future__ import annotations

import csv
import io
from collections.abc import Mapping, Sequence
from pathlib import Path

from boreotabula.batch.atomic import atomic_write


def csv_lines(
    content: bytes,
    columns: Sequence[str],
    lines: Sequence[Mapping[str, str]],
    dialect: type[csv.Dialect] = csv.excel,
) -> bytes:
    """The lines to add to a CSV file with these columns, with its own line ends.

    Missing columns are blank; `content` may lack its last line end.
    """
    # Mixed ends of lines would make some programs show one long line.
    ending = "\r\n" if b"\r\n" in content else "\n"
    text = io.StringIO()
    if content and not content.endswith(b"\n"):
        text.write(ending)
    writer = csv.writer(text, dialect, lineterminator=ending)
    for line in lines:
        writer.writerow([line.get(column, "") for column in columns])
    return text.getvalue().encode()


def free_path(layout: Path, name: str) -> Path:
    """An unused path beside a layout: the name, or one that begins with the layout's."""
    usual = layout.with_name(name)
    # Never written over: the file of that name is somebody's.
    return usual if not usual.exists() else layout.with_name(f"{layout.stem}-{name}")


def set_in_layout(layout: Path, key: str, value: str | Sequence[str]) -> None:
    """Set a key of a layout file, without changing its comments and form. Raises CallError if it
    cannot be written."""
    import tomlkit  # only needed to change a layout

    # tomlkit keeps comments, order and spaces, which tomllib drops.
    document = tomlkit.parse(layout.read_text("utf-8"))
    document[key] = value
    write(layout, tomlkit.dumps(document).encode())


def write(path: Path, content: bytes) -> None:
    """Write a file whole or not at all."""
    with atomic_write(path) as stream:
        stream.write(content)
