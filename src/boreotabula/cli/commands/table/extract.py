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
    options_as,
    overwrite_option,
)
from boreotabula.cli.performing import Show, perform
from boreotabula.cli.printing import say
from boreotabula.cli.target import Into, OutputOptions, chosen_target, inbox_of
from boreotabula.errors import CallError

if TYPE_CHECKING:
    from collections.abc import Sequence

    from boreotabula.batch.layouts.load import Layout
    from boreotabula.batch.read_all import ReadOptions
    from boreotabula.limits import Limits
    from boreotabula.stores.bases.base import BasePlace

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


@dataclass(frozen=True)
class ExtractOptions:
    """The arguments and options of `boreotabula extract`."""

    layout: Path
    files: tuple[Path, ...]
    output: str | None
    into: BasePlace | None
    into_tab: str | None
    add_columns: bool
    partition: tuple[str, ...]
    cluster: str | None
    replace_all: bool
    no_source: bool
    run_folder: Path | None
    report: Path | None
    expect: Path | None
    overwrite: bool
    safe_csv: bool
    include: tuple[str, ...]
    limit: int | None
    dry_run: bool
    strict: bool
    strict_past: bool
    by: str | None
    quiet: bool
    verbose: bool
    workers: int | None
    fresh: bool
    memory_per_file: int
    as_json: bool


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
@options_as(ExtractOptions)
def command(options: ExtractOptions) -> int:
    """Read all files of a LAYOUT, or only the FILES named, into one table."""
    from boreotabula.batch.layouts.load import Layout
    from boreotabula.batch.prefetch import ReadAhead

    loaded = Layout.load(options.layout)
    # A wrong name is told at once, and not after all files are read.
    _check_sender(options.by, loaded)
    target = chosen_target(
        _output_options(options),
        lambda sentence: None if options.quiet else say(sentence, err=True),
        dry_run=options.dry_run,
    )
    show = Show(
        quiet=options.quiet,
        verbose=options.verbose,
        as_json=options.as_json,
        strict=options.strict,
        report=options.report,
        expect=options.expect,
        strict_past=options.strict_past,
        sender=options.by,
    )
    _check_show(show, options.output, dry_run=options.dry_run)
    if options.report is not None:
        _check_report(
            options.report,
            options.expect,
            loaded,
            (options.layout, *options.files),
            overwrite=options.overwrite,
        )
    whole = not (options.files or options.include or options.limit)
    bounds = limits(options.memory_per_file)
    means = _means(loaded, options.workers, bounds, fresh=options.fresh, whole=whole)
    with ReadAhead(loaded, means) as ahead:
        inbox = inbox_of(loaded, target, options.files, options.include, options.limit, ahead.take)
    return perform(loaded, inbox, target, show, means, whole=whole)


def _output_options(options: ExtractOptions) -> OutputOptions:
    """The options that say where records go."""
    into = Into(
        place=options.into,
        tab=options.into_tab,
        replace_all=options.replace_all,
        no_source=options.no_source,
        add_columns=options.add_columns,
        run_folder=options.run_folder,
    )
    return OutputOptions(
        output=options.output,
        into=into,
        partition=options.partition,
        cluster=options.cluster,
        overwrite=options.overwrite,
        safe_csv=options.safe_csv,
    )


def _check_show(show: Show, output: str | None, *, dry_run: bool) -> None:
    """Raises CallError if what is to be shown contradicts the output."""
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
    """Raises CallError if a page about the run cannot be written. Checked before the files are
    read, not after."""
    from boreotabula.batch.claims import check_claim
    from boreotabula.batch.output_checks import check_apart
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
    """Raises CallError if a field does not hold for a whole tab."""
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


def _means(
    layout: Layout, workers: int | None, bounds: Limits, *, fresh: bool, whole: bool
) -> ReadOptions:
    """How the files are read.

    Without the `whole` inbox, what an earlier run over it has seen decides whether day or month
    comes first.
    """
    from boreotabula.batch.cache.store import Cache
    from boreotabula.batch.evidence import kept_evidence
    from boreotabula.batch.read_all import ReadOptions

    means = ReadOptions(workers, Cache.of(layout.digest, bounds), fresh, bounds)
    return means if whole else replace(means, evidence=kept_evidence(layout))
