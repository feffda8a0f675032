"""Trying a correction of a cell: how its tab reads with it, before anything is written."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, replace
from pathlib import Path

from boreotabula.batch.inputs import SourceFile, look
from boreotabula.batch.layouts.decide import CORRECTIONS, as_correction
from boreotabula.batch.layouts.load import Layout
from boreotabula.batch.private_files import turn_of
from boreotabula.errors import CallError
from boreotabula.findings.finding import Finding
from boreotabula.findings.kind import Severity
from boreotabula.layout.addresses import Address
from boreotabula.limits import Limits
from boreotabula.reading.cells import cell_text
from boreotabula.reading.corrections import Correction
from boreotabula.reading.inspect.trace import fate_of
from boreotabula.reading.totals.checks import TotalsCount
from boreotabula.review.trace import OpenedTab, open_tab

Spot = tuple[int, int]


@dataclass(frozen=True)
class Trial:
    """A tab without and with a correction."""

    records: int
    """The number of records that the cell is part of, with the correction."""
    errors: tuple[int, int]
    """Errors of the tab without and with it."""
    totals: tuple[TotalsCount, TotalsCount]
    """Printed totals of the tab that were compared without and with it."""


def check_uncorrected(layout: Layout, tab: OpenedTab, spot: Spot) -> None:
    """Raise CallError if the layout corrects a cell already, or did while it held another text."""
    for correction in layout.plan.corrections:
        named = correction.tab is None or correction.tab.match(tab.sheet.name) is not None
        if (
            (correction.row, correction.column) == spot
            and named
            and correction.file.match(tab.file) is not None
        ):
            raise CallError(
                f"{correction.where} is about this cell already; change that line, or take it out"
            )


def try_correction(
    source: SourceFile,
    before: OpenedTab,
    layout: Layout,
    correction: Correction,
    limits: Limits | None = None,
) -> Trial:
    """Read a tab with a correction. Raises CallError if the cell would still be an error."""
    plan = replace(layout.plan, corrections=(*layout.plan.corrections, correction))
    after = open_tab(source, before.sheet.name, replace(layout, plan=plan), limits)
    place = Address(correction.row, correction.column)
    # An error at the corrected cell means that the correction itself cannot be read.
    refused = [finding for finding in _errors(after.reading.findings) if finding.at == place]
    if refused:
        raise CallError(f"it cannot be read as “{correction.now}”: {refused[0].message}")
    fate = fate_of(after.sheet, after.reading, plan, correction.row, correction.column)
    return Trial(
        len(fate.records),
        (len(_errors(before.reading.findings)), len(_errors(after.reading.findings))),
        (before.reading.totals, after.reading.totals),
    )


@dataclass(frozen=True)
class WrittenCorrection:
    """A correction as written."""

    line: Mapping[str, str]
    path: Path
    """The file of corrections."""
    layout_edited: bool
    """Whether the layout was changed to name that file."""
    trial: Trial


def write_correction(
    layout: Layout,
    source: SourceFile,
    tab: OpenedTab,
    spot: Spot,
    decision: Mapping[str, str],
    limits: Limits | None = None,
) -> WrittenCorrection:
    """Try the correction of a cell, its row and column counted from 0, and write it beside the
    layout.

    `decision` gives what it `is`, `who` decided it, `why`, and `until` when. Raises CallError for a
    cell that is corrected already, or would still be an error.
    """
    # Before the trial, whose result a second correction would change.
    check_uncorrected(layout, tab, spot)
    was = cell_text(tab.sheet.cell(*spot)).strip()
    files = [other.name for other in look(layout).taken]
    values = {"cell": str(Address(*spot)), "was": was, **decision}
    line = CORRECTIONS.line(tab.file, tab.sheet.name, files, tab.tabs, values)
    trial = try_correction(source, tab, layout, as_correction(line), limits)
    with turn_of(layout.path):
        current = Layout.load(layout.path)  # another call may have written meanwhile
        # Once more, under the lock.
        check_uncorrected(current, tab, spot)
        path = CORRECTIONS.add(current, line)
    return WrittenCorrection(line, path, not CORRECTIONS.is_named(current), trial)


def _errors(findings: Sequence[Finding]) -> list[Finding]:
    return [finding for finding in findings if finding.severity is Severity.ERROR]
