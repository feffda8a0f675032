"""Records into a database that is there: only rows of files that are new, changed or gone are
touched, in one transaction. It keeps the record of the run in itself."""

from __future__ import annotations

import hashlib
import json
from collections.abc import Collection, Iterator, Mapping, Sequence
from contextlib import contextmanager
from dataclasses import dataclass, field, replace
from itertools import chain
from pathlib import Path
from typing import Any

import pyarrow as pa

from boreotabula import __version__
from boreotabula.batch.atomic import told
from boreotabula.batch.file.read import FileReading
from boreotabula.batch.inputs import Inbox, check_output, look
from boreotabula.batch.layouts.load import Layout
from boreotabula.batch.run.earlier import Before, earlier_record
from boreotabula.batch.run.gather import RowCounts, Run
from boreotabula.batch.run.record import describe, write_record
from boreotabula.batch.run.shape import is_record
from boreotabula.batch.run_folders import RUN_FOLDER, run_folder
from boreotabula.errors import CallError
from boreotabula.findings.files import FILE_TWICE
from boreotabula.findings.finding import Finding
from boreotabula.findings.masters import VALUE_NOT_HELD
from boreotabula.layout.addresses import written_address
from boreotabula.layout.headings import normal_form
from boreotabula.layout.model import PROVENANCE
from boreotabula.stores.bases.address import DatabaseAddress
from boreotabula.stores.bases.base import RECORDS, Base, OnWait, Place, quoted
from boreotabula.stores.bases.columns import (
    check_columns,
    limits_of,
    prepare,
    there_of,
    unfit,
    without,
)
from boreotabula.stores.bases.opening import open_base
from boreotabula.stores.bases.spool import Spool
from boreotabula.stores.csv import column_text, field_type
from boreotabula.stores.pairing import lines_of, paired
from boreotabula.stores.records import typed_rows
from boreotabula.stores.saved import SavedOutput, output_in_base
from boreotabula.stores.store import OnFetched, Task, WritingBase, schemas_of

_MOST_HEADINGS = 3
_UNHELD = ":unheld"


