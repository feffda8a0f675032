"""`boreotabula extract`: a layout is run over all its files."""

from __future__ import annotations

from dataclasses import dataclass, replace
from pathlib import Path
from typing import TYPE_CHECKING

import click

from boreotabula.cli.options import (
    OUT,
    PLACE,
    SOURCE,
    Command,
    fields_option,
    json_option,
    limits,
    memory_per_file,
    overwrite_option,
)
from boreotabula.cli.printing import say, say_json
from boreotabula.cli.target import Into, OutputOptions, Target, chosen_target, inbox_of
from boreotabula.errors import CallError

if TYPE_CHECKING:
    from collections.abc import Sequence

    from pyarrow import Table

    from boreotabula.batch.inputs import Inbox
    from boreotabula.batch.layouts.load import Layout
    from boreotabula.batch.read_all import ReadOptions
    from boreotabula.batch.run.outcome import Run
    from boreotabula.cli.summary import SenderOf
    from boreotabula.findings.finding import Finding
    from boreotabula.limits import Limits
    from boreotabula.stores.bases.base import Place

EPILOG = """\b
Examples:
  boreotabula extract stock.toml -o stock.csv
  boreotabula extract stock.toml -o late.csv inbox/late_report.xlsx
  boreotabula extract stock.toml --dry-run --include "*Lomlia*" --limit 3
  boreotabula extract stock.toml -o stock.csv --strict
  boreotabula extract stock.toml --into master.xlsx --into-tab Records
  boreotabula extract stock.toml -o - | head

Writes stock.csv, and beside it the folder stock.csv.run with findings.csv, unplaced.csv and
run.json. The ending of OUT chooses the format: .csv, .csv.gz, .tsv, .psv, .jsonl, .parquet,
.arrow, .xlsx, .sqlite or .duckdb. A layout with several output tables writes a folder with a file
for each. Unchanged files are not read again: their results are cached (see boreotabula cache).

\b
Exit status:
  0 clean
  1 written, but there are errors that nobody has accepted
  2 wrong call or layout
  3 nothing was read
  70 a fault of the program"""


