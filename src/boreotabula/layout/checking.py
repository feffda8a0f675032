"""Whether the parts of a layout fit together: fields that are named but not listed, fields that get
their value from two sources, headings that mean two fields, patterns that cannot be parsed."""

from __future__ import annotations

import re
from collections.abc import Callable, Iterator, Mapping
from dataclasses import dataclass
from itertools import groupby

from boreotabula.layout.block_checks import NO_FIELD, block_misfits, stamp_misfits
from boreotabula.layout.field_checks import value_problems
from boreotabula.layout.field_types import type_called
from boreotabula.layout.headings import Naming, conflicts
from boreotabula.layout.model import PROVENANCE, Block, LayoutSpec, Stamp, Stamps
from boreotabula.layout.patterns import Pattern
from boreotabula.layout.problems import KeyPath, Problem, did_you_mean
from boreotabula.layout.tabs import Tabs


@dataclass(frozen=True)
class Use:
    """A place of the layout that says where the values of a field come from."""

    field: str
    path: KeyPath
    what: str


@dataclass(frozen=True)
class FormSpec:
    """One way to read a tab: the layout itself, or one of its editions."""

    stamps: Mapping[str, tuple[KeyPath, tuple[Stamp, ...]]]
    """By field, the sources of its stamp, of which the first that is present is used."""
    blocks: tuple[tuple[KeyPath, Block], ...]


def check(spec: LayoutSpec) -> list[Problem]:
    """Every problem of a layout that has the right shape; empty if it can be used."""
    # A problem may be found by two checks, and by two editions that share a block.
    return list(dict.fromkeys(problem for step in _CHECKS for problem in step(spec)))


def forms_of(spec: LayoutSpec) -> list[FormSpec]:
    """The forms of a layout: itself, or each edition, which inherits what it does not set."""
    stamps = _with_paths(spec.stamps, ("stamps",))
    blocks = tuple((("block", index), block) for index, block in enumerate(spec.block))
    if not spec.edition:
        return [FormSpec(stamps, blocks)]
    return [
        FormSpec(
            # An edition takes over the blocks of the layout unless it has some of its own.
            stamps | _with_paths(edition.stamps, ("edition", n, "stamps")),
            tuple(
                (("edition", n, "block", index), block) for index, block in enumerate(edition.block)
            )
            or blocks,
        )
        for n, edition in enumerate(spec.edition)
    ]


def _with_paths(stamps: Stamps, path: KeyPath) -> dict[str, tuple[KeyPath, tuple[Stamp, ...]]]:
    return {field: ((*path, field), sources) for field, sources in stamps.items()}


def _sources(spec: LayoutSpec) -> Iterator[tuple[KeyPath, Stamp]]:
    """Every source of every stamp, including those of single blocks."""
    for form in forms_of(spec):
        own = [_with_paths(block.stamps, (*path, "stamps")) for path, block in form.blocks]
        for stamps in (form.stamps, *own):
            for path, sources in stamps.values():
                several = len(sources) > 1
                for index, source in enumerate(sources):
                    yield (*path, index) if several else path, source


_PASSWORD = re.compile(r"[a-z][a-z0-9+.-]+://[^/@]*:[^/@]*@", re.IGNORECASE)


def _passwords(spec: LayoutSpec) -> Iterator[Problem]:
    """Layouts are shared, and so no password may stand in one."""
    if any(_PASSWORD.match(text) for text in spec.source.folder):
        yield Problem(
            ("source", "folder"),
            "there is a password in the address; a password in a layout would be passed on with it:"
            " take it out, and put it into BOREOTABULA_PASSWORD or the netrc file",
        )


def own_namings(spec: LayoutSpec) -> Iterator[tuple[Naming, KeyPath]]:
    """What the layout itself says about headings: each field's own name, then its `also`."""
    # The names of the fields come first, so that a conflict is told at the `also` that causes it.
    for field in spec.fields:
        yield Naming(field, field, f"the name of the field “{field}”"), ("fields", field)
    for field, described in spec.fields.items():
        for heading in described.also:
            yield Naming(heading, field, f"also of “{field}”"), ("fields", field, "also")


def shared_uses(spec: LayoutSpec, form: FormSpec) -> Iterator[Use]:
    """What fills fields on all records of a tab: captures from names, and stamps."""
    yield from _capture_uses(("source", "include"), spec.source.include)
    if spec.tabs is not None:
        yield from _capture_uses(("tabs", "named"), spec.tabs.named)
    for field, (path, _) in form.stamps.items():
        yield Use(field, path, f"stamp “{field}”")
    for field, described in spec.fields.items():
        if described.holds:
            yield Use(field, ("fields", field, "holds"), f"the {described.holds} of its record")
        if described.part and described.of:
            what = f"“part” of its own, from “{described.of}”"
            yield Use(field, ("fields", field, "part"), what)