@dataclass
class BaseStore:
    """The database at a place."""

    place: Place
    tab: str | None = None
    """The table that takes the records of the only table of the layout."""
    add_columns: bool = False
    replace_all: bool = False
    """Whether rows of files that are not read now go."""
    folder: Path | None = None
    """Where the folder with the findings is put."""
    on_wait: OnWait = lambda _: None
    takes_whole: bool = False
    adds: bool = True
    _base: Base | None = None

    @property
    def shown(self) -> str:
        """The path or the address, without a password."""
        return str(self.place)

    @property
    def file(self) -> Path | None:
        """The file, if it is no server."""
        return self.place if isinstance(self.place, Path) else None

    def look(
        self, layout: Layout, named: Sequence[Path] = (), on_fetched: OnFetched | None = None
    ) -> Inbox:
        """The files of a run, once it is sure that the database can take its records.

        Raises CallError if it has other columns, or rounds values.
        """
        if layout.plan.keeps_unknown:
            raise CallError(
                '`unknown_headings = "keep"` makes columns come and go; write a file of its own'
                " with -o"
            )
        if not layout.spec.provenance:
            raise CallError(
                "`provenance = false`: a database needs the columns source_file, source_tab and"
                " source_cell to know its rows again; write a file with -o"
            )
        if self.tab is not None and len(layout.plan.tables) > 1:
            raise CallError(
                "--tab names the table of a database that takes the only table of a layout"
            )
        own: tuple[Path, ...] = ()
        if isinstance(self.place, Path):
            if not self.place.is_file():
                raise CallError(f"there is no file “{self.place}”; write a new one with -o")
            own = (self.place, run_folder(self.place))
            check_output(layout, self.place, named, own=(self.place,))
        with told(self.shown):
            base = open_base(self.place)
            try:
                for table, schema in schemas_of(layout).items():
                    if not layout.plan.grows:
                        check_columns(
                            base, self.target(table), schema, add_columns=self.add_columns
                        )
            finally:
                base.close()
        return look(layout, own=own, named=named, on_fetched=on_fetched)

    def target(self, table: str) -> str:
        """The table of the database that takes those records. Raises CallError if none can."""
        name = self.tab or table
        if name.casefold() == RECORDS:
            raise CallError(f"the table “{RECORDS}” holds the records of runs; name another")
        return name

    def session(self) -> Base:
        """The session of this run."""
        if self._base is None:
            self._base = open_base(self.place)
        return self._base

    def close(self) -> None:
        """End the session."""
        if self._base is not None:
            self._base.close()
            self._base = None

    def remembers(self) -> Mapping[str, Any] | None:
        """The record of the last run into the table, or the first of the tables."""
        return self._record_of(self.tab)

    def _record_of(self, table: str | None) -> Mapping[str, Any] | None:
        with told(self.shown):
            kept = self.session().recorded()
        name = table if table is not None else next(iter(self._tables), "")
        found = next((text for one, text in kept.items() if one.casefold() == name.casefold()), "")
        try:
            record = json.loads(found) if found else None
        except ValueError:
            record = None
        return record if is_record(record) else self._record_beside(name)

    _tables: Sequence[str] = field(default_factory=tuple)
    """The tables of the layout."""

    def _record_beside(self, table: str) -> Mapping[str, Any] | None:
        """The record that an earlier version kept beside the database, or a run that wrote it."""
        path = self.place
        if isinstance(path, DatabaseAddress):
            path = Path(f"{path.plain_name}.postgresql")
        record = earlier_record(path)
        if record is None or record.get("kept_in_database"):
            return None
        tables = record.get("tables", ())
        known = {str(one.get("tab") or one.get("table")) for one in tables}
        return record if table in known else None

    def saved(self, table: str) -> SavedOutput | None:
        """What a table holds."""
        record = self.remembers()
        target = self.target(table)
        if record is None or not self.session().columns(target):
            return None
        return output_in_base(self.place, table, record, self.session())

    def record_folder(self, tables: Sequence[str]) -> Path:
        """Where the findings of a run are put: beside a file; for a server in the folder of the
        call, named after the table."""
        if self.folder is not None:
            return self.folder
        if isinstance(self.place, Path):
            return run_folder(self.place)
        name = self.target(tables[0])
        return Path("".join(one if one.isalnum() or one in "._-" else "_" for one in name)
                    + RUN_FOLDER)  # fmt: skip

    @contextmanager
    def open(self, task: Task, tables: Mapping[str, pa.Schema]) -> Iterator[_Writing]:
        """Take records: none is in the database before the end."""
        with told(self.shown):
            writing = _Writing(self, task, tables)
            try:
                yield writing
                if not writing.done:
                    writing.leave()
            except BaseException:
                writing.leave()
                raise
            finally:
                writing.close()

    @contextmanager
    def locked(self, layout: Layout) -> Iterator[None]:
        """Keep other runs from writing into the same tables; wait until they have ended."""
        self._tables = tuple(layout.plan.tables)
        try:
            with told(self.shown):
                self.session().lock([self.target(one) for one in self._tables], self.on_wait)
            yield
        finally:
            self.close()


def state_of(layout: Layout, reading: FileReading) -> str:
    """What the records of a file follow from: if it is the same, so are they.

    Behind it stands their number, and later whether the database could not hold some values.
    """
    copies = sorted(tab.name for tab in reading.tabs if tab.is_copy)
    parts = [__version__, layout.digest, reading.name, reading.digest, *copies]
    digest = hashlib.sha256("\0".join(parts).encode("utf-8", "surrogatepass")).hexdigest()
    # The records themselves need not be unpacked for it.
    count = sum(tab.record_count for tab in reading.tabs if not tab.is_copy)
    return f"{digest[:32]}:{count}"


