"""`boreotabula check`: one report, before it is sent, in the words of its sender."""

from __future__ import annotations

from dataclasses import dataclass
from pathlib import Path
from typing import TYPE_CHECKING

import click

from boreotabula.cli.options import Command, json_option, options_as, overwrite_option
from boreotabula.cli.printing import say, say_json
from boreotabula.texts import counted

if TYPE_CHECKING:
    from boreotabula.review.mark.faults import Fault
    from boreotabula.review.mark.words import Say

EPILOG = """\b
Examples:
  boreotabula check report.xlsx --layout stock.toml
  boreotabula check report.xlsx --layout stock.toml --language nb
  boreotabula check report.xlsx --layout stock.toml --page check.html

It says what the sender should correct, as a letter of `mark` does. What only concerns whoever
keeps the layout is counted, not listed. Nothing is written but the page.

\b
Exit status:
  0 nothing to correct
  1 something to correct
  2 wrong call or layout
  3 nothing could be read: no report of this layout"""


@dataclass(frozen=True)
class CheckOptions:
    """The arguments and options of `boreotabula check`."""

    report: Path
    layout: Path
    severity: str
    language: str
    page: Path | None
    overwrite: bool
    as_json: bool


@click.command("check", cls=Command, epilog=EPILOG)
@click.argument("report", type=click.Path(path_type=Path), metavar="REPORT")
@click.option("--layout", type=click.Path(path_type=Path), required=True, metavar="LAYOUT",
              help="The layout that reads such reports.")  # fmt: skip
@click.option(
    "--severity", type=click.Choice(["error", "warning", "note"]), default="warning",
    show_default=True, help="Say what is of this severity and above.",
)  # fmt: skip
@click.option("--language", default="en", show_default=True, metavar="CODE",
              help="Language of what is said: en, nb, fi, de.")  # fmt: skip
@click.option("--page", type=click.Path(path_type=Path), metavar="PAGE",
              help="Also write it as a page (.html).")  # fmt: skip
@overwrite_option
@json_option
@options_as(CheckOptions)
def command(options: CheckOptions) -> int:
    """Check one REPORT before it is sent: what its sender should correct."""
    from boreotabula.api import extract
    from boreotabula.batch.inputs import check_is_file
    from boreotabula.batch.layouts.load import Layout
    from boreotabula.findings.kind import Severity
    from boreotabula.review.mark.checked import check_page, write_page
    from boreotabula.review.mark.faults import faults_in
    from boreotabula.review.mark.words import request_of, say_in

    # An unknown language is an error before the report is read.
    words = say_in(options.language)
    loaded = Layout.load(options.layout)
    check_is_file(options.report)
    if options.page is not None:
        inputs = [options.report, options.layout, *loaded.glossaries, *loaded.lists]
        check_page(options.page, inputs, overwrite=options.overwrite)
    # As the analyst's run reads it, so that both say the same.
    run = extract(loaded, options.report)
    faults, others = faults_in(run.findings, Severity(options.severity), words)
    if options.page is not None:
        write_page(options.page, options.report.name, faults, words, options.language)
    if options.as_json:
        say_json({
            "file": options.report.name,
            "faults": [
                {"tab": fault.tab, "cell": fault.cell, "severity": str(fault.severity),
                 "code": fault.kind.code, "text": fault.text,
                 "request": request_of(fault.kind).name.lower()}
                for fault in faults
            ],
            "others": others,
            "records": run.record_count,
        })  # fmt: skip
    else:
        _print(options.report.name, faults, words)
        if others:
            say(f"{counted(others, 'finding')} for whoever keeps the layout, not listed", err=True)
    return 3 if run.exit_status == 3 else 1 if faults or run.exit_status == 1 else 0


def _print(name: str, faults: list[Fault], words: Say) -> None:
    from boreotabula.review.mark.faults import by_request
    from boreotabula.review.mark.words import CHECKED_OF, NOTHING_TO_CORRECT

    if not faults:
        say(words(NOTHING_TO_CORRECT).format(name=name))
    for request, group in by_request(faults).items():
        say(words(CHECKED_OF[request]).format(name=name))
        for fault in group:
            place = " ".join(part for part in (fault.tab, fault.cell) if part) or name
            say(f"- {place}: {fault.text}")
