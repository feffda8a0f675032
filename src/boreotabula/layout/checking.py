"""Whether the parts of a layout fit together: fields that are named but not listed, fields that
get their value from two places, headings that mean two fields, patterns that cannot be read."""

from __future__ import annotations

import re
from collections.abc import Callable, Iterator, Mapping
from dataclasses import dataclass

from boreotabula.layout.addresses import parse_address
from boreotabula.layout.field_checks import value_problems
from boreotabula.layout.headings import Naming, conflicts
from boreotabula.layout.model import PROVENANCE, Block, LayoutSpec, Stamp, Tabs
from boreotabula.layout.patterns import Kind, PatternError, pattern
from boreotabula.layout.problems import KeyPath, Problem, did_you_mean

NO_FIELD = ("", "-")
"""What stands in `columns` for a column that is passed over."""


@dataclass(frozen=True)
class Use:
    """A place of the layout that says where the values of a field come from."""

    field: str
    path: KeyPath
    what: str


@dataclass(frozen=True)
class Form:
    """One way to read a tab: the layout itself, or one of its editions."""

    stamps: Mapping[str, tuple[KeyPath, Stamp]]
    blocks: tuple[tuple[KeyPath, Block], ...]


def check(spec: LayoutSpec) -> list[Problem]:
    """Every problem of a layout that has the right shape; empty if it can be used."""
    return list(dict.fromkeys(problem for step in _CHECKS for problem in step(spec)))


def forms(spec: LayoutSpec) -> list[Form]:
    """The forms of a layout: itself, or each edition, which takes over what it does not say."""
    stamps = {field: (("stamps", field), stamp) for field, stamp in spec.stamps.items()}
    blocks = tuple((("block", at), block) for at, block in enumerate(spec.block))
    if not spec.edition:
        return [Form(stamps, blocks)]
    return [
        Form(
            stamps | {f: (("edition", n, "stamps", f), one) for f, one in edition.stamps.items()},
            tuple((("edition", n, "block", at), one) for at, one in enumerate(edition.block))
            or blocks,
        )
        for n, edition in enumerate(spec.edition)
    ]


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
    for key in ("stub", "across", "value", "columns", "group_row"):
        named = getattr(block, key) or ()
        for field in (named,) if isinstance(named, str) else named:
            if field not in NO_FIELD and not (key == "columns" and field in block.stub):
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
    for form in forms(spec):
        for path, stamp in form.stamps.values():
            for key in ("right_of", "below", "labelled"):
                yield (*path, key), Kind.CELL, getattr(stamp, key)
            if stamp.pattern is not None:
                yield (*path, "pattern"), Kind.STAMP, (stamp.pattern,)
        for path, block in form.blocks:
            yield from _tab_patterns(block.tabs, (*path, "tabs"))
            yield (*path, "named_table"), Kind.TAB, block.named_table
            for key in ("totals", "ignore", "skip", "ends_at"):
                yield (*path, key), Kind.CELL, getattr(block, key)
    for number, edition in enumerate(spec.edition):
        yield ("edition", number, "when", "is"), Kind.CELL, edition.when.is_
        yield ("edition", number, "when", "heading"), Kind.CELL, edition.when.heading


_TABLE_NAME = re.compile(r"\w(?:[\w .\-]{0,98}\w)?")
_RESERVED = re.compile(r"(?:con|prn|aux|nul|com\d|lpt\d)(?:\..*)?", re.IGNORECASE)


def _wrong_tables(spec: LayoutSpec) -> Iterator[Problem]:
    """Names of output tables that no file, tab and table of a database can have."""
    seen: dict[str, str] = {}
    for form in forms(spec):
        for path, block in form.blocks:
            name = block.into
            if name is None:
                continue
            if not _TABLE_NAME.fullmatch(name) or _RESERVED.fullmatch(name):
                said = (
                    f"“{name}” cannot name a table: use letters, digits, “_”, “-”, “.” and spaces"
                )
                yield Problem((*path, "into"), f"{said}, at most 100")
            other = seen.setdefault(name.casefold(), name)
            if other != name:
                said = f"“{name}” and “{other}” differ in letter case alone; write both the same"
                yield Problem((*path, "into"), said)


def _wrong_patterns(spec: LayoutSpec) -> Iterator[Problem]:
    for path, kind, texts in _all_patterns(spec):
        for text in texts:
            try:
                captured = pattern(text, kind).captures
            except PatternError as error:
                yield Problem(path, str(error))
            else:
                if captured and path[-1] in ("exclude", "except", "named_table"):
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


def _alternatives(one: Use, other: Use) -> bool:
    """Two patterns of one list may capture the same field: only one of them matches a name."""
    return one.path == other.path and one.path[-1] in ("include", "named")


def _block_problems(spec: LayoutSpec) -> Iterator[Problem]:
    for form in forms(spec):
        for path, block in form.blocks:
            for key, message in _misfits(block):
                yield Problem((*path, key), message)
    if not any(form.blocks or form.stamps for form in forms(spec)):
        yield Problem(
            (), "the layout says nothing of what stands on a tab: add [block] or [stamps]"
        )


