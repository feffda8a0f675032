"""`boreotabula bind`: the tabs of many files in one workbook."""

from __future__ import annotations

from collections import Counter
from dataclasses import dataclass, replace
from pathlib import Path
from typing import TYPE_CHECKING

import click

from boreotabula.cli.options import (
    SOURCE,
    Command,
    json_option,
    limits,
    memory_per_file,
    options_as,
    overwrite_option,
)
from boreotabula.cli.printing import say, say_json
from boreotabula.errors import CallError
from boreotabula.files import written_name
from boreotabula.texts import counted

if TYPE_CHECKING:
    from collections.abc import Iterable, Sequence

    from boreotabula.batch.inputs import SkippedFile, SourceFile
    from boreotabula.binding.bound import Bound
    from boreotabula.layout.model import Reading
    from boreotabula.layout.tabs import Tabs
    from boreotabula.sheets.opening import Opening

EPILOG = """\b
Examples:
  boreotabula bind inbox -o all.xlsx
  boreotabula bind inbox -o all.xlsx --include "*Lomlia*" \\
      --named "Greenhouse *"
  boreotabula bind april.xlsx may.csv -o both.xlsx --tab-name "{file}" \\
      --no-contents
  boreotabula bind loggers -o loggers.xlsx --types
  boreotabula bind stock.toml -o all.xlsx

Files and folders come in the order of the call, the files of a folder in natural order. A first tab
lists every tab with its file and a link, and what could not be kept. Formulas become their results;
values, formats, hidden rows and columns, frozen panes, filters, links and notes are kept. A layout
gives its own files and tabs, and tells how numbers and dates of text files are written. Tab names
are made valid, unique, and at most 31 characters long.

\b
Exit status:
  0 bound
  1 bound, but some files or tabs are missing
  2 wrong call, or nothing to bind"""


@dataclass(frozen=True)
class BindOptions:
    """The arguments and options of `boreotabula bind`."""

    sources: tuple[Path, ...]
    output: Path
    include: tuple[str, ...]
    exclude: tuple[str, ...]
    named: tuple[str, ...]
    position: int | None
    left_out: tuple[str, ...]
    visible_only: bool
    tab_name: str
    no_contents: bool
    find_types: bool
    overwrite: bool
    memory_per_file: int
    as_json: bool


@click.command("bind", cls=Command, epilog=EPILOG)
@click.argument("sources", nargs=-1, required=True, type=SOURCE)
@click.option(
    "-o", "--output", type=click.Path(path_type=Path), required=True, metavar="OUT",
    help="Workbook to write (.xlsx).",
)  # fmt: skip
@click.option("--include", multiple=True, metavar="PATTERN", help="Take files that match.")
@click.option("--exclude", multiple=True, metavar="PATTERN", help="Skip files that match.")
@click.option("--named", multiple=True, metavar="PATTERN", help="Take tabs that match.")
@click.option(
    "--position", type=int, metavar="N", help="Take only the Nth tab of each file; -1 is the last."
)
@click.option(
    "--except", "left_out", multiple=True, metavar="PATTERN", help="Skip tabs that match."
)
@click.option("--visible-only", is_flag=True, help="No hidden tabs.")
@click.option(
    "--tab-name", default="{file} {tab}", show_default=True, metavar="FORM",
    help="Name tabs by {file}, {folder}, {tab} and {n}.",
)  # fmt: skip
@click.option(
    "--no-contents", is_flag=True,
    help="Add no first tab that lists all others.",
)  # fmt: skip
@click.option(
    "--types", "find_types", is_flag=True,
    help="Read numbers and dates of text files, column by column; doubtful ones stay texts.",
)  # fmt: skip
@overwrite_option
@memory_per_file
@json_option
@options_as(BindOptions)
def command(options: BindOptions) -> int:
    """Put the tabs of SOURCES (folders, files, or a layout) into one workbook, in that order."""
    from boreotabula.batch.claims import check_claim
    from boreotabula.batch.output_checks import check_place
    from boreotabula.binding.bind import Binding, bind
    from boreotabula.binding.names import check_form
    from boreotabula.binding.types import AsRead, by_columns, plainly
    from boreotabula.cli import screen

    check_place(options.output, (".xlsx",), "bind writes a workbook,")
    check_form(options.tab_name)
    check_claim(options.output, options.sources, overwrite=options.overwrite)
    wanted = _wanted(options.sources, options.output, options.include, options.exclude)
    if options.find_types and wanted.reading is not None:
        raise CallError(
            "--types: the layout already tells how values are written; leave --types out"
        )
    files = wanted.files
    result = AsRead(wanted.reading) if wanted.reading is not None else plainly
    binding = Binding(
        _choice(
            wanted.choice,
            options.named,
            options.position,
            options.left_out,
            visible_only=options.visible_only,
        ),
        replace(wanted.opening, limits=limits(options.memory_per_file)),
        options.tab_name,
        not options.no_contents,
        by_columns if options.find_types else result,
    )
    with screen.counting("binding", shown=not options.as_json) as (start, on_file):
        start(len(files))
        tabs = bind(files, wanted.unseen, binding, options.output, on_file)
    if options.as_json:
        say_json(tabs)
    else:
        _print(tabs, options.output, len(files), every=options.find_types or not binding.contents)
    return 1 if any(tab.lacking for tab in tabs) else 0


