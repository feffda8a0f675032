"""Performing a run with its output on the screen."""

from __future__ import annotations

from dataclasses import dataclass
from pathlib import Path
from typing import TYPE_CHECKING

from boreotabula.cli.printing import say_json
from boreotabula.cli.target import Target

if TYPE_CHECKING:
    from pyarrow import Table

    from boreotabula.batch.inputs import Inbox
    from boreotabula.batch.layouts.load import Layout
    from boreotabula.batch.read_all import ReadOptions
    from boreotabula.batch.run.outcome import Run
    from boreotabula.cli.summary import SenderOf
    from boreotabula.findings.finding import Finding


def _senders(run: Run, field: str | None) -> SenderOf | None:
    """Who sent the file of a finding.

    That is the value of a field on its tab, or on another tab of the file; if there is none, the
    name of the file. None if no field is named.
    """
    from boreotabula.cli.summary import SenderOf

    if field is None:
        return None
    by_tab = {
        (file.name, tab.name): str(tab.stamps[field])
        for file in run.files for tab in file.tabs if field in tab.stamps
    }  # fmt: skip
    by_file = {file: name for (file, _), name in by_tab.items()}

    def sender_of(finding: Finding) -> str:
        place = (finding.file, finding.tab)
        return by_tab.get(place) or by_file.get(finding.file) or finding.file

    return SenderOf(field, sender_of)


@dataclass(frozen=True)
class Show:
    """How much is printed, and in which form; whether errors keep the output back; and the page."""

    quiet: bool = False
    verbose: bool = False
    as_json: bool = False
    strict: bool = False
    report: Path | None = None
    expect: Path | None = None
    strict_past: bool = False
    sender: str | None = None


def perform(
    layout: Layout,
    inbox: Inbox,
    target: Target,
    show: Show | None = None,
    means: ReadOptions | None = None,
    *,
    whole: bool = False,
) -> int:
    """Run a layout over an inbox, into an output or on screen; returns the exit status.

    Day and month as seen by a run over the `whole` inbox are kept for runs over single files.
    """
    from boreotabula.batch.evidence import Evidence, keep_evidence
    from boreotabula.batch.read_all import ReadOptions
    from boreotabula.batch.run.record import describe
    from boreotabula.cli import screen
    from boreotabula.run import Conditions, run_into
    from boreotabula.stores.unkept import Nowhere

    show, means, store = show or Show(), means or ReadOptions(), target.store
    conditions = Conditions(show.strict, show.strict_past)
    bar = not (show.as_json or show.quiet)
    with screen.progress(len(inbox.taken), shown=bar, verbose=show.verbose) as on_file:
        run = run_into(store, layout, inbox, on_file, means, conditions)
    if whole:
        keep_evidence(layout, Evidence.of(run.evidence))
    kept = not isinstance(store, Nowhere)
    may = conditions.allow(run)
    written = may and kept
    folder = store.record_folder(list(run.tables)) if written else None
    out = store.file if written else None
    if written and target.remote and folder:
        target.remote.put(folder)
    status = run.exit_status or (0 if may else 1)
    if show.report is not None:
        from boreotabula.review.pages.report import write_report

        write_report(run, show.report, store.shown if written else None, show.expect, means.limits)
    if show.as_json:
        say_json(describe(run, out))
    elif not show.quiet:
        _print_run(run, target, folder, show, written=written)
        if run.exit_status == 3:
            screen.err().print("Nothing was read, so nothing was written.")
        elif kept and not may and show.strict_past and run.restated:
            screen.err().print("\nValues were restated, so nothing was written (--strict-past).")
        elif kept and not may:
            screen.err().print("\nThere are errors, so nothing was written (--strict).")
    return status


def _print_run(run: Run, target: Target, folder: Path | None, show: Show, *, written: bool) -> None:
    """The figures of a run and its findings; `folder` is its run folder, if it has one."""
    from boreotabula.cli import screen, summary
    from boreotabula.stores.unkept import Nowhere, Stdout

    store = target.store
    # The records are on stdout then, and nothing else may be.
    console = screen.err() if isinstance(store, Stdout) else screen.out()
    shown = store.shown if written else None
    record = str(folder) if folder else None
    if target.remote and folder:
        shown = target.remote.shown
        record = f"{shown.rpartition('/')[0]}/{folder.name}"
    summary.figures(run, shown, record, console, whole=show.verbose)
    if run.fetched:
        console.tell(f"  fetched   {run.fetched}")
    if show.report is not None:
        console.tell(f"  report    {show.report}")
    if isinstance(store, Nowhere) and not isinstance(store, Stdout):
        _print_first(run)
    summary.findings(run.findings, every=show.verbose, sender=_senders(run, show.sender))


def _print_first(run: Run) -> None:
    """The first records of each of the first files, for each table of a trial."""
    from boreotabula.cli import screen
    from boreotabula.stores.csv import csv_texts

    for name, table in run.tables.items():
        title = "first records" if len(run.tables) == 1 else f"first records of {name}"
        screen.out().print(f"\n{title}, nothing was written:", markup=False)
        screen.rows(csv_texts(_first_of_each(table)))


_FIRST_FILES, _FIRST_RECORDS = 6, 8


def _first_of_each(table: Table) -> Table:
    """A few records of each of the first files: as many as of a single file, or two."""
    import pyarrow as pa
    import pyarrow.compute as pc

    files = table.column("source_file")
    names = pc.unique(files).to_pylist()[:_FIRST_FILES]
    most = max(_FIRST_RECORDS // max(len(names), 1), 2)
    group = [table.filter(pc.equal(files, name)).slice(0, most) for name in names]
    return pa.concat_tables(group) if group else table.slice(0, 0)
