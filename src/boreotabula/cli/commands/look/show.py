"""`boreotabula show`: a tab with its addresses, and what each cell is to a layout."""

from __future__ import annotations

from dataclasses import dataclass
from pathlib import Path
from typing import TYPE_CHECKING, Any

import click

from boreotabula.batch.remote.address import as_named
from boreotabula.cli.options import (
    SOURCE,
    Command,
    json_option,
    limits,
    memory_per_file,
    options_as,
    overwrite_option,
)
from boreotabula.cli.printing import say_json
from boreotabula.errors import CallError
from boreotabula.files import written_name
from boreotabula.texts import command_line

if TYPE_CHECKING:
    from collections.abc import Iterable, Sequence

    from boreotabula.batch.layouts.load import Layout
    from boreotabula.batch.views import FileView
    from boreotabula.cli.sheetview import Window

EPILOG = """\b
Examples:
  boreotabula show report.xlsx
  boreotabula show report.xlsx --tab "Bench *" --cells A1:H30
  boreotabula show report.xlsx --layout stock.toml
  boreotabula show report.xlsx --layout stock.toml --page roles.html
  boreotabula show inbox --limit 5

\b
Exit status:
  0 shown
  1 some of several files could not be read
  2 wrong call, or the file cannot be read"""


@dataclass(frozen=True)
class ShowOptions:
    """The arguments and options of `boreotabula show`."""

    files: tuple[Path, ...]
    tabs: tuple[str, ...]
    layout_path: Path | None
    cells: str | None
    limit: int | None
    page: Path | None
    overwrite: bool
    memory_per_file: int
    as_json: bool


@click.command("show", cls=Command, epilog=EPILOG)
@click.argument("files", nargs=-1, required=True, type=SOURCE)
@click.option(
    "--tab", "tabs", multiple=True, metavar="PATTERN",
    help="Show these tabs, by name or pattern (repeatable). Default: the first filled one, or"
         " those that the layout reads.",
)  # fmt: skip
@click.option(
    "--layout", "layout_path", type=click.Path(path_type=Path), metavar="LAYOUT",
    help="Mark each cell with its role in this layout.",
)  # fmt: skip
@click.option("--cells", metavar="RANGE", help="Show only a part of the tab, such as B2:H30.")
@click.option(
    "--limit", type=click.IntRange(min=1), metavar="N",
    help="Show at most N rows. Default: 60 of one file, 5 each of several.",
)  # fmt: skip
@click.option(
    "--page", type=click.Path(path_type=Path), metavar="PAGE",
    help="With --layout: write a page (.html) with each cell coloured by its role.",
)  # fmt: skip
@overwrite_option
@memory_per_file
@json_option
@options_as(ShowOptions)
def command(options: ShowOptions) -> int:
    """Show tabs of FILES, or of the files of a folder, with row numbers and column letters.

    Numbers are on the right, texts on the left; 'digits are a text that looks like a number. Merged
    cells, error values, and hidden rows and columns are marked. With --layout each cell has the
    letter of its role, and the findings about the tab follow.
    """
    from boreotabula.batch.claims import check_claim
    from boreotabula.batch.evidence import decided_layout, kept_evidence
    from boreotabula.batch.layouts.load import Layout
    from boreotabula.batch.views import files_below, view_files
    from boreotabula.cli import sheetview

    window = sheetview.parse_window(options.cells) if options.cells else None
    layout = Layout.load(options.layout_path) if options.layout_path else None
    # So that a date such as 05/01/2026 reads here as in the last run over all files.
    layout = layout and decided_layout(layout, kept_evidence(layout))
    if options.page is not None:
        _check_page(options.page, layout, options.files)
        check_claim(
            options.page, (*options.files, options.layout_path), overwrite=options.overwrite
        )
    paths = files_below(options.files)
    # A folder with one file is not a file: its view stays brief, and its JSON a list.
    single = len(options.files) == 1 and options.files[0] == paths[0]
    views = view_files(paths, options.tabs, layout, limits(options.memory_per_file))
    if options.page is not None and layout is not None:
        return _write_page(zip(paths, views, strict=True), layout, options.page)
    if options.as_json:
        described = [
            _described(path, view, window) for path, view in zip(paths, views, strict=True)
        ]
        say_json(described[0] if single else described)
        return 1 if any("unreadable" in values for values in described) else 0
    missing = 0
    for path, view in zip(paths, views, strict=True):
        if single and view.unreadable:
            # Of several files the others are still shown.
            raise CallError(view.unreadable)
        missing += bool(view.unreadable)
        _print(path, view, window, options.limit or (_ROWS if single else _FEW_ROWS), single=single)
    if layout is None:
        home = options.files[0] if options.files[0].is_dir() else options.files[0].parent
        _advise(f"{command_line('draft', as_named(home))} writes a layout for this")
    return 1 if missing else 0


def _check_page(page: Path, layout: Layout | None, files: Sequence[Path]) -> None:
    """Raises CallError if no page can be written there."""
    from boreotabula.batch.output_checks import check_apart
    from boreotabula.review.pages.tab_page import check_tab_page

    if layout is None:
        raise CallError("--page needs --layout: it colours cells by their role in the layout")
    check_tab_page(page)
    check_apart(page, layout.folders.values(), layout.spec.source.include)
    check_apart(page, [file for file in files if file.is_dir()])


def _write_page(views: Iterable[tuple[Path, FileView]], layout: Layout, page: Path) -> int:
    """Write the tabs of files as a page; returns the exit status."""
    from boreotabula.cli import screen
    from boreotabula.review.pages.tab_page import write_tab_page
    from boreotabula.texts import counted

    tabs, missing = [], 0
    for path, view in views:
        missing += bool(view.unreadable)
        if view.unreadable:
            screen.err().tell(f"! {view.unreadable}")
        tabs += [(written_name(path.name), tab) for tab in view.tabs]
    if not tabs:
        raise CallError("there is no tab to show; no page was written")
    write_tab_page(tabs, layout, page)
    screen.out().tell(f"{page}: {counted(len(tabs), 'tab')}")
    return 1 if missing else 0


_ROWS, _FEW_ROWS = 60, 5
"""Rows that are shown of a file, and of each of several."""


def _described(path: Path, view: FileView, window: Window | None) -> dict[str, Any]:
    from boreotabula.cli import sheetview

    texts = {"unreadable": view.unreadable} if view.unreadable else {}
    tabs = [sheetview.described(tab, window) for tab in view.tabs]
    return {"file": path, "tabs": tabs, **texts}


def _print(path: Path, view: FileView, window: Window | None, rows: int, *, single: bool) -> None:
    """Print a file; of one among several only its first rows."""
    from boreotabula.cli import screen, sheetview
    from boreotabula.cli.summary import findings

    console, name = screen.out(), written_name(path.name)
    if view.unreadable:
        screen.err().tell(f"! {view.unreadable}")
        return
    for remark in view.remarks:
        console.print(f"{name}: {remark}", style="dim", markup=False)
    for tab in view.tabs:
        sheetview.print_tab(console, tab, name, window, rows, brief=not single)
        if tab.reading is not None:
            findings(tab.reading.findings, every=False, more="")
    if view.others:
        other_text = ", ".join(view.others[:12]) + (" …" if len(view.others) > 12 else "")
        console.tell(f"other tabs: {other_text}", "dim")
    if not single:
        console.print()


def _advise(text: str) -> None:
    """A line of advice on stdout."""
    from boreotabula.cli import screen

    screen.out().tell(text, "dim")
