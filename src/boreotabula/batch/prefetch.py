"""Reading while fetching: a file is read as soon as it has come, not once all have."""

from __future__ import annotations

import threading
from contextlib import suppress
from dataclasses import replace
from queue import SimpleQueue

from boreotabula.batch.file.open_file import make_job
from boreotabula.batch.inputs import SourceFile
from boreotabula.batch.layouts.load import Layout
from boreotabula.batch.read_all import Readers, ReadOptions


class ReadAhead:
    """Reads files while others are fetched; the run finds their results in the cache.

    Without a cache nothing is read ahead.
    """

    def __init__(self, layout: Layout, means: ReadOptions) -> None:
        self._layout = layout
        # The reader has threads of its own from now on, so processes may not be forked any more.
        self._means = replace(means, threads=True)
        self._queue: SimpleQueue[SourceFile | None] = SimpleQueue()
        self._thread: threading.Thread | None = None

    def take(self, source: SourceFile) -> None:
        """Take a file that was fetched."""
        # Results come back by the cache only; without one, reading ahead would be work done
        # twice.
        if self._means.kept is None or self._means.fresh:
            return
        if self._thread is None:
            self._thread = threading.Thread(target=self._read, daemon=True)
            self._thread.start()
        self._queue.put(source)

    def __enter__(self) -> ReadAhead:
        return self

    def __exit__(self, _kind: object, error: object, _trace: object) -> None:
        """Wait for the work in progress, unless the fetching failed."""
        # None ends the thread; it is put even if no thread was started, which does no harm.
        self._queue.put(None)
        if self._thread is not None and error is None:
            self._thread.join()

    def _read(self) -> None:
        job = make_job(self._layout.spec, self._layout.plan, self._means.limits)
        # Whatever fails here fails again in the run, which tells of it; reading ahead only saves
        # time.
        with suppress(Exception), Readers(job, self._means) as readers:
            # What is wrong is met, and told, by the run itself.
            while sources := self._waiting():
                readers.read(sources)

    def _waiting(self) -> list[SourceFile]:
        """The files that have come meanwhile, at least one; none at the end."""
        sources = [self._queue.get()]
        while not self._queue.empty() and sources[-1] is not None:
            sources.append(self._queue.get())
        if sources[-1] is None:
            self._queue.put(None)  # for the next look
        return [source for source in sources if source is not None]
