"""All kinds of findings, by subject."""

from __future__ import annotations

from collections.abc import Mapping
from types import ModuleType

from boreotabula.findings.kind import FindingKind
from boreotabula.findings.subjects import (
    comparing,
    files,
    headings,
    masters,
    rows,
    stamps,
    tables,
    totals,
    values,
)

MODULES = (files, stamps, tables, headings, rows, values, totals, comparing, masters)


def wordings(module: ModuleType) -> Mapping[str, FindingKind]:
    """The kinds that a module declares, and their further wordings, by name."""
    return {name: kind for name, kind in vars(module).items() if isinstance(kind, FindingKind)}


SECTIONS: Mapping[str, tuple[FindingKind, ...]] = {
    module.TITLE: tuple(dict.fromkeys(wordings(module).values())) for module in MODULES
}
"""The kinds by section of the handbook, each once."""

BY_CODE: Mapping[str, FindingKind] = {
    kind.code: kind for kinds in SECTIONS.values() for kind in kinds
}
"""The kinds by code."""


def finding_kind(code: str) -> FindingKind:
    """The kind with a code. Raises KeyError if there is none."""
    return BY_CODE[code]
