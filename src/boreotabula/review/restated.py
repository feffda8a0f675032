"""What files reported before and report differently now.

The records of the run before are available until the new ones replace them.
"""

from __future__ import annotations

from collections import Counter
from collections.abc import Callable, Collection, Iterable, Iterator, Mapping, Sequence
from dataclasses import dataclass, field, replace
from decimal import Decimal
from math import nan
from typing import TYPE_CHECKING

import pyarrow as pa
import pyarrow.compute as pc

from boreotabula.batch.file.read import FileReading
from boreotabula.batch.run.earlier import Since
from boreotabula.batch.run.outcome import Restated
from boreotabula.findings import culprits
from boreotabula.findings.finding import Finding
from boreotabula.findings.subjects.comparing import RECORDS_MISSING_NOW, VALUE_RESTATED
from boreotabula.findings.subjects.stamps import UNREAD_STAMPS
from boreotabula.findings.subjects.totals import TOTAL_DIFFERS
from boreotabula.layout.addresses import written_address
from boreotabula.layout.field_types import type_called
from boreotabula.layout.model import PROVENANCE
from boreotabula.stores.csv import column_text, field_type, type_name
from boreotabula.texts import plain_number

WHOLE_RECORD = "the record"
"""The entry for the field in restated.csv where a record is gone."""

# Comparing is only imported once something is compared: most runs restate nothing.
if TYPE_CHECKING:
    from boreotabula.review.compare.sides import Side
    from boreotabula.stores.saved import SavedOutput

_MOST_SUMS = 2


@dataclass
class PreviousRecords:
    """The output of the run before, and the records of files that are new or changed since."""

    saved: Callable[[str], SavedOutput | None]
    """Returns the content of a table."""
    before: Mapping[str, str]
    """The digest of each file that it was made from."""
    batches: dict[str, list[pa.RecordBatch]] = field(default_factory=dict)
    unsure: set[tuple[str, str]] = field(default_factory=set)
    """Tabs, each with its file, that lack a stamp: the subject of their records is unknown."""

    def watched(self, readings: Iterator[FileReading]) -> Iterator[FileReading]:
        """The readings, unchanged; records of new and changed files are kept on the way."""
        for reading in readings:
            # Files that are unchanged cannot have restated anything, so their records are not
            # kept.
            if self.before and self.before.get(reading.name) != reading.digest:
                unsure = {
                    finding.tab for finding in reading.findings if finding.kind in UNREAD_STAMPS
                }
                self.unsure |= {(reading.name, tab) for tab in unsure}
                for tab in reading.tabs:
                    for table, batch in tab.tables.items() if tab.name not in unsure else ():
                        self.batches.setdefault(table, []).append(batch)
            # Passed on at once, so that no file waits for the comparison.
            yield reading

    def restated(
        self, since: Since | None, key: Sequence[str], tables: Iterable[str]
    ) -> Restated | None:
        """What was restated in the tables; None if there is no run before, or none of its
        records."""
        if since is None or not self.before:
            return None
        restatement = Restated(_no_lines(()))
        # Without a changed file nothing can have been restated.
        if not since.changed and not since.gone:
            return restatement
        from boreotabula.review.compare.sides import saved_side

        for table in tables:
            saved = self.saved(table)
            if saved is None:  # it had no such table, or is gone
                continue
            # A file that has changed may hold no record any more: then there are no batches.
            batches = self.batches.get(table, [])
            restatement = _added(
                restatement, self._of_table(saved_side(saved), batches, since, key)
            )
        return restatement

    def _of_table(
        self, saved: Side, batches: Sequence[pa.RecordBatch], since: Since, key: Sequence[str]
    ) -> Restated:
        from boreotabula.review.compare.compare import CHANGED, GONE, compare

        left = {*since.changed, *since.gone}
        # Without a source in the old records it is not known which of them are from changed
        # files.
        if not saved.traced:
            return Restated(_no_lines(()))
        old = _only_of(saved, left, self.unsure)
        new = _texts_side("now", batches, saved.kinds)
        known_texts = _known_by(new, saved, key)
        comparison = compare(old, new, known_texts)
        # Records that are new are no restatement; they were never reported before.
        lines = comparison.changes.filter(_reported_before(comparison.changes, since.changed))
        if not lines.num_rows:
            return Restated(_no_lines(()))
        whats = Counter(lines.column("what").to_pylist())
        return Restated(
            _as_lines(lines, [name for name in known_texts if name not in PROVENANCE]),
            whats[CHANGED],
            whats[GONE],
            tuple(_sums(lines, saved, old, new)),
            Counter(_files_of(lines)),
        )