def block_uses(block: Block, path: KeyPath) -> Iterator[Use]:
    """What fills fields in the records of one block."""
    if block.tabs is not None:
        yield from _capture_uses((*path, "tabs", "named"), block.tabs.named)
    yield from _capture_uses((*path, "caption"), block.caption)
    for field in block.stamps:
        yield Use(field, (*path, "stamps", field), f"stamp “{field}” of [block]")
    for group in block.group_row:
        if group.field not in NO_FIELD:
            yield Use(group.field, (*path, "group_row"), "group_row of [block]")
    if block.parts is not None:
        yield Use(block.parts.field, (*path, "parts"), "parts of [block]")
    # A level whose headings are cut over two rows is named twice in turn.
    levels = tuple(field for field, _ in groupby(block.across))
    columns = tuple(field for field in block.columns if field not in block.stub)
    named = {"stub": block.stub, "across": levels, "value": block.value, "columns": columns}
    for key, fields in named.items():
        for field in fields:
            if field not in NO_FIELD:
                yield Use(field, (*path, key), f"{key} of [block]")


def _capture_uses(path: KeyPath, patterns: tuple[Pattern, ...]) -> Iterator[Use]:
    for pattern in patterns:
        for field in pattern.captures:
            yield Use(field, path, f"{{{field}}} in {path[-1]}")


def _tables_alike(spec: LayoutSpec) -> Iterator[Problem]:
    """Names of output tables that some file systems cannot tell apart."""
    names: dict[str, str] = {}
    for form in forms_of(spec):
        for path, block in form.blocks:
            if block.into is None:
                continue
            first = names.setdefault(block.into.casefold(), block.into)
            if first != block.into:
                yield Problem(
                    (*path, "into"),
                    f"“{block.into}” and “{first}” differ in letter case alone;"
                    " write both the same",
                )


def _all_uses(spec: LayoutSpec) -> Iterator[Use]:
    for form in forms_of(spec):
        yield from shared_uses(spec, form)
        for path, block in form.blocks:
            yield from block_uses(block, path)


def _unlisted_fields(spec: LayoutSpec) -> Iterator[Problem]:
    for use in _all_uses(spec):
        if use.field not in spec.fields:
            near = did_you_mean(use.field, spec.fields)
            yield Problem(use.path, f"{use.what}: no field “{use.field}” in [fields]{near}")


def _filled_twice(spec: LayoutSpec) -> Iterator[Problem]:
    for form in forms_of(spec):
        shared = list(shared_uses(spec, form))
        yield from _twice(shared)
        for path, block in form.blocks:
            yield from _twice([*shared, *block_uses(block, path)])


def _twice(uses: list[Use]) -> Iterator[Problem]:
    first: dict[str, Use] = {}
    for use in uses:
        before = first.setdefault(use.field, use)
        if before is not use and not _alternatives(before, use):
            yield Problem(
                use.path,
                f"the field “{use.field}” is filled twice: by {before.what} and by {use.what};"
                " keep one of them",
            )


def _alternatives(use: Use, other_use: Use) -> bool:
    """Two patterns of one list may capture the same field: only one of them matches a name."""
    return use.path == other_use.path and use.path[-1] in ("include", "named", "caption")


def _block_problems(spec: LayoutSpec) -> Iterator[Problem]:
    for form in forms_of(spec):
        for path, block in form.blocks:
            for key, message in block_misfits(block):
                yield Problem((*path, key), message)
    if not any(form.blocks or form.stamps for form in forms_of(spec)):
        yield Problem((), "the layout does not tell what to read on a tab: add [block] or [stamps]")


def _stamp_problems(spec: LayoutSpec) -> Iterator[Problem]:
    for path, stamp in _sources(spec):
        field = next(str(value) for value in reversed(path) if isinstance(value, str))
        for message in stamp_misfits(stamp):
            yield Problem(path, f"stamp “{field}”: {message}")
    for form in forms_of(spec):
        for path, sources in form.stamps.values():
            if not spec.version and any(source.from_ == "layout version" for source in sources):
                message = 'there is no version: write one at the top, as in version = "2"'
                yield Problem(path, f"stamp “{path[-1]}”: {message}")
            # An empty list would be a stamp that is silently never filled.
            if not sources:
                yield Problem(path, f"stamp “{path[-1]}” has an empty list of sources")
        # Without a table there is no heading over its stub.
        for path, sources in form.stamps.values() if not form.blocks else ():
            for source in sources:
                if source.from_ in _OF_TABLE:
                    table = _OF_TABLE[source.from_]
                    message = f"“{source.from_}” is the text over {table}: add a [block]"
                    yield Problem(path, f"stamp “{path[-1]}”: {message}")


_OF_TABLE = {"stub head": "the stub of a table", "table title": "a table"}


