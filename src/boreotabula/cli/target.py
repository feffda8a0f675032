"""Where the records of an extract go: the store that its options name together."""

from __future__ import annotations

import sys
from dataclasses import dataclass, replace
from pathlib import Path
from typing import TYPE_CHECKING

from boreotabula.errors import CallError

if TYPE_CHECKING:
    from boreotabula.batch.inputs import Inbox
    from boreotabula.batch.layouts.load import Layout
    from boreotabula.batch.private_files import OnWait
    from boreotabula.batch.remote.put import RemoteOutput
    from boreotabula.stores.bases.base import BasePlace
    from boreotabula.stores.store import OnFetched, Store


@dataclass(frozen=True)
class Into:
    """How an existing workbook or database takes the records."""

    place: BasePlace | None = None
    tab: str | None = None
    replace_all: bool = False
    no_source: bool = False
    add_columns: bool = False
    run_folder: Path | None = None


@dataclass(frozen=True)
class Target:
    """The store that takes the records, and the server that they are then sent to."""

    store: Store
    remote: RemoteOutput | None = None
    overwrite: bool = False


@dataclass(frozen=True)
class OutputOptions:
    """The options that say where the records go."""

    output: str | None
    into: Into
    partition: tuple[str, ...] = ()
    cluster: str | None = None
    overwrite: bool = False
    safe_csv: bool = False

    @property
    def in_parts(self) -> bool:
        """Whether a dataset is requested."""
        return bool(self.partition) or self.cluster is not None


def chosen_target(options: OutputOptions, on_wait: OnWait, *, dry_run: bool = False) -> Target:
    """The target that the options describe. Raises CallError if they contradict each other."""
    from boreotabula.batch.remote.address import is_remote
    from boreotabula.stores.bases.address import is_base_address
    from boreotabula.stores.unkept import Nowhere, Stdout

    output, into = options.output, options.into
    _check_into(into, output)
    _check_parts(options)
    # Only now, so that a trial refuses what the run would refuse.
    if dry_run:
        return Target(Nowhere())
    if options.safe_csv and (into.place is not None or options.in_parts):
        raise CallError(_NO_CSV)
    if into.place is not None:
        return Target(_into(into, on_wait))
    if output is None:
        raise CallError("name a file for the records with -o OUT.csv, or try it with --dry-run")
    if is_base_address(output):
        raise CallError(f"“{output}” is an address: records go into a database with --into")
    if output == "-":
        # Schedulers may start a program without a console.
        if sys.stdout is None:
            raise CallError("stdout is closed; name a file with -o")
        return Target(Stdout(stream=sys.stdout.buffer, safe_csv=options.safe_csv))
    if options.in_parts:
        from boreotabula.stores.dataset.dataset import Dataset

        return Target(
            Dataset(
                Path(output),
                options.partition,
                options.cluster or "",
                options.overwrite,
                on_wait=on_wait,
            )
        )
    return _new_file(output, options, on_wait, on_server=is_remote(output))


def _check_parts(options: OutputOptions) -> None:
    """Raises CallError if options for datasets do not fit the output."""
    from boreotabula.batch.remote.address import is_remote

    output = options.output
    if options.in_parts and (output is None or output == "-" or is_remote(output)):
        raise CallError("--partition and --cluster only work with -o FOLDER")


def _new_file(output: str, options: OutputOptions, on_wait: OnWait, *, on_server: bool) -> Target:
    from boreotabula.stores.new_file import NewFile

    target = _on_server(output) if on_server else Target(NewFile(Path(output)))
    assert isinstance(target.store, NewFile)
    if options.safe_csv:
        _check_csv(target.store.path)
    # What was fetched from a server is checked there.
    free = options.overwrite or target.remote is not None
    store = replace(target.store, overwrite=free, safe_csv=options.safe_csv, on_wait=on_wait)
    return replace(target, store=store, overwrite=options.overwrite)


_NO_CSV = "--safe-csv is for .csv, .csv.gz, .tsv and .psv; other kinds keep texts as texts"


def _check_csv(out: Path) -> None:
    from boreotabula.stores.kinds import output_kind

    kind = output_kind(out)
    if kind is not None and not kind.is_csv:
        raise CallError(_NO_CSV)


