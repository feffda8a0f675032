"""Running a layout into a dataset: a folder of Parquet files, written here or by a cluster."""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from contextlib import contextmanager
from dataclasses import dataclass, replace
from pathlib import Path
from typing import TYPE_CHECKING, Protocol

from boreotabula.errors import CallError
from boreotabula.outputs.kinds import kind_of
from boreotabula.outputs.parted import PartedWriter, PartFile, check_partition, clear_but
from boreotabula.pipeline.chunk import ATTEMPTS, Errand
from boreotabula.pipeline.new_output import (
    OnFetched,
    OnFile,
    check_folder,
    compared,
    may_write,
    schemas_of,
    with_news,
)
from boreotabula.runs.atomic import KeepOld, placed_folder
from boreotabula.runs.file.open_file import make_job
from boreotabula.runs.file.read import FileReading
from boreotabula.runs.inputs import Inbox, check_output, look
from boreotabula.runs.layouts.load import Layout
from boreotabula.runs.read_all import Means, digests, read_all
from boreotabula.runs.remote.address import is_remote
from boreotabula.runs.run.gather import Run, gather
from boreotabula.runs.run.record import write_record
from boreotabula.runs.run_folders import run_folder

if TYPE_CHECKING:
    from boreotabula.pipeline.cluster import Cluster


@dataclass(frozen=True)
class Dataset:
    """Where records go, and who writes them."""

    folder: Path
    partition: tuple[str, ...] = ()
    """The fields whose values part it."""
    cluster: str = ""
    """The address of a scheduler; empty if the files are read here."""


def look_for_dataset(
    layout: Layout,
    dataset: Dataset,
    named: Sequence[Path] = (),
    on_fetched: OnFetched | None = None,
) -> Inbox:
    """The files of the layout's source folders, once it is sure that the dataset can be written.

    A cluster fetches files of servers itself. Raises CallError for a layout whose columns are not
    known ahead, if a cluster is to write them, fields that cannot part its tables, or a folder that
    no run has written.
    """
    out = dataset.folder
    if layout.plan.grows and dataset.cluster:
        raise CallError(
            "the columns of this layout are known only once all files are read, but each worker of"
            " a cluster needs them before: name them in [fields], or run it without --cluster"
        )
    if not layout.plan.grows:
        check_partition(dataset.partition, schemas_of(layout))
    if not layout.spec.provenance:
        raise CallError(
            "`provenance = false`: a dataset needs the columns source_file, source_tab and"
            " source_cell to know its rows again; write a file with -o"
        )
    if kind_of(out) is not None:
        raise CallError(f"“{out}”: a dataset is a folder; give it a name without an ending")
    check_folder(out)
    if not out.resolve().parent.is_dir():
        raise CallError(f"there is no folder “{out.parent}” to write “{out.name}” into")
    check_output(layout, out, named)
    return look(
        layout,
        own=(out, run_folder(out)),
        named=named,
        fetching=not dataset.cluster,
        on_fetched=on_fetched,
    )


def extract_dataset(
    layout: Layout,
    inbox: Inbox,
    dataset: Dataset,
    on_file: OnFile,
    means: Means,
    *,
    strict: bool = False,
) -> Run:
    """Read the files of an inbox and write their records as a dataset, put in place at the end.

    The run's record is written beside it. If nothing could be read, both stay as they were; if
    `strict`, so they do while a finding is an error. Raises CallError if something cannot be
    written, or the cluster does not answer.
    """
    out = dataset.folder
    with placed_folder(out) as folder, _filling(layout, dataset, folder, means) as filling:
        readings = with_news(filling.readings(inbox), on_file)
        run = compared(gather(layout, inbox, readings, keep_records=layout.plan.grows), out)
        run = replace(run, fetched=filling.fetched or run.fetched)
        if not may_write(run, strict=strict):
            raise KeepOld
        parts = filling.parts(run)
        _check(run, parts)
        clear_but(folder, parts)
        _drop_empty(folder)
        written = {"files": {one.path: _looks(folder / one.path) for one in parts}}
        write_record(run, out, written, partition=dataset.partition)
    return run


