"""Outputs of earlier runs: their records, and what the record of the run says of them."""

from __future__ import annotations

import csv
from collections.abc import Iterator, Mapping, Sequence
from dataclasses import dataclass
from pathlib import Path
from typing import Any

from boreotabula.errors import CallError
from boreotabula.files import real_name
from boreotabula.runs.inputs import run_folder
from boreotabula.runs.run.earlier import earlier_record
from boreotabula.texts import unguarded_text


@dataclass(frozen=True)
class SavedOutput:
    """An output of `extract`: its file for a table, and the record of its run."""

    path: Path
    table: str
    record: Mapping[str, Any]
    home: Path
    """The folder from which the run's paths are meant."""

    @property
    def layout_path(self) -> Path:
        """Where the layout of the run lies, or lay."""
        written = str(self.record["layout"].get("path", self.record["layout"]["file"]))
        return self.home / real_name(written)

    def digest_of(self, file: str) -> str:
        """The digest of a source file as it was read; empty if it was not."""
        files = (one for one in self.record["files"] if one["file"] == file)
        return next((str(one["sha256"]) for one in files), "")

    @property
    def guarded(self) -> bool:
        """Whether an apostrophe stands before texts that could be taken for formulas."""
        return bool(self.record.get("safe_csv"))

    @property
    def field_types(self) -> Mapping[str, str]:
        """The layout type of each field of the table, in order."""
        described = next(one for one in self.record["tables"] if one["table"] == self.table)
        return {str(one["field"]): str(one["type"]) for one in described["fields"]}

    @property
    def tab(self) -> str:
        """The tab that holds the table, if the output is a workbook."""
        described = next(one for one in self.record["tables"] if one["table"] == self.table)
        return str(described.get("tab") or self.table)

    def records(self) -> Iterator[Mapping[str, str]]:
        """The records as texts, in their order. Raises CallError if they cannot be read."""
        from boreotabula.outputs.csv import csv_rows
        from boreotabula.review.records import saved_records

        if self.path.suffix.lower() == ".csv":
            rows = _csv_rows(self.path)
            if self.guarded:
                rows = (list(map(unguarded_text, row)) for row in rows)
        else:
            rows = iter(csv_rows(saved_records(self)))
        names = next(rows, [])
        for row in rows:
            yield dict(zip(names, row, strict=False))


def saved_output(path: Path, table: str | None = None) -> SavedOutput:
    """The output of a run: a file, a folder with a file for each table, or one file of that.

    Raises CallError if it was not written by a run, or has no such table.
    """
    record, out = earlier_record(path), path
    if record is None and path.parent.name:
        record, out = earlier_record(path.parent), path.parent
        table = table or path.stem
    if record is None:
        raise CallError(
            f"“{path}” has no run folder “{run_folder(path).name}” beside it, so it cannot be told"
            " where its records are from; name the output of an extract"
        )
    tables = [str(one["table"]) for one in record.get("tables", ())] or ["records"]
    wanted = table or tables[0]
    if wanted not in tables or (table is None and len(tables) > 1):
        raise CallError(f"“{out}” has the tables {', '.join(tables)}; choose one with --table")
    file = out / f"{wanted}.csv" if out.is_dir() else out
    if not file.is_file():
        raise CallError(f"there is no file “{file}”")
    return SavedOutput(file, wanted, record, out.resolve().parent)


def _csv_rows(path: Path) -> Iterator[Sequence[str]]:
    try:
        with path.open(encoding="utf-8", newline="") as stream:
            yield from csv.reader(stream)
    except (OSError, UnicodeDecodeError, csv.Error) as error:
        raise CallError(f"“{path}” cannot be read as CSV: {error}") from None


def chosen_records(
    output: SavedOutput, number: int | None, where: Mapping[str, str]
) -> Iterator[tuple[int, Mapping[str, str]]]:
    """The records asked for, each with its number counted from 1: one by number, or all that have
    some values. Raises CallError for fields that the output does not have."""
    for at, record in enumerate(output.records(), 1):
        if at == 1:
            _check_fields(record, where)
        if number is not None:
            if at == number:
                yield at, record
                return
        elif all(record[name].casefold() == text.casefold() for name, text in where.items()):
            yield at, record


def _check_fields(record: Mapping[str, str], where: Mapping[str, str]) -> None:
    from boreotabula.layout.problems import did_you_mean

    for name in where:
        if name not in record:
            raise CallError(f"there is no field “{name}”{did_you_mean(name, record)}")
