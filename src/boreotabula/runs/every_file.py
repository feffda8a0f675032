"""All files of an inbox read, in order: from what is kept of earlier runs, or anew on all cores."""

from __future__ import annotations

import re
from collections import deque
from collections.abc import Callable, Iterator, Mapping, Sequence
from concurrent.futures import Executor
from dataclasses import dataclass, field, replace
from functools import partial
from pathlib import PurePosixPath

from boreotabula.reading.findings import Finding
from boreotabula.runs.choosing import Job, make_job
from boreotabula.runs.files import FileReading, file_digest, read_file
from boreotabula.runs.inbox import Inbox, SourceFile
from boreotabula.runs.kept import LARGEST, Kept, Packed, clear, packed
from boreotabula.runs.layouts import Layout
from boreotabula.runs.odd.copies import without_copies
from boreotabula.runs.pool import Sent, processes, spread
from boreotabula.workbooks.limits import Limits

FILE_TWICE = "file-twice"
_FEW = 12
"""So many files are read faster than other processes start."""


@dataclass(frozen=True)
class Means:
    """How files are read; none of it changes what comes of them."""

    workers: int | None = 1
    """How many processes read; None for as many as there are cores."""
    kept: Kept | None = None
    """Where results are kept from run to run."""
    fresh: bool = False
    """Whether what is kept is not used, only replaced."""
    limits: Limits = field(default_factory=Limits)
    executor: Callable[[int], Executor] | None = None
    """What makes an executor of so many workers, if not processes of this machine."""


@dataclass(frozen=True)
class _Task:
    """A file that must be read: what of it is known already."""

    source: SourceFile
    digest: str


def digests(inbox: Inbox) -> dict[str, str]:
    """The SHA-256 of each taken file's content, by its name; empty if it cannot be opened."""
    return {source.name: _digest_of(source) for source in inbox.taken}


def _digest_of(source: SourceFile) -> str:
    try:
        return file_digest(source.path)
    except OSError:
        return ""


def read_all(
    layout: Layout, inbox: Inbox, means: Means, known: Mapping[str, str]
) -> Iterator[FileReading]:
    """Read the taken files, in order, given their `digests`; of copies only one is kept.

    That holds for files with the same content, and for tabs with the same records.
    """
    readings = _read(layout, inbox, means, known)
    return without_copies(_without_same(readings, _originals(inbox.taken, known)))


def _read(
    layout: Layout, inbox: Inbox, means: Means, known: Mapping[str, str]
) -> Iterator[FileReading]:
    job = make_job(layout.spec, layout.plan, means.limits)
    kept = None if means.fresh else means.kept
    looked_up = deque(_known(one, known[one.name], job, kept) for one in inbox.taken)
    tasks = [one for one in looked_up if isinstance(one, _Task)]
    workers = means.workers if len(tasks) > _FEW else 1
    results: Iterator[FileReading]
    if workers == 1:
        results = (_read_here(task, job, means.kept) for task in tasks)
    else:
        results = _read_spread(tasks, job, means)
    while looked_up:
        one = looked_up.popleft()
        yield next(results) if isinstance(one, _Task) else one
    if tasks and means.kept is not None:
        clear(means.kept.folder, LARGEST)


def _known(source: SourceFile, digest: str, job: Job, kept: Kept | None) -> FileReading | _Task:
    """What is known of a file without reading it."""
    again = partial(read_file, source, job)
    found = kept.find(source, digest, again) if kept and digest else None
    return found or _Task(source, digest)


def _read_here(task: _Task, job: Job, kept: Kept | None) -> FileReading:
    reading = read_file(task.source, job)
    if kept is not None and reading.read:
        kept.keep(task.source, reading.digest, packed(reading))
    return reading


def _read_spread(tasks: Sequence[_Task], job: Job, means: Means) -> Iterator[FileReading]:
    """Read files in other processes. What they keep need not be sent: it is found there."""
    sent = Sent.of(job)
    start = means.executor or partial(processes, shared=sent)
    given = sent if means.executor else sent.brief()
    work = partial(_read_there, job=given, kept=means.kept)
    results = spread(work, tasks, _taken_down, means.workers, _FEW, start)
    for task, result in zip(tasks, results, strict=True):
        if isinstance(result, Packed):
            yield result.reading()
            continue
        again = partial(read_file, task.source, job)
        yield (means.kept and means.kept.find(task.source, result, again)) or again()


def _read_there(task: _Task, job: Sent[Job], kept: Kept | None) -> str | Packed:
    """Read a file in another process: the digest under which the result is kept, or the result."""
    reading = read_file(task.source, job.get())
    result = packed(reading)
    if kept is not None and reading.read and kept.keep(task.source, reading.digest, result):
        return reading.digest
    return result


def _taken_down(task: _Task) -> Packed:
    """The reading of a file that takes the process down."""
    finding = Finding(
        "file-unreadable",
        "this file was not read: the process that read it was stopped",
        "Save it anew in the spreadsheet program, or leave it out with [source] exclude.",
        looked_for="a workbook or a text file",
        found="a file that cannot be read to its end",
        file=task.source.name,
    )
    return packed(FileReading(task.source.name, digest=task.digest, findings=(finding,)))


def _without_same(
    readings: Iterator[FileReading], kept: Mapping[str, str]
) -> Iterator[FileReading]:
    """The readings, where a file gives nothing that is a copy of another: see `_originals`."""
    for reading in readings:
        original = kept.get(reading.name, reading.name)
        yield reading if original == reading.name else _copy_of(reading, original)


_COPY_MARK = re.compile(
    r"\s*\(\d+\)$|\s*[-–_]\s*(copy|kopie|kopi|kopia|kopio|copie|copia)(\s*\(\d+\))?$"
    r"|\s+copy(\s+\d+)?$|^(copy of|kopie von|kopi av|kopia av|copie de|copia de)\s+",
    re.IGNORECASE,
)
"""What programs add to the name of a copied file."""


def _originals(sources: Sequence[SourceFile], known: Mapping[str, str]) -> dict[str, str]:
    """The file that is kept for each: of those with the same content and the same captures the one
    whose name is not that of a copy, else the first. Files whose names tell different things are no
    copies, but for the marks that programs add to the names of copies."""
    groups: dict[tuple[object, ...], list[str]] = {}
    for source in sources:
        if known[source.name]:
            told = tuple(sorted((name, _unmarked(text)) for name, text in source.captured.items()))
            groups.setdefault((known[source.name], told), []).append(source.name)
    return {
        name: min(names, key=lambda one: _unmarked(_stem(one)) != _stem(one))
        for names in groups.values()
        for name in names
    }


def _stem(name: str) -> str:
    return PurePosixPath(name).stem


def _unmarked(text: str) -> str:
    return _COPY_MARK.sub("", text)


def _copy_of(reading: FileReading, first: str) -> FileReading:
    finding = Finding(
        FILE_TWICE,
        f"this file has the same content as “{first}”; only that one was read",
        "Delete the copy, or ask the sender for the file that was meant.",
        looked_for="each file once",
        found=first,
        file=reading.name,
    )
    return replace(FileReading(reading.name, reading.size, reading.digest), findings=(finding,))
