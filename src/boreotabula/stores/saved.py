"""Outputs of earlier runs: their records, and what the record of the run says about them."""

from __future__ import annotations

import json
import os
import shutil
from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from pathlib import Path
from typing import Any

from boreotabula.batch.run.earlier import earlier_record
from boreotabula.batch.run.shape import is_record
from boreotabula.batch.run_folders import BEFORE, RUN_RECORD, last_run_folder, run_folder
from boreotabula.errors import CallError
from boreotabula.files import real_name, text_of
from boreotabula.layout.model import PROVENANCE
from boreotabula.stores.bases.address import DatabaseAddress
from boreotabula.stores.bases.base import Base, BasePlace, is_base
from boreotabula.stores.bases.opening import open_base
from boreotabula.stores.dataset.parted import in_order_of_parts
from boreotabula.texts import command_line


@dataclass(frozen=True)
class SavedOutput:
    """An output of `extract`: its file for a table, and the record of its run."""

    place: BasePlace
    table: str
    record: Mapping[str, Any]
    home: Path
    """The folder to which the run's paths are relative."""
    base: Base | None = None
    """The session in which a database is read, if there is one already."""

    @property
    def path(self) -> Path:
        """Its file. Raises CallError if it is in a database on a server."""
        if isinstance(self.place, DatabaseAddress):
            raise CallError(f"“{self.place}” is a database on a server, no file")
        return self.place

    @property
    def in_base(self) -> bool:
        """Whether its records are in a database."""
        return is_base(self.place)

    @property
    def layout_path(self) -> Path:
        """The path of the run's layout, present or past."""
        written = str(self.record["layout"].get("path", self.record["layout"]["file"]))
        return self.home / real_name(written)

    def digest_of(self, file: str) -> str:
        """The digest of a source file as it was read; empty if it was not read."""
        files = (value for value in self.record["files"] if value["file"] == file)
        return next((str(file["sha256"]) for file in files), "")

    @property
    def partition(self) -> Sequence[str] | None:
        """The partition fields of a dataset; None for a file."""
        result = self.record.get("partition")
        return None if result is None else [str(value) for value in result]

    def part_files(self) -> list[Path]:
        """The files of a dataset, as the run wrote them. Raises CallError if one is missing."""
        below = f"{self.table}/" if len(self.record["tables"]) > 1 else ""
        names = [str(value) for value in self.record["written"]["files"]]
        # Of several tables each has a folder, in which its files lie.
        files = [self.path / name.removeprefix(below) for name in names if name.startswith(below)]
        for file in files:
            if not file.is_file():
                raise CallError(f"“{file}” is missing, so its records are too; run extract again")
        return in_order_of_parts(files, self.path)

    @property
    def guarded(self) -> bool:
        """Whether texts that could be taken for formulas have an apostrophe in front."""
        return bool(self.record.get("safe_csv"))

    @property
    def field_types(self) -> Mapping[str, str]:
        """The layout type of each field of the table, in order."""
        described = next(value for value in self.record["tables"] if value["table"] == self.table)
        return {str(value["field"]): str(value["type"]) for value in described["fields"]}

    @property
    def bare(self) -> bool:
        """Whether the output has no columns for the source of its records."""
        return self.record.get("provenance") is False

    @property
    def written_types(self) -> Mapping[str, str]:
        """The layout type of each column of the output."""
        kinds = self.field_types
        left = PROVENANCE if self.bare else ()
        return {name: kind for name, kind in kinds.items() if name not in left}

    @property
    def units(self) -> Mapping[str, str]:
        """The units of fields, where the layout gives them."""
        described = next(value for value in self.record["tables"] if value["table"] == self.table)
        return {str(value["field"]): str(value.get("unit", "")) for value in described["fields"]}

    @property
    def choices(self) -> Mapping[str, Sequence[str]]:
        """The values that the layout lists for a field, in its order."""
        described = next(value for value in self.record["tables"] if value["table"] == self.table)
        return {
            str(value["field"]): [str(text) for text in value["choices"]]
            for value in described["fields"]
            if isinstance(value.get("choices"), list)
        }

    @property
    def headings(self) -> Mapping[str, str]:
        """The heading of each field, in the spelling of an existing workbook."""
        described = next(value for value in self.record["tables"] if value["table"] == self.table)
        return {
            str(value["field"]): str(value.get("heading", value["field"]))
            for value in described["fields"]
            if value.get("heading", "") is not None and value["field"] in self.written_types
        }

    @property
    def tab(self) -> str:
        """The tab that holds the table, if the output is a workbook."""
        described = next(value for value in self.record["tables"] if value["table"] == self.table)
        return str(described.get("tab") or self.table)


def keep_before(out: Path) -> None:
    """Keep an output and the record of its run in its run folder, before another replaces it.

    Only an output of one file is kept. Raises OSError if that fails.
    """
    record = last_run_folder(out) / RUN_RECORD
    if not (out.is_file() and record.is_file()):
        return
    # In the run folder, so that it goes with the output when that is deleted.
    kept = _before(run_folder(out), out)
    kept.parent.mkdir(exist_ok=True)
    for target, source in ((kept, out), (kept.with_name(kept.name + ".json"), record)):
        target.unlink(missing_ok=True)
        # A link, since the output is replaced by another file and never written into.
        try:
            os.link(source, target)  # the output itself is replaced, not written to
        except OSError:
            shutil.copy2(source, target)


