"""Two layouts of the same files: how they differ, and the records that each gives."""

from __future__ import annotations

from collections.abc import Iterator, Mapping
from dataclasses import MISSING, Field, dataclass, fields
from pathlib import Path
from typing import Any

from boreotabula.batch.inputs import look
from boreotabula.batch.layouts.load import Layout
from boreotabula.batch.read_all import ReadOptions
from boreotabula.batch.run.gather import gather, read_each
from boreotabula.batch.run.outcome import Run
from boreotabula.errors import CallError
from boreotabula.findings.kind import Severity
from boreotabula.layout.addresses import Address
from boreotabula.layout.keys import Labels, Part, layout_key
from boreotabula.layout.model import LayoutSpec
from boreotabula.review.compare.sides import Side, table_side
from boreotabula.stores.bases.base import BasePlace


@dataclass(frozen=True)
class LayoutSides:
    """The results of two layouts for the files of the newer one."""

    before: Side
    after: Side
    differences: tuple[str, ...]
    """How the layouts differ, in words."""
    errors: tuple[int, int]
    """The number of errors in a run with each."""
    unplaced: tuple[int, int]
    """The number of filled cells that each leaves in no record."""


def is_layout(place: BasePlace | None) -> bool:
    """Whether a path is that of a layout."""
    return isinstance(place, Path) and place.suffix == ".toml"


def layout_sides(before: Path, after: Path, table: str | None) -> LayoutSides:
    """Read the files of the newer layout with both.

    Raises CallError if a layout does not write the `table`, or if there are several and none is
    named.
    """
    old, new = Layout.load(before), Layout.load(after)
    runs = [_run(layout, new) for layout in (old, new)]
    sides = [
        table_side(path.name, run.tables[_table(run, table)], layout.spec.key)
        for path, run, layout in zip((before, after), runs, (old, new), strict=True)
    ]
    errors = [run.severities[Severity.ERROR] for run in runs]
    unplaced = [len(run.unplaced) for run in runs]
    return LayoutSides(
        sides[0], sides[1], tuple(differences(old.spec, new.spec)),
        (errors[0], errors[1]), (unplaced[0], unplaced[1]),
    )  # fmt: skip


def _run(layout: Layout, of: Layout) -> Run:
    """The records that a layout gives for the files that another one takes."""
    files = [source.path for source in look(of).taken]
    # Named, because the older layout may not match the files of today by its patterns.
    inbox = look(layout, named=files)
    return gather(layout, inbox, read_each(layout, inbox, None, ReadOptions(None)),
                  keep_records=True)  # fmt: skip


def _table(run: Run, named: str | None) -> str:
    if named is None and len(run.tables) > 1:
        raise CallError(f"name one of the output tables with --table: {', '.join(run.tables)}")
    if named is not None and named not in run.tables:
        raise CallError(f"there is no output table “{named}”, only {', '.join(run.tables)}")
    return named or next(iter(run.tables))


def differences(before: LayoutSpec, after: LayoutSpec) -> Iterator[str]:
    """How two layouts differ: fields, their types and headings, then all other keys."""
    for name in before.fields:
        if name not in after.fields:
            yield f"field “{name}” is gone"
    for name, field in after.fields.items():
        if name not in before.fields:
            yield f"field “{name}” is new ({field.type})"
            continue
        old, new = (_keys(spec.fields[name]) for spec in (before, after))
        yield from _changes(old, new, f"field “{name}”")
    # Fields were compared one by one above; the version says nothing about reading.
    old, new = (_keys(spec, leave_out=("fields", "layout")) for spec in (before, after))
    yield from _changes(old, new, "")


def _keys(part: Part, *, leave_out: tuple[str, ...] = ()) -> dict[str, str]:
    """The settings in a part of a layout, by the path of each key; lists as one text."""
    return {path: text for path, text in _flat(part, "") if path.split(".")[0] not in leave_out}


def _flat(value: Any, path: str) -> Iterator[tuple[str, str]]:
    lead = f"{path}." if path else ""
    if isinstance(value, Part):
        for key in fields(value):
            inner = getattr(value, key.name)
            # A key that is spelt out with its default means the same as without it.
            if inner != _default(key):
                yield from _flat(inner, f"{lead}{layout_key(key.name)}")
    elif isinstance(value, Mapping) and path.rpartition(".")[2] != "unit":
        for name, inner in value.items():
            yield from _flat(inner, f"{lead}{name}")
    elif isinstance(value, tuple) and any(isinstance(part, Part) for part in value):
        for number, part in enumerate(value, 1):
            yield from _flat(part, f"{path}[{number}]" if len(value) > 1 else path)
    else:
        yield path, _in_a_line(value)


def _in_a_line(value: object) -> str:
    """The value of a key as one line of text."""
    if isinstance(value, Mapping):  # units, with how many of the first each is
        texts = [name if factor == 1 else f"{name} = {factor:g}" for name, factor in value.items()]
        return ", ".join(texts)
    if isinstance(value, Labels):
        return ", ".join(value.texts)
    if isinstance(value, tuple) and not isinstance(value, Address):
        return ", ".join(map(str, value))
    return str(value)


def _default(key: Field[Any]) -> object:
    return key.default_factory() if key.default_factory is not MISSING else key.default


def _changes(before: Mapping[str, str], after: Mapping[str, str], of: str) -> Iterator[str]:
    lead = f"{of}: " if of else ""
    for key in dict.fromkeys([*before, *after]):
        old, new = before.get(key), after.get(key)
        if old is None:
            yield f"{lead}{key} is “{new}” now"
        elif new is None:
            yield f"{lead}{key} was “{old}” and is not set now"
        elif old != new:
            yield f"{lead}{key}: “{old}” → “{new}”"
