"""Whether a draft depends on the tabs it was made from: each half of them reads the other."""

from __future__ import annotations

import hashlib
from collections import Counter
from collections.abc import Iterator
from dataclasses import dataclass, replace
from typing import NamedTuple

from boreotabula.drafting.doubts import Doubt
from boreotabula.drafting.draft import Draft, best_of
from boreotabula.drafting.search.judging import judge
from boreotabula.drafting.sketch import Sketch
from boreotabula.drafting.tabs.specimens import Example, Specimen, TabFamily
from boreotabula.findings.kind import Severity
from boreotabula.layout.model import PROVENANCE
from boreotabula.reading.account.roles import Role
from boreotabula.reading.tab import TabReading
from boreotabula.texts import counted

FEWEST_TABS = 6
"""Half of fewer tabs does not show what varies."""


def check_halves(draft: Draft) -> Draft:
    """A draft with one more question for each kind of tabs that a draft of half of them would read
    differently, without a finding.

    A half whose layout reports an error or a warning about a tab, or leaves cells unplaced there,
    is no reason to ask: its user would have been told. Kinds of fewer than `FEWEST_TABS` tabs are
    not tried.
    """
    kinds = (draft.kind, *draft.further)
    differing = [list(_differing_tabs(kind, draft.sketch)) for kind in kinds]
    doubts = [_doubt(tabs) for tabs in differing if tabs]
    sketch = replace(draft.sketch, doubts=(*draft.sketch.doubts, *doubts))
    return replace(draft, sketch=sketch)


@dataclass(frozen=True)
class _DifferingTab:
    """A tab that a draft without it would read differently, and its first differing record."""

    specimen: Specimen
    records: int
    cell: str
    own: tuple[str, ...]
    """The values of that record that only the draft gives."""
    other: tuple[str, ...]
    """The values that only the other draft gives."""


def _doubt(tabs: list[_DifferingTab]) -> Doubt:
    records = sum(tab.records for tab in tabs)
    first = tabs[0]
    return Doubt(
        "halves",
        f"a layout drafted from the other half of the tabs reads {counted(records, 'record')} of"
        f" {counted(len(tabs), 'tab')} differently, without a word: here {_quoted(first.own)},"
        f" there {_quoted(first.other)}",
        "if the value here is right, there is nothing to do; otherwise change its field's type",
        first.specimen.file, first.specimen.tab, first.cell, records=records,
    )  # fmt: skip


def _quoted(values: tuple[str, ...]) -> str:
    return ", ".join(f"“{value}”" for value in values) or "no value"


def _differing_tabs(kind: TabFamily, sketch: Sketch) -> Iterator[_DifferingTab]:
    if len(kind.examples) < FEWEST_TABS:
        return
    # By what they hold, so that the order of the files changes nothing.
    ordered = sorted(kind.examples, key=_digest)
    halves = (tuple(ordered[::2]), tuple(ordered[1::2]))
    for half, other_half in (halves, halves[::-1]):
        (of_half, _), *_ = best_of(replace(kind, examples=half, more=()))
        specimens = [example.specimen for example in other_half]
        whole, held_out = judge(sketch, specimens), judge(of_half, specimens)
        if not held_out.readings:
            continue  # half of the tabs give no layout that can be used
        for specimen, usual, other in zip(
            specimens, whole.readings, held_out.readings, strict=True
        ):
            if _is_told(other):
                continue
            if difference := _difference(specimen, usual, other):
                yield difference


def _digest(example: Example) -> str:
    return hashlib.sha256(repr(example.sheet.rows).encode()).hexdigest()


def _is_told(reading: TabReading) -> bool:
    """Whether a reading reports a problem."""
    grave = (Severity.ERROR, Severity.WARNING)
    return bool(reading.account.roles[Role.UNPLACED]) or any(
        finding.severity in grave for finding in reading.findings
    )


def _difference(
    specimen: Specimen, reading: TabReading, other_reading: TabReading
) -> _DifferingTab | None:
    """How two readings of a tab differ; None if both give the same records, whatever their fields
    are called."""
    records, other_records = list(_records(reading)), list(_records(other_reading))
    # Compared as bags of records: the names of fields may differ between two drafts.
    only = Counter(records) - Counter(other_records)
    other_only = Counter(other_records) - Counter(records)
    if not only and not other_only:
        return None
    cell = next(iter(only or other_only)).cell
    values, other_values = (
        Counter(value for record in records if record.cell == cell for value in record.values)
        for records in (only, other_only)
    )
    return _DifferingTab(
        specimen, max(only.total(), other_only.total()), cell,
        tuple(values - other_values), tuple(other_values - values),
    )  # fmt: skip


class _Record(NamedTuple):
    """A record in the form in which two layouts are compared."""

    cell: str
    values: tuple[str, ...]


def _records(reading: TabReading) -> Iterator[_Record]:
    for batch in reading.tables.values():
        for record in batch.to_pylist():
            values = sorted(
                str(value) for name, value in record.items()
                if value is not None and name not in PROVENANCE
            )  # fmt: skip
            yield _Record(record["source_cell"] or "", tuple(values))
