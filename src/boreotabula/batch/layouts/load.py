"""Loading a layout with its glossaries from files."""

from __future__ import annotations

import hashlib
from collections.abc import Iterator, Sequence
from dataclasses import dataclass, field, replace
from datetime import UTC, date, datetime
from pathlib import Path

from boreotabula.batch.layouts.accepted import Acceptance, acceptances
from boreotabula.batch.layouts.checked import checked_before
from boreotabula.batch.layouts.decisions import corrections
from boreotabula.batch.layouts.glossaries import (
    decoded_text,
    glossary_file,
    glossary_rows,
    is_text,
    list_entries,
    read_layout_file,
)
from boreotabula.batch.remote.address import is_remote, mirror_of
from boreotabula.errors import CallError
from boreotabula.files import content_of
from boreotabula.findings.finding import Finding
from boreotabula.findings.subjects.headings import GLOSSARY_ENTRY_TWICE
from boreotabula.findings.subjects.values import CORRECTION_PAST
from boreotabula.layout.glossary import (
    Entries,
    glossary_entries,
    known_headings,
    known_spellings,
    said_twice,
)
from boreotabula.layout.headings import Naming
from boreotabula.layout.model import GlossaryFile, LayoutSpec
from boreotabula.layout.parsing import parse_layout
from boreotabula.layout.problems import Problem, layout_error, nearest
from boreotabula.reading.corrections import Correction
from boreotabula.reading.make_plan import make_plan
from boreotabula.reading.plan import Plan
from boreotabula.sheets.kinds import FileKind
from boreotabula.texts import shell_word


@dataclass(frozen=True)
class Layout:
    """A checked layout with its glossaries, ready to run."""

    path: Path
    spec: LayoutSpec = field(repr=False)
    plan: Plan = field(repr=False)
    digest: str = field(repr=False)
    """SHA-256 of the layout file and everything it includes: another digest may read differently.
    """
    glossaries: tuple[Path, ...] = field(default=(), repr=False)
    lists: tuple[Path, ...] = field(default=(), repr=False)
    """Files that hold lists of the layout."""
    parts: tuple[str, ...] = field(default=(), repr=False)
    """The tab or table of each glossary, where its name has one; else an empty text."""
    findings: tuple[Finding, ...] = field(default=(), repr=False)
    """Findings about the glossaries."""
    accepted: tuple[Acceptance, ...] = field(default=(), repr=False)
    """The findings that somebody has accepted. They change no record, so they are not part of the
    digest."""

    @classmethod
    def load(
        cls, path: str | Path, changed: str | None = None, today: date | None = None
    ) -> Layout:
        """Load a layout file, or with `changed` text, as of `today`.

        Raises LayoutError, which names file and line, for anything wrong with it.
        """
        path = Path(path)
        if changed is None:
            _check_kind(path)
        data = read_layout_file(path, "layout") if changed is None else changed.encode()
        text = decoded_text(data, path.name)
        lists = _Lists(path.parent)
        # A layout with changes is tried once and never again, so keeping it would only fill the
        # folder.
        kept = checked_before if changed is None else None
        spec = parse_layout(text, path.name, lists.read, kept)
        digest = hashlib.sha256(data)
        # Lists that stand in files change readings, too, without a change of the layout.
        for content in lists.contents.values():
            digest.update(content)
        read = [_read_glossary(named, spec, path, text) for named in spec.glossary]
        for glossary in read:
            digest.update(glossary.content)
        entries = [glossary.entries for glossary in read]
        namings = [naming for entry in entries for naming in entry.namings]
        names = known_headings(spec, namings, [unit for entry in entries for unit in entry.units])
        spellings = known_spellings(spec, [means for entry in entries for means in entry.spellings])
        accepted, files = _accepted(spec, path.parent)
        corrected, past, more_files = _corrections(
            spec, path.parent, today or datetime.now(UTC).date()
        )
        # What changes records belongs to the digest; nobody's reading changes by the others.
        for correction in corrected:
            digest.update(repr(correction).encode())
        return cls(
            path=path,
            spec=spec,
            plan=replace(make_plan(spec, names, spellings), corrections=tuple(corrected)),
            digest=digest.hexdigest(),
            glossaries=tuple(glossary.path for glossary in read),
            lists=(*lists.contents, *files, *more_files),
            parts=tuple(glossary.part for glossary in read),
            findings=(*(CORRECTION_PAST(where=where) for where in past), *_entries_twice(namings)),
            accepted=accepted,
        )

    @property
    def folders(self) -> dict[str, Path]:
        """The source folders, as written in the layout: relative to its file; for one on a server
        the folder that its files are fetched into."""
        return {
            text: mirror_of(text) if is_remote(text) else self.path.parent / text
            for text in self.spec.source.folder
        }