def _check_into(into: Into, output: str | None) -> None:
    """Raises CallError for options that belong to another kind of target."""
    from boreotabula.stores.bases.base import is_base

    place = into.place
    base = place is not None and is_base(place)
    if into.replace_all and place is None:
        raise CallError("--replace only works with --into a workbook or a database")
    if into.no_source and (place is None or base):
        raise CallError("--no-source only works with --into a workbook")
    if into.tab is not None and place is None:
        raise CallError("--into-tab only works with --into a workbook or a database")
    if into.add_columns and not base:
        raise CallError("--add-columns only works with --into a database")
    if into.run_folder is not None and not base:
        raise CallError("--run-folder only works with --into a database")
    if output is not None and place is not None:
        raise CallError("-o writes a new file and --into adds to one; choose one of them")


def _into(into: Into, on_wait: OnWait) -> Store:
    """The store that adds to an existing one. Raises CallError if it is of another kind."""
    from boreotabula.stores.bases.base import ENDINGS, is_base
    from boreotabula.stores.bases.store import BaseStore
    from boreotabula.stores.master.store import BOOKS, BookStore

    place = into.place
    assert place is not None
    if is_base(place):
        return BaseStore(
            place, into.tab, into.add_columns, into.replace_all, into.run_folder, on_wait
        )
    assert isinstance(place, Path)
    if place.suffix.lower() not in BOOKS:
        raise CallError(
            f"“{place}”: --into takes a workbook ({', '.join(BOOKS)}) or a database"
            f" ({', '.join(ENDINGS)}, postgresql://host/name)"
        )
    return BookStore(place, into.tab, into.replace_all, into.no_source, on_wait=on_wait)


def _on_server(url: str) -> Target:
    """A target on a server. Raises CallError if its ending is unknown, or it holds a password."""
    from boreotabula.batch.remote.address import has_password, without_password
    from boreotabula.batch.remote.put import RemoteOutput
    from boreotabula.stores.kinds import known_kind
    from boreotabula.stores.new_file import NewFile

    if has_password(url):
        raise CallError(
            f"“{without_password(url)}”: leave the password out of the address; it is taken from"
            " BOREOTABULA_PASSWORD or the netrc file"
        )
    # A wrong ending is told before anything is fetched.
    known_kind(Path(url.rpartition("/")[2]))
    return Target(NewFile(RemoteOutput(url).here), RemoteOutput(url))


def inbox_of(
    layout: Layout,
    target: Target,
    files: tuple[Path, ...],
    include: tuple[str, ...],
    limit: int | None,
    on_fetched: OnFetched | None = None,
) -> Inbox:
    """The files of this call; `on_fetched` is called with those that are fetched."""
    from boreotabula.layout.patterns import PatternError, PatternKind, matching, pattern

    if include or limit:
        on_fetched = None  # not all of them are read
    if target.remote:
        _take_remote(layout, target)
    inbox = target.store.look(layout, files, on_fetched)
    taken = inbox.taken
    if include:
        try:
            chosen = tuple(pattern(name, PatternKind.FILE) for name in include)
        except PatternError as error:
            raise CallError(f"--include: {error}") from None
        taken = tuple(source for source in taken if matching(chosen, source.name) is not None)
        if not taken:
            named = " or ".join(f"“{name}”" for name in include)
            raise CallError(f"--include: none of the {len(inbox.taken)} files matches {named}")
    # The files that this leaves out are not gone, and their records stay in the target.
    partial = inbox.partial or bool(include or limit)
    return replace(inbox, taken=taken[:limit], partial=partial)


def _take_remote(layout: Layout, target: Target) -> None:
    """Fetch what the run before left on a server. Raises CallError if something is there that no
    run has written."""
    from boreotabula.batch.output_checks import check_not_below
    from boreotabula.batch.run_folders import run_folder

    remote = target.remote
    assert remote is not None
    check_not_below(remote.url, layout.folders, layout.spec.source.include)
    present = remote.take(run_folder(remote.here))
    if present and not target.overwrite and not remote.here.is_file():
        raise CallError(
            f"“{remote.shown}” was not written by extract, so it was not replaced; choose"
            " another name, or use --overwrite"
        )
