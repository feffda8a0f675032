"""Whether day or month comes first in dates written as text, decided by all files of a run.

A tab's records follow from the tab and its layout alone, with one exception: a text such as
05/01/2026 is read like those of the same field on similar tabs, in any file. The evidence is kept
in the record of the run and beside the kept results, and is part of the key of a reading.
"""

from __future__ import annotations

import json
from collections.abc import Callable, Iterable, Iterator, Mapping, Sequence
from contextlib import suppress
from dataclasses import asdict, dataclass, field, replace

from boreotabula.batch.atomic import atomic_write
from boreotabula.batch.file.facts import Met
from boreotabula.batch.file.read import FileReading
from boreotabula.batch.layouts.load import Layout
from boreotabula.batch.private_files import cache_folder, make_own
from boreotabula.reading.plan import Plan
from boreotabula.reading.values.form import Way

_Column = tuple[str, str]
"""The edition of a form, and a field."""


@dataclass
class Evidence:
    """The first text of each way, by edition and field."""

    met: dict[_Column, dict[bool, Met]] = field(default_factory=dict)

    @classmethod
    def of(cls, result: Iterable[Met]) -> Evidence:
        """The evidence in some texts."""
        evidence = cls()
        # setdefault keeps the first text that was met, which is the one that findings cite.
        for one in result:
            evidence.met.setdefault((one.form, one.field), {}).setdefault(one.day_first, one)
        return evidence

    @property
    def every(self) -> list[Met]:
        """All of it."""
        return [way for ways in self.met.values() for way in ways.values()]

    def take(self, reading: FileReading) -> None:
        """Note the evidence in a file, and what decided its reading, which may come from a file of
        an earlier run."""
        # Evidence from an earlier run goes in first, so that a file alone is read as it was among
        # all.
        for evidence in reading.decided_by:
            self.met.setdefault((evidence.form, evidence.field), {}).setdefault(
                evidence.day_first, evidence
            )
        for tab in reading.tabs:
            for name, day_first, text, cell in tab.facts.ways:
                ways = self.met.setdefault((tab.form, name), {})
                ways.setdefault(
                    day_first, Met(tab.form, name, day_first, text, cell, tab.name, reading.name)
                )

    def deciding(self, reading: FileReading) -> Mapping[str, Met]:
        """What decides the ambiguous fields of a file, where all evidence agrees."""
        evidence: dict[str, Met] = {}
        for tab in reading.tabs:
            for name in tab.facts.doubtful:
                # A form of another edition may be written in another way.
                every = [ways for (_, of), ways in self.met.items() if of == name]
                agree = len({day_first for ways in every for day_first in ways}) == 1
                own = self.met.get((tab.form, name), {})
                if agree and own:
                    evidence[name] = next(iter(own.values()))
        return evidence


def decided_plan(plan: Plan, ways: Mapping[str, Met]) -> Plan:
    """A plan that reads some fields as the evidence says, where a tab itself does not decide."""
    forms = {
        name: replace(plan.form(name), way=Way(way.day_first, way.shown))
        for name, way in ways.items()
    }
    return replace(plan, fields={**plan.fields, **forms})


def decided_layout(layout: Layout, every: Iterable[Met]) -> Layout:
    """A layout for a single file, which reads ambiguous texts as earlier runs over all files
    did."""
    evidence = Evidence.of(every)
    names = {name for _, name in evidence.met}
    ways: dict[str, Met] = {}
    for name in names:
        of_field = [met for met in evidence.every if met.field == name]
        if len({met.day_first for met in of_field}) == 1:
            ways[name] = of_field[0]
    return replace(layout, plan=decided_plan(layout.plan, ways)) if ways else layout


Again = Callable[[Sequence[str], Mapping[str, Met]], Iterator[FileReading]]
"""Reads some files again, by name, with what decides their fields."""


def with_evidence(
    readings: Iterable[FileReading], before: Iterable[Met], again: Again
) -> Iterator[FileReading]:
    """The readings in order; files with doubts that others settle are read again.

    From the first such file on, the readings wait until all evidence is there. `before` is the
    evidence of files that are not among them.
    """
    evidence = Evidence.of(before)
    waiting: list[FileReading] = []
    for reading in readings:
        evidence.take(reading)
        # Files before the first doubt are passed on at once, so that a run without doubts keeps
        # nothing in memory.
        if waiting or any(tab.facts.doubtful for tab in reading.tabs):
            waiting.append(reading)
        else:
            yield reading
    ways = {reading.name: result for reading in waiting if (result := evidence.deciding(reading))}
    settled: dict[str, Met] = {
        name: evidence for way in ways.values() for name, evidence in way.items()
    }
    # One call for all files, so that they are read on all cores again.
    results = again(list(ways), settled) if ways else iter(())
    for reading in waiting:
        yield _marked(next(results), ways[reading.name]) if reading.name in ways else reading


def _marked(reading: FileReading, ways: Mapping[str, Met]) -> FileReading:
    """A reading whose digest includes what decided it: it counts as changed once that changes."""
    message = ",".join(
        f"{name}={'day' if evidence.day_first else 'month'}"
        for name, evidence in sorted(ways.items())
    )
    # Part of the digest, because the kept result of the same file read in another way must not be
    # taken for this one.
    digest = f"{reading.digest}{DECIDED}{message}"
    return replace(reading, digest=digest, decided_by=tuple(ways.values()))


DECIDED = ":"
"""Separates the digest of a file's content from what else decided its reading."""


def content_digest(digest: str) -> str:
    """The digest of a file's content alone."""
    return digest.partition(DECIDED)[0]


# --- kept from run to run -------------------------------------------------------------------------


def as_plain(evidence: Iterable[Met]) -> list[dict[str, object]]:
    """Evidence as plain data."""
    return [asdict(one) for one in evidence]


def from_plain(stored: object) -> list[Met]:
    """Evidence from plain data; invalid data is ignored."""
    evidence: list[Met] = []
    for value in stored if isinstance(stored, list) else ():
        with suppress(TypeError):
            evidence.append(Met(**value))
    return [one for one in evidence if isinstance(one.day_first, bool)]


def keep_evidence(layout: Layout, evidence: Evidence) -> None:
    """Keep the evidence of a run over all files, for commands that read a single one."""
    path = cache_folder() / "evidence" / f"{layout.digest[:48]}.json"
    # An empty result still replaces an older one: the doubt may have been settled by a file that
    # is gone.
    if not evidence.met and not path.is_file():
        return
    with suppress(OSError):
        make_own(path.parent)
        with atomic_write(path) as stream:
            stream.write(json.dumps(as_plain(evidence.every), ensure_ascii=False).encode())


def kept_evidence(layout: Layout) -> list[Met]:
    """The evidence of the last run over all files; none if there was none."""
    path = cache_folder() / "evidence" / f"{layout.digest[:48]}.json"
    try:
        return from_plain(json.loads(path.read_text("utf-8")))
    except (OSError, ValueError):
        return []