def _no_lines(names: Sequence[str]) -> pa.Table:
    heads = ("file", "tab", "cell", *names, "field", "before", "now")
    return pa.table({name: pa.array([], pa.string()) for name in heads})


def _added(restatement: Restated, other_restatement: Restated) -> Restated:
    """The restatements of several tables, concatenated."""
    if not other_restatement:
        return restatement
    lines = [table for table in (restatement.lines, other_restatement.lines) if table.num_rows]
    return Restated(
        pa.concat_tables(lines, promote_options="default"),
        restatement.values + other_restatement.values,
        restatement.records + other_restatement.records,
        (*restatement.sums, *other_restatement.sums),
        Counter(restatement.by_file) + Counter(other_restatement.by_file),
    )


def _only_of(side: Side, files: Collection[str], without: Collection[tuple[str, str]]) -> Side:
    """The records of a side that are from some files, without some of their tabs."""
    wanted = pa.array(sorted(files), pa.string())

    from boreotabula.review.compare.sides import Side

    def batches() -> Iterator[pa.RecordBatch]:
        for batch in side.batches():
            places = [
                batch.column(literal).cast(pa.string()) for literal in ("source_file", "source_tab")
            ]
            chosen = pc.is_in(places[0], wanted)
            for file, tab in without:
                there = pc.and_(pc.equal(places[0], file), pc.equal(places[1], tab))
                chosen = pc.and_not(chosen, pc.fill_null(there, False))
            yield batch.filter(chosen)

    return Side(side.name, side.kinds, batches, side.key)


def _texts_side(name: str, batches: Sequence[pa.RecordBatch], without: Mapping[str, str]) -> Side:
    """Records as a side; with none, only the columns of another side."""
    from boreotabula.review.compare.sides import Side

    kinds = {value.name: type_name(value) for value in batches[0].schema} if batches else without

    def texts() -> Iterator[pa.RecordBatch]:
        for batch in batches:
            columns = []
            for value in batch.schema:
                plain = column_text(batch.column(value.name), field_type(value)).cast(pa.string())
                columns.append(pc.if_else(pc.equal(plain, ""), None, plain))
            yield pa.RecordBatch.from_arrays(columns, names=batch.schema.names)

    return Side(name, kinds, texts)


def _known_by(new: Side, old: Side, key: Sequence[str]) -> tuple[str, ...]:
    """What identifies records: the key; else all fields that are no numbers, which say what a
    record is about; else their cells."""
    texts = [name for name in new.kinds if name in old.kinds and name not in PROVENANCE]
    if key and set(key) <= set(texts):
        return tuple(key)
    names = [name for name in texts if not type_called(new.kinds[name]).is_number]
    # With nothing but numbers a record has no name; its cell is all that is left.
    return tuple(names) or PROVENANCE


def _reported_before(changes: pa.Table, changed: Collection[str]) -> pa.Array:
    """Which rows are values that existed before, or records of files that have changed."""
    from boreotabula.review.compare.compare import CHANGED, GONE

    what = changes.column("what")
    value = pc.and_(pc.equal(what, CHANGED), changes.column("before").is_valid())
    of_changed = pc.is_in(changes.column("before_file"), pa.array(sorted(changed), pa.string()))
    return pc.or_(value, pc.and_(pc.equal(what, GONE), of_changed))


def _files_of(lines: pa.Table) -> list[str]:
    return [
        now or before
        for now, before in zip(
            lines.column("after_file").to_pylist(),
            lines.column("before_file").to_pylist(),
            strict=True,
        )
    ]


def _as_lines(lines: pa.Table, key: Sequence[str]) -> pa.Table:
    """The columns of restated.csv."""
    from boreotabula.review.compare.compare import GONE

    gone = pc.equal(lines.column("what"), GONE)

    def here(name: str) -> pa.ChunkedArray:
        return pc.coalesce(lines.column(f"after_{name}"), lines.column(f"before_{name}"))

    return pa.table(
        {
            **{name: here(name) for name in ("file", "tab", "cell")},
            **{name: lines.column(name) for name in key},
            "field": pc.if_else(gone, WHOLE_RECORD, lines.column("field")),
            "before": pc.if_else(gone, "there", lines.column("before")),
            "now": pc.if_else(gone, "gone", lines.column("after")),
        }
    )