@dataclass(frozen=True)
class _Glossary:
    """A glossary that was read."""

    path: Path
    part: str
    """Its tab or table, where its name has one."""
    content: bytes
    """Its content for the digest of the layout."""
    entries: Entries


def _read_glossary(named: GlossaryFile, spec: LayoutSpec, layout: Path, text: str) -> _Glossary:
    """A glossary that a layout names. Raises LayoutError if it is missing or invalid; `text` is
    that of the layout."""
    path, part = glossary_file(named.file, layout.parent)
    if not path.is_file():
        problem = Problem(("glossary",), f"no file “{named.file}” beside the layout")
        raise layout_error(layout.name, text, [problem])
    content = read_layout_file(path, "glossary")
    rows = glossary_rows(path, part, named.file, content)
    entries = glossary_entries(rows, named.file, spec.fields, (named.heading, named.field))
    # Only the rows that were read count: an output may be written into another tab of the same
    # workbook.
    return _Glossary(path, part, content if is_text(path) else repr(rows).encode(), entries)


def _entries_twice(namings: Sequence[Naming]) -> Iterator[Finding]:
    """Findings about entries that glossaries repeat."""
    for first, second in said_twice(namings):
        yield GLOSSARY_ENTRY_TWICE(
            file=second.where.rpartition(", row ")[0],
            heading=second.heading,
            meant=second.field,
            first=first.where,
            second=second.where,
        )


def _accepted(spec: LayoutSpec, beside: Path) -> tuple[tuple[Acceptance, ...], tuple[Path, ...]]:
    """The accepted findings, and their file; neither if there is none. Raises CallError for an
    invalid line."""
    if spec.accepted is None:
        return (), ()
    path = beside / spec.accepted
    return acceptances(
        decoded_text(read_layout_file(path, "file of acceptances"), path.name), path.name
    ), (path,)


def _corrections(
    spec: LayoutSpec, beside: Path, today: date
) -> tuple[list[Correction], list[str], tuple[Path, ...]]:
    """The corrections of cells that hold today, the lines whose last day is past, and the file."""
    if spec.corrections is None:
        return [], [], ()
    path = beside / spec.corrections
    text = decoded_text(read_layout_file(path, "file of corrections"), path.name)
    return *corrections(text, path.name, today), (path,)


class _Lists:
    """Reads lists from separate files, and keeps what was read."""

    def __init__(self, beside: Path) -> None:
        self._beside = beside
        self.contents: dict[Path, bytes] = {}

    def read(self, name: str) -> list[str]:
        """The entries of a list. Raises LookupError."""
        path = self._beside / name
        try:
            self.contents[path] = content_of(path)
        except OSError as error:
            raise LookupError(f"the list “{name}” cannot be read: {error.strerror}") from None
        return list_entries(self.contents[path], name)


def _check_kind(path: Path) -> None:
    """Raises CallError, which suggests the intended command, for a folder of files or a workbook
    instead of a layout, or for a layout under a slightly different name."""
    # Quoted as a shell needs it, since the command that is shown will be copied.
    named = shell_word(str(path))
    if path.is_dir():
        raise CallError(
            f"“{path}” is a folder, not a layout; write a layout for its files with"
            f" boreotabula draft {named} -o {shell_word(f'{path.resolve().name}.toml')}"
        )
    if path.suffix.lower() in _REPORTS:
        raise CallError(
            f"“{path}” is not a layout (.toml); boreotabula show {named} draws it, and"
            f" boreotabula draft {named} -o NAME.toml writes a layout for it"
        )
    if not path.exists() and path.parent.is_dir():
        near = nearest(path.stem, [file.stem for file in path.parent.glob("*.toml")])
        message = f"; did you mean “{path.with_name(f'{near}.toml')}”?" if near else ""
        raise CallError(f"there is no layout “{path}”{message}")


_REPORTS = frozenset(ending for kind in FileKind for ending in kind.endings) - {".txt"}
"""Files that are reports; a layout may have been saved as a text file."""
