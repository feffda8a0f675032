"""All files of an inbox read, in order: from the cache, or anew on all cores."""

from __future__ import annotations

import re
from collections import deque
from collections.abc import Iterator, Mapping, Sequence
from contextlib import ExitStack
from dataclasses import dataclass, field, replace
from functools import partial
from pathlib import PurePosixPath

from boreotabula.batch.cache.packing import Packed, packed
from boreotabula.batch.cache.size import tidy
from boreotabula.batch.cache.store import Cache
from boreotabula.batch.compare.copies import without_copies
from boreotabula.batch.evidence import decided_plan, with_evidence
from boreotabula.batch.file.facts import Met
from boreotabula.batch.file.open_file import Job, make_job
from boreotabula.batch.file.read import FileReading, ended_reading, file_digest, read_file
from boreotabula.batch.inputs import Inbox, SourceFile
from boreotabula.batch.layouts.load import Layout
from boreotabula.batch.processes.pool import Crew, Ended, PoolOptions, alone, cores, spread
from boreotabula.findings.subjects.files import FILE_TWICE
from boreotabula.limits import Limits
from boreotabula.sheets.opening import checked_size
from boreotabula.unreadable import UnreadableError

_LARGE = 4 * 1024**2
"""From this many bytes on, records are not sent if they can be found in the cache."""


@dataclass(frozen=True)
class ReadOptions:
    """How files are read; no option changes the result."""

    workers: int | None = 1
    """How many processes read; None for one for each core."""
    kept: Cache | None = None
    """Where results are kept from run to run."""
    fresh: bool = False
    """Whether kept results are not used, only replaced."""
    limits: Limits = field(default_factory=Limits)
    threads: bool = False
    """Whether this process may have threads of other code, see `spread`."""
    evidence: Sequence[Met] = ()
    """What earlier runs found out about day and month in files that are not read now."""


@dataclass(frozen=True)
class _Task:
    """A file that must be read, and what is known about it already."""

    source: SourceFile
    digest: str


def digests(inbox: Inbox, limits: Limits | None = None) -> dict[str, str]:
    """The SHA-256 of each taken file's content, by its name; empty if it may not be read."""
    return {source.name: _digest_of(source, limits or Limits()) for source in inbox.taken}


def _digest_of(source: SourceFile, limits: Limits) -> str:
    try:
        checked_size(source.path, limits)
        return file_digest(source.path)
    except (OSError, UnreadableError):
        return ""


def read_all(
    layout: Layout, inbox: Inbox, means: ReadOptions, texts: Mapping[str, str]
) -> Iterator[FileReading]:
    """Read the taken files, in order, given their `digests`. Of copies only one is kept.

    Copies are files with the same content, and tabs with the same records.
    """
    readings = _read(layout, inbox, means, texts)
    # Files are compared first: a copy of a file is one finding, not one for each of its tabs.
    return without_copies(without_same(readings, originals(inbox.taken, texts)))


def _read(
    layout: Layout, inbox: Inbox, means: ReadOptions, texts: Mapping[str, str]
) -> Iterator[FileReading]:
    job = make_job(layout.spec, layout.plan, means.limits)
    sources = {source.name: source for source in inbox.taken}

    def again(names: Sequence[str], ways: Mapping[str, Met]) -> Iterator[FileReading]:
        return read_by_ways([sources[name] for name in names], job, means, texts, ways)

    return with_evidence(read_sources(inbox.taken, job, means, texts), means.evidence, again)


def read_by_ways(
    sources: Sequence[SourceFile],
    job: Job,
    means: ReadOptions,
    texts: Mapping[str, str],
    ways: Mapping[str, Met],
) -> Iterator[FileReading]:
    """Read files again, with their ambiguous fields read as `ways` say, by field."""
    by_ways = replace(job, plan=decided_plan(job.plan, ways))
    # Kept apart by what decided: the cache must not mix both readings of one file.
    kept = means.kept and means.kept.by(repr(sorted(ways.items())))
    return read_sources(sources, by_ways, replace(means, kept=kept), texts)


def read_sources(
    sources: Sequence[SourceFile], job: Job, means: ReadOptions, texts: Mapping[str, str]
) -> Iterator[FileReading]:
    """Read files, in order, given their `digests`, including copies."""
    kept = None if means.fresh else means.kept
    tasks_of = (_Task(source, texts[source.name]) for source in sources)
    looked_up = deque(_known(task, job, kept, threads=means.threads) for task in tasks_of)
    tasks = [value for value in looked_up if isinstance(value, _Task)]
    results = _read_spread(tasks, job, means)
    # Emptied as it is gone through, so that each reading can be freed once it was yielded.
    while looked_up:
        waiting = looked_up.popleft()
        yield next(results) if isinstance(waiting, _Task) else waiting
    # After the last result, so that nothing is deleted that this run still needs.
    if tasks and means.kept is not None:
        tidy(means.kept.folder)


