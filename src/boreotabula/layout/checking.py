"""Whether the parts of a layout fit together: fields that are named but not listed, fields that
get their value from two places, headings that mean two fields, patterns that cannot be read."""

from __future__ import annotations

import re
from collections.abc import Callable, Iterator, Mapping
from dataclasses import dataclass
from itertools import groupby

from boreotabula.layout.addresses import parse_address
from boreotabula.layout.field_checks import value_problems
from boreotabula.layout.field_types import type_called
from boreotabula.layout.headings import Naming, conflicts
from boreotabula.layout.model import PROVENANCE, Block, LayoutSpec, Stamp, Stamps, Tabs
from boreotabula.layout.patterns import Kind, PatternError, pattern
from boreotabula.layout.problems import KeyPath, Problem, did_you_mean

NO_FIELD = ("", "-")
"""What stands in `columns` and `across` for a column or a heading level that is passed over."""
PASSED_OVER = "-"


@dataclass(frozen=True)
class Use:
    """A place of the layout that says where the values of a field come from."""

    field: str
    path: KeyPath
    what: str


@dataclass(frozen=True)
class Form:
    """One way to read a tab: the layout itself, or one of its editions."""

    stamps: Mapping[str, tuple[KeyPath, tuple[Stamp, ...]]]
    """By field the sources of its stamp, of which the first that is there is taken."""
    blocks: tuple[tuple[KeyPath, Block], ...]


def check(spec: LayoutSpec) -> list[Problem]:
    """Every problem of a layout that has the right shape; empty if it can be used."""
    return list(dict.fromkeys(problem for step in _CHECKS for problem in step(spec)))