@click.command("extract", cls=Command, epilog=EPILOG)
@click.argument("layout", type=click.Path(path_type=Path))
@click.argument("files", nargs=-1, type=SOURCE)
@click.option(
    "-o", "--output", "output", type=OUT, metavar="OUT",
    help="Write the records here; the ending chooses the format (see below). - is CSV on stdout.",
)  # fmt: skip
@click.option(
    "--into", type=PLACE, metavar="FILE|URL",
    help="Add the records to an existing workbook or database; records of files read again are"
         " replaced.",
)  # fmt: skip
@click.option(
    "--into-tab", metavar="NAME", help="With --into: put the records into this tab or table."
)
@click.option(
    "--add-columns", is_flag=True,
    help="With --into a database: add missing columns.",
)  # fmt: skip
@fields_option("--partition", "With -o FOLDER: Parquet files in subfolders by these fields")
@click.option(
    "--cluster", metavar="ADDRESS",
    help="With -o FOLDER: read on the workers of a Dask scheduler; local:4 starts four here.",
)  # fmt: skip
@click.option(
    "--replace", "replace_all", is_flag=True,
    help="With --into: remove rows of files that are not read now.",
)  # fmt: skip
@click.option(
    "--no-source", is_flag=True,
    help="With --into a workbook: add no source_… columns; the layout's key identifies rows.",
)  # fmt: skip
@click.option(
    "--run-folder", type=click.Path(path_type=Path), metavar="FOLDER",
    help="With --into a database: put findings.csv and the other lists here.",
)  # fmt: skip
@click.option(
    "--report", type=click.Path(path_type=Path), metavar="PAGE",
    help="Also write a page about the run (.html), and one of the cells to check.",
)  # fmt: skip
@click.option(
    "--expect", type=click.Path(path_type=Path), metavar="SITES",
    help="With --report: list who has not reported, given who should (CSV).",
)  # fmt: skip
@overwrite_option
@click.option(
    "--safe-csv", is_flag=True,
    help="Put an apostrophe before texts in CSV that a spreadsheet would read as a formula.",
)  # fmt: skip
@click.option(
    "--include",
    multiple=True,
    metavar="PATTERN",
    help="Read only the files whose names match (repeatable).",
)
@click.option(
    "--limit", type=click.IntRange(min=1), metavar="N", help="Read only the first N files."
)
@click.option("--dry-run", is_flag=True, help="Write nothing; show the first records instead.")
@click.option("--strict", is_flag=True, help="Write nothing if there is an error.")
@click.option(
    "--strict-past", is_flag=True,
    help="Write nothing if a value differs from what was reported before.",
)  # fmt: skip
@click.option(
    "--by", metavar="FIELD",
    help="Count findings by this stamp, such as nursery. Default: by file.",
)  # fmt: skip
@click.option("-q", "--quiet", is_flag=True, help="Print only fatal errors.")
@click.option(
    "-v", "--verbose", is_flag=True, help="List every file, the full account, and every finding."
)
@click.option(
    "--workers", type=click.IntRange(min=1), metavar="N",
    help="Read in N processes. Default: one for each core.",
)  # fmt: skip
@click.option("--fresh", is_flag=True, help="Ignore the cache and read all files again.")
@memory_per_file
@json_option
def command(
    layout: Path,
    files: tuple[Path, ...],
    output: str | None,
    into: Place | None,
    into_tab: str | None,
    add_columns: bool,
    partition: tuple[str, ...],
    cluster: str | None,
    replace_all: bool,
    no_source: bool,
    run_folder: Path | None,
    report: Path | None,
    expect: Path | None,
    overwrite: bool,
    safe_csv: bool,
    include: tuple[str, ...],
    limit: int | None,
    dry_run: bool,
    strict: bool,
    strict_past: bool,
    by: str | None,
    quiet: bool,
    verbose: bool,
    workers: int | None,
    fresh: bool,
    memory_per_file: int,
    as_json: bool,
) -> int:
    """Read all files of a LAYOUT, or only the FILES named, into one table."""
    from boreotabula.batch.layouts.load import Layout
    from boreotabula.batch.prefetch import ReadAhead

    loaded = Layout.load(layout)
    _check_sender(by, loaded)
    given = Into(into, into_tab, replace_all, no_source, add_columns, run_folder)
    options = OutputOptions(output, given, partition, cluster, overwrite, safe_csv)
    target = chosen_target(
        options, lambda sentence: None if quiet else say(sentence, err=True), dry_run=dry_run
    )
    show = _Show(quiet, verbose, as_json, strict, report, expect, strict_past, by)
    _check_show(show, output, dry_run=dry_run)
    if report is not None:
        _check_report(report, expect, loaded, (layout, *files), overwrite=overwrite)
    whole = not (files or include or limit)
    bounds = limits(memory_per_file)
    means = _means(loaded, workers, bounds, fresh=fresh, whole=whole)
    with ReadAhead(loaded, means) as ahead:
        inbox = inbox_of(loaded, target, files, include, limit, ahead.take)
    return perform(loaded, inbox, target, show, means, whole=whole)


def _check_show(show: _Show, output: str | None, *, dry_run: bool) -> None:
    """Raises CallError if what is to be shown does not go with the output."""
    if output == "-" and not dry_run and (show.strict or show.strict_past or show.as_json):
        raise CallError(
            "--strict, --strict-past and --json need a file: records on stdout are already out when"
            " an error is found"
        )
    if show.strict_past and dry_run:
        raise CallError(
            "--strict-past compares with what the output held before: name it with -o or --into"
        )
    if show.expect is not None and show.report is None:
        raise CallError("--expect only works with --report; the page lists who has not reported")