# --- what it makes of sums ------------------------------------------------------------------------


def _sums(lines: pa.Table, saved: Side, old: Side, new: Side) -> Iterator[str]:
    """The sums that changed most often, before and now: of a number, by the period if known."""
    numbers = [name for name, kind in new.kinds.items() if type_called(kind).totals]
    period = next(
        (name for name, kind in new.kinds.items()
         if type_called(kind).name in ("month", "date") and name in lines.schema.names),
        None,
    )  # fmt: skip
    names = lines.column(period).to_pylist() if period else [""] * lines.num_rows
    fields = lines.column("field").to_pylist()
    counts = Counter(
        (one or "", name) for one, name in zip(names, fields, strict=True) if name in numbers
    )
    for (when, name), _ in counts.most_common(_MOST_SUMS):
        # The whole output is summed, so that the figure is the one people know.
        whole = _sum_of(saved, name, period, when)
        now = whole - _sum_of(old, name, period, when) + _sum_of(new, name, period, when)
        of = f" {when}" if when else ""
        yield f"sum of {name}{of}: {plain_number(whole)} → {plain_number(now)}"


def _sum_of(side: Side, name: str, period: str | None, when: str) -> Decimal:
    total = Decimal(0)
    for batch in side.batches():
        column = batch.column(name)
        if period is not None:
            column = column.filter(pc.equal(pc.fill_null(batch.column(period), ""), when))
        total += sum(map(Decimal, column.drop_null().to_pylist()), Decimal(0))
    return total


def restated_findings(restatement: Restated) -> Iterator[Finding]:
    """A finding for each file that has restated a value."""
    columns = {
        name: restatement.lines.column(name).to_pylist() for name in restatement.lines.schema.names
    }
    for file, number in restatement.by_file.items():
        first = columns["file"].index(file)
        name, before, now = (columns[literal][first] for literal in ("field", "before", "now"))
        gone = {
            columns["field"][column] for column, one in enumerate(columns["file"]) if one == file
        }
        where, tab = written_address(columns["cell"][first]), columns["tab"][first] or ""
        slots = {"values": number, "before": str(before), "there": str(now or "")}
        if gone == {WHOLE_RECORD}:
            yield RECORDS_MISSING_NOW(where, file=file, tab=tab, **slots)
        else:
            now = now or "blank"
            yield VALUE_RESTATED(where, file=file, tab=tab, field=name, now=now, **slots)


def with_restated_culprits(findings: Iterable[Finding], restated: Restated) -> Iterator[Finding]:
    """The findings, with the culprit added to those of totals that would agree with one value of
    their tab as it was last reported."""
    findings = list(findings)
    by_tab: dict[tuple[str, str], list[Mapping[str, str]]] = {}
    if any(finding.kind == TOTAL_DIFFERS for finding in findings):
        for line in restated.lines.to_pylist():
            by_tab.setdefault((line["file"], line["tab"] or ""), []).append(line)
    for finding in findings:
        lines = by_tab.get((finding.file, finding.tab), [])
        suffix = _explained(finding, lines) if finding.kind == TOTAL_DIFFERS and lines else ""
        yield replace(finding, message=f"{finding.message}; {suffix}") if suffix else finding


def _explained(finding: Finding, lines: Sequence[Mapping[str, str]]) -> str:
    """The only restated value whose change explains the difference of a total; empty if there is
    none, or two."""
    apart = _number(finding.found) - _number(finding.looked_for)
    fitting = [
        line for line in lines
        if abs(_number(line["before"]) - _number(line["now"]) - apart) < _NEAR
    ]  # fmt: skip
    # With two candidates naming one would be a guess.
    if len(fitting) != 1:
        return ""
    (line,) = fitting
    return culprits.VALUE_RESTATED(field=line["field"], cell=line["cell"], before=line["before"])


_NEAR = 1e-6


def _number(text: str | None) -> float:
    """A number as findings and lists of changes write it; nan if it is no number."""
    try:
        return float((text or "").replace(",", ""))
    except ValueError:
        return nan
