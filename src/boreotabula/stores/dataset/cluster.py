"""The files of a run spread over a cluster: Dask's scheduler, and workers on any machine.

They are read in chunks. First the workers hash the content of all files, so that copies are known;
then they read, write the records into the dataset themselves, and send back the rest.
"""

from __future__ import annotations

import gc
import logging
import warnings
from collections import deque
from collections.abc import Callable, Iterable, Iterator, Mapping, Sequence
from contextlib import contextmanager, suppress
from dataclasses import replace
from pathlib import Path
from typing import Any, TypeVar

from boreotabula import __version__
from boreotabula.batch.cache.packing import read_without_records, without_records
from boreotabula.batch.compare.copies import without_copies
from boreotabula.batch.evidence import with_evidence
from boreotabula.batch.file.facts import Met
from boreotabula.batch.file.read import FileReading
from boreotabula.batch.inputs import SourceFile
from boreotabula.batch.processes.pool import undisturbed
from boreotabula.batch.read_all import originals, without_same
from boreotabula.batch.remote.fetch import Fetched
from boreotabula.errors import BoreotabulaError, CallError
from boreotabula.stores.dataset.chunk import (
    Chunk,
    ChunkFacts,
    ClusterJob,
    Done,
    cut,
    handshake,
    look_through,
    not_fetched,
    read_chunk,
    stopped_at,
)
from boreotabula.stores.dataset.parted import PartFile

_LOCAL = "local:"
_SECONDS = 30
"""Seconds that a scheduler may take to answer, and workers to appear."""
_FILES = 24
"""A chunk has at most this many files: few enough that little is read again if a worker is lost."""
_EACH = 4
"""Where there are few files each worker still gets this many chunks."""
_AHEAD = 3
"""This many chunks for each thread of a worker are in progress or waiting."""

Result = TypeVar("Result")


@contextmanager
def connected(address: str) -> Iterator[Any]:
    """A client of the scheduler at an address such as tcp://scheduler:8786, or of a local cluster
    with a number of workers: local:4.

    Raises CallError if there is no scheduler.
    """
    try:
        import distributed
    except ImportError as error:
        raise CallError(
            f'--cluster needs more: pip install "boreotabula[cluster]" ({error.name})'
        ) from None
    started: Any = distributed  # it has no types
    # A worker that comes or goes is told on the terminal by that library.
    logging.getLogger("distributed").setLevel(logging.CRITICAL)
    count = address.removeprefix(_LOCAL) if address.startswith(_LOCAL) else ""
    if address.startswith(_LOCAL) and not (count.isdecimal() and int(count)):
        raise CallError(f"--cluster {address}: say how many workers, such as local:4")
    opened: list[Any] = []
    reason = ""
    try:
        with _uncollected():
            try:
                if count:
                    with undisturbed(), warnings.catch_warnings():
                        # It takes another port then, which nobody looks at.
                        warnings.filterwarnings("ignore", r"\s*Port \d+ is already in use")
                        opened.append(started.LocalCluster(
                            # Threads of one process would share a reader that may take the
                            # process down.
                            n_workers=int(count), threads_per_worker=1, dashboard_address=None,
                            silence_logs=logging.CRITICAL,
                        ))  # fmt: skip
                # A client that is the default of its process would be taken by others there.
                place = opened[0] if opened else address
                opened.append(started.Client(place, timeout=_SECONDS, set_as_default=False))
            except (OSError, ValueError, TypeError) as error:
                reason = " ".join(str(error).split()) or "it does not answer"
        if reason:
            raise CallError(f"the scheduler “{address}” cannot be reached: {reason}")
        yield opened[-1]
    finally:
        # The client first, then what it is connected with.
        for value in reversed(opened):
            with suppress(Exception):  # what is broken need not be closed
                value.close()


@contextmanager
def _uncollected() -> Iterator[None]:
    """Suspend garbage collection while a client starts, and collect afterwards.

    A client that could not start closes itself once it is collected; if that happened while another
    one starts, the two would wait for each other for ever.
    """
    gc.disable()
    try:
        yield
    finally:
        gc.enable()
        gc.collect()


