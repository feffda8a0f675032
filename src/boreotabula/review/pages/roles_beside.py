"""The page of roles beside the page of a run: the tabs that its findings are about."""

from __future__ import annotations

from collections.abc import Mapping
from pathlib import Path
from urllib.parse import quote

from boreotabula.batch.claims import remove_claimed
from boreotabula.batch.evidence import decided_layout
from boreotabula.batch.run.outcome import Run
from boreotabula.batch.views import view_files
from boreotabula.findings.finding import in_order
from boreotabula.limits import Limits
from boreotabula.review.pages.tab_page import write_tab_page

_MOST_TABS = 30
"""More tabs make a page that is slow to open; the worst come first."""


def roles_page(report: Path) -> Path:
    """The path of the page of roles that belongs to the page of a run."""
    return report.with_name(f"{report.stem}-roles.html")


def write_roles(
    run: Run, report: Path, paths: Mapping[str, Path], limits: Limits
) -> Mapping[tuple[str, str], str]:
    """Write the tabs that findings of a run are about as a page, whole or not at all.

    `paths` are the files of the run by name. Returns the link to each of these tabs, by file and
    tab. If there are none, no page is written, and that of an earlier run is removed. Raises
    CallError.
    """
    out = roles_page(report)
    wanted = _tabs_to_check(run, paths)
    layout = decided_layout(run.layout, run.evidence)
    files = list(dict.fromkeys(file for file, _ in wanted))
    views = view_files([paths[file] for file in files], (), layout, limits)
    seen = {
        (file, view.sheet.name): view
        for file, file_view in zip(files, views, strict=True) for view in file_view.tabs
    }  # fmt: skip
    shown = [place for place in wanted if place in seen]
    if not shown:
        remove_claimed(out)
        return {}
    write_tab_page([(file, seen[file, tab]) for file, tab in shown], layout, out)
    return {place: f"{quote(out.name)}#t{number}" for number, place in enumerate(shown)}


def _tabs_to_check(run: Run, paths: Mapping[str, Path]) -> list[tuple[str, str]]:
    """File and tab of the findings that nobody has accepted, the worst first."""
    places = dict.fromkeys(
        (finding.file, finding.tab)
        for finding in in_order(run.findings)
        # A file may have gone since it was read.
        if finding.cell
        and not finding.accepted
        and finding.file in paths
        and paths[finding.file].is_file()
    )
    return list(places)[:_MOST_TABS]
