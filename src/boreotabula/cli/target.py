"""Where the records of an extract go, and whether they can: what its options say together."""

from __future__ import annotations

from dataclasses import dataclass, replace
from pathlib import Path
from typing import TYPE_CHECKING

from boreotabula.errors import CallError

if TYPE_CHECKING:
    from boreotabula.pipeline.dataset import Dataset
    from boreotabula.pipeline.new_output import OnFetched
    from boreotabula.runs.inputs import Inbox
    from boreotabula.runs.layouts.load import Layout
    from boreotabula.runs.remote.put import RemoteOutput


@dataclass(frozen=True)
class Target:
    """Where the records of a run go; nowhere in a trial."""

    path: Path | None = None
    into: bool = False
    """Whether they go into a file that is there."""
    tab: str | None = None
    replace_all: bool = False
    """Whether rows of files that are not read now go."""
    no_source: bool = False
    """Whether a workbook gets no columns that tell where its rows are from."""
    add_columns: bool = False
    """Whether the table of a database gets the columns that it lacks."""
    stream: bool = False
    """Whether they go to stdout."""
    dataset: Dataset | None = None
    """How they go into a folder of Parquet files."""
    safe_csv: bool = False
    """Whether no text may be taken for a formula."""
    remote: RemoteOutput | None = None
    """The server that they go to, once they are written to `path`."""


def chosen_target(output: str | None, into: Target, *, dry_run: bool) -> Target:
    """Where the options say that the records go. Raises CallError if they do not agree."""
    from boreotabula.outputs.bases.address import is_base_address
    from boreotabula.runs.remote.address import is_remote

    book = into.path is not None and into.path.suffix.lower() in (".xlsx", ".xlsm")
    if (into.replace_all or into.no_source) and not book:
        raise CallError("--replace and --no-source only work with --into a workbook")
    if into.tab is not None and into.path is None:
        raise CallError("--tab only works with --into a workbook or a database")
    if into.add_columns and (into.path is None or book):
        raise CallError("--add-columns only works with --into a database")
    if output is not None and into.path is not None:
        raise CallError("-o writes a new file and --into adds to one; choose one of them")
    if dry_run:
        return Target()
    if into.path is not None:
        return into
    if output is None:
        raise CallError("name a file for the records with -o OUT.csv, or try it with --dry-run")
    if is_base_address(output):
        raise CallError(f"“{output}” is an address: records go into a database with --into")
    if is_remote(output):
        return _on_server(output)
    return Target(stream=True) if output == "-" else Target(Path(output))


def _on_server(url: str) -> Target:
    """A target on a server. Raises CallError if its ending is not known, or it holds a password."""
    from boreotabula.outputs.kinds import known_kind
    from boreotabula.runs.remote.address import has_password, shown
    from boreotabula.runs.remote.put import RemoteOutput

    if has_password(url):
        raise CallError(
            f"“{shown(url)}”: leave the password out of the address; it is taken from"
            " BOREOTABULA_PASSWORD or the netrc file"
        )
    known_kind(Path(url.rpartition("/")[2]))
    return Target(RemoteOutput(url).here, remote=RemoteOutput(url))


def dataset_target(target: Target, partition: str | None, cluster: str | None) -> Target:
    """A target that is a dataset. Raises CallError if it is none."""
    from boreotabula.pipeline.dataset import Dataset

    if target.path is None or target.into or target.remote:
        raise CallError("--partition and --cluster only work with -o FOLDER")
    fields = tuple(one.strip() for one in (partition or "").split(",") if one.strip())
    if partition is not None and not fields:
        raise CallError("--partition: name one field or several, such as nursery,month")
    return replace(target, dataset=Dataset(target.path, fields, cluster or ""))


def safe_target(target: Target) -> Target:
    """A target of CSV whose texts no program takes for formulas. Raises CallError for others."""
    from boreotabula.outputs.kinds import kind_of

    kind = kind_of(target.path) if target.path else None
    if target.into or target.dataset or (kind is not None and not kind.is_csv):
        raise CallError("--safe-csv is for .csv, .csv.gz and .tsv; other kinds keep texts as texts")
    return replace(target, safe_csv=True)


def inbox_of(
    layout: Layout,
    target: Target,
    files: tuple[Path, ...],
    only: str | None,
    limit: int | None,
    *,
    overwrite: bool,
    on_fetched: OnFetched | None = None,
) -> Inbox:
    """The files of this call; `on_fetched` is called with those that are fetched."""
    from boreotabula.layout.patterns import Kind, PatternError, pattern
    from boreotabula.pipeline.new_output import look_for
    from boreotabula.runs.inputs import look

    if only or limit:
        on_fetched = None  # not all of them are read
    if target.path is None:
        inbox = look(layout, named=files, on_fetched=on_fetched)
    elif target.dataset:
        from boreotabula.pipeline.dataset import look_for_dataset

        inbox = look_for_dataset(layout, target.dataset, files, on_fetched)
    elif target.into:
        from boreotabula.pipeline.into_existing import look_into

        inbox = look_into(layout, target.path, target.tab, files, on_fetched)
    elif target.remote:
        inbox = _look_for_remote(
            layout, target.remote, files, overwrite=overwrite, on_fetched=on_fetched
        )
    else:
        inbox = look_for(layout, target.path, files, overwrite=overwrite, on_fetched=on_fetched)
    taken = inbox.taken
    if only:
        try:
            chosen = pattern(only, Kind.FILE)
        except PatternError as error:
            raise CallError(f"--only: {error}") from None
        taken = tuple(one for one in taken if chosen.match(one.name) is not None)
        if not taken:
            raise CallError(f"--only: none of the {len(inbox.taken)} files matches “{only}”")
    partial = inbox.partial or bool(only or limit)
    return replace(inbox, taken=taken[:limit], partial=partial)


def _look_for_remote(
    layout: Layout,
    remote: RemoteOutput,
    files: tuple[Path, ...],
    *,
    overwrite: bool,
    on_fetched: OnFetched | None,
) -> Inbox:
    """The files of this call, once what the run before left on a server is at hand."""
    from boreotabula.pipeline.new_output import look_for
    from boreotabula.runs.inputs import check_not_below
    from boreotabula.runs.run_folders import run_folder

    check_not_below(remote.url, layout.folders, layout.spec.source.include)
    there = remote.take(run_folder(remote.here))
    if there and not overwrite and not remote.here.is_file():
        raise CallError(
            f"“{remote.shown}” was not written by extract, so it was not replaced; choose"
            " another name, or use --overwrite"
        )
    return look_for(layout, remote.here, files, overwrite=overwrite, on_fetched=on_fetched)
