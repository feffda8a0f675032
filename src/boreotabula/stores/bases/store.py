"""Records into an existing database.

Only rows of files that are new, changed or gone are touched, in one transaction. The database keeps
the record of the run itself.
"""

from __future__ import annotations

import json
from collections.abc import Iterator, Mapping, Sequence
from contextlib import contextmanager
from dataclasses import dataclass, field
from pathlib import Path
from typing import Any

import pyarrow as pa

from boreotabula.batch.atomic import reporting_errors
from boreotabula.batch.inputs import Inbox, look
from boreotabula.batch.layouts.load import Layout
from boreotabula.batch.output_checks import check_output
from boreotabula.batch.private_files import OnWait
from boreotabula.batch.run.earlier import earlier_record
from boreotabula.batch.run.shape import is_record
from boreotabula.batch.run_folders import RUN_FOLDER, run_folder
from boreotabula.errors import CallError
from boreotabula.stores.bases.address import DatabaseAddress
from boreotabula.stores.bases.base import RECORDS, Base, BasePlace
from boreotabula.stores.bases.columns import (
    check_columns,
)
from boreotabula.stores.bases.opening import open_base
from boreotabula.stores.bases.writing import BaseWriting
from boreotabula.stores.saved import SavedOutput, output_in_base
from boreotabula.stores.store import OnFetched, Task, schemas_of


@dataclass
class BaseStore:
    """The database at a place."""

    place: BasePlace
    tab: str | None = None
    """The table that takes the records of the only table of the layout."""
    add_columns: bool = False
    replace_all: bool = False
    """Whether rows of files that are not read now are removed."""
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
        """The file, if it is not on a server."""
        return self.place if isinstance(self.place, Path) else None

    def look(
        self, layout: Layout, named: Sequence[Path] = (), on_fetched: OnFetched | None = None
    ) -> Inbox:
        """The files of a run, after checking that the database can take its records.

        Raises CallError if it has other columns, or would round values.
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
                "--into-tab names the table of a database that takes the only table of a layout"
            )
        own: tuple[Path, ...] = ()
        if isinstance(self.place, Path):
            # A database is never made by --into, as a typing mistake would make a new one.
            if not self.place.is_file():
                raise CallError(f"there is no file “{self.place}”; write a new one with -o")
            own = (self.place, run_folder(self.place))
            check_output(layout, self.place, named, own=(self.place,))
        with reporting_errors(self.shown):
            base = open_base(self.place, on_wait=self.on_wait)
            try:
                # All tables before any file is read, as reading may take an hour.
                for table, schema in schemas_of(layout).items():
                    if not layout.plan.grows:
                        check_columns(
                            base, self.target(table), schema, add_columns=self.add_columns
                        )
            finally:
                base.close()
        return look(layout, own=own, named=named, on_fetched=on_fetched)

    def target(self, table: str) -> str:
        """The table of the database that takes these records. Raises CallError if none can."""
        name = self.tab or table
        if name.casefold() == RECORDS:
            raise CallError(f"the table “{RECORDS}” holds the records of runs; name another")
        return name

    def session(self) -> Base:
        """The session of this run."""
        if self._base is None:
            self._base = open_base(self.place, on_wait=self.on_wait)
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
        with reporting_errors(self.shown):
            kept = self.session().recorded()
        name = table if table is not None else next(iter(self._tables), "")
        result = next((text for one, text in kept.items() if one.casefold() == name.casefold()), "")
        try:
            record = json.loads(result) if result else None
        except ValueError:
            record = None
        # Earlier versions kept the record in a folder beside it.
        return record if is_record(record) else self._record_beside(name)

    _tables: Sequence[str] = field(default_factory=tuple)
    """The tables of the layout."""

    def _record_beside(self, table: str) -> Mapping[str, Any] | None:
        """The record that an earlier version kept beside the database, or of a run that wrote
        it."""
        path = self.place
        if isinstance(path, DatabaseAddress):
            path = Path(f"{path.plain_name}.postgresql")
        record = earlier_record(path)
        if record is None or record.get("kept_in_database"):
            return None
        tables = record.get("tables", ())
        known_texts = {str(table.get("tab") or table.get("table")) for table in tables}
        return record if table in known_texts else None

    def saved(self, table: str) -> SavedOutput | None:
        """The content of a table."""
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
        return Path("".join(text if text.isalnum() or text in "._-" else "_" for text in name)
                    # A name of a table may hold signs that no folder can.
                    + RUN_FOLDER)  # fmt: skip

    @contextmanager
    def open(self, task: Task, tables: Mapping[str, pa.Schema]) -> Iterator[BaseWriting]:
        """Take records: none is in the database before the end."""
        with reporting_errors(self.shown):
            writing = BaseWriting(self, task, tables)
            try:
                # Without a commit the database stays as it was; the transaction may hold it open
                # for others.
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
            with reporting_errors(self.shown):
                self.session().lock([self.target(table) for table in self._tables], self.on_wait)
            yield
        finally:
            self.close()
