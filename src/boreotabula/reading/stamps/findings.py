"""Findings about stamps that are missing, or found twice."""

from __future__ import annotations

from collections.abc import Collection, Sequence

from boreotabula.findings.finding import Finding, Spot
from boreotabula.findings.subjects.stamps import (
    STAMP_FOUND_TWICE,
    STAMP_LABEL_DIFFERS,
    STAMP_NAME_UNKNOWN,
    STAMP_NOT_FOUND,
    STAMP_TAB_UNKNOWN,
    STAMP_TABS_DIFFER,
)
from boreotabula.reading.cells import cell_text
from boreotabula.reading.plan import StampPlan
from boreotabula.reading.stamps.sources import StampSource
from boreotabula.sheets.sheet import Sheet


def no_such_name(stamp: StampPlan, name: str) -> Finding:
    return STAMP_NAME_UNKNOWN(field=stamp.field, wanted=name)


def looked_for(stamp: StampPlan) -> str:
    """What a stamp is found by."""
    if not stamp.labels and stamp.pattern is not None:
        return stamp.pattern.text
    return ", ".join(label.text for label in stamp.labels)


def no_such_tab(stamp: StampPlan, tabs: Sequence[str]) -> Finding:
    wanted = ", ".join(tab.text for tab in stamp.tab)
    return STAMP_TAB_UNKNOWN(field=stamp.field, wanted=wanted, tabs=", ".join(tabs))


def tabs_differ(stamp: StampPlan, tabs: Sequence[str], texts: Collection[str]) -> Finding:
    return STAMP_TABS_DIFFER(field=stamp.field, tabs=list(tabs), texts=sorted(texts))


def not_found(stamp: StampPlan) -> Finding:
    return STAMP_NOT_FOUND(field=stamp.field, wanted=looked_for(stamp), by_label=bool(stamp.labels))


def found_twice(stamp: StampPlan, filled: Sequence[StampSource]) -> Finding:
    return STAMP_FOUND_TWICE(
        filled[0].at,
        field=stamp.field,
        by_label=bool(stamp.labels),
        texts=[cell_text(source.cell) for source in filled],
        places=" and ".join(source.where for source in filled),
    )


def label_differs(sheet: Sheet, stamp: StampPlan, spot: Spot, label: Spot | None) -> Finding:
    return STAMP_LABEL_DIFFERS(
        sheet.address(*spot),
        field=stamp.field,
        wanted=", ".join(pattern.text for pattern in stamp.labelled),
        label=cell_text(sheet.cell(*label)) if label else "",
    )