def forms(spec: LayoutSpec) -> list[Form]:
    """The forms of a layout: itself, or each edition, which takes over what it does not say."""
    stamps = _with_paths(spec.stamps, ("stamps",))
    blocks = tuple((("block", index), block) for index, block in enumerate(spec.block))
    if not spec.edition:
        return [Form(stamps, blocks)]
    return [
        Form(
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
    """Every source of every stamp, those of single blocks too."""
    for form in forms(spec):
        own = [_with_paths(block.stamps, (*path, "stamps")) for path, block in form.blocks]
        for stamps in (form.stamps, *own):
            for path, sources in stamps.values():
                several = len(sources) > 1
                for index, source in enumerate(sources):
                    yield (*path, index) if several else path, source


_PASSWORD = re.compile(r"[a-z][a-z0-9+.-]+://[^/@]*:[^/@]*@", re.IGNORECASE)


def _passwords(spec: LayoutSpec) -> Iterator[Problem]:
    """Layouts are passed on, and so no password may stand in one."""
    if any(_PASSWORD.match(text) for text in spec.source.folder):
        yield Problem(
            ("source", "folder"),
            "there is a password in the address; a password in a layout would be passed on with it:"
            " take it out, and put it into BOREOTABULA_PASSWORD or the netrc file",
        )


def own_namings(spec: LayoutSpec) -> Iterator[tuple[Naming, KeyPath]]:
    """What the layout itself says of headings: each field's own name, then its `also`."""
    for field in spec.fields:
        yield Naming(field, field, f"the name of the field “{field}”"), ("fields", field)
    for field, described in spec.fields.items():
        for heading in described.also:
            yield Naming(heading, field, f"also of “{field}”"), ("fields", field, "also")


def shared_uses(spec: LayoutSpec, form: Form) -> Iterator[Use]:
    """What fills fields on all records of a tab: captures from names, and stamps."""
    lists = [*_file_patterns(spec), *_tab_patterns(spec.tabs, ("tabs",))]
    for path, kind, texts in lists:
        yield from _capture_uses(path, kind, texts)
    for field, (path, _) in form.stamps.items():
        yield Use(field, path, f"stamp “{field}”")
    for field, described in spec.fields.items():
        if described.part and described.of:
            what = f"“part” of its own, from “{described.of}”"
            yield Use(field, ("fields", field, "part"), what)


def block_uses(block: Block, path: KeyPath) -> Iterator[Use]:
    """What fills fields in the records of one block."""
    for where, kind, texts in _tab_patterns(block.tabs, (*path, "tabs")):
        yield from _capture_uses(where, kind, texts)
    yield from _capture_uses((*path, "caption"), Kind.CAPTION, block.caption)
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


def _capture_uses(path: KeyPath, kind: Kind, texts: tuple[str, ...]) -> Iterator[Use]:
    for text in texts:
        try:
            captures = pattern(text, kind).captures
        except PatternError:
            continue  # told by _wrong_patterns
        for field in captures:
            yield Use(field, path, f"{{{field}}} in {path[-1]}")


PatternList = tuple[KeyPath, Kind, tuple[str, ...]]


def _file_patterns(spec: LayoutSpec) -> Iterator[PatternList]:
    yield ("source", "include"), Kind.FILE, spec.source.include
    yield ("source", "exclude"), Kind.FILE, spec.source.exclude


def _tab_patterns(tabs: Tabs | None, path: KeyPath) -> Iterator[PatternList]:
    if tabs is not None:
        yield (*path, "named"), Kind.TAB, tabs.named
        yield (*path, "except"), Kind.TAB, tabs.except_


def _all_patterns(spec: LayoutSpec) -> Iterator[PatternList]:
    yield ("boilerplate",), Kind.CELL, spec.boilerplate
    yield from _file_patterns(spec)
    yield from _tab_patterns(spec.tabs, ("tabs",))
    for path, stamp in _sources(spec):
        yield (*path, "tab"), Kind.TAB, stamp.tab
        for key in ("right_of", "below", "labelled"):
            yield (*path, key), Kind.CELL, getattr(stamp, key)
        if stamp.pattern is not None:
            yield (*path, "pattern"), Kind.STAMP, (stamp.pattern,)
    for form in forms(spec):
        for path, block in form.blocks:
            yield from _tab_patterns(block.tabs, (*path, "tabs"))
            yield (*path, "named_table"), Kind.TAB, block.named_table
            yield (*path, "caption"), Kind.CAPTION, block.caption
            # A column without a heading has nothing that a pattern could be held against.
            yield (*path, "ignore"), Kind.CELL, tuple(text for text in block.ignore if text)
            # A row of sums without a label has none either.
            yield (*path, "totals"), Kind.CELL, tuple(total for total in block.totals if total)
            for key in ("found_by", "not_totals", "skip", "only_rows", "ends_at"):
                yield (*path, key), Kind.CELL, getattr(block, key)
            if block.parts is not None:
                yield (*path, "parts"), Kind.CELL, block.parts.at
            if block.control is not None:
                yield (*path, "control"), Kind.CELL, block.control.line
            for group in block.group_row:
                yield (*path, "group_row"), Kind.CELL, group.named
    for field, described in spec.fields.items():
        yield ("fields", field, "pattern"), Kind.STAMP, described.pattern
    for number, edition in enumerate(spec.edition):
        yield ("edition", number, "when", "is"), Kind.CELL, edition.when.is_
        yield ("edition", number, "when", "heading"), Kind.CELL, edition.when.heading


_TABLE_NAME = re.compile(r"\w(?:[\w .\-]{0,98}\w)?")
_RESERVED = re.compile(r"(?:con|prn|aux|nul|com\d|lpt\d)(?:\..*)?", re.IGNORECASE)


def _wrong_tables(spec: LayoutSpec) -> Iterator[Problem]:
    """Names of output tables that no file, tab and table of a database can have."""
    texts: dict[str, str] = {}
    for form in forms(spec):
        for path, block in form.blocks:
            name = block.into
            if name is None:
                continue
            if not _TABLE_NAME.fullmatch(name) or _RESERVED.fullmatch(name):
                message = (
                    f"“{name}” cannot name a table: use letters, digits, “_”, “-”, “.” and spaces"
                )
                yield Problem((*path, "into"), f"{message}, at most 100")
            other_text = texts.setdefault(name.casefold(), name)
            if other_text != name:
                message = (
                    f"“{name}” and “{other_text}” differ in letter case alone; write both the same"
                )
                yield Problem((*path, "into"), message)


def _wrong_patterns(spec: LayoutSpec) -> Iterator[Problem]:
    for path, kind, texts in _all_patterns(spec):
        for text in texts:
            try:
                captured = pattern(text, kind).captures
            except PatternError as error:
                yield Problem(path, str(error))
            else:
                if captured and path[-1] in ("exclude", "except", "named_table", "tab"):
                    yield Problem(path, f"“{text}”: what is matched here cannot fill a field")


def _all_uses(spec: LayoutSpec) -> Iterator[Use]:
    for form in forms(spec):
        yield from shared_uses(spec, form)
        for path, block in form.blocks:
            yield from block_uses(block, path)


def _unlisted_fields(spec: LayoutSpec) -> Iterator[Problem]:
    for use in _all_uses(spec):
        if use.field not in spec.fields:
            near = did_you_mean(use.field, spec.fields)
            yield Problem(use.path, f"{use.what}: no field “{use.field}” in [fields]{near}")


def _filled_twice(spec: LayoutSpec) -> Iterator[Problem]:
    for form in forms(spec):
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
    for form in forms(spec):
        for path, block in form.blocks:
            for key, message in _misfits(block):
                yield Problem((*path, key), message)
    if not any(form.blocks or form.stamps for form in forms(spec)):
        yield Problem((), "the layout does not tell what to read on a tab: add [block] or [stamps]")


def _misfits(block: Block) -> Iterator[tuple[str, str]]:
    """Keys of a block that do not go together, and why."""
    if bool(block.across) != bool(block.value):
        has, lacks = ("across", "value") if block.across else ("value", "across")
        yield has, f"“{has}” in [block] needs “{lacks}” beside it"
    if block.headings == 0 and not block.columns:
        yield "headings", "“headings = 0” in [block] needs “columns”, the fields in their order"
    if block.headings == 0 and block.across:
        yield "headings", "a cross-tab is made of its headings: take out “headings = 0”"
    if block.columns and block.across and block.stub:
        yield (
            "columns",
            "beside “across” the leading columns are named by “stub”, if they have headings, or by"
            " “columns”, in their order; keep one of them",
        )
    if block.across and block.heading_rows != 1:
        yield (
            "heading_rows",
            "a cross-tab has a heading row for each field of “across”; a row that is passed over is"
            " “-” there, and a heading cut over two rows is named twice",
        )
    yield from _misplaced(block)
    if block.every_row and block.across:
        yield "every_row", "“every_row” in [block] is for lists; take it out, or “across”"
    if block.unknown_headings == "leave out" and block.across:
        yield (
            "unknown_headings",
            "in a cross-tab every heading is a value of “across”; “leave out” is for lists",
        )
    for key in ("across", "value", "stub"):
        for field in getattr(block, key):
            if field in NO_FIELD and not (key == "across" and field == PASSED_OVER):
                yield key, f"“{key}” in [block] names “{field}”, which is not a field"
    if block.across and all(text in NO_FIELD for text in block.across):
        yield "across", "“across” in [block] passes over every level; name a field of one"
    if block.columns and all(column in NO_FIELD for column in block.columns):
        yield "columns", "“columns” in [block] passes over every column; name a field of one"
    limits = [key for key in ("first_rows", "last_rows", "largest") if getattr(block, key)]
    if len(limits) > 1:
        yield limits[-1], f"[block] limits its rows by {' and by '.join(limits)}; keep one of them"
    if block.control is not None and not (block.control.count or block.control.sums):
        yield "control", "“control” in [block] needs “count” or “sums”, to say what is compared"
    yield from _misfit_groups(block)
    named = [text for text in (*block.stub, *block.columns) if text not in NO_FIELD]
    for field in block.carry_down:
        # In a list without a stub every field may have a column of its own.
        if field not in named and (named or block.across):
            near = did_you_mean(field, named)
            yield "carry_down", f"“{field}” is not a stub column{near}"


def _misplaced(block: Block) -> Iterator[tuple[str, str]]:
    """Keys of a block that say in two ways where it stands, or in none."""
    exact = [key for key in ("at", "named_table") if getattr(block, key)]
    searched = [key for key in ("caption", "found_by") if getattr(block, key)]
    if len(exact) > 1 or (exact and searched):
        ways = [*exact, *searched]
        yield (
            ways[-1],
            f"[block] tells where the table is by {' and by '.join(ways)}; keep one of them",
        )
    if block.found_by and not block.columns:
        yield (
            "found_by",
            "“found_by” in [block] needs “columns”, the fields of the leading columns; with “stub”"
            " the table is found by the headings over these",
        )
    if block.found_by and block.headings == 0:
        yield "found_by", "“found_by” in [block] looks for headings: take out “headings = 0”"
    if block.repeat and block.columns and not searched:
        yield (
            "repeat",
            "“repeat” in [block] needs what marks each place: add “caption” or “found_by”, or find"
            " it by its headings and take out “columns”",
        )
    if block.across and not (
        block.stub or block.at or block.named_table or block.columns or block.caption
    ):
        yield (
            "value",
            "[block] does not tell where the table is: add “stub”, the fields of the leading"
            " columns;"
            " if these have no headings, “columns” with “at”, “caption” or “found_by”",
        )


def _misfit_groups(block: Block) -> Iterator[tuple[str, str]]:
    """Group rows that could not be told apart, or name no field."""
    for index, group in enumerate(block.group_row):
        if group.field in NO_FIELD:
            yield "group_row", f"“group_row” in [block] names “{group.field}”, which is not a field"
        elif not group.named and group.indent is None and index < len(block.group_row) - 1:
            yield (
                "group_row",
                f"“{group.field}” in “group_row” needs “named”, the patterns of its names: without"
                " them only the innermost group can be recognised",
            )


def _stamp_problems(spec: LayoutSpec) -> Iterator[Problem]:
    for path, stamp in _sources(spec):
        field = next(str(value) for value in reversed(path) if isinstance(value, str))
        for message in _stamp_misfits(stamp):
            yield Problem(path, f"stamp “{field}”: {message}")
    for form in forms(spec):
        for path, sources in form.stamps.values():
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
_STAMP_SOURCES = ("cell", "right_of", "below", "name", "from", "value")
_ON_TAB = ("cell", "right_of", "below")


def _stamp_misfits(stamp: Stamp) -> Iterator[str]:
    keys = [key for key in _STAMP_SOURCES if _given(stamp, key)]
    # A pattern alone looks for a cell that matches, wherever it is.
    if len(keys) > 1 or (not keys and stamp.pattern is None):
        message = " and ".join(keys) if keys else "nothing"
        yield f"it needs one of {', '.join(_STAMP_SOURCES)}, pattern; it has {message}"
    if stamp.tab and keys and keys[0] not in _ON_TAB:
        yield f"“tab” goes with {', '.join(_ON_TAB)} or pattern, not with “{keys[0]}”"
    if stamp.labelled and not stamp.cell:
        yield "“labelled” goes with “cell”"
    if stamp.places != 1 and not (stamp.right_of or stamp.below):
        yield "“places” goes with “right_of” and “below”: so many cells from the label"
    if stamp.pattern is not None and "{}" not in stamp.pattern:
        yield f"the pattern “{stamp.pattern}” needs {{}} for the part to keep"


def _given(stamp: Stamp, key: str) -> bool:
    value = getattr(stamp, "from_" if key == "from" else key)
    return value is not None and value != ()


def _tab_problems(spec: LayoutSpec) -> Iterator[Problem]:
    chosen: list[tuple[KeyPath, Tabs | None]] = [(("tabs",), spec.tabs)]
    chosen += [((*path, "tabs"), block.tabs) for form in forms(spec) for path, block in form.blocks]
    for path, tabs in chosen:
        if tabs is None:
            continue
        ways = [key for key in ("named", "position", "every", "where_found") if getattr(tabs, key)]
        if len(ways) > 1:
            yield Problem(path, f"[tabs] chooses by {' and by '.join(ways)}; keep one of them")
        elif tabs.position == 0:
            yield Problem((*path, "position"), "tabs are counted from 1, or from -1 at the end")
        if tabs.where_found and not any(form.blocks for form in forms(spec)):
            message = (
                "“where_found” in [tabs] looks for the tables of blocks, but there is no [block]"
            )
            yield Problem((*path, "where_found"), message)
    for form in forms(spec):
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
    """Columns by position that do not rise, or beside a delimiter."""
    columns = spec.text.columns
    if columns is not None and spec.text.delimiter is not None:
        yield Problem(
            ("text", "columns"), "[text] parts lines by delimiter or by columns, not both"
        )
    if isinstance(columns, tuple) and (
        list(columns) != sorted(set(columns)) or columns[:1] != (1,)
    ):
        message = (
            "“columns” in [text] are the places where columns begin: 1 first, each further right"
        )
        yield Problem(("text", "columns"), message)


def _wrong_addresses(spec: LayoutSpec) -> Iterator[Problem]:
    for path, text in _addresses(spec):
        try:
            parse_address(text)
        except ValueError as error:
            yield Problem(path, str(error))


def _addresses(spec: LayoutSpec) -> Iterator[tuple[KeyPath, str]]:
    for path, stamp in _sources(spec):
        if stamp.cell is not None:
            yield (*path, "cell"), stamp.cell
    for form in forms(spec):
        for path, block in form.blocks:
            if block.at is not None:
                yield (*path, "at"), block.at
    for number, edition in enumerate(spec.edition):
        if edition.when.cell is not None:
            yield ("edition", number, "when", "cell"), edition.when.cell


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


def _wrong_parts(spec: LayoutSpec) -> Iterator[Problem]:
    """Patterns of fields that keep nothing."""
    for field, described in spec.fields.items():
        for text in described.pattern:
            if "{}" not in text and text.strip():
                message = f"“pattern” of “{field}”: “{text}” needs {{}} for the part to keep"
                yield Problem(("fields", field, "pattern"), message)


def _wrong_rows(spec: LayoutSpec) -> Iterator[Problem]:
    """Rules about rows that speak of fields which are not there, or not of numbers."""
    for form in forms(spec):
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
    """Headings that mean a field in one block only."""
    for form in forms(spec):
        for path, block in form.blocks:
            for field in block.also:
                if field not in spec.fields:
                    near = did_you_mean(field, spec.fields)
                    message = f"also of [block]: no field “{field}” in [fields]{near}"
                    yield Problem((*path, "also", field), message)
            for first, second in conflicts(block_namings(block)):
                yield Problem((*path, "also", second.field), two_meanings(first, second))


def block_namings(block: Block) -> list[Naming]:
    """What a block says of headings that mean a field there only."""
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
    _wrong_tables,
    _wrong_names,
    _wrong_patterns,
    _wrong_addresses,
    _wrong_text,
    _stamp_problems,
    _block_problems,
    _tab_problems,
    _when_problems,
    _unlisted_fields,
    _filled_twice,
    _two_meanings,
    _wrong_also,
    _wrong_parts,
    _wrong_rows,
    _wrong_key,
    value_problems,
)