class Cluster:
    """The workers of a cluster with one job."""

    def __init__(self, client: Any, cluster_job: ClusterJob, address: str) -> None:
        self._client, self._cluster_job, self._address = client, cluster_job, address
        self._chunks: dict[str, str] = {}
        """For each file, the label of the chunk that it was read with."""
        self._done: dict[str, tuple[Chunk, Done]] = {}
        self._copies: dict[str, set[tuple[str, str]]] = {}
        """For the labels of chunks, their tabs that turned out to be copies."""
        self.fetched = Fetched()

    def handshake(self, folders: Iterable[Path]) -> None:
        """Raises CallError if a worker cannot do the job, or there is none. Every worker must see
        the `folders`."""
        from distributed import TimeoutError as NoWorkersError

        try:
            self._client.wait_for_workers(1, timeout=_SECONDS)
            # One call to all workers at once.
            answers = self._client.run(handshake, self._cluster_job.folder, list(folders))
        except (NoWorkersError, TimeoutError):
            raise CallError(f"the scheduler “{self._address}” has no workers") from None
        except Exception as error:  # noqa: BLE001  # whatever a worker without the program raises
            raise CallError(
                f"the workers of “{self._address}” cannot run this program ({error}); install"
                f" boreotabula {__version__} on each of their machines"
            ) from None
        for worker, answer in answers.items():
            if answer != __version__:
                other_text = f"it has version {answer}, here is {__version__}"
                why = answer if " " in answer else other_text
                raise CallError(
                    f"the worker {worker} cannot take part: {why}; all machines must see the"
                    " folders of the source and the output, and have the same version"
                )

    def readings(self, sources: Sequence[SourceFile]) -> Iterator[FileReading]:
        """The readings of files, in order and without their records; of copies only one is read."""
        # Another machine has another current folder.
        sources = [replace(source, path=source.path.absolute()) for source in sources]
        threads = self._threads()
        # Fewer files a chunk where there are few, so that every worker has something to do.
        most = max(1, min(_FILES, -(-len(sources) // (_EACH * threads))))
        texts: dict[str, str] = {}
        there: dict[str, str] = {}
        failed: dict[str, str] = {}
        for chunk, looked in self._each(look_through, list(cut(sources, most))):
            texts |= {source.name: looked.digests.get(source.name, "") for source in chunk.sources}
            there |= {source.name: looked.worker for source in chunk.sources if source.remote}
            failed |= looked.failed
            self.fetched += looked.fetched
        # All digests are known now, so a copy is never read on any machine.
        first = originals(sources, texts)
        copies = {name for name, original in first.items() if name != original}
        wanted = [
            source for source in sources if source.name not in failed and source.name not in copies
        ]
        chunks = [
            replace(chunk, digests={source.name: texts[source.name] for source in chunk.sources})
            for chunk in cut(wanted, most)
        ]
        # Where a file was fetched it is read as well, if that worker is free.
        read = self._read(chunks, there)
        unread = {name: not_fetched(name, why) for name, why in failed.items()}
        unread |= {name: FileReading(name, digest=texts[name]) for name in copies}
        every = (unread.get(source.name) or next(read) for source in sources)
        settled = with_evidence(every, (), self._by_ways)
        for reading in without_copies(without_same(settled, first)):
            copied = {(reading.name, tab.name) for tab in reading.tabs if tab.is_copy}
            if copied:
                self._copies.setdefault(self._chunks[reading.name], set()).update(copied)
            yield reading

    def _read(
        self, chunks: Sequence[Chunk], texts: dict[str, str] | None = None
    ) -> Iterator[FileReading]:
        for chunk, done in self._each(read_chunk, chunks, texts):
            # Without the heads, which are taken at once: a run of 100,000 files would keep them
            # all.
            self._done[chunk.label] = (chunk, replace(done, heads=()))
            for source, head in zip(chunk.sources, done.heads, strict=True):
                self._chunks[source.name] = chunk.label
                yield read_without_records(head)

    def _by_ways(self, names: Sequence[str], ways: Mapping[str, Met]) -> Iterator[FileReading]:
        """Read some files again, by name, with what decides their fields: whole chunks are read
        again."""
        decided = frozenset(names)
        labels = dict.fromkeys(self._chunks[name] for name in names)
        again = [replace(self._done[label][0], ways=ways, decided=decided) for label in labels]
        # A chunk is read as a whole, since its records share files.
        for reading in self._read(again):
            if reading.name in decided:
                yield reading

    def parts(self) -> dict[str, list[PartFile]]:
        """The files that hold the records of each table, once all readings are taken."""
        again = [
            # Read again without the copied tabs: which tab is a copy is known only after all were
            # read.
            replace(self._done[label][0], left_out=frozenset(tabs))
            for label, tabs in self._copies.items()
        ]
        for chunk, done in self._each(read_chunk, again):
            self._done[chunk.label] = (chunk, done)
        return {
            table: [part for _, done in self._done.values() for part in done.parts[table]]
            for table in self._cluster_job.tables
        }

    # --- chunks and their futures ----------------------------------------------------------------

    def _each(
        self,
        work: Callable[[Chunk, ClusterJob], Result],
        chunks: Sequence[Chunk],
        texts: dict[str, str] | None = None,
    ) -> Iterator[tuple[Chunk, Result]]:
        """The results of a work on chunks, in order; only a few are ahead of the consumer."""
        waiting: deque[tuple[Chunk, Any]] = deque()
        ahead = 1
        for index, chunk in enumerate(chunks):
            if index % 16 == 0:  # workers may have come or gone
                ahead = _AHEAD * self._threads() + 1
            waiting.append((chunk, self._submit(work, chunk, texts)))
            while len(waiting) > ahead:
                yield waiting[0][0], self._result(work, *waiting.popleft())
        while waiting:
            yield waiting[0][0], self._result(work, *waiting.popleft())

    def _threads(self) -> int:
        """The number of threads of the present workers."""
        try:
            return sum(self._client.ncores().values()) or 1
        except Exception as error:  # noqa: BLE001  # each kind of connection has its own
            raise self._gone(error) from None

    def _gone(self, error: Exception) -> CallError:
        return CallError(
            f"the scheduler “{self._address}” does not answer any more ({type(error).__name__});"
            " nothing was written, run again"
        )

    def _submit(
        self, work: Callable[..., Any], chunk: Chunk, texts: dict[str, str] | None = None
    ) -> Any:
        # A hint, not a bond: a worker that is busy must not hold up the chunk.
        known_texts = {(texts or {}).get(source.name, "") for source in chunk.sources} - {""}
        where = {"workers": sorted(known_texts), "allow_other_workers": True} if known_texts else {}
        return self._client.submit(work, chunk, self._cluster_job, pure=False, **where)

    def _result(self, work: Callable[..., Any], chunk: Chunk, future: Any) -> Any:
        from distributed import KilledWorker

        try:
            result = future.result()
        except KilledWorker:
            # The library gives a task up after some workers were lost at it.
            return self._divided(work, chunk)
        except BoreotabulaError:
            raise
        except Exception as error:
            # Errors of the connection are told by the module of their class, as each kind has its
            # own.
            if type(error).__module__.partition(".")[0] in ("distributed", "concurrent", "asyncio"):
                raise self._gone(error) from None
            raise
        # The scheduler keeps a result as long as somebody may ask for it.
        future.release()
        return result

    def _divided(self, work: Callable[..., Any], chunk: Chunk) -> Any:
        """The result of a chunk that no worker finished: each of its files is read alone."""
        # Each of its files alone, so that one file takes no others with it.
        if len(chunk.sources) == 1:
            if work is look_through:
                return ChunkFacts({}, Fetched(), "")
            head = without_records(stopped_at(chunk.sources[0], chunk))
            return Done((head,), dict.fromkeys(self._cluster_job.tables, ()))
        several = [
            replace(chunk, label=f"{chunk.label}-{index + 1:04}", sources=(source,))
            for index, source in enumerate(chunk.sources)
        ]
        return _joined([result for _, result in self._each(work, several)])


def _joined(group: Sequence[Any]) -> Any:
    """The results of chunks as one result."""
    if isinstance(group[0], ChunkFacts):
        values = {name: digest for value in group for name, digest in value.digests.items()}
        return ChunkFacts(
            values, sum((value.fetched for value in group), Fetched()), group[0].worker
        )
    return Done(
        tuple(head for value in group for head in value.heads),
        {
            table: tuple(part for value in group for part in value.parts[table])
            for table in group[0].parts
        },
    )