def _check_report(
    report: Path, expect: Path | None, layout: Layout, inputs: Sequence[Path], *, overwrite: bool
) -> None:
    """Raises CallError if a page about the run cannot be written. Told before the files are read,
    not after."""
    from boreotabula.batch.claims import check_claim
    from boreotabula.batch.inputs import check_apart
    from boreotabula.review.pages.report import check_expected, check_report
    from boreotabula.review.pages.roles_beside import roles_page

    check_report(report)
    if expect is not None:
        check_expected(expect, layout.spec.fields)
    check_apart(report, layout.folders.values(), layout.spec.source.include)
    read = (*inputs, expect, *layout.glossaries, *layout.lists)
    for page in (report, roles_page(report)):
        check_claim(page, read, overwrite=overwrite)


def _check_sender(field: str | None, layout: Layout) -> None:
    """Raises CallError if a field is none that holds for a whole tab."""
    from boreotabula.layout.problems import did_you_mean

    plan = layout.plan
    blocks = [block for form in plan.forms for block in form.blocks]
    stamps = {source.field for form in plan.forms for source in form.sources}
    fields = sorted(stamps.union(*(block.filled for block in blocks)))
    if field is not None and field not in fields:
        raise CallError(
            f"--by “{field}”: no stamp or name of a file fills such a field"
            f"{did_you_mean(field, fields)}"
        )


def _senders(run: Run, field: str | None) -> SenderOf | None:
    """Who sent the file of a finding: what a field holds on its tab, or on another tab of it; the
    name of the file where none says it. None if no field is named."""
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


def _means(
    layout: Layout, workers: int | None, bounds: Limits, *, fresh: bool, whole: bool
) -> ReadOptions:
    """How the files are read. Without the `whole` inbox day and month are told by what an earlier
    run over it has seen."""
    from boreotabula.batch.cache.store import Cache
    from boreotabula.batch.evidence import kept_evidence
    from boreotabula.batch.read_all import ReadOptions

    means = ReadOptions(workers, Cache.of(layout.digest, bounds), fresh, bounds)
    return means if whole else replace(means, evidence=kept_evidence(layout))


@dataclass(frozen=True)
class _Show:
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
    show: _Show | None = None,
    means: ReadOptions | None = None,
    *,
    whole: bool = False,
) -> int:
    """Run a layout over an inbox, into an output or on screen; returns the exit status.

    What a run over the `whole` inbox finds of day and month is kept for those over a single file.
    """
    from boreotabula.batch.evidence import Evidence, keep_evidence
    from boreotabula.batch.read_all import ReadOptions
    from boreotabula.batch.run.record import describe
    from boreotabula.cli import screen
    from boreotabula.run import Conditions, run_into
    from boreotabula.stores.unkept import Nowhere

    show, means, store = show or _Show(), means or ReadOptions(), target.store
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


def _print_run(
    run: Run, target: Target, folder: Path | None, show: _Show, *, written: bool
) -> None:
    """The figures of a run and its findings; `folder` is its run folder, if it has one."""
    from boreotabula.cli import screen, summary
    from boreotabula.stores.unkept import Nowhere, Stdout

    store = target.store
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
    """The first records of each of the first files, of each table of a trial."""
    from boreotabula.cli import screen
    from boreotabula.stores.csv import csv_rows

    for name, table in run.tables.items():
        title = "first records" if len(run.tables) == 1 else f"first records of {name}"
        screen.out().print(f"\n{title}, nothing was written:", markup=False)
        screen.rows(csv_rows(_first_of_each(table)))


_FIRST_FILES, _FIRST_RECORDS = 6, 8


def _first_of_each(table: Table) -> Table:
    """A few records of each of the first files: as many as of one file alone, or two."""
    import pyarrow as pa
    import pyarrow.compute as pc

    files = table.column("source_file")
    names = pc.unique(files).to_pylist()[:_FIRST_FILES]
    most = max(_FIRST_RECORDS // max(len(names), 1), 2)
    group = [table.filter(pc.equal(files, name)).slice(0, most) for name in names]
    return pa.concat_tables(group) if group else table.slice(0, 0)
