"""Running a layout into a dataset: a folder of Parquet files, written here or by a cluster."""

from __future__ import annotations

from collections.abc import Iterator, Mapping, Sequence
from contextlib import contextmanager
from dataclasses import dataclass, replace
from pathlib import Path
from typing import TYPE_CHECKING

import pyarrow as pa

from boreotabula.batch.atomic import DiscardOutput, placed_folder
from boreotabula.batch.file.open_file import make_job
from boreotabula.batch.file.read import FileReading
from boreotabula.batch.inputs import Inbox, look
from boreotabula.batch.layouts.load import Layout
from boreotabula.batch.output_checks import check_output, check_place
from boreotabula.batch.remote.address import is_remote
from boreotabula.batch.run.outcome import Run
from boreotabula.batch.run.record import OutputNotes, write_record
from boreotabula.batch.run_folders import run_folder
from boreotabula.errors import CallError
from boreotabula.stores.dataset.chunk import ATTEMPTS, ClusterJob
from boreotabula.stores.dataset.parted import (
    PartedWriter,
    PartFile,
    check_partition,
    clear_but,
)
from boreotabula.stores.kinds import output_kind
from boreotabula.stores.new_file import check_output_folder
from boreotabula.stores.store import OnDisk, OnFetched, Task, WritingBase, schemas_of

if TYPE_CHECKING:
    from boreotabula.stores.dataset.cluster import Cluster


@dataclass(frozen=True)
class Dataset(OnDisk):
    """A folder of Parquet files, put in place at the end."""

    partition: tuple[str, ...] = ()
    """The fields by whose values it is partitioned."""
    cluster: str = ""
    """The address of a scheduler; empty if the files are read here."""
    overwrite: bool = False
    takes_whole: bool = False
    adds: bool = False

    def look(
        self, layout: Layout, named: Sequence[Path] = (), on_fetched: OnFetched | None = None
    ) -> Inbox:
        """The files of the layout's source folders, after checking that the dataset can be written.

        A cluster fetches files of servers itself. Raises CallError for a layout whose columns are
        not known in advance, if a cluster is to write them, for fields that cannot partition its
        tables, or for a folder that no run has written.
        """
        out = self.path
        # A worker writes its records at once and so needs all columns.
        if layout.plan.grows and self.cluster:
            raise CallError(
                "the columns of this layout are known only once all files are read, but each worker"
                " of a cluster needs them before: name them in [fields], or run it without"
                " --cluster"
            )
        if not layout.plan.grows:
            check_partition(self.partition, schemas_of(layout))
        if not layout.spec.provenance:
            raise CallError(
                "`provenance = false`: a dataset needs the columns source_file, source_tab and"
                " source_cell to know its rows again; write a file with -o"
            )
        # A folder called x.csv would be taken for a file by other programs.
        if output_kind(out) is not None:
            raise CallError(f"“{out}”: a dataset is a folder; give it a name without an ending")
        with self.locked(layout):  # a run that ends just now has put its record, not its output
            check_output_folder(out, overwrite=self.overwrite)
        check_place(out)
        check_output(layout, out, named)
        return look(
            layout,
            own=(out, run_folder(out)),
            named=named,
            fetching=not self.cluster,
            on_fetched=on_fetched,
        )

    @contextmanager
    def open(self, task: Task, tables: Mapping[str, pa.Schema]) -> Iterator[_Filling]:
        """A folder beside it. Raises CallError if the cluster does not answer, or another run has
        changed the output so that it may not be replaced."""
        check_output_folder(self.path, overwrite=self.overwrite)
        with placed_folder(self.path) as folder:
            with _filling(self, task, folder) as filling:
                yield filling
            if not filling.done:
                raise DiscardOutput


def _check(run: Run, parts: Sequence[PartFile]) -> None:
    """Raises CallError if the files do not hold as many records as were read."""
    held = sum(part.records for part in parts)
    # The last guard: whatever went wrong between reading and writing, nothing is put in place.
    if held != run.record_count:
        raise CallError(
            f"{run.record_count:,} records were read, but the files of the dataset hold {held:,};"
            " nothing was put in place"
        )


def _drop_empty(folder: Path) -> None:
    # The deepest first, so that folders of empty folders go, too.
    for below in sorted((path for path in folder.rglob("*") if path.is_dir()), reverse=True):
        if not any(below.iterdir()):
            below.rmdir()


