"""A few files of a run, read on another machine, which writes their records into the dataset.

Little data is sent: the choice of files, and their readings without records. The folder of the
dataset, still beside its final place, must be visible from every machine.
"""

from __future__ import annotations

import socket
from collections import Counter
from collections.abc import Iterator, Mapping, Sequence
from dataclasses import dataclass, field, replace
from pathlib import Path

from boreotabula import __version__
from boreotabula.batch.cache.packing import without_records
from boreotabula.batch.cache.store import Cache
from boreotabula.batch.file.facts import Met
from boreotabula.batch.file.open_file import Job
from boreotabula.batch.file.read import FileReading, ended_reading
from boreotabula.batch.inputs import Inbox, SourceFile
from boreotabula.batch.processes.pool import Ended
from boreotabula.batch.processes.worker import End
from boreotabula.batch.read_all import ReadOptions, digests, read_by_ways, read_sources
from boreotabula.batch.remote.fetch import Fetched, fetch_one
from boreotabula.errors import BoreotabulaError, CallError
from boreotabula.findings.subjects.files import FILE_NOT_FETCHED
from boreotabula.stores.dataset.parted import PartedWriter, PartFile

ATTEMPTS = ".attempts"
"""A folder in that of the dataset, with a file for each chunk that was begun."""
_DEADLY = 2
"""A file at which this many workers stopped is not tried again."""


@dataclass(frozen=True)
class ClusterJob:
    """The common data of all chunks of a run. Picklable."""

    job: Job
    layout: str
    """The digest of the layout."""
    folder: Path
    partition: tuple[str, ...]
    tables: Mapping[str, str]
    """The folder of each output table below that of the dataset."""
    kept: bool = True
    """Whether results are kept on the reading machine."""
    fresh: bool = False
    version: str = __version__


@dataclass(frozen=True)
class Chunk:
    """Files that one worker reads, one after the other."""

    label: str
    """Its number; the files that hold its records are named after it."""
    sources: tuple[SourceFile, ...]
    digests: Mapping[str, str] = field(default_factory=dict)
    left_out: frozenset[tuple[str, str]] = frozenset()
    """Tabs, each with its file, whose records are not written: they are copies of others."""
    ways: Mapping[str, Met] = field(default_factory=dict)
    """What decides day and month, by field, in the files of `decided`."""
    decided: frozenset[str] = frozenset()


@dataclass(frozen=True)
class ChunkFacts:
    """What is known of the files of a chunk before they are read."""

    digests: Mapping[str, str]
    fetched: Fetched
    worker: str
    """The address of the worker that has fetched them."""
    failed: Mapping[str, str] = field(default_factory=dict)
    """Why files could not be fetched."""


@dataclass(frozen=True)
class Done:
    """The result of a chunk."""

    heads: tuple[bytes, ...]
    """The reading of each file without records."""
    parts: Mapping[str, tuple[PartFile, ...]]
    """The files that hold the records of each table."""


def handshake(folder: Path, folders: Sequence[Path]) -> str:
    """A worker's first answer: its version, or what keeps it from working."""
    # A worker that does not see the folders would write somewhere else.
    unseen = [folder for folder in (folder / ATTEMPTS, *folders) if not folder.is_dir()]
    if unseen:
        shown = folder.parent if unseen[0].name == ATTEMPTS else unseen[0]
        return f"{socket.gethostname()} does not see the folder “{shown}”"
    return __version__


def look_through(chunk: Chunk, cluster_job: ClusterJob) -> ChunkFacts:
    """Fetch the files of a chunk that are on servers, and hash the content of all."""
    from distributed import get_worker

    here = [_fetched(source) for source in chunk.sources]
    existing_sources = tuple(source for source, _, why in here if not why)
    bytes_ = sum(size for _, size, _ in here)
    remote = sum(source.remote is not None for source in chunk.sources)
    texts = digests(Inbox(existing_sources, ()), cluster_job.job.opening.limits)
    fetched = Fetched(sum(size > 0 for _, size, _ in here), remote, bytes_)
    failed = {source.name: why for source, _, why in here if why}
    return ChunkFacts(texts, fetched, str(get_worker().address), failed)


def read_chunk(chunk: Chunk, cluster_job: ClusterJob) -> Done:
    """Read the files of a chunk and write their records. Raises CallError if they cannot be."""
    note = cluster_job.folder / ATTEMPTS / chunk.label
    if not note.parent.is_dir():
        raise CallError(
            f"{socket.gethostname()} does not see the folder “{cluster_job.folder.parent}”"
        )
    try:
        return _read(chunk, cluster_job, note)
    except OSError as error:
        raise CallError(
            f"{socket.gethostname()} cannot write below “{cluster_job.folder.parent}”:"
            f" {error.strerror}"
        ) from None


