"""`boreotabula accept`: write down that a finding is known, beside the layout."""

from __future__ import annotations

from dataclasses import dataclass
from typing import TYPE_CHECKING

import click

from boreotabula.cli.options import (
    PLACE,
    Command,
    decided_by,
    json_option,
    options_as,
    table_option,
    until_option,
    who_option,
    why_option,
)
from boreotabula.cli.printing import say, say_decided, say_json
from boreotabula.texts import unguarded_text

if TYPE_CHECKING:
    from boreotabula.stores.bases.base import BasePlace

EPILOG = """\b
Examples:
  boreotabula accept stock.csv total-differs --why "a tray was lost"
  boreotabula accept stock.csv total-differs --file "*Lomlia_2026-03*" \\
      --cell G14 --why "a tray was lost" --until 2026-12-31

The line goes into the accepted findings of the layout; if it has none, accepted.csv is created next
to it. It accepts what was seen and no more: it lapses when the cell, or what is found there, is
another. From the next run on the finding is counted as accepted, and no longer as to check.

\b
Exit status:
  0 the line is written
  1 the run has no such finding
  2 wrong call, or a finding that cannot be accepted"""


@dataclass(frozen=True)
class AcceptOptions:
    """The arguments and options of `boreotabula accept`."""

    records: BasePlace
    code: str
    file: str | None
    tab: str | None
    cell: str | None
    why: str
    who: str | None
    until: str | None
    table: str | None
    as_json: bool


@click.command("accept", cls=Command, epilog=EPILOG)
@click.argument("records", type=PLACE, metavar="RECORDS")
@click.argument("code", metavar="CODE")
@click.option("--file", metavar="PATTERN", help="The file of the finding.")
@click.option("--tab", metavar="PATTERN", help="The tab of the finding.")
@click.option("--cell", metavar="CELL", help="The cell of the finding, as D10.")
@why_option
@who_option
@until_option
@table_option
@json_option
@options_as(AcceptOptions)
def command(options: AcceptOptions) -> int:
    """Accept a finding: a line beside the layout says who knows of it, and why.

    CODE is its code in findings.csv, such as total-differs. If the run has several with this code,
    say which one is meant.
    """
    from boreotabula.batch.layouts.load import Layout
    from boreotabula.review.accept import (
        chosen_finding,
        place_of_finding,
        tabs_of,
        write_acceptance,
    )
    from boreotabula.stores.saved import output_and_run

    saved, run_folder = output_and_run(options.records, options.table)
    row = chosen_finding(
        run_folder, options.code, {"file": options.file, "tab": options.tab, "cell": options.cell}
    )
    if row is None:
        say(f"The run of “{options.records}” has no such finding.", err=True)
        return 1
    if saved.record.get("safe_csv"):
        # The line must match what a run finds, not how CSV guards it.
        row = {name: unguarded_text(text) for name, text in row.items()}
    layout = Layout.load(saved.layout_path)
    decision = {
        "who": decided_by(options.who),
        "why": options.why.strip(),
        "until": (options.until or "").strip(),
    }
    written = write_acceptance(layout, row, tabs_of(saved, row["file"]), decision)
    if options.as_json:
        place = {"file": row["file"], "tab": row["tab"]}
        say_json({**written.line, **place, "accepted": written.path.name,
                  "layout_edited": written.layout_edited})  # fmt: skip
        return 0
    say(f"{row['severity']} {options.code} is accepted: {place_of_finding(row)}")
    say(f"  {row['message']}")
    say_decided(
        "accepted", written.path, layout.path, options.records, edited=written.layout_edited
    )
    return 0