def _print(tabs: Sequence[Bound], output: Path, files: int, *, every: bool) -> None:
    """The number of files and tabs bound, and notes: about `every` tab, or about doubtful ones."""
    count = sum(bool(tab.name) for tab in tabs)
    # A tab without a name is not in the workbook.
    read = len({tab.file for tab in tabs if tab.name})
    of = f"{read} of {counted(files, 'file')}" if read < files else counted(read, "file")
    say(f"{output}: {counted(count, 'tab')} of {of}")
    for tab in tabs if every else ():
        if tab.name and tab.note:
            say(f"  {tab.name}: {tab.note}")
    noted = [tab for tab in tabs if tab.lacking or tab.doubtful]
    for tab in noted[:_MOST_TOLD]:
        place = " › ".join(part for part in (tab.file, tab.tab) if part)
        say(f"! {place}: {tab.note}", err=True)
    if len(noted) > _MOST_TOLD:
        say(f"! … and {len(noted) - _MOST_TOLD} more, in the tab Contents", err=True)


_MOST_TOLD = 10


@dataclass(frozen=True)
class _Wanted:
    """The files in order, entries that are not looked into, and a layout's choice of tabs and
    values, if there is one."""

    files: list[SourceFile]
    unseen: list[SkippedFile]
    choice: Tabs
    opening: Opening
    reading: Reading | None


def _wanted(
    sources: tuple[Path, ...], output: Path, include: tuple[str, ...], exclude: tuple[str, ...]
) -> _Wanted:
    """What is to be bound: as named, the files of a folder in natural order, none twice."""
    from boreotabula.batch.file.open_file import make_job
    from boreotabula.batch.inputs import SkippedFile, check_is_file, look, sorted_files
    from boreotabula.batch.layouts.load import Layout
    from boreotabula.batch.output_checks import check_apart
    from boreotabula.batch.run_folders import run_folder
    from boreotabula.layout.tabs import Tabs
    from boreotabula.sheets.opening import Opening

    choice, opening = Tabs(every=True), Opening()
    reading: Reading | None = None
    files: list[SourceFile] = []
    unseen: list[SkippedFile] = []
    for source in sources:
        if source.suffix.lower() == ".toml":
            layout = Layout.load(source)
            check_apart(output, layout.folders.values(), layout.spec.source.include)
            job = make_job(layout.spec, layout.plan)
            choice, opening, reading = job.tabs, job.opening, layout.spec.reading
            inbox = look(layout, own=(output, run_folder(output)))
            files += inbox.taken
            # Only what could be a report: names that no pattern takes were left out on purpose.
            unseen += [omission for omission in inbox.left_out if omission.kind]
        elif source.is_dir():
            check_apart(output, [source])
            result = list(sorted_files(source, (output,)))
            files += [_source(file.path, file.below) for file in result if not file.why]
            unseen += [SkippedFile(file.below, file.why, file.kind) for file in result if file.kind]
        elif not source.exists():
            raise CallError(f"there is no file or folder “{source}”")
        else:
            check_is_file(source)
            files.append(_source(source, written_name(source.name)))
    files = _matching(files, output, include, exclude)
    if not files:
        raise CallError("no file matches; nothing was written")
    return _Wanted(_each_once(files), unseen, choice, opening, reading)


def _matching(
    files: Iterable[SourceFile], output: Path, include: tuple[str, ...], exclude: tuple[str, ...]
) -> list[SourceFile]:
    """The files that the patterns match, without the output. Raises CallError."""
    from boreotabula.layout.patterns import PatternError, PatternKind, first_match, pattern

    try:
        wanted = tuple(pattern(text, PatternKind.FILE) for text in include)
        unwanted = tuple(pattern(text, PatternKind.FILE) for text in exclude)
    except PatternError as error:
        raise CallError(f"--include, --exclude: {error}") from None
    return [
        # A second run must not bind its own first result.
        file for file in files
        if file.path.resolve() != output.resolve()
        and (not wanted or first_match(wanted, file.name) is not None)
        and first_match(unwanted, file.name) is None
    ]  # fmt: skip


def _each_once(files: Sequence[SourceFile]) -> list[SourceFile]:
    """Each file once, at its first place; files with the same name are called by their paths."""
    # Reversed, so that the first mention of a file wins.
    once = {file.path.resolve(): file for file in reversed(files)}
    files = [file for file in files if once[file.path.resolve()] is file]
    named = Counter(file.name for file in files)
    # Of several folders: then the name alone does not tell which file it is.
    return [
        replace(file, name=written_name(file.path.as_posix())) if named[file.name] > 1 else file
        for file in files
    ]


def _source(path: Path, name: str) -> SourceFile:
    from boreotabula.batch.inputs import SourceFile

    return SourceFile(path, name, folder=written_name(path.resolve().parent.name))


def _choice(
    choice: Tabs,
    named: tuple[str, ...],
    position: int | None,
    left_out: tuple[str, ...],
    *,
    visible_only: bool,
) -> Tabs:
    """The tabs that the options choose, else the layout, else all of them."""
    from boreotabula.layout.patterns import PatternError, PatternKind, pattern
    from boreotabula.layout.tabs import Tabs

    if named and position is not None:
        raise CallError("--named and --position both choose tabs; use one of them")
    try:
        names = tuple(pattern(text, PatternKind.TAB) for text in named)
        without = tuple(pattern(text, PatternKind.TAB) for text in left_out)
    except PatternError as error:
        raise CallError(f"--named, --except: {error}") from None
    if names or position is not None:
        choice = Tabs(named=names, position=position)
    # A layout would refuse a file of several tabs there; binding takes them all.
    elif choice.by_itself:
        choice = Tabs(every=True)
    return replace(
        choice,
        except_=(*choice.except_, *without),
        visible_only=visible_only or choice.visible_only,
    )
