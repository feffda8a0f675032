"""Links from a page to the workbooks that it is about."""

from __future__ import annotations

import os
from collections.abc import Mapping
from dataclasses import dataclass, field
from pathlib import Path
from urllib.parse import quote

from boreotabula.findings.finding import Finding


@dataclass(frozen=True)
class LinkedPlace:
    """Where a finding is: in words, and as links; no links if its file is missing."""

    text: str
    href: str = ""
    """The link to the workbook."""
    roles: str = ""
    """The link to its cell on the page of roles."""


@dataclass(frozen=True)
class Links:
    """Where the files of a page's run are."""

    page: Path
    paths: Mapping[str, Path]
    """Where the files are, by their names in the run."""
    roles: Mapping[tuple[str, str], str] = field(default_factory=dict)
    """By file and tab, its place on the page of roles."""

    def place(self, finding: Finding) -> LinkedPlace:
        """Where a finding is.

        The link goes to the workbook; programs that support such links open it at the tab and cell.
        """
        parts = [finding.file, finding.tab, finding.cell]
        text = " › ".join(part for part in parts if part) or "the whole run"
        path = self.paths.get(finding.file)
        roles = self.roles.get((finding.file, finding.tab), "")
        if roles and finding.cell:
            roles += f"-{finding.cell}"
        return LinkedPlace(text, self._way(path) + _spot(finding) if path else "", roles)

    def _way(self, path: Path) -> str:
        try:
            way = os.path.relpath(path.resolve(), self.page.resolve().parent)
        except ValueError:  # on another drive
            return path.resolve().as_uri()
        return quote(Path(way).as_posix())


def _spot(finding: Finding) -> str:
    """The tab and cell of a finding as the fragment of a link, as spreadsheets write it."""
    if not finding.tab:
        return ""
    tab = finding.tab.replace("'", "''")
    return "#" + quote(f"'{tab}'!{finding.cell or 'A1'}", safe="'!")
