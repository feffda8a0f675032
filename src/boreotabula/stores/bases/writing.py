"""A run into a database: which rows stay, change, are removed or added, and how they are
written."""

from __future__ import annotations

import hashlib
import json
from collections.abc import Collection, Iterable, Mapping, Sequence
from dataclasses import dataclass, field, replace
from itertools import chain
from pathlib import Path
from typing import TYPE_CHECKING

import pyarrow as pa

from boreotabula import __version__
from boreotabula.batch.file.read import FileReading
from boreotabula.batch.layouts.load import Layout
from boreotabula.batch.run.earlier import Before
from boreotabula.batch.run.outcome import RowCounts, Run
from boreotabula.batch.run.record import OutputNotes, describe, write_record
from boreotabula.findings.finding import Finding
from boreotabula.findings.subjects.files import FILE_TWICE
from boreotabula.findings.subjects.masters import VALUE_NOT_HELD
from boreotabula.layout.addresses import written_address
from boreotabula.reading.values.arrays import plain_schema
from boreotabula.stores.bases.base import quoted
from boreotabula.stores.bases.columns import (
    check_columns,
    limits_of,
    prepare,
    there_of,
    unfit,
    without,
)
from boreotabula.stores.bases.fitting import as_batch, field_headings, with_all
from boreotabula.stores.bases.spool import Spool
from boreotabula.stores.csv import column_text, field_type
from boreotabula.stores.pairing import paired, pairing_rows
from boreotabula.stores.store import Task, WritingBase
from boreotabula.stores.typed import typed_rows

if TYPE_CHECKING:
    from boreotabula.stores.bases.store import BaseStore

_UNHELD = ":unheld"


def state_of(layout: Layout, reading: FileReading) -> str:
    """What the records of a file depend on: if it is the same, so are they.

    It is followed by their number, and later by whether the database could not hold some values.
    """
    # Copies depend on other files, so they are part of what the records follow from.
    copies = sorted(tab.name for tab in reading.tabs if tab.is_copy)
    parts = [__version__, layout.digest, reading.name, reading.digest, *copies]
    digest = hashlib.sha256("\0".join(parts).encode("utf-8", "surrogatepass")).hexdigest()
    # The records themselves need not be unpacked for it.
    count = sum(tab.record_count for tab in reading.tabs if not tab.is_copy)
    return f"{digest[:32]}:{count}"


@dataclass
class _Changes:
    """The changes to the rows of a table."""

    delete: list[object] = field(default_factory=list)
    update: list[tuple[list[object], pa.Table]] = field(default_factory=list)
    insert: list[pa.Table] = field(default_factory=list)
    whole: set[str] = field(default_factory=set)
    """Files without rows so far: their records are added unchanged."""
    stay: int = 0
    streamed: int = 0
    """The number of records in those files."""

    @property
    def counts(self) -> RowCounts:
        """How many rows are added, kept, replaced and removed."""
        replaced = sum(len(rows) for rows, _ in self.update)
        added = sum(table.num_rows for table in self.insert) + self.streamed
        return RowCounts(added, self.stay, replaced, len(self.delete))