def _tab_problems(spec: LayoutSpec) -> Iterator[Problem]:
    chosen: list[tuple[KeyPath, Tabs | None]] = [(("tabs",), spec.tabs)]
    chosen += [
        ((*path, "tabs"), block.tabs) for form in forms_of(spec) for path, block in form.blocks
    ]
    for path, tabs in chosen:
        if tabs is None:
            continue
        ways = [key for key in ("named", "position", "every", "where_found") if getattr(tabs, key)]
        if len(ways) > 1:
            yield Problem(path, f"[tabs] chooses by {' and by '.join(ways)}; keep one of them")
        if tabs.where_found and not any(form.blocks for form in forms_of(spec)):
            message = (
                "“where_found” in [tabs] looks for the tables of blocks, but there is no [block]"
            )
            yield Problem((*path, "where_found"), message)
    for form in forms_of(spec):
        for path, block in form.blocks:
            chosen_by = block.tabs or spec.tabs
            if chosen_by and chosen_by.where_found and (block.at or block.headings == 0):
                message = "“where_found” needs a [block] that is found by texts, not by its place"
                yield Problem(path, message)


def _when_problems(spec: LayoutSpec) -> Iterator[Problem]:
    for number, edition in enumerate(spec.edition):
        when = edition.when
        by_cell = when.cell is not None and bool(when.is_)
        if by_cell == bool(when.heading) or bool(when.cell) != bool(when.is_):
            message = "“when” of an edition is { cell = …, is = … } or { heading = … }"
            yield Problem(("edition", number, "when"), message)


def _wrong_text(spec: LayoutSpec) -> Iterator[Problem]:
    if spec.text.columns is not None and spec.text.delimiter is not None:
        yield Problem(
            ("text", "columns"), "[text] parts lines by delimiter or by columns, not both"
        )


def _wrong_names(spec: LayoutSpec) -> Iterator[Problem]:
    for field in spec.fields:
        if not field.strip():
            yield Problem(("fields", field), "a field needs a name")
        elif field in PROVENANCE:
            yield Problem(
                ("fields", field), f"“{field}” is written for every record; choose another"
            )
    if not spec.fields:
        yield Problem(("fields",), "[fields] lists no field; name every column of the output there")


def _wrong_rows(spec: LayoutSpec) -> Iterator[Problem]:
    """Rules about rows that name fields which do not exist, or are no numbers."""
    for form in forms_of(spec):
        for path, block in form.blocks:
            named = [*([block.largest.by] if block.largest else [])]
            named += block.control.sums if block.control else ()
            key = "largest" if block.largest else "control"
            for field in named:
                described = spec.fields.get(field)
                if described is None:
                    near = did_you_mean(field, spec.fields)
                    yield Problem((*path, key), f"{key}: no field “{field}” in [fields]{near}")
                elif not type_called(described.type).is_number:
                    message = f"{key} goes by numbers, and “{field}” is {described.type}"
                    yield Problem((*path, key), message)
            part = spec.fields.get(block.parts.field) if block.parts else None
            if part is not None and part.type not in ("integer", "text"):
                message = "“parts” numbers the parts of a table: make its field an integer"
                yield Problem((*path, "parts"), message)


def _wrong_key(spec: LayoutSpec) -> Iterator[Problem]:
    for field in spec.key:
        if field not in spec.fields:
            near = did_you_mean(field, spec.fields)
            yield Problem(("key",), f"“key”: no field “{field}” in [fields]{near}")


def _two_meanings(spec: LayoutSpec) -> Iterator[Problem]:
    paths: Mapping[Naming, KeyPath] = dict(own_namings(spec))
    for first, second in conflicts(paths):
        yield Problem(paths[second], two_meanings(first, second))


def _wrong_also(spec: LayoutSpec) -> Iterator[Problem]:
    """Problems of headings that mean a field in one block only."""
    # Only within a block: another block may give the same heading another meaning.
    for form in forms_of(spec):
        for path, block in form.blocks:
            for field in block.also:
                if field not in spec.fields:
                    near = did_you_mean(field, spec.fields)
                    message = f"also of [block]: no field “{field}” in [fields]{near}"
                    yield Problem((*path, "also", field), message)
            for first, second in conflicts(block_namings(block)):
                yield Problem((*path, "also", second.field), two_meanings(first, second))


def block_namings(block: Block) -> list[Naming]:
    """What a block says about headings that mean a field only there."""
    return [
        Naming(heading, field, f"also of “{field}” in [block]")
        for field, headings in block.also.items()
        for heading in headings
    ]


def two_meanings(first: Naming, second: Naming) -> str:
    """The message for a heading given to two fields."""
    return (
        f"the heading “{second.heading}” cannot mean both “{first.field}” ({first.where})"
        f" and “{second.field}” ({second.where}); keep one of them"
    )


_CHECKS: tuple[Callable[[LayoutSpec], Iterator[Problem]], ...] = (
    _passwords,
    _tables_alike,
    _wrong_names,
    _wrong_text,
    _stamp_problems,
    _block_problems,
    _tab_problems,
    _when_problems,
    _unlisted_fields,
    _filled_twice,
    _two_meanings,
    _wrong_also,
    _wrong_rows,
    _wrong_key,
    value_problems,
)
