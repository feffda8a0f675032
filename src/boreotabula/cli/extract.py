"""`boreotabula extract`: a layout is run over all its files."""

from __future__ import annotations

import json
from dataclasses import replace
from pathlib import Path
from typing import TYPE_CHECKING

import click

from boreotabula.cli.options import json_option, largest_part, limits
from boreotabula.errors import CallError

if TYPE_CHECKING:
    from boreotabula.runs.extraction import Run
    from boreotabula.runs.inbox import Inbox
    from boreotabula.runs.layouts import Layout
    from boreotabula.workbooks.limits import Limits

EPILOG = """\b
Examples:
  boreotabula extract stock.toml -o stock.csv
  boreotabula extract stock.toml -o late.csv inbox/late_report.xlsx
  boreotabula extract stock.toml --dry-run --only "*Lomlia*" --limit 3
  boreotabula extract stock.toml -o stock.csv --strict

Writes stock.csv, and beside it the folder stock.run with findings.csv, unplaced.csv and run.json.
A layout with several output tables writes a folder, with a file for each table.

\b
Exit status: 0 clean · 1 written, but something is an error
             2 wrong call or layout · 3 nothing was read"""


@click.command("extract", epilog=EPILOG)
@click.argument("layout", type=click.Path(path_type=Path))
@click.argument("files", nargs=-1, type=click.Path(path_type=Path))
@click.option(
    "-o", "--output", "output", type=click.Path(path_type=Path), metavar="OUT",
    help="Where the records go; the ending says how: .csv or .xlsx",
)  # fmt: skip
@click.option("--only", metavar="PATTERN", help="Only the files whose name matches.")
@click.option("--limit", type=click.IntRange(min=1), metavar="N", help="Only the first N files.")
@click.option("--dry-run", is_flag=True, help="Write nothing; show the first records instead.")
@click.option("--strict", is_flag=True, help="Write nothing while any finding is an error.")
@click.option("-q", "--quiet", is_flag=True, help="Print nothing but what stops the command.")
@click.option("-v", "--verbose", is_flag=True, help="Name every file, and every finding in full.")
@largest_part
@json_option
def command(
    layout: Path,
    files: tuple[Path, ...],
    output: Path | None,
    only: str | None,
    limit: int | None,
    dry_run: bool,
    strict: bool,
    quiet: bool,
    verbose: bool,
    largest_part: int,
    as_json: bool,
) -> int:
    """Read all files of a LAYOUT, or only the FILES named, into one table."""
    from boreotabula.runs.layouts import Layout

    loaded = Layout.load(layout)
    if output is None and not dry_run:
        raise CallError("say where the records go with -o OUT.csv, or try it with --dry-run")
    inbox = _inbox(loaded, None if dry_run else output, files, only, limit)
    show = _Show(quiet, verbose, as_json, strict)
    return perform(loaded, inbox, None if dry_run else output, show, limits(largest_part))


class _Show:
    """How much is printed, and in which form; and whether errors keep the output back."""

    def __init__(
        self,
        quiet: bool = False,
        verbose: bool = False,
        as_json: bool = False,
        strict: bool = False,
    ) -> None:
        self.quiet, self.verbose, self.as_json, self.strict = quiet, verbose, as_json, strict


def _inbox(
    layout: Layout,
    output: Path | None,
    files: tuple[Path, ...],
    only: str | None,
    limit: int | None,
) -> Inbox:
    """The files of this call."""
    from boreotabula.layout.patterns import Kind, PatternError, pattern
    from boreotabula.outputs.writing import look_for
    from boreotabula.runs.inbox import look

    inbox = look_for(layout, output, files) if output else look(layout, named=files)
    taken = inbox.taken
    if only:
        try:
            chosen = pattern(only, Kind.FILE)
        except PatternError as error:
            raise CallError(f"--only: {error}") from None
        taken = tuple(one for one in taken if chosen.match(one.name) is not None)
        if not taken:
            raise CallError(f"--only: none of the {len(inbox.taken)} files matches “{only}”")
    return replace(inbox, taken=taken[:limit])


def perform(
    layout: Layout,
    inbox: Inbox,
    output: Path | None,
    show: _Show | None = None,
    bounds: Limits | None = None,
) -> int:
    """Run a layout over an inbox, into an output or on screen; returns the exit status."""
    from boreotabula.outputs.writing import extract_into, may_write
    from boreotabula.runs.extraction import gather, read_each
    from boreotabula.runs.inbox import run_folder
    from boreotabula.runs.record import describe

    show = show or _Show()
    if show.quiet and not show.as_json and output:
        run = extract_into(layout, inbox, output, lambda _: None, bounds, strict=show.strict)
        return run.exit_status
    from boreotabula.cli import screen

    with screen.progress(len(inbox.taken), shown=not show.as_json, verbose=show.verbose) as on_file:
        if output:
            run = extract_into(layout, inbox, output, on_file, bounds, strict=show.strict)
        else:
            readings = read_each(layout, inbox, on_file, bounds)
            run = gather(layout, inbox, readings, keep_records=True)
    written = output if may_write(run, strict=show.strict) else None
    if show.as_json:
        click.echo(json.dumps(describe(run, written), ensure_ascii=False, indent=2))
        return run.exit_status
    if show.quiet:
        return run.exit_status
    screen.summary(run, written, run_folder(written) if written else None)
    if output is None:
        _print_first(run)
    screen.findings(run.findings, every=show.verbose)
    if run.exit_status == 3:
        screen.err().print("Nothing was read, so nothing was written.")
    elif output and written is None:
        screen.err().print("\nThere are errors, so nothing was written (--strict).")
    return run.exit_status


def _print_first(run: Run) -> None:
    """The first records of each table of a trial."""
    from boreotabula.cli import screen
    from boreotabula.outputs.csv import csv_rows

    for name, table in run.tables.items():
        title = "first records" if len(run.tables) == 1 else f"first records of {name}"
        screen.out().print(f"\n{title}, nothing was written:", markup=False)
        screen.rows(csv_rows(table.slice(0, 8)))
