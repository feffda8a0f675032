"""Findings by their cause: what is the same on many tabs is reported once."""

from __future__ import annotations

from collections.abc import Iterable, Sequence

from boreotabula.findings.finding import Finding
from boreotabula.findings.kind import Severity
from boreotabula.texts import counted


def by_cause(findings: Iterable[Finding]) -> list[list[Finding]]:
    """Findings with the same statement together, most severe first, then most frequent."""
    groups: dict[object, list[Finding]] = {}
    for finding in findings:
        # What was looked for and what was found tell the same finding on different tabs; a
        # finding may name its cause where these differ.
        same = finding.cause or (finding.looked_for, finding.found)
        groups.setdefault((finding.code, same), []).append(finding)
    worst = list(Severity)
    # Sorted by number as well, because a cause met on many tabs is mended first.
    return sorted(groups.values(), key=lambda group: (worst.index(group[0].severity), -len(group)))


def by_code(causes: Iterable[list[Finding]]) -> list[list[list[Finding]]]:
    """Causes grouped by code, in the order of their first occurrence."""
    groups: dict[str, list[list[Finding]]] = {}
    for cause in causes:
        groups.setdefault(cause[0].code, []).append(cause)
    return list(groups.values())


def reach_of(group: Sequence[Finding]) -> str:
    """The number of tabs and files with a cause; empty for a single finding."""
    # One finding needs no reach: its place says where it is.
    if len(group) == 1:
        return ""
    number = len({finding.file for finding in group})
    files = counted(number, "file")
    tabs = {(finding.file, finding.tab) for finding in group}
    if len(tabs) == 1:
        return f" (the same {len(group)} times on this tab)"
    # Findings about files name no tab.
    if not all(tab for _, tab in tabs):
        return f" (the same in {files})"
    return f" (the same on {len(tabs)} tabs of {files})"
