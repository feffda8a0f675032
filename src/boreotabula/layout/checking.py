"""Whether the parts of a layout fit together: fields that are named but not listed, fields that
get their value from two places, headings that mean two fields, patterns that cannot be read."""

from __future__ import annotations

from collections.abc import Callable, Iterator, Mapping
from dataclasses import dataclass

from boreotabula.layout.addresses import parse_address
from boreotabula.layout.headings import Naming, conflicts
from boreotabula.layout.model import PROVENANCE, LayoutSpec
from boreotabula.layout.patterns import Kind, PatternError, pattern
from boreotabula.layout.problems import KeyPath, Problem, did_you_mean


@dataclass(frozen=True)
class Use:
    """A place of the layout that says where the values of a field come from."""

    field: str
    path: KeyPath
    what: str


def check(spec: LayoutSpec) -> list[Problem]:
    """Every problem of a layout that has the right shape; empty if it can be used."""
    return [problem for step in _CHECKS for problem in step(spec)]


def own_namings(spec: LayoutSpec) -> Iterator[tuple[Naming, KeyPath]]:
    """What the layout itself says of headings: each field's own name, then its `also`."""
    for field in spec.fields:
        yield Naming(field, field, f"the name of the field “{field}”"), ("fields", field)
    for field, described in spec.fields.items():
        for heading in described.also:
            yield Naming(heading, field, f"also of “{field}”"), ("fields", field, "also")


def uses(spec: LayoutSpec) -> Iterator[Use]:
    """Every place that fills a field: captures, stamps, stub, heading levels, value."""
    for path, kind, texts in _pattern_lists(spec):
        for text in texts:
            for field in _captures(text, kind):
                yield Use(field, path, f"{{{field}}} in {path[-1]}")
    for field in spec.stamps:
        yield Use(field, ("stamps", field), f"stamp “{field}”")
    for key in ("stub", "across", "value"):
        named = getattr(spec.block, key)
        for field in (named,) if isinstance(named, str) else named:
            yield Use(field, ("block", key), f"{key} of [block]")


def _pattern_lists(spec: LayoutSpec) -> Iterator[tuple[KeyPath, Kind, tuple[str, ...]]]:
    yield ("source", "include"), Kind.FILE, spec.source.include
    yield ("source", "exclude"), Kind.FILE, spec.source.exclude
    if spec.tabs is not None:
        yield ("tabs", "named"), Kind.TAB, spec.tabs.named
    yield ("block", "totals"), Kind.CELL, spec.block.totals
    yield ("block", "ignore"), Kind.CELL, spec.block.ignore
    yield ("block", "ends_at"), Kind.CELL, spec.block.ends_at


def _captures(text: str, kind: Kind) -> tuple[str, ...]:
    try:
        return pattern(text, kind).captures
    except PatternError:
        return ()  # told by _wrong_patterns


def _wrong_patterns(spec: LayoutSpec) -> Iterator[Problem]:
    for path, kind, texts in _pattern_lists(spec):
        for text in texts:
            try:
                captured = pattern(text, kind).captures
            except PatternError as error:
                yield Problem(path, str(error))
            else:
                if captured and path[-1] == "exclude":
                    yield Problem(path, f"“{text}”: what is excluded cannot fill a field")


def _unlisted_fields(spec: LayoutSpec) -> Iterator[Problem]:
    for use in uses(spec):
        if use.field not in spec.fields:
            near = did_you_mean(use.field, spec.fields)
            yield Problem(use.path, f"{use.what}: no field “{use.field}” in [fields]{near}")


def _filled_twice(spec: LayoutSpec) -> Iterator[Problem]:
    first: dict[str, Use] = {}
    for use in uses(spec):
        before = first.setdefault(use.field, use)
        if before is not use and not _alternatives(before, use):
            yield Problem(
                use.path,
                f"the field “{use.field}” is filled twice: by {before.what} and by {use.what};"
                " keep one of them",
            )


def _carried_down(spec: LayoutSpec) -> Iterator[Problem]:
    for field in spec.block.carry_down:
        if field not in spec.block.stub:
            near = did_you_mean(field, spec.block.stub)
            yield Problem(("block", "carry_down"), f"“{field}” is no stub column{near}")


def _alternatives(one: Use, other: Use) -> bool:
    """Two patterns of one list may capture the same field: only one of them matches a name."""
    return one.path == other.path and one.path[0] in ("source", "tabs")


def _wrong_addresses(spec: LayoutSpec) -> Iterator[Problem]:
    for field, stamp in spec.stamps.items():
        try:
            parse_address(stamp.cell)
        except ValueError as error:
            yield Problem(("stamps", field, "cell"), str(error))


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
    _wrong_names,
    _wrong_patterns,
    _wrong_addresses,
    _unlisted_fields,
    _filled_twice,
    _carried_down,
    _two_meanings,
)