def _looks(path: Path) -> dict[str, int]:
    looks = path.stat()
    return {"size": looks.st_size, "modified_ns": looks.st_mtime_ns}


class _Filling(WritingBase):
    """A folder that is being filled."""

    def __init__(self, store: Dataset, folder: Path, below: Mapping[str, str]) -> None:
        self._store, self._folder, self._below = store, folder, below
        self.done = False

    def commit(self, run: Run) -> None:
        """Put the files in place, and write the record of the run. Raises CallError if they do not
        hold all records."""
        parts = self._parts(run)
        _check(run, parts)
        # A worker that was taken for lost may have written its records as well.
        clear_but(self._folder, parts)
        _drop_empty(self._folder)
        written = {"files": {part.path: _looks(self._folder / part.path) for part in parts}}
        notes = OutputNotes(written, partition=self._store.partition)
        write_record(run, self._store.path, notes)
        self.done = True

    def _parts(self, run: Run) -> list[PartFile]:
        """The files that hold the records, once the run has taken all readings."""
        raise NotImplementedError


@contextmanager
def _filling(store: Dataset, task: Task, folder: Path) -> Iterator[_Filling]:
    """What fills the folder of a dataset."""
    layout, means = task.layout, task.means
    tables = list(layout.plan.tables)
    below = {table: table if len(tables) > 1 else "" for table in tables}
    if not store.cluster:
        yield _Here(store, folder, below)
        return
    from boreotabula.stores.dataset.cluster import Cluster, connected

    job = make_job(layout.spec, layout.plan, means.limits)
    kept = means.kept is not None
    cluster_job = ClusterJob(job, layout.digest, folder, store.partition, below, kept, means.fresh)
    (folder / ATTEMPTS).mkdir()
    with connected(store.cluster) as client:
        cluster = Cluster(client, cluster_job, store.cluster)
        cluster.handshake(
            folder.absolute() for text, folder in layout.folders.items() if not is_remote(text)
        )
        yield _There(store, folder, below, cluster, task.inbox)


class _Here(_Filling):
    """Filled by processes of this machine."""

    def __init__(self, store: Dataset, folder: Path, below: Mapping[str, str]) -> None:
        super().__init__(store, folder, below)
        self._writers = {
            table: PartedWriter(folder / text, store.partition) for table, text in below.items()
        }

    def take(self, reading: FileReading) -> FileReading:
        """Write the records of a reading."""
        for tab in reading.tabs:
            for table, batch in tab.tables.items():
                self._writers[table].write(batch)
        return reading

    def take_tables(self, tables: Mapping[str, pa.Table]) -> None:
        """Write the records of all files. Raises CallError if the tables cannot be partitioned
        so."""
        check_partition(
            self._store.partition, {name: table.schema for name, table in tables.items()}
        )
        for table, records in tables.items():
            for batch in records.unify_dictionaries().to_batches():
                self._writers[table].write(batch)

    def _parts(self, run: Run) -> list[PartFile]:
        for writer in self._writers.values():
            writer.close()
        return _paths_below(
            {name: parted_writer.parts for name, parted_writer in self._writers.items()},
            self._below,
        )


class _There(_Filling):
    """Filled by the workers of a cluster."""

    def __init__(
        self,
        store: Dataset,
        folder: Path,
        below: Mapping[str, str],
        cluster: Cluster,
        inbox: Inbox,
    ) -> None:
        super().__init__(store, folder, below)
        self._cluster, self._inbox = cluster, inbox

    def readings(self) -> Iterator[FileReading]:
        """The readings; their records are written by the workers."""
        return self._cluster.readings(self._inbox.taken)

    def settle(self, run: Run) -> Run:
        """The run, with the number of files that the workers have fetched."""
        return replace(run, fetched=self._cluster.fetched.said or run.fetched)

    def _parts(self, run: Run) -> list[PartFile]:
        return _paths_below(self._cluster.parts(), self._below)


def _paths_below(
    parts: Mapping[str, Sequence[PartFile]], folders: Mapping[str, str]
) -> list[PartFile]:
    """Files by their paths below the dataset."""
    return [
        replace(part_file, path=f"{folders[table]}/{part_file.path}")
        if folders[table]
        else part_file
        for table, part in parts.items()
        for part_file in part
    ]
