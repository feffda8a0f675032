"""Loading a layout with its glossaries from files."""

from __future__ import annotations

import csv
import hashlib
from collections.abc import Sequence
from dataclasses import dataclass, field
from pathlib import Path

from boreotabula.layout.glossary import glossary_namings, known_headings
from boreotabula.layout.headings import Naming
from boreotabula.layout.model import LayoutSpec
from boreotabula.layout.parsing import parse_layout
from boreotabula.layout.problems import LayoutError, Problem, layout_error, nearest
from boreotabula.reading.plan import Plan, make_plan


@dataclass(frozen=True)
class Layout:
    """A checked layout with its glossaries, ready to run."""

    path: Path
    spec: LayoutSpec = field(repr=False)
    plan: Plan = field(repr=False)
    digest: str = field(repr=False)
    """SHA-256 of the layout file and its glossaries: another digest may read otherwise."""

    @classmethod
    def load(cls, path: str | Path) -> Layout:
        """Load a layout file.

        Raises LayoutError, which names file and line, for whatever is wrong with it.
        """
        path = Path(path)
        data = _read(path, "layout")
        text = _decoded(data, path.name)
        spec = parse_layout(text, path.name)
        digest = hashlib.sha256(data)
        namings: list[Naming] = []
        for name in spec.glossary:
            glossary = path.parent / name
            if not glossary.is_file():
                problem = Problem(("glossary",), f"no file “{name}” beside the layout")
                raise layout_error(path.name, text, [problem])
            content = _read(glossary, "glossary")
            digest.update(content)
            namings += glossary_namings(_rows(content, name), name)
        names = known_headings(spec, namings)
        return cls(path, spec, make_plan(spec, names), digest.hexdigest())

    @property
    def folders(self) -> dict[str, Path]:
        """The source folders, as they are written in the layout: relative to its file."""
        return {text: self.path.parent / text for text in self.spec.source.folder}


def _read(path: Path, what: str) -> bytes:
    try:
        return path.read_bytes()
    except FileNotFoundError:
        raise LayoutError([(str(path), f"there is no such {what}{_similar(path)}")]) from None
    except IsADirectoryError:
        raise LayoutError([(str(path), f"this is a folder, not a {what}")]) from None
    except OSError as error:
        raise LayoutError([(str(path), f"it cannot be read: {error.strerror}")]) from None


def _similar(path: Path) -> str:
    if not path.parent.is_dir():
        return f"; there is no folder “{path.parent}” either"
    near = nearest(path.name, [one.name for one in path.parent.glob(f"*{path.suffix}")])
    return f"; did you mean “{path.parent / near}”?" if near else ""


def _decoded(data: bytes, name: str) -> str:
    try:
        return data.decode("utf-8-sig")
    except UnicodeDecodeError as error:
        line = data.count(b"\n", 0, error.start) + 1
        raise LayoutError([(f"{name}, line {line}", "save the file as UTF-8 text")]) from None


def _rows(content: bytes, name: str) -> Sequence[Sequence[str]]:
    text = _decoded(content, name)
    header = text.partition("\n")[0]
    delimiter = ";" if ";" in header and "," not in header else ","
    try:
        return list(csv.reader(text.splitlines(keepends=True), delimiter=delimiter, strict=True))
    except csv.Error as error:
        raise LayoutError([(name, f"this is not CSV: {error}")]) from None
