"""Glossaries: lists of headings and the fields they mean, or of values and their other spellings.

They come as rows of text, whatever kind of file holds them.
"""

from __future__ import annotations

from collections.abc import Collection, Iterable, Iterator, Mapping, Sequence
from dataclasses import dataclass

from boreotabula.layout.checking import own_namings, two_meanings
from boreotabula.layout.headings import HeadingNames, Naming, conflicts, heading_names, normal_form
from boreotabula.layout.model import LayoutSpec
from boreotabula.layout.problems import LayoutError, did_you_mean

HEADINGS = ("heading", "field")
SPELLINGS = ("field", "written", "means")
_UNIT = "unit"

NumberedRow = tuple[int, Sequence[str]]
"""A row and its number, counted from 1, as a person finds it in the file."""


@dataclass(frozen=True)
class Spelling:
    """One statement that a text of a field means another, and where it was made."""

    field: str
    written: str
    means: str
    where: str


@dataclass(frozen=True)
class Entries:
    """The entries of a glossary: for headings, for spellings of values, for units after
    headings."""

    namings: tuple[Naming, ...] = ()
    spellings: tuple[Spelling, ...] = ()
    units: tuple[tuple[str, str], ...] = ()
    """A heading, and the unit that may follow it in brackets."""


def glossary_entries(
    rows: Iterable[NumberedRow],
    file: str,
    fields: Collection[str],
    called: tuple[str, str] = HEADINGS,
) -> Entries:
    """The entries of a glossary; its first row holds the column names, other columns are free.

    `called` gives the names of the columns of headings and of fields. A row that begins with “#”
    and names none of the layout's `fields` is a comment. Raises LayoutError if the columns are
    missing, or a row has only some of them filled.
    """
    # Rows of nothing but blanks are what spreadsheet programs leave at the end.
    numbered = [(number, row) for number, row in rows if any(map(str.strip, row))]
    numbered = [one for one in numbered if not _is_comment(one[1], fields)]
    if not numbered:
        raise LayoutError([(file, "the glossary is empty; it needs the columns heading,field")])
    number, header = numbered[0]
    names = [normal_form(name) for name in header]
    own = called != HEADINGS
    # A glossary with a column “written” is one of spellings, unless its columns were named.
    written = SPELLINGS if "written" in names and not own else called
    wanted = tuple(map(normal_form, written))
    for name in written:
        if normal_form(name) not in names:
            message = f"the column “{name}” is missing; a glossary needs {','.join(written)}"
            message += f", this one has {','.join(header)}"
            raise LayoutError([(f"{file}, row {number}", message)])
    places = [names.index(name) for name in wanted]
    filled = list(_filled(numbered[1:], places, wanted, file))
    if wanted == SPELLINGS:
        return Entries(
            spellings=tuple(
                Spelling(texts[0], texts[1], texts[2], where) for where, texts, _ in filled
            )
        )
    unit = names.index(_UNIT) if _UNIT in names else None
    return Entries(
        tuple(Naming(texts[0], texts[1], where) for where, texts, _ in filled),
        units=tuple(
            (texts[0], row[unit].strip())
            for _, texts, row in filled
            if unit is not None and unit < len(row) and row[unit].strip()
        ),
    )


def _is_comment(row: Sequence[str], fields: Collection[str]) -> bool:
    first = next(cell.strip() for cell in row if cell.strip())
    return first.startswith("#") and not any(cell.strip() in fields for cell in row)


def _filled(
    rows: Sequence[NumberedRow], places: Sequence[int], names: Sequence[str], file: str
) -> Iterator[tuple[str, list[str], Sequence[str]]]:
    for number, row in rows:
        texts = [row[column].strip() if column < len(row) else "" for column in places]
        if not any(texts):
            continue
        if not all(texts):
            lacking = names[texts.index("")]
            message = " ".join(text for text in texts if text)
            raise LayoutError(
                [(f"{file}, row {number}", f"“{message}” has no {lacking} in its row")]
            )
        yield f"{file}, row {number}", texts, row


def known_headings(
    spec: LayoutSpec, glossary: Sequence[Naming], units: Iterable[tuple[str, str]] = ()
) -> HeadingNames:
    """All headings that the layout and its glossaries know.

    A heading is also known with a unit in brackets after it, if a glossary gives it that unit, or
    its field has it. Raises LayoutError if a glossary names a field that the layout does not list,
    or if a heading means two fields.
    """
    problems = _unlisted(((naming.field, naming.where) for naming in glossary), spec)
    namings = [naming for naming, _ in own_namings(spec)] + list(glossary)
    problems += [
        (second.where, two_meanings(first, second)) for first, second in conflicts(namings)
    ]
    if problems:
        raise LayoutError(problems)
    behind: dict[str, set[str]] = {}
    for heading, unit in units:
        behind.setdefault(normal_form(heading), set()).add(unit)
    # With units in each kind of bracket, with a space and without, as forms write them.
    with_units = [
        Naming(f"{naming.heading}{open_}{unit}{close}", naming.field, naming.where)
        for naming in namings
        for unit in (*spec.fields[naming.field].unit, *behind.get(normal_form(naming.heading), ()))
        for open_, close in ((" (", ")"), ("(", ")"), (" [", "]"), ("[", "]"))
    ]
    return heading_names([*with_units, *namings])


def said_twice(glossary: Iterable[Naming]) -> Iterator[tuple[Naming, Naming]]:
    """Pairs of glossary entries that say the same: the first, then the redundant one."""
    first: dict[str, Naming] = {}
    for naming in glossary:
        before = first.setdefault(normal_form(naming.heading), naming)
        if before is not naming:
            yield before, naming


def known_spellings(
    spec: LayoutSpec, spellings: Sequence[Spelling]
) -> Mapping[str, Mapping[str, str]]:
    """By field: other spellings in the form that is compared, and what each means.

    Raises LayoutError for fields that are not listed, and for spellings with two meanings.
    """
    problems = _unlisted(((spelling.field, spelling.where) for spelling in spellings), spec)
    known: dict[str, dict[str, str]] = {}
    for one in spellings:
        of_field = known.setdefault(one.field, {})
        for text in (one.means, one.written):
            # Spellings are compared without regard to case and to the number of spaces.
            form = " ".join(text.split()).casefold()
            before = of_field.setdefault(form, one.means)
            if before != one.means:
                problems.append(
                    (
                        one.where,
                        f"“{text}” of “{one.field}” cannot mean both “{before}” and “{one.means}”",
                    )
                )
    if problems:
        raise LayoutError(problems)
    return known


def _unlisted(named: Iterable[tuple[str, str]], spec: LayoutSpec) -> list[tuple[str, str]]:
    return [
        (where, f"no field “{field}” in the layout" + did_you_mean(field, spec.fields))
        for field, where in named
        if field not in spec.fields
    ]