def _read(chunk: Chunk, cluster_job: ClusterJob, note: Path) -> Done:
    # Known before anything is opened, so that the third attempt passes over it.
    deadly = _deadly(note, len(chunk.sources))
    writers = {
        table: PartedWriter(cluster_job.folder / below, cluster_job.partition, f"{chunk.label}-")
        for table, below in cluster_job.tables.items()
    }
    heads = []
    with note.open("a", encoding="ascii") as attempt:
        attempt.write("begun\n")
        attempt.flush()  # a worker that is lost at the first file must have said so
        for reading in _readings(chunk, cluster_job, deadly):
            for tab in reading.tabs:
                if (reading.name, tab.name) not in chunk.left_out:
                    for table, batch in tab.tables.items():
                        writers[table].write(batch)
            heads.append(without_records(reading))
            # Flushed after each file: what a lost worker has read is known from this.
            attempt.write("read\n")
            attempt.flush()
        for writer in writers.values():
            writer.close()
        # An attempt without this line was lost.
        attempt.write("done\n")
    return Done(
        tuple(heads),
        {table: tuple(parted_writer.parts) for table, parted_writer in writers.items()},
    )


def _deadly(note: Path, files: int) -> frozenset[int]:
    """The indices of files that stopped workers too often.

    An unfinished attempt stopped at the first file that it had not read.
    """
    try:
        attempts = note.read_text("ascii").split("begun\n")[1:]
    except OSError:
        return frozenset()
    stopped = Counter(attempt.count("read\n") for attempt in attempts if "done\n" not in attempt)
    return frozenset(
        index for index, times in stopped.items() if times >= _DEADLY and index < files
    )


def _readings(
    chunk: Chunk, cluster_job: ClusterJob, deadly: frozenset[int]
) -> Iterator[FileReading]:
    """The readings of a chunk's files, in order."""
    sources, failed = [], {}
    for index, source in enumerate(chunk.sources):
        # Told as not read, so that the other files of the chunk still are.
        if index in deadly:
            failed[source.name] = stopped_at(source, chunk)
            continue
        fetched, _, why = _fetched(source)
        if why:
            failed[source.name] = not_fetched(source.name, why)
        else:
            sources.append(fetched)
    limits = cluster_job.job.opening.limits
    kept = Cache.of(cluster_job.layout, limits) if cluster_job.kept else None
    means = ReadOptions(1, kept, cluster_job.fresh, limits, threads=True)
    # Two ways of reading within a chunk; each has its own place in the cache.
    plain = [source for source in sources if source.name not in chunk.decided]
    readings = read_sources(plain, cluster_job.job, means, chunk.digests)
    decided = [source for source in sources if source.name in chunk.decided]
    by_ways = read_by_ways(decided, cluster_job.job, means, chunk.digests, chunk.ways)
    for source in chunk.sources:
        its_readings = by_ways if source.name in chunk.decided else readings
        yield failed.get(source.name) or next(its_readings)


def not_fetched(name: str, why: str) -> FileReading:
    """The reading of a file that a server did not deliver."""
    return FileReading(name, findings=(FILE_NOT_FETCHED(file=name, why=why),))


def stopped_at(source: SourceFile, chunk: Chunk) -> FileReading:
    """The reading of a file that stops the workers."""
    ended = Ended(
        End.BROKEN,
        "two workers of the cluster stopped while they read it",
        "Read it alone on this machine (boreotabula extract LAYOUT FILE --dry-run); if that works,"
        " run again.",
    )
    return ended_reading(source.name, chunk.digests.get(source.name, ""), ended)


def _fetched(source: SourceFile) -> tuple[SourceFile, int, str]:
    """The local copy of a file, the bytes that came, and why it could not be fetched."""
    if source.remote is None:
        return source, 0, ""
    try:
        path, size = fetch_one(source.remote)
    except OSError as error:
        return source, 0, error.strerror or str(error)
    except BoreotabulaError as error:
        return source, 0, str(error)
    return replace(source, path=path), size, ""


def cut(sources: Sequence[SourceFile], most: int) -> Iterator[Chunk]:
    """Files in chunks of limited size, numbered in order."""
    for number, start in enumerate(range(0, len(sources), most)):
        yield Chunk(f"{number + 1:06}", tuple(sources[start : start + most]))
