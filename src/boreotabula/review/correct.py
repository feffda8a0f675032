"""Trying a correction of a cell: what its tab says with it, before anything is written."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, replace

from boreotabula.batch.inputs import SourceFile
from boreotabula.batch.layouts.load import Layout
from boreotabula.errors import CallError
from boreotabula.findings.finding import Finding
from boreotabula.findings.kind import Severity
from boreotabula.layout.addresses import Address
from boreotabula.limits import Limits
from boreotabula.reading.corrections import Correction
from boreotabula.reading.inspect.trace import fate_of
from boreotabula.reading.totals.checks import TotalsCount
from boreotabula.review.trace import OpenedTab, opened

Spot = tuple[int, int]


@dataclass(frozen=True)
class Trial:
    """A tab without and with a correction."""

    records: int
    """How many records the cell is part of, with it."""
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
    """Read a tab with a correction. Raises CallError if the cell would be an error with it."""
    plan = replace(layout.plan, corrections=(*layout.plan.corrections, correction))
    after = opened(source, before.sheet.name, replace(layout, plan=plan), limits)
    place = Address(correction.row, correction.column)
    refused = [finding for finding in _errors(after.reading.findings) if finding.at == place]
    if refused:
        raise CallError(f"it cannot be read as “{correction.now}”: {refused[0].message}")
    fate = fate_of(after.sheet, after.reading, plan, correction.row, correction.column)
    return Trial(
        len(fate.records),
        (len(_errors(before.reading.findings)), len(_errors(after.reading.findings))),
        (before.reading.totals, after.reading.totals),
    )


def _errors(findings: Sequence[Finding]) -> list[Finding]:
    return [finding for finding in findings if finding.severity is Severity.ERROR]
