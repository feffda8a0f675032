"""The interface for Python programs: layouts drafted and run, and their records as data frames or
files."""

from __future__ import annotations

from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass, fields
from datetime import date
from pathlib import Path
from typing import TYPE_CHECKING, Any

import pyarrow as pa

from boreotabula.batch.file.read import FileReading
from boreotabula.batch.inputs import look
from boreotabula.batch.layouts.load import Layout
from boreotabula.batch.read_all import ReadOptions
from boreotabula.batch.run import gather, outcome
from boreotabula.errors import BoreotabulaError, CallError
from boreotabula.findings.finding import Finding
from boreotabula.reading.values.arrays import plain_schema

if TYPE_CHECKING:
    from boreotabula.drafting.doubts import Doubt
    from boreotabula.drafting.tabs.specimens import LeftOut
    from boreotabula.review.due import Report


class Run(outcome.Run):
    """The outcome of a run, with its records in memory.

    With several output tables, the methods take the name of one of them; without a name, the first.
    """

    def to_pandas(self, table: str | None = None) -> Any:
        """The records as a pandas data frame.

        Texts are strings; whole numbers and yes or no use pandas' types with missing values; dates
        and times are datetimes; a month is its first day. Decimals and times of day are Python
        objects, because pandas has no type for them. Raises BoreotabulaError if pandas is not
        installed.
        """
        pandas = _installed("pandas")
        types = {pa.string(): pandas.StringDtype(), pa.int64(): pandas.Int64Dtype(),
                 pa.bool_(): pandas.BooleanDtype()}  # fmt: skip
        return _plain(self._table(table)).to_pandas(
            types_mapper=types.get, date_as_object=False, timestamp_as_object=False
        )

    def to_polars(self, table: str | None = None) -> Any:
        """The records as a polars data frame. Raises BoreotabulaError if polars is not
        installed."""
        return _installed("polars").from_arrow(_plain(self._table(table)))

    def write(self, path: str | Path, table: str | None = None, *, overwrite: bool = False) -> Path:
        """Write the records to a file, of the kind that its ending says; no run folder is kept.

        Raises CallError for an unknown ending, or if the file exists, unless `overwrite`.
        """
        from boreotabula.batch.atomic import atomic_write, reporting_errors
        from boreotabula.stores.kinds import known_kind, open_output

        path = Path(path)
        kind = known_kind(path)
        if path.exists() and not overwrite:
            raise CallError(f"“{path}” is there already; write(…, overwrite=True) replaces it")
        records = self._table(table)
        name = table or next(iter(self.tables))
        with (
            reporting_errors(path),
            atomic_write(path) as stream,
            open_output(kind, stream, {name: records.schema}, self.layout.spec.key) as output,
        ):
            for batch in records.to_batches():
                output.writers[name].write(batch)
            output.close()
        return path

    def late(
        self,
        sender: str | Sequence[str],
        period: str,
        due: int | Mapping[str, int],
        on: date | None = None,
        table: str | None = None,
    ) -> list[Report]:
        """The reports that are missing, late or still due, by sender and period.

        `sender` names the field or fields that identify who reports, `period` the field of months,
        days or years. `due` is the number of days after a period until its report is due. As a
        mapping by sender it covers only those that it names, even if they never reported; then
        `sender` is one field. `on` is the day for which to judge, today by default. Raises
        BoreotabulaError for a field that does not exist, or whose periods have no known end.
        """
        from boreotabula.review.due import Sender, came_by_files, reports, senders_met
        from boreotabula.stores.records import source_paths

        records = self._table(table)
        rows = [sender] if isinstance(sender, str) else list(sender)
        for name in (*rows, period):
            if name not in records.schema.names:
                raise CallError(f"there is no field “{name}”, only {', '.join(self._names(table))}")
        if not isinstance(due, int) and len(rows) != 1:
            raise CallError("due by sender goes with one field of senders; give a number of days")
        if isinstance(due, int):
            senders = senders_met(records, rows, due)
        else:
            senders = [Sender((name,), days) for name, days in due.items()]
        came = came_by_files(source_paths(self.layout.path))
        return reports(records, (rows, period), senders, on or date.today(), came)

    def accept(self, finding: Finding, why: str, who: str, until: date | None = None) -> Path:
        """Accept a finding, exactly as it was seen, by a line beside the layout; returns its file.

        From the next run on it counts as accepted. Raises CallError if it is about no cell, or is
        accepted already.
        """
        from boreotabula.batch.run.record import FINDING_COLUMNS
        from boreotabula.review.accept import write_acceptance

        row = {name: str(getattr(finding, name)) for name in FINDING_COLUMNS}
        tabs = [
            name for file in self.files if file.name == finding.file
            for name in (*(tab.name for tab in file.tabs), *file.other_tabs)
        ]  # fmt: skip
        return write_acceptance(self.layout, row, tabs, _decision(why, who, until)).path

    def correct(
        self,
        at: Finding | tuple[str, str, str],
        to: str,
        why: str,
        who: str,
        until: date | None = None,
    ) -> Path:
        """Correct a cell by a line beside the layout; returns its file.

        The cell is that of a finding, or a file, a tab and an address such as `D10`. From the next
        run on it is read as `to`, as long as it holds its present value. Raises CallError for a
        file, tab or cell that does not exist, or a text that its field cannot take.
        """
        from boreotabula.layout.addresses import parse_address
        from boreotabula.review.correct import write_correction
        from boreotabula.review.trace import open_tab, source_named

        file, tab, cell = (at.file, at.tab, at.cell) if isinstance(at, Finding) else at
        try:
            spot = parse_address(cell)
        except ValueError as error:
            raise CallError(str(error)) from None
        source = source_named(file, self.layout)
        current = open_tab(source, tab, self.layout)
        decision = {"is": to.strip(), **_decision(why, who, until)}
        return write_correction(self.layout, source, current, spot, decision).path

    def _names(self, table: str | None) -> list[str]:
        return list(self._table(table).schema.names)

    def _table(self, name: str | None) -> pa.Table:
        if name is None:
            return self.records
        if name not in self.tables:
            raise CallError(f"there is no output table “{name}”, only {', '.join(self.tables)}")
        return self.tables[name]