@dataclass
class _Changes:
    """What becomes of the rows of a table."""

    delete: list[object] = field(default_factory=list)
    update: list[tuple[list[object], pa.Table]] = field(default_factory=list)
    insert: list[pa.Table] = field(default_factory=list)
    whole: set[str] = field(default_factory=set)
    """Files of which there is no row yet: their records go in as they are."""
    stay: int = 0
    streamed: int = 0
    """How many records those files have."""

    @property
    def counts(self) -> RowCounts:
        """How many rows are added, kept, replaced and gone."""
        replaced = sum(len(rows) for rows, _ in self.update)
        added = sum(table.num_rows for table in self.insert) + self.streamed
        return RowCounts(added, self.stay, replaced, len(self.delete))


class _Writing(WritingBase):
    """A run into a database."""

    def __init__(self, store: BaseStore, task: Task, tables: Mapping[str, pa.Schema]) -> None:
        self._store, self._task, self._tables = store, task, tables
        self._base = store.session()
        record = store.remembers()
        self._before = Before.of(record, task.digests)
        self._states: dict[str, str] = dict(((record or {}).get("written") or {}).get("states", {}))
        self._targets = {table: store.target(table) for table in tables}
        for table, schema in tables.items():
            check_columns(self._base, self._targets[table], schema, add_columns=store.add_columns)
        there = {one: bool(self._base.columns(name)) for one, name in self._targets.items()}
        self._counts = {
            table: self._base.counts(name) if there[table] else {}
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
        """The files whose rows are compared with what they hold now."""
        self._forget: set[str] = set()
        """Those whose rows go."""
        self._changes: dict[str, _Changes] = {}
        self._found: list[Finding] = []
        """What is told of values once all files are read."""
        self._begun = False
        self.done = False

    def take(self, reading: FileReading) -> FileReading:
        """Keep the records of a file, if they are others than those that are there."""
        name = reading.name
        former = self._before.renamed.get(name, name)
        if any(one.kind == FILE_TWICE for one in reading.findings):
            self._forget |= {name, former}
            return reading
        if not reading.read:
            return reading
        state = self._now[name] = state_of(self._task.layout, reading)
        if self._is_there(name, state):
            self._now[name] = self._states[name]
            # Told again, as long as it is so.
            found = self._unfit(reading) if self._states[name].endswith(_UNHELD) else []
            return replace(reading, findings=(*reading.findings, *found)) if found else reading
        self._again |= {name, former}
        found = []
        for tab in reading.tabs:
            for table, batch in tab.tables.items():
                fitting, unheld = self._fitted(table, batch, name, tab.name)
                found += unheld
                self._spools[table].write(name, fitting)
        if not found:
            return reading
        self._now[name] += _UNHELD
        return replace(reading, findings=(*reading.findings, *found))

    def _is_there(self, name: str, state: str) -> bool:
        """Whether the database holds the records of a file as they are now."""
        count = sum(counts.get(name, 0) for counts in self._counts.values())
        known = self._states.get(name, "").removesuffix(_UNHELD)
        return known == state and count == int(state.rpartition(":")[2])

    def _unfit(self, reading: FileReading) -> list[Finding]:
        """What was told of a file that is there already: its values are as blank as they were."""
        found: list[Finding] = []
        for tab in reading.tabs:
            for table, batch in tab.tables.items():
                found += self._fitted(table, batch, reading.name, tab.name)[1]
        return found

    def _fitted(
        self, table: str, batch: pa.RecordBatch, file: str, tab: str
    ) -> tuple[pa.RecordBatch, list[Finding]]:
        """Records as the database can hold them, and what it cannot."""
        limits, holds_nul = self._limits[table], self._base.holds_nul
        if not limits and holds_nul:
            return batch, []
        unheld: list[Finding] = []
        cells = batch.column("source_cell")
        for one, column in zip(batch.schema, batch.columns, strict=True):
            texts = None
            for wrong, why in unfit(column, limits.get(one.name, ""), holds_nul=holds_nul):
                texts = column_text(column, field_type(one)) if texts is None else texts
                for at, bad in enumerate(wrong.to_pylist()):
                    if bad:
                        text = str(texts[at].as_py()).replace("\0", "\N{SYMBOL FOR NULL}")
                        cell = written_address(cells[at].as_py())
                        unheld.append(
                            VALUE_NOT_HELD(
                                cell, file=file, tab=tab, field=one.name, text=text, why=why
                            )
                        )
                batch = without(batch, one.name, wrong)
        return batch, unheld

    def take_tables(self, tables: Mapping[str, pa.Table]) -> None:
        """Keep the records of all files, whose columns follow from all of them."""
        for table, records in tables.items():
            files = records.column("source_file").cast(pa.string()).to_pylist()
            start = 0
            for at in range(1, len(files) + 1):
                if at == len(files) or files[at] != files[start]:
                    part = records.slice(start, at - start).unify_dictionaries().combine_chunks()
                    for batch in part.to_batches():
                        self._keep(table, files[start], batch)
                    start = at

    def _keep(self, table: str, file: str, batch: pa.RecordBatch) -> None:
        fitting, found = self._fitted(table, batch, file, "")
        self._found += found
        self._spools[table].write(file, fitting)
        self._again |= {file, self._before.renamed.get(file, file)}

    # --- what becomes of the rows -----------------------------------------------------------------

    def settle(self, run: Run) -> Run:
        """Compare the rows of files that have changed with their records, once no other program can
        change them."""
        targets = list(self._targets.values())
        self._base.begin(targets, self._store.on_wait)
        self._begun = True
        if self._task.layout.plan.grows:
            self._now = {one.name: "" for one in run.files if one.read}
        read = {one.name for one in self._task.inbox.taken}
        gone = {name for name in self._before.files if name not in read}
        gone -= set(self._before.renamed.values())
        forget = self._forget | (gone if self._store.replace_all else set())
        for table in self._tables:
            self._changes[table] = self._compared(table, self._again | forget, read)
            streamed = self._spools[table].count(self._changes[table].whole)
            self._changes[table].streamed = streamed
        counts = sum((one.counts for one in self._changes.values()), RowCounts())
        replaced = {*self._again, *forget, *self._now}
        return replace(
            run,
            rows=counts,
            findings=(*run.findings, *self._found),
            files_kept=self._before.without(replaced),
        )

    def _compared(self, table: str, again: Collection[str], read: Collection[str]) -> _Changes:
        target, schema, counts = self._targets[table], self._tables[table], self._counts[table]
        changes = _Changes()
        layout = self._task.layout
        key = [name for name in layout.spec.key if name in schema.names]
        key = key if len(key) == len(layout.spec.key) else []
        # By the key a row is known whatever file it is from, but for files that did not change.
        others = {file for file in counts if file not in read} if key else ({""} & set(counts))
        if self._task.inbox.partial:  # files that are not read this time may still be there
            others -= self._before.files.keys()
        compared = {file for file in counts if file in again or file in others}
        total = sum(counts.values())
        changes.stay = total
        if not compared:
            changes.whole = set(again)
            return changes
        known = there_of(self._base, target, schema)
        names = [one.name for one in known]
        condition, value = self._base.among([one for one in compared if one])
        if "" in compared:
            condition = f"({condition} OR source_file IS NULL)"
        columns = [self._base.row, *map(quoted, names)]
        lines = list(self._base.select(target, columns, condition, [value]))
        numbers = [line[0] for line in lines]
        old = typed_rows([line[1:] for line in lines], pa.schema(known))
        whole = again if key else {one for one in again if one in compared}
        # Rows of no run may be any record's.
        whole = again if "" in compared else whole
        former = {old_name: new for new, old_name in self._before.renamed.items()}
        pairing = {*whole, *(former[one] for one in whole if one in former)}
        changes.whole = set(again) - pairing
        tables = list(self._spools[table].tables(pairing))
        new = pa.concat_tables(tables).unify_dictionaries() if tables else schema.empty_table()
        new = new.select(schema.names).cast(_plain(schema))
        old_lines = lines_of(_with_all(old, schema), key, former)
        new_lines = lines_of(new, key)
        pairs = paired(old_lines, new_lines, {former.get(one, one) for one in again})
        changes.delete = [numbers[at] for at in pairs.gone]
        changed = [
            (at, row)
            for at, row in enumerate(pairs.rows)
            if row is not None
            and (
                old_lines.values[row] != new_lines.values[at]
                or _source(old, row) != new_lines.sources[at]
            )
        ]
        if changed:
            places = pa.array([at for at, _ in changed], pa.int64())
            changes.update.append(([numbers[row] for _, row in changed], new.take(places)))
        added = [at for at, row in enumerate(pairs.rows) if row is None]
        if added:
            changes.insert.append(new.take(pa.array(added, pa.int64())))
        changes.stay = total - len(pairs.gone) - len(changed)
        return changes

    def commit(self, run: Run) -> None:
        """Change the rows, and keep the record of the run. Raises CallError, OSError."""
        base, layout = self._base, self._task.layout
        headings = _headings(layout)
        for table, schema in self._tables.items():
            target, changes = self._targets[table], self._changes[table]
            prepare(
                base, target, schema, layout.spec.key, headings,
                add_columns=self._store.add_columns,
            )  # fmt: skip
            if changes.delete:
                base.delete(target, changes.delete)
            for rows, records in changes.update:
                base.update(target, rows, _batch(records))
            # One after the other: there may be far more than fit into memory.
            for records in chain(changes.insert, self._spools[table].tables(changes.whole)):
                base.insert(target, _batch(records.select(schema.names)))
        states = {name: one for name, one in self._states.items() if name in run.files_kept}
        states |= {name: state for name, state in self._now.items() if state}
        tables = list(self._targets.values())
        folder = self._store.record_folder(list(self._tables))
        more = {
            "kept_in_database": True,
            "address": self._store.shown,
            "run_folder": str(folder.absolute()),
        }
        written = {"states": states}
        out = self._store.place if isinstance(self._store.place, Path) else None
        record = describe(run, out) | {"written": written, **more}
        for one in record["tables"]:
            one["tab"] = self._targets[one["table"]]
        base.record(tables, json.dumps(record, ensure_ascii=False))
        write_record(run, out, written, dict(self._targets), folder=folder, more=more)
        base.commit()
        self._begun = False
        self.done = True

    def leave(self) -> None:
        """Leave the database as it was."""
        if self._begun:
            self._begun = False
            self._base.rollback()

    def close(self) -> None:
        """Let go of what waited."""
        for one in self._spools.values():
            one.close()


def _source(old: pa.Table, row: int) -> tuple[str, str, str]:
    file, tab, cell = (str(old.column(name)[row].as_py() or "") for name in PROVENANCE)
    return file, tab, cell


def _plain(schema: pa.Schema) -> pa.Schema:
    """A schema whose texts are no entries of a dictionary: those of several files differ."""
    return pa.schema(
        one.with_type(one.type.value_type) if pa.types.is_dictionary(one.type) else one
        for one in schema
    )


def _with_all(records: pa.Table, schema: pa.Schema) -> pa.Table:
    """Records with all columns of a schema; those that they lack are empty."""
    plain = _plain(schema)
    columns = [
        records.column(one.name)
        if one.name in records.schema.names
        else pa.chunked_array([pa.nulls(records.num_rows, one.type)])
        for one in plain
    ]
    return pa.Table.from_arrays(columns, schema=plain)


def _batch(records: pa.Table) -> pa.RecordBatch:
    whole = records.unify_dictionaries().combine_chunks()
    return pa.RecordBatch.from_arrays(
        [
            column.chunk(0) if column.num_chunks else pa.array([], column.type)
            for column in whole.columns
        ],
        schema=whole.schema,
    )


def _headings(layout: Layout) -> dict[str, str]:
    """What the fields are called in the forms, by the layout and its glossaries."""
    found = {}
    for name, one in layout.spec.fields.items():
        known = one.also or layout.plan.names.headings_of(name)
        # With a unit in brackets behind it a heading is no other one.
        plain = [text for text in known if not text.endswith((")", "]"))]
        others = [text for text in plain if normal_form(text) != normal_form(name)]
        found[name] = ", ".join(others[:_MOST_HEADINGS]) or name
    return found