def _before(folder: Path, out: Path) -> Path:
    endings = "".join(out.suffixes[-2:]) if out.name.endswith(".csv.gz") else out.suffix
    return folder / f"{BEFORE}{endings}"


def output_before(saved: SavedOutput) -> SavedOutput:
    """The content of an output before the last run that changed it.

    Raises CallError if it is not kept.
    """
    kept = _before(last_run_folder(saved.path), saved.path)
    # With the record of that time, which says what its columns were.
    try:
        record = _record(text_of(kept.with_name(kept.name + ".json")))
    except (OSError, ValueError):
        record = None
    tables = [str(value["table"]) for value in (record or {}).get("tables", ())]
    if record is None or not kept.is_file() or saved.table not in tables:
        raise CallError(
            f"nothing is kept of “{saved.path}” from before: no run has changed it since it was"
            " first written, or it is a folder of tables; name two outputs"
        )
    return SavedOutput(kept, saved.table, record, saved.home)


def output_and_run(place: BasePlace, table: str | None = None) -> tuple[SavedOutput, Path]:
    """An output, with several tables the first unless one is named, and the folder of its run.

    Raises CallError if it was not written by a run.
    """
    if isinstance(place, DatabaseAddress):
        saved = saved_output(place, table)
        return saved, Path(str(saved.record.get("run_folder") or ""))
    record = earlier_record(place)
    if record is None and earlier_record(place.parent) is not None:
        return saved_output(place, table), last_run_folder(place.parent)
    tables = [str(value["table"]) for value in (record or {}).get("tables", ())]
    saved = saved_output(place, table or (tables[0] if len(tables) > 1 else None))
    return saved, last_run_folder(place)


def known_output(place: BasePlace, table: str) -> SavedOutput | None:
    """An output and the folder of its run; None if it was not written by a run, or had no such
    table."""
    try:
        return saved_output(place, table)
    except CallError:
        return None


def saved_output(place: BasePlace, table: str | None = None) -> SavedOutput:
    """The output of a run: a file, a folder with a file for each table, one file of that, or a
    table of a database.

    Raises CallError if it was not written by a run, or has no such table.
    """
    # A database keeps the records of its runs itself.
    if isinstance(place, DatabaseAddress) or (is_base(place) and place.is_file()):
        in_base = _in_base(place, table)
        if in_base is not None:
            return in_base
    if isinstance(place, DatabaseAddress):
        raise CallError(
            f"no run has written into the database “{place}”, or its records of runs were deleted"
        )
    path = place
    record, out = earlier_record(path), path
    # A file of a folder with several tables.
    if record is None and path.parent.name:
        record, out = earlier_record(path.parent), path.parent
        table = table or path.stem
    if record is None:
        raise _no_output(path)
    tables = [str(value["table"]) for value in record.get("tables", ())] or ["records"]
    # Without a name only a single table leaves no doubt.
    wanted = table or tables[0]
    if wanted not in tables or (table is None and len(tables) > 1):
        raise CallError(f"“{out}” has the tables {', '.join(tables)}; choose one with --table")
    file = out / f"{wanted}.csv" if out.is_dir() else out
    if out.is_dir() and record.get("partition") is not None:
        file = out / wanted if len(tables) > 1 else out
    elif not file.is_file():
        raise CallError(f"there is no file “{file}”")
    return SavedOutput(file, wanted, record, out.resolve().parent)


def _no_output(path: Path) -> CallError:
    """The error for a file that is no output of a run."""
    if (last_run_folder(path) / RUN_RECORD).is_file():
        return CallError(
            f"“{last_run_folder(path) / RUN_RECORD}” is damaged or of another output; run extract"
            " again"
        )
    if path.suffix == ".toml":
        return CallError(
            f"“{path}” is a layout; name the records, OUT of"
            f" {command_line('extract', path, '-o', 'OUT')}"
        )
    return CallError(
        f"“{path}” has no run folder “{run_folder(path).name}” beside it, so it is not known"
        " where its records come from; name an output of extract"
    )


def _in_base(place: BasePlace, table: str | None) -> SavedOutput | None:
    """A table of a database that keeps the record of its run; None if it keeps none.

    Raises CallError if there are several, and none is named.
    """
    base = open_base(place, read_only=True)
    try:
        kept = base.recorded()
    except OSError as error:
        raise CallError(f"“{place}” cannot be read: {error.strerror}") from None
    finally:
        base.close()
    wanted = [name for name in kept if table is None or name.casefold() == table.casefold()]
    if not kept or (table is not None and not wanted and not isinstance(place, DatabaseAddress)):
        return None
    if len(wanted) != 1:
        raise CallError(f"“{place}” has the tables {', '.join(kept)}; choose one with --table")
    (target,) = wanted
    record = _record(kept[target])
    if record is None:
        raise CallError(f"the record of “{place}” › {target} is damaged; run extract again")
    names = {str(value.get("tab") or value["table"]).casefold(): str(value["table"])
             for value in record["tables"]}  # fmt: skip
    return output_in_base(place, names[target.casefold()], record)


def _record(text: str) -> Mapping[str, Any] | None:
    """The record of a run from its text; None if it is damaged."""
    try:
        loads = json.loads(text)
    except (ValueError, RecursionError):
        return None
    return loads if is_record(loads) else None


def output_in_base(
    place: BasePlace, table: str, record: Mapping[str, Any], base: Base | None = None
) -> SavedOutput:
    """A table of a database, given the record of its run."""
    home = Path.cwd() if isinstance(place, DatabaseAddress) else place.resolve().parent
    return SavedOutput(place, table, record, home, base)