def _decision(why: str, who: str, until: date | None) -> dict[str, str]:
    return {"who": who.strip(), "why": why.strip(), "until": until.isoformat() if until else ""}


def _plain(table: pa.Table) -> pa.Table:
    """A table with plain strings as texts: with categories, a group-by of several columns would
    have a row for each pair of values, even absent ones."""
    return table.cast(plain_schema(table.schema))


def _installed(name: str) -> Any:
    """A module that is not installed with this program. Raises BoreotabulaError if it is
    missing."""
    from importlib import import_module

    try:
        return import_module(name)
    except ImportError:
        raise BoreotabulaError(f"this needs {name}: pip install {name}") from None


def extract(
    layout: Layout | str | Path,
    files: str | Path | Sequence[str | Path] = (),
    on_file: Callable[[FileReading], None] | None = None,
    workers: int | None = 1,
) -> Run:
    """Read all files of a layout's source folders, or only `files`, into tables in memory.

    The layout may be given by its path. `on_file` is called after each file. The number of
    `workers` (None: one for each core) does not change the result. Raises CallError if a source
    folder is missing, and LayoutError for an invalid layout; a fault of a file is a finding of the
    run.
    """
    loaded = layout if isinstance(layout, Layout) else Layout.load(Path(layout))
    named = [files] if isinstance(files, str | Path) else files
    inbox = look(loaded, named=[Path(file) for file in named])
    readings = gather.read_each(loaded, inbox, on_file, ReadOptions(workers))
    run = gather.gather(loaded, inbox, readings, keep_records=True)
    return Run(**{field.name: getattr(run, field.name) for field in fields(run)})


@dataclass(frozen=True)
class DraftedLayout:
    """A drafted layout, and what is to be decided about it."""

    text: str
    """The layout as TOML, with all headings in it."""
    run: outcome.Run
    """The run over all files that it takes: figures and findings, no records."""
    questions: tuple[Doubt, ...]
    left_out: tuple[LeftOut, ...]
    """The files and tabs that hold something but are not read, and why."""

    def write(self, path: str | Path) -> Layout:
        """Write the layout to a new file, and load it. Raises CallError if it exists: a person may
        have edited it."""
        from boreotabula.batch.draft import write_new

        path = Path(path)
        write_new({path: self.text})
        return Layout.load(path)


def draft(folder: str | Path, like: str = "", *, halves: bool = False) -> DraftedLayout | None:
    """Draft a layout from the files of a folder, or only for the tabs like one called `like`.

    With `halves`, also ask where a draft of half of the tabs reads the other half differently. None
    if there is no form in the folder. Raises CallError if the folder is missing.
    """
    from boreotabula.batch.draft import draft_from
    from boreotabula.drafting.asking.questions import questions

    folder = Path(folder)
    drafting = draft_from(folder, like=like, halves=halves)
    drafted, run = drafting.draft, drafting.run
    if drafted is None or run is None:
        return None
    doubts = questions(drafted, run.findings, (run.record_count, drafting.other_records))
    text = drafted.sketch.text(folder.resolve().as_posix(), whole=True)
    return DraftedLayout(text, run, tuple(doubts), drafting.left_out)
