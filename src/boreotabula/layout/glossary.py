"""Glossaries: lists of headings and the fields they mean, as rows of text."""

from __future__ import annotations

from collections.abc import Iterable, Iterator, Sequence

from boreotabula.layout.checking import own_namings, two_meanings
from boreotabula.layout.headings import HeadingNames, Naming, conflicts, heading_names, normal_form
from boreotabula.layout.model import LayoutSpec
from boreotabula.layout.problems import LayoutError, did_you_mean

COLUMNS = ("heading", "field")


def glossary_namings(rows: Iterable[Sequence[str]], file: str) -> list[Naming]:
    """The namings of a glossary; its first row holds the column names, other columns are free.

    Raises LayoutError if the columns `heading` and `field` are not there, or a row has only one
    of the two filled.
    """
    numbered = [(number, row) for number, row in enumerate(rows, 1) if any(map(str.strip, row))]
    if not numbered:
        raise LayoutError([(file, "the glossary is empty; it needs the columns heading,field")])
    number, header = numbered[0]
    names = [normal_form(name) for name in header]
    missing = [name for name in COLUMNS if name not in names]
    if missing:
        raise LayoutError(
            [
                (
                    f"{file}, row {number}",
                    f"the column “{missing[0]}” is missing; a glossary needs heading,field,"
                    f" this one has {','.join(header)}",
                )
            ]
        )
    places = [names.index(name) for name in COLUMNS]
    return list(_namings(numbered[1:], places, file))


def _namings(
    rows: Sequence[tuple[int, Sequence[str]]], places: Sequence[int], file: str
) -> Iterator[Naming]:
    for number, row in rows:
        heading, field = (row[at].strip() if at < len(row) else "" for at in places)
        if not heading and not field:
            continue
        if not heading or not field:
            lacking = "heading" if field else "field"
            raise LayoutError(
                [(f"{file}, row {number}", f"“{heading or field}” has no {lacking} beside it")]
            )
        yield Naming(heading, field, f"{file}, row {number}")


def known_headings(spec: LayoutSpec, glossary: Sequence[Naming]) -> HeadingNames:
    """All headings that the layout and its glossaries know.

    Raises LayoutError if a glossary names a field that the layout does not list, or if a heading
    is given to two fields.
    """
    problems = [
        (naming.where, f"no field “{naming.field}” in the layout" + _near(naming.field, spec))
        for naming in glossary
        if naming.field not in spec.fields
    ]
    namings = [naming for naming, _ in own_namings(spec)] + list(glossary)
    problems += [
        (second.where, two_meanings(first, second)) for first, second in conflicts(namings)
    ]
    if problems:
        raise LayoutError(problems)
    return heading_names(namings)


def _near(field: str, spec: LayoutSpec) -> str:
    return did_you_mean(field, spec.fields)
