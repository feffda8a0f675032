"""`boreotabula extract`: a layout is run over all its files."""

from __future__ import annotations

import json
from pathlib import Path

import click

EPILOG = """\b
Example:
  boreotabula extract stock.toml -o stock.csv

Writes stock.csv, and beside it the folder stock.run with findings.csv, unplaced.csv and run.json.

\b
Exit status: 0 clean · 1 written, but something is an error
             2 wrong call or layout · 3 nothing was read"""


@click.command("extract", epilog=EPILOG)
@click.argument("layout", type=click.Path(path_type=Path))
@click.option(
    "-o", "--output", "output", type=click.Path(path_type=Path), required=True, metavar="OUT",
    help="Where the records go; the ending says how: .csv",
)  # fmt: skip
@click.option("-q", "--quiet", is_flag=True, help="Print nothing but what stops the command.")
@click.option("-v", "--verbose", is_flag=True, help="Name every file, and every finding in full.")
@click.option("--json", "as_json", is_flag=True, help="Print the run's record as JSON.")
def command(layout: Path, output: Path, quiet: bool, verbose: bool, as_json: bool) -> int:
    """Read all files of a LAYOUT into one table."""
    return perform(layout, output, quiet=quiet, verbose=verbose, as_json=as_json)


def perform(layout_path: Path, output: Path, *, quiet: bool, verbose: bool, as_json: bool) -> int:
    """Run a layout into an output and print what came of it; returns the exit status."""
    from boreotabula.outputs.writing import extract_into, look_for
    from boreotabula.runs.inbox import run_folder
    from boreotabula.runs.layouts import Layout
    from boreotabula.runs.record import describe

    layout = Layout.load(layout_path)
    inbox = look_for(layout, output)
    if quiet and not as_json:
        return extract_into(layout, inbox, output, lambda _: None).exit_status
    from boreotabula.cli import screen

    with screen.progress(len(inbox.taken), shown=not as_json, verbose=verbose) as on_file:
        run = extract_into(layout, inbox, output, on_file)
    written = run.exit_status != 3
    if as_json:
        described = describe(run, output if written else None)
        click.echo(json.dumps(described, ensure_ascii=False, indent=2))
        return run.exit_status
    screen.summary(run, output if written else None, run_folder(output) if written else None)
    screen.findings(run.findings, every=verbose)
    if not written:
        screen.err().print("Nothing was read, so nothing was written.")
    return run.exit_status