class Readers:
    """Processes that read files and keep the results, a few files at a time."""

    def __init__(self, job: Job, means: ReadOptions) -> None:
        self._job, self._means = job, means
        self._open = ExitStack()
        self._crew: Crew[_Task, str | Packed] | None = None

    def __enter__(self) -> Readers:
        return self

    def __exit__(self, *_: object) -> None:
        self._open.close()

    def read(self, sources: Sequence[SourceFile]) -> None:
        """Read files, and keep their results."""
        means, job = self._means, self._job
        if self._crew is None:
            read = partial(_read_there, job=job, kept=means.kept)
            count = means.workers or cores()
            crew = Crew(read, _ended, job.opening.limits, count, threads=means.threads)
            self._crew = self._open.enter_context(crew)
        tasks = [_Task(source, _digest_of(source, job.opening.limits)) for source in sources]
        values = (_known(task, job, means.kept, threads=means.threads) for task in tasks)
        # The results themselves are in the cache by then; here they are only waited for.
        for _ in self._crew.results([value for value in values if isinstance(value, _Task)]):
            pass


def _known(task: _Task, job: Job, kept: Cache | None, *, threads: bool) -> FileReading | _Task:
    """What is known about a file without reading it."""
    again = partial(_again, task, job, threads=threads)
    reading = kept.find(task.source, task.digest, again) if kept and task.digest else None
    return reading or task


def _again(task: _Task, job: Job, *, threads: bool) -> FileReading:
    """Read a file whose result was kept, but is no longer there."""
    read = partial(_read_there, job=job, kept=None)
    result = alone(read, task, _ended, job.opening.limits, threads=threads)
    assert isinstance(result, Packed)  # nothing is kept
    return result.reading()


def _read_spread(tasks: Sequence[_Task], job: Job, means: ReadOptions) -> Iterator[FileReading]:
    """Read files in other processes. Large results that are kept need not be sent."""
    if not tasks:
        return
    read = partial(_read_there, job=job, kept=means.kept)
    limits = job.opening.limits
    results = spread(read, tasks, _ended, limits, PoolOptions(means.workers, threads=means.threads))
    for task, result in zip(tasks, results, strict=True):
        if isinstance(result, Packed):
            yield result.reading()
            continue
        again = partial(_again, task, job, threads=means.threads)
        # Somebody may empty the cache meanwhile; then the file is simply read again.
        yield (means.kept and means.kept.find(task.source, result, again)) or again()


def _read_there(task: _Task, job: Job, kept: Cache | None) -> str | Packed:
    """Read a file in another process; returns the digest under which the result is kept, or the
    result."""
    reading = read_file(task.source, job)
    result = packed(reading)
    stays = kept is not None and reading.read and kept.keep(task.source, reading.digest, result)
    # Sending it would mean to pack, copy and unpack what the other side can read from the disk.
    return reading.digest if stays and len(result.body) > _LARGE else result


def _ended(task: _Task, ended: Ended) -> str | Packed:
    """The reading of a file that was not read to its end."""
    return packed(ended_reading(task.source.name, task.digest, ended))


def without_same(readings: Iterator[FileReading], kept: Mapping[str, str]) -> Iterator[FileReading]:
    """The readings; a file that is a copy of another has no result: see `originals`."""
    for reading in readings:
        original = kept.get(reading.name, reading.name)
        yield reading if original == reading.name else _copy_of(reading, original)


_COPY_MARK = re.compile(
    r"\s*\(\d+\)$|\s*[-–_]\s*(copy|kopie|kopi|kopia|kopio|copie|copia)(\s*\(\d+\))?$"
    r"|\s+copy(\s+\d+)?$|^(copy of|kopie von|kopi av|kopia av|copie de|copia de)\s+",
    re.IGNORECASE,
)
"""The mark that programs add to the name of a copied file."""


def originals(sources: Sequence[SourceFile], texts: Mapping[str, str]) -> dict[str, str]:
    """The file that is kept for each file.

    Of files with the same content and the same captures it is the one whose name is not that of a
    copy, else the first. Files whose names mean different things are no copies, apart from the
    marks that programs add to the names of copies.
    """
    groups: dict[tuple[object, ...], list[str]] = {}
    for source in sources:
        # A file without a digest could not be read; two of them are not copies of each other.
        if texts[source.name]:
            places = tuple(
                sorted((name, _unmarked(text)) for name, text in source.captured.items())
            )
            groups.setdefault((texts[source.name], places), []).append(source.name)
    return {
        name: min(names, key=lambda text: _unmarked(_stem(text)) != _stem(text))
        for names in groups.values()
        for name in names
    }


def _stem(name: str) -> str:
    return PurePosixPath(name).stem


def _unmarked(text: str) -> str:
    return _COPY_MARK.sub("", text)


def _copy_of(reading: FileReading, first: str) -> FileReading:
    finding = FILE_TWICE(file=reading.name, first=first)
    return replace(FileReading(reading.name, reading.size, reading.digest), findings=(finding,))