def _check(run: Run, parts: Sequence[PartFile]) -> None:
    """Raises CallError if files do not hold as many records as were read."""
    held = sum(one.records for one in parts)
    if held != run.record_count:
        raise CallError(
            f"{run.record_count:,} records were read, but the files of the dataset hold {held:,};"
            " nothing was put in place"
        )


def _drop_empty(folder: Path) -> None:
    for below in sorted((one for one in folder.rglob("*") if one.is_dir()), reverse=True):
        if not any(below.iterdir()):
            below.rmdir()


def _looks(path: Path) -> dict[str, int]:
    found = path.stat()
    return {"size": found.st_size, "modified_ns": found.st_mtime_ns}


class _Filling(Protocol):
    """What reads files and writes their records."""

    @property
    def fetched(self) -> str:
        """How many files it has fetched from servers, in words."""

    def readings(self, inbox: Inbox) -> Iterator[FileReading]:
        """The readings of the files, in order."""

    def parts(self, run: Run) -> list[PartFile]:
        """The files that hold their records, once the run has taken all readings."""


@contextmanager
def _filling(layout: Layout, dataset: Dataset, folder: Path, means: Means) -> Iterator[_Filling]:
    """What fills the folder of a dataset."""
    tables = list(layout.plan.tables)
    below = {table: table if len(tables) > 1 else "" for table in tables}
    if not dataset.cluster:
        yield _Here(layout, dataset.partition, folder, below, means)
        return
    from boreotabula.pipeline.cluster import Cluster, connected

    job = make_job(layout.spec, layout.plan, means.limits)
    kept = means.kept is not None
    errand = Errand(job, layout.digest, folder, dataset.partition, below, kept, means.fresh)
    (folder / ATTEMPTS).mkdir()
    with connected(dataset.cluster) as client:
        cluster = Cluster(client, errand, dataset.cluster)
        cluster.greet(one.absolute() for text, one in layout.folders.items() if not is_remote(text))
        yield _There(cluster, below)


class _Here:
    """Files read by processes of this machine."""

    fetched = ""

    def __init__(
        self,
        layout: Layout,
        partition: Sequence[str],
        folder: Path,
        below: dict[str, str],
        means: Means,
    ) -> None:
        self._layout, self._means, self._below = layout, means, below
        self._partition = partition
        self._writers = {
            table: PartedWriter(folder / one, partition) for table, one in below.items()
        }

    def readings(self, inbox: Inbox) -> Iterator[FileReading]:
        """The readings; their records are written as they come, if their columns are known."""
        known = digests(inbox, self._means.limits)
        for reading in read_all(self._layout, inbox, self._means, known):
            for tab in () if self._layout.plan.grows else reading.tabs:
                for table, batch in tab.tables.items():
                    self._writers[table].write(batch)
            yield reading

    def parts(self, run: Run) -> list[PartFile]:
        """The files that were written. Raises CallError if the tables cannot be parted so."""
        if self._layout.plan.grows:
            check_partition(self._partition, {name: one.schema for name, one in run.tables.items()})
            for table, records in run.tables.items():
                for batch in records.unify_dictionaries().to_batches():
                    self._writers[table].write(batch)
        for one in self._writers.values():
            one.close()
        return _below({table: one.parts for table, one in self._writers.items()}, self._below)


class _There:
    """Files read by the workers of a cluster."""

    def __init__(self, cluster: Cluster, below: dict[str, str]) -> None:
        self._cluster, self._below = cluster, below

    @property
    def fetched(self) -> str:
        """How many files the workers have fetched from servers, in words."""
        return self._cluster.fetched.said

    def readings(self, inbox: Inbox) -> Iterator[FileReading]:
        """The readings; their records are written by the workers."""
        return self._cluster.readings(inbox.taken)

    def parts(self, run: Run) -> list[PartFile]:
        """The files that the workers have written."""
        return _below(self._cluster.parts(), self._below)


def _below(parts: dict[str, list[PartFile]], folders: dict[str, str]) -> list[PartFile]:
    """Files by their paths below the dataset."""
    return [
        replace(one, path=f"{folders[table]}/{one.path}") if folders[table] else one
        for table, some in parts.items()
        for one in some
    ]