def _misfits(block: Block) -> Iterator[tuple[str, str]]:
    """Keys of a block that do not go together, and why."""
    if bool(block.across) != bool(block.value):
        has, lacks = ("across", "value") if block.across else ("value", "across")
        yield has, f"“{has}” in [block] needs “{lacks}” beside it"
    if block.across and not (block.stub or block.at or block.named_table or block.columns):
        yield "value", "[block] does not say where it stands: add stub, at or named_table"
    if block.headings == 0 and not block.columns:
        yield "headings", "“headings = 0” in [block] needs “columns”, the fields in their order"
    if block.columns and block.across:
        yield "columns", "“columns” in [block] names the columns of a list; take out “across”"
    if block.across and block.heading_rows != 1:
        yield "heading_rows", "a cross-tab has a heading row for each field of “across”"
    if block.repeat and block.columns:
        yield (
            "repeat",
            "“repeat” in [block] needs headings that mark each place: take out “columns”",
        )
    if block.every_row and block.across:
        yield "every_row", "“every_row” in [block] is for lists; take it out, or “across”"
    for key in ("across", "value", "stub"):
        for field in getattr(block, key):
            if field in NO_FIELD:
                yield key, f"“{key}” in [block] names “{field}”, which is no field"
    if block.group_row is not None and block.group_row in NO_FIELD:
        yield "group_row", f"“group_row” in [block] names “{block.group_row}”, which is no field"
    named = [one for one in (*block.stub, *block.columns) if one not in NO_FIELD]
    for field in block.carry_down:
        # In a list without a stub every field may have a column of its own.
        if field not in named and (named or block.across):
            near = did_you_mean(field, named)
            yield "carry_down", f"“{field}” is no stub column{near}"


def _stamp_problems(spec: LayoutSpec) -> Iterator[Problem]:
    for form in forms(spec):
        for path, stamp in form.stamps.values():
            for message in _stamp_misfits(stamp):
                yield Problem(path, f"stamp “{path[-1]}”: {message}")


_STAMP_SOURCES = ("cell", "right_of", "below", "name", "from", "value")


def _stamp_misfits(stamp: Stamp) -> Iterator[str]:
    given = [key for key in _STAMP_SOURCES if _given(stamp, key)]
    if len(given) != 1:
        said = " and ".join(given) if given else "nothing"
        yield f"it needs one of {', '.join(_STAMP_SOURCES)}; here stands {said}"
    if stamp.labelled and not stamp.cell:
        yield "“labelled” goes with “cell”"
    if stamp.pattern is not None and "{}" not in stamp.pattern:
        yield f"the pattern “{stamp.pattern}” needs {{}} for the part to keep"


def _given(stamp: Stamp, key: str) -> bool:
    value = getattr(stamp, "from_" if key == "from" else key)
    return value is not None and value != ()


def _tab_problems(spec: LayoutSpec) -> Iterator[Problem]:
    chosen: list[tuple[KeyPath, Tabs | None]] = [(("tabs",), spec.tabs)]
    chosen += [((*path, "tabs"), one.tabs) for form in forms(spec) for path, one in form.blocks]
    for path, tabs in chosen:
        if tabs is None:
            continue
        ways = [key for key in ("named", "position", "every") if getattr(tabs, key)]
        if len(ways) > 1:
            yield Problem(path, f"[tabs] chooses by {' and by '.join(ways)}; keep one of them")
        elif tabs.position == 0:
            yield Problem((*path, "position"), "tabs are counted from 1, or from -1 at the end")


def _when_problems(spec: LayoutSpec) -> Iterator[Problem]:
    for number, edition in enumerate(spec.edition):
        when = edition.when
        by_cell = when.cell is not None and bool(when.is_)
        if by_cell == bool(when.heading) or bool(when.cell) != bool(when.is_):
            message = "“when” of an edition is { cell = …, is = … } or { heading = … }"
            yield Problem(("edition", number, "when"), message)


def _wrong_addresses(spec: LayoutSpec) -> Iterator[Problem]:
    for path, text in _addresses(spec):
        try:
            parse_address(text)
        except ValueError as error:
            yield Problem(path, str(error))


def _addresses(spec: LayoutSpec) -> Iterator[tuple[KeyPath, str]]:
    for form in forms(spec):
        for path, stamp in form.stamps.values():
            if stamp.cell is not None:
                yield (*path, "cell"), stamp.cell
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


def _wrong_key(spec: LayoutSpec) -> Iterator[Problem]:
    for field in spec.key:
        if field not in spec.fields:
            near = did_you_mean(field, spec.fields)
            yield Problem(("key",), f"“key”: no field “{field}” in [fields]{near}")


def _two_meanings(spec: LayoutSpec) -> Iterator[Problem]:
    paths: Mapping[Naming, KeyPath] = dict(own_namings(spec))
    for first, second in conflicts(paths):
        yield Problem(paths[second], two_meanings(first, second))


def two_meanings(first: Naming, second: Naming) -> str:
    """The message for a heading given to two fields."""
    return (
        f"the heading “{second.heading}” cannot mean both “{first.field}” ({first.where})"
        f" and “{second.field}” ({second.where}); keep one of them"
    )


_CHECKS: tuple[Callable[[LayoutSpec], Iterator[Problem]], ...] = (
    _wrong_tables,
    _wrong_names,
    _wrong_patterns,
    _wrong_addresses,
    _stamp_problems,
    _block_problems,
    _tab_problems,
    _when_problems,
    _unlisted_fields,
    _filled_twice,
    _two_meanings,
    _wrong_key,
    value_problems,
)
