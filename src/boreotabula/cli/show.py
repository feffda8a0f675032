"""`boreotabula show`: a tab with its addresses, and what each cell is to a layout."""

from __future__ import annotations

from pathlib import Path
from typing import Any

import click

from boreotabula.cli.options import json_option, largest_part, limits
from boreotabula.cli.printing import say_json

EPILOG = """\b
Examples:
  boreotabula show report.xlsx
  boreotabula show report.xlsx --tab "Bench *" --cells A1:H30
  boreotabula show report.xlsx --layout stock.toml"""


@click.command("show", epilog=EPILOG)
@click.argument("file", type=click.Path(path_type=Path))
@click.option(
    "--tab", "tabs", multiple=True, metavar="PATTERN",
    help="Which tabs, by name or pattern; may be given several times. Else the first filled one,"
    " or those that the layout reads.",
)  # fmt: skip
@click.option(
    "--layout", "layout_path", type=click.Path(path_type=Path), metavar="LAYOUT",
    help="Mark each cell with its role in this layout.",
)  # fmt: skip
@click.option("--cells", metavar="RANGE", help="Only a part of the tab, such as B2:H30.")
@click.option("--rows", type=click.IntRange(min=1), default=60, show_default=True,
              help="So many rows at most.")  # fmt: skip
@largest_part
@json_option
def command(
    file: Path,
    tabs: tuple[str, ...],
    layout_path: Path | None,
    cells: str | None,
    rows: int,
    largest_part: int,
    as_json: bool,
) -> int:
    """Show tabs of a FILE with row numbers and column letters.

    Numbers stand to the right, text to the left; 'digits are text that looks like a number. Merged
    cells, error values, hidden rows and columns are marked. With --layout each cell carries the
    letter of its role, and the findings about the tab follow.
    """
    from boreotabula.cli import screen, sheetview
    from boreotabula.runs.layouts.load import Layout
    from boreotabula.runs.survey import view_file

    window = sheetview.parse_window(cells) if cells else None
    layout = Layout.load(layout_path) if layout_path else None
    view = view_file(file, tabs, layout, limits(largest_part))
    if as_json:
        described: list[dict[str, Any]] = [sheetview.described(one, window) for one in view.tabs]
        say_json({"file": str(file), "tabs": described})
        return 0
    console = screen.out()
    for remark in view.remarks:
        console.print(f"{file.name}: {remark}", style="dim", markup=False)
    for one in view.tabs:
        sheetview.print_tab(console, one, file.name, window, rows)
        if one.reading is not None:
            screen.findings(one.reading.findings, every=False)
    if view.others:
        others = ", ".join(view.others[:12]) + (" …" if len(view.others) > 12 else "")
        console.print(f"other tabs: {others}", style="dim", markup=False, soft_wrap=True)
    if layout is None:
        said = f"boreotabula draft {file.parent} writes a layout for this"
        console.print(said, style="dim", markup=False)
    return 0
