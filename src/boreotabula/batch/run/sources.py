"""The sources of an output's records, kept beside it if it has no columns for them.

An Arrow file for each table in the run folder: a row for each record, in the order of the output.
"""

from __future__ import annotations

from dataclasses import dataclass, field
from pathlib import Path

import pyarrow as pa

from boreotabula.batch.atomic import atomic_write
from boreotabula.batch.run_folders import last_run_folder, run_folder
from boreotabula.layout.model import PROVENANCE


@dataclass
class Sources:
    """The sources of the records of a run, as they are written."""

    batches: dict[str, list[pa.RecordBatch]] = field(default_factory=dict)

    def take(self, table: str, batch: pa.RecordBatch) -> None:
        """Note the sources of some records."""
        self.batches.setdefault(table, []).append(batch.select(PROVENANCE))

    def keep(self, out: Path) -> None:
        """Write them into the run folder of an output. Raises CallError if that cannot be done."""
        for table, batches in self.batches.items():
            # An Arrow file has one dictionary for a column; each tab brought its own.
            whole = pa.Table.from_batches(batches).unify_dictionaries()
            with (
                atomic_write(run_folder(out) / _name(table)) as stream,
                pa.ipc.new_file(stream, whole.schema) as file,
            ):
                file.write_table(whole)


def sources_of_run(out: Path, table: str, records: int) -> pa.Table | None:
    """The sources of the records of a table; None if they are missing, or of another run."""
    try:
        # Mapped, so that only the columns that are asked for come into memory.
        with pa.memory_map(str(last_run_folder(out) / _name(table))) as source:
            read_all = pa.ipc.open_file(source).read_all()
    except (OSError, pa.ArrowInvalid):
        return None
    # Another number of rows means another run: places that are wrong are worse than none.
    return read_all if read_all.num_rows == records else None


def _name(table: str) -> str:
    return f"sources-{table}.arrow"