class BaseWriting(WritingBase):
    """A run into a database."""

    def __init__(self, store: BaseStore, task: Task, tables: Mapping[str, pa.Schema]) -> None:
        self._store, self._task, self._tables = store, task, tables
        self._base = store.session()
        record = store.remembers()
        # A file that was renamed keeps its rows.
        self._before = Before.of(record, task.digests)
        self._states: dict[str, str] = dict(((record or {}).get("written") or {}).get("states", {}))
        self._targets = {table: store.target(table) for table in tables}
        for table, schema in tables.items():
            check_columns(self._base, self._targets[table], schema, add_columns=store.add_columns)
        flags = {text: bool(self._base.columns(name)) for text, name in self._targets.items()}
        self._counts = {
            table: self._base.counts(name) if flags[table] else {}
            # Asked once for all files.
            for table, name in self._targets.items()
        }
        self._limits = {
            table: limits_of(self._base, self._targets[table], schema)
            for table, schema in tables.items()
        }
        self._spools = {table: Spool() for table in tables}
        self._now: dict[str, str] = {}
        """The state of each file that is read."""
        self._again: set[str] = set()
        """The files whose rows are compared with their present records."""
        self._forget: set[str] = set()
        """The files whose rows are removed."""
        self._changes: dict[str, _Changes] = {}
        self._found: list[Finding] = []
        """Findings about values, complete once all files are read."""
        self._begun = False
        self.done = False

    def take(self, reading: FileReading) -> FileReading:
        """Keep the records of a file, if they differ from the existing ones."""
        name = reading.name
        # A copy gives no records, so rows that it once had must go.
        if any(finding.kind == FILE_TWICE for finding in reading.findings):
            self._forget |= self._with_former([name])
            return reading
        if not reading.read:
            return reading
        state = self._now[name] = state_of(self._task.layout, reading)
        # As many rows as the run before wrote: somebody may have deleted some.
        if self._is_there(name, state):
            self._now[name] = self._states[name]
            # Told again, as long as it is so.
            findings = self._unfit(reading) if self._states[name].endswith(_UNHELD) else []
            return (
                replace(reading, findings=(*reading.findings, *findings)) if findings else reading
            )
        self._again |= self._with_former([name])
        findings = []
        for tab in reading.tabs:
            for table, batch in tab.tables.items():
                fitting, unheld = self._fitted(table, batch, name, tab.name)
                findings += unheld
                self._spools[table].write(name, fitting)
        if not findings:
            return reading
        self._now[name] += _UNHELD
        return replace(reading, findings=(*reading.findings, *findings))

    def _is_there(self, name: str, state: str) -> bool:
        """Whether the database holds the present records of a file."""
        count = sum(counts.get(name, 0) for counts in self._counts.values())
        known_text = self._states.get(name, "").removesuffix(_UNHELD)
        return known_text == state and count == int(state.rpartition(":")[2])

    def _unfit(self, reading: FileReading) -> list[Finding]:
        """The findings of a file that is there already: its values are as blank as they were."""
        findings: list[Finding] = []
        for tab in reading.tabs:
            for table, batch in tab.tables.items():
                findings += self._fitted(table, batch, reading.name, tab.name)[1]
        return findings

    def _fitted(
        self, table: str, batch: pa.RecordBatch, file: str, tab: str
    ) -> tuple[pa.RecordBatch, list[Finding]]:
        """Records as the database can hold them; notes what it cannot."""
        limits, holds_nul = self._limits[table], self._base.holds_nul
        # Most databases hold every value, and then nothing is looked at.
        if not limits and holds_nul:
            return batch, []
        unheld: list[Finding] = []
        cells = batch.column("source_cell")
        for value, column in zip(batch.schema, batch.columns, strict=True):
            texts = None
            for wrong, why in unfit(column, limits.get(value.name, ""), holds_nul=holds_nul):
                texts = column_text(column, field_type(value)) if texts is None else texts
                for index, bad in enumerate(wrong.to_pylist()):
                    if bad:
                        # Shown as a sign that can be printed.
                        text = str(texts[index].as_py()).replace("\0", "\N{SYMBOL FOR NULL}")
                        cell = written_address(cells[index].as_py())
                        unheld.append(
                            VALUE_NOT_HELD(
                                cell, file=file, tab=tab, field=value.name, text=text, why=why
                            )
                        )
                batch = without(batch, value.name, wrong)
        return batch, unheld

    def take_tables(self, tables: Mapping[str, pa.Table]) -> None:
        """Keep the records of all files, where columns follow from all of them."""
        for table, records in tables.items():
            files = records.column("source_file").cast(pa.string()).to_pylist()
            start = 0
            # The records of a file stand together, as they came.
            for index in range(1, len(files) + 1):
                if index == len(files) or files[index] != files[start]:
                    part = records.slice(start, index - start).unify_dictionaries().combine_chunks()
                    for batch in part.to_batches():
                        self._keep(table, files[start], batch)
                    start = index

    def _keep(self, table: str, file: str, batch: pa.RecordBatch) -> None:
        fitting, findings = self._fitted(table, batch, file, "")
        self._found += findings
        self._spools[table].write(file, fitting)
        self._again |= self._with_former([file])

    # --- what becomes of the rows -----------------------------------------------------------------

    def settle(self, run: Run) -> Run:
        """Compare the rows of changed files with their records, once no other program can change
        them."""
        targets = list(self._targets.values())
        self._base.begin(targets, self._store.on_wait)
        self._begun = True
        # Without a reading for each file it is not known which have changed, so all are compared.
        if self._task.layout.plan.grows:  # then no reading was taken by itself
            self._now = {file.name: "" for file in run.files if file.read}
            # A file that holds no record any more, or is a copy now, has rows as well.
            self._again |= self._with_former(self._now)
            copies = (finding.file for finding in run.findings if finding.kind == FILE_TWICE)
            self._forget |= self._with_former(copies)
        read = {source.name for source in self._task.inbox.taken}
        gone = {name for name in self._before.files if name not in read}
        gone -= set(self._before.renamed.values())
        forget = self._forget | (gone if self._store.replace_all else set())
        for table in self._tables:
            self._changes[table] = self._compared(table, self._again | forget, read)
            streamed = self._spools[table].count(self._changes[table].whole)
            # Records of new files are not compared with anything, so they need not fit into
            # memory.
            self._changes[table].streamed = streamed
        counts = sum((change.counts for change in self._changes.values()), RowCounts())
        replaced = {*self._again, *forget, *self._now}
        return replace(
            run,
            rows=counts,
            findings=(*run.findings, *self._found),
            files_kept=self._before.without(replaced),
        )

    def _with_former(self, names: Iterable[str]) -> set[str]:
        """Some files, and their earlier names."""
        return {text for name in names for text in (name, self._before.renamed.get(name, name))}

    def _compared(self, table: str, again: Collection[str], read: Collection[str]) -> _Changes:
        """The changes to the rows of a table, given the files whose records are written again, and
        all that the run reads."""
        schema, counts = self._tables[table], self._counts[table]
        changes = _Changes(stay=sum(counts.values()))
        layout = self._task.layout
        # Half a key tells no rows apart.
        key = [name for name in layout.spec.key if name in schema.names]
        key = key if len(key) == len(layout.spec.key) else []
        # By the key a row is known whatever file it is from, but for files that did not change.
        other_texts = {file for file in counts if file not in read} if key else ({""} & set(counts))
        if self._task.inbox.partial:  # files that are not read this time may still be there
            other_texts -= self._before.files.keys()
        compared = {file for file in counts if file in again or file in other_texts}
        # Nothing of the table is compared, so nothing is read from it.
        if not compared:
            changes.whole = set(again)
            return changes
        # Rows of no run may be any record's.
        texts = (
            set(again) if key or "" in compared else {text for text in again if text in compared}
        )
        former = {old: new for new, old in self._before.renamed.items()}
        pairing = {*texts, *(former[text] for text in texts if text in former)}
        changes.whole = set(again) - pairing
        numbers, old = self._rows(table, compared)
        self._pair(changes, numbers, old, self._records(table, pairing), key, again)
        return changes

    def _rows(self, table: str, files: Collection[str]) -> tuple[list[object], pa.Table]:
        """The rows of some files, and what identifies each."""
        target, schema = self._targets[table], self._tables[table]
        values = there_of(self._base, target, schema)
        condition, value = self._base.among([file for file in files if file])
        if "" in files:
            condition = f"({condition} OR source_file IS NULL)"
        columns = [self._base.row, *(quoted(value.name) for value in values)]
        lines = list(self._base.select(target, columns, condition, [value]))
        # Compared as values of the layout's types, since databases give numbers in several forms.
        records = typed_rows([line[1:] for line in lines], pa.schema(values))
        return [line[0] for line in lines], with_all(records, schema)

    def _records(self, table: str, files: Collection[str]) -> pa.Table:
        """The present records of some files."""
        schema = self._tables[table]
        tables = list(self._spools[table].tables(files))
        result = pa.concat_tables(tables).unify_dictionaries() if tables else schema.empty_table()
        return result.select(schema.names).cast(plain_schema(schema))

    def _pair(
        self,
        changes: _Changes,
        numbers: Sequence[object],
        old: pa.Table,
        new: pa.Table,
        key: Sequence[str],
        again: Collection[str],
    ) -> None:
        """Note which rows are removed, changed and added."""
        former = {old_name: name for name, old_name in self._before.renamed.items()}
        rows, records = pairing_rows(old, key, former), pairing_rows(new, key)
        pairs = paired(rows, records, {former.get(text, text) for text in again})
        # As they are written there: a renamed file is another source.
        sources = pairing_rows(old, ()).sources
        # A row is written again only if it would differ; others keep what triggers and people
        # made of them.
        changed = [
            (index, row)
            for index, row in enumerate(pairs.rows)
            if row is not None
            and (
                rows.values[row] != records.values[index] or sources[row] != records.sources[index]
            )
        ]
        if changed:
            places = pa.array([index for index, _ in changed], pa.int64())
            changes.update.append(([numbers[row] for _, row in changed], new.take(places)))
        added = [index for index, row in enumerate(pairs.rows) if row is None]
        if added:
            changes.insert.append(new.take(pa.array(added, pa.int64())))
        changes.delete = [numbers[index] for index in pairs.gone]
        changes.stay -= len(pairs.gone) + len(changed)

    def commit(self, run: Run) -> None:
        """Change the rows, and keep the record of the run. Raises CallError, OSError."""
        base, layout = self._base, self._task.layout
        headings = field_headings(layout)
        for table, schema in self._tables.items():
            target, changes = self._targets[table], self._changes[table]
            # Made in the transaction: without a commit there is no new table, either.
            prepare(
                base, target, schema, layout.spec.key, headings,
                add_columns=self._store.add_columns,
            )  # fmt: skip
            # Deleted first, so that a unique key is free for the row that takes it over.
            if changes.delete:
                base.delete(target, changes.delete)
            for rows, records in changes.update:
                base.update(target, rows, as_batch(records))
            # One after the other: there may be far more than fit into memory.
            for records in chain(changes.insert, self._spools[table].tables(changes.whole)):
                base.insert(target, as_batch(records.select(schema.names)))
        states = {name: state for name, state in self._states.items() if name in run.files_kept}
        states |= {name: state for name, state in self._now.items() if state}
        tables = list(self._targets.values())
        folder = self._store.record_folder(list(self._tables))
        values = {
            "kept_in_database": True,
            "address": self._store.shown,
            "run_folder": str(folder.absolute()),
        }
        written = {"states": states}
        out = self._store.place if isinstance(self._store.place, Path) else None
        record = describe(run, out) | {"written": written, **values}
        for value in record["tables"]:
            value["tab"] = self._targets[value["table"]]
        # In the same transaction as the rows, so that both are there or neither.
        base.record(tables, json.dumps(record, ensure_ascii=False))
        notes = OutputNotes(written, dict(self._targets), more=values)
        # Before the commit: if the findings cannot be written, nothing is kept.
        write_record(run, out, notes, folder=folder)
        base.commit()
        self._begun = False
        self.done = True

    def leave(self) -> None:
        """Leave the database as it was."""
        if self._begun:
            self._begun = False
            self._base.rollback()

    def close(self) -> None:
        """Discard what waited."""
        for spool in self._spools.values():
            spool.close()
