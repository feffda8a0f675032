"""The record of a run: findings, unplaced cells, and figures for people and machines."""

from __future__ import annotations

import csv
import io
import json
import os
import shutil
from collections.abc import Iterable, Mapping, Sequence
from dataclasses import asdict, dataclass, field
from pathlib import Path
from typing import Any

import pyarrow as pa

from boreotabula import __version__
from boreotabula.batch.atomic import atomic_write
from boreotabula.batch.evidence import as_plain, content_digest
from boreotabula.batch.layouts.load import Layout
from boreotabula.batch.run.outcome import FileSummary, Restated, Run
from boreotabula.batch.run_folders import RUN_RECORD, run_folder
from boreotabula.errors import CallError
from boreotabula.files import written_name
from boreotabula.findings.finding import Finding, in_order
from boreotabula.findings.kind import Severity
from boreotabula.reading.account.roles import Account, Role
from boreotabula.reading.records.schema import unit_of
from boreotabula.reading.totals.checks import TotalsCount
from boreotabula.texts import guarded_text

FINDING_COLUMNS = (
    "severity", "code", "file", "tab", "cell", "looked_for", "found", "message", "advice",
)  # fmt: skip
UNPLACED_COLUMNS = ("file", "tab", "cell", "text", "reason", "finding")


@dataclass(frozen=True)
class OutputNotes:
    """What a store reports about what it wrote."""

    written: Mapping[str, Any] | None = None
    """What the next run needs to know of the output."""
    tabs: Mapping[str, str] = field(default_factory=dict)
    """The tab of each table in an existing workbook or database."""
    columns: Mapping[str, Mapping[str, str]] = field(default_factory=dict)
    """For each table the headings of its fields there."""
    partition: Sequence[str] | None = None
    """The fields that part a dataset."""
    more: Mapping[str, Any] = field(default_factory=dict)
    """Further entries of the record."""
    safe_csv: bool = False
    """Whether no text of the CSV files can be taken for a formula."""


def write_record(
    run: Run, out: Path | None, notes: OutputNotes, *, folder: Path | None = None
) -> Path:
    """Write findings.csv, unplaced.csv, restated.csv and run.json into the run folder beside `out`,
    or into `folder`.

    Returns the folder. Raises CallError if it cannot be written.
    """
    if folder is None:
        assert out is not None
        folder = run_folder(out)
    # Known before anything is made, so that only what this run has made is removed.
    new = not folder.exists()
    try:
        folder.mkdir(exist_ok=True)
    except OSError as error:
        raise CallError(f"the folder “{folder}” cannot be made: {error.strerror}") from None
    try:
        for name, (columns, rows) in _lists(run).items():
            _place_csv(folder / name, columns, rows, like=out, safe=notes.safe_csv)
        # The record last: where it is, the lists that it speaks of are there.
        with atomic_write(folder / RUN_RECORD, like=out) as stream:
            stream.write(_lines(_with_notes(describe(run, out), notes)).encode())
    except BaseException:
        if new:  # there is no output that it would speak of
            shutil.rmtree(folder, ignore_errors=True)
        raise
    return folder


def _lists(run: Run) -> dict[str, tuple[Sequence[str], Iterable[Sequence[str]]]]:
    """The lists of a run by file name: the columns and rows of each."""
    findings = (finding_row(finding, run.layout) for finding in in_order(run.findings))
    unplaced = ([getattr(cell, name) for name in UNPLACED_COLUMNS] for cell in run.unplaced)
    lists: dict[str, tuple[Sequence[str], Iterable[Sequence[str]]]] = {
        "findings.csv": (finding_columns(run.layout), findings),
        "unplaced.csv": (UNPLACED_COLUMNS, unplaced),
    }
    if run.restated is not None:
        restated = run.restated.lines
        lines = ([text or "" for text in line.values()] for line in restated.to_pylist())
        lists["restated.csv"] = (restated.schema.names, lines)
    return lists


def _with_notes(described: dict[str, Any], notes: OutputNotes) -> dict[str, Any]:
    """A run as plain data, with the store's notes about its output."""
    # Only what is there is said, so that records of earlier versions and of this one have one
    # shape.
    described |= {"safe_csv": notes.safe_csv, "written": notes.written, **notes.more}
    described |= {"partition": list(notes.partition)} if notes.partition is not None else {}
    for table in described["tables"]:
        table |= {"tab": notes.tabs[table["table"]]} if notes.tabs else {}
        for value in table["fields"] if notes.columns else ():
            heading = notes.columns[table["table"]].get(value["field"])
            value |= {"heading": heading} if heading != value["field"] else {}
    return described


def _lines(described: Mapping[str, Any]) -> str:
    """JSON with a line for each key and each of the files: readable, and quick to write."""

    def text(value: object) -> str:
        return json.dumps(value, ensure_ascii=False)

    parts = []
    for key, value in described.items():
        # A line for each file: two records can be compared by any program that compares lines.
        if isinstance(value, list) and len(value) > 1:
            inner = ",\n    ".join(map(text, value))
            parts.append(f"  {text(key)}: [\n    {inner}\n  ]")
        else:
            parts.append(f"  {text(key)}: {text(value)}")
    return "{\n" + ",\n".join(parts) + "\n}\n"


def _place_csv(
    path: Path,
    columns: Sequence[str],
    rows: Iterable[Sequence[str]],
    *,
    like: Path | None,
    safe: bool,
) -> None:
    """A CSV file by RFC 4180, written line by line; a new one gets the permissions of the file that
    it is about."""
    with atomic_write(path, like=like) as stream:
        text = io.TextIOWrapper(stream, "utf-8", newline="", write_through=False)
        writer = csv.writer(text, lineterminator="\r\n")
        writer.writerow(columns)
        # Texts of findings are from the files, so they may be formulas as well.
        writer.writerows((list(map(guarded_text, row)) for row in rows) if safe else rows)
        text.detach()  # what is left is flushed; the stream is not ours to close


def finding_columns(layout: Layout) -> tuple[str, ...]:
    """The columns of findings.csv; with acceptances, also who accepted each finding."""
    return (*FINDING_COLUMNS, *(("accepted",) if layout.spec.accepted else ()))


def finding_row(finding: Finding, layout: Layout) -> list[str]:
    """A finding in the columns of `finding_columns`."""
    return [str(getattr(finding, name)) for name in finding_columns(layout)]


def _choices(layout: Layout, name: str) -> dict[str, list[str]]:
    """The values that a layout lists for a field of texts, in its order."""
    field = layout.spec.fields.get(name)
    listed = [str(choice) for choice in field.choices] if field and field.type == "text" else []
    return {"choices": listed} if listed else {}


def _decided(digest: str) -> str:
    """What decided the reading of a file besides its content."""
    return digest.removeprefix(content_digest(digest))


def describe(run: Run, out: Path | None) -> dict[str, Any]:
    """The run as plain data, as run.json holds it."""
    return {
        "output": written_name(out.name) if out else None,
        "version": __version__,
        "layout": {
            "file": written_name(run.layout.path.name),
            "title": run.layout.spec.title,
            **({"version": run.layout.spec.version} if run.layout.spec.version else {}),
            "digest": run.layout.digest,
            "key": list(run.layout.spec.key),
            "path": _relative(run.layout.path, out),
        },
        "tables": [
            {"table": name, "fields": _fields(run.layout, table.schema)}
            for name, table in run.tables.items()
        ],
        "started": run.started.isoformat(timespec="milliseconds"),
        "ended": run.ended.isoformat(timespec="milliseconds"),
        "exit_status": run.exit_status,
        "files_read": sum(file.read for file in run.files),
        "tabs": run.tab_count,
        "records": run.record_count,
        "editions": dict(run.editions),
        "cells": _account(run.account),
        "printed_totals": _totals(run.totals),
        "findings": {str(severity): run.severities[severity] for severity in Severity}
        | ({"accepted": run.accepted} if run.layout.spec.accepted else {}),
        "files": list(map(_file, run.files)),
        "files_kept": dict(run.files_kept),
        "evidence": as_plain(run.evidence),
        "provenance": run.layout.spec.provenance,
        "since_last_run": asdict(run.since) if run.since else None,
        "restated": _restated(run.restated) if run.restated is not None else None,
        "rows": asdict(run.rows) if run.rows else None,
        "left_out": [{"file": omission.name, "why": omission.why} for omission in run.left_out],
    }


def _fields(layout: Layout, schema: pa.Schema) -> list[dict[str, Any]]:
    return [
        {"field": column.name, "type": (column.metadata or {})[b"field_type"].decode()}
        | ({"unit": unit} if (unit := unit_of(column)) else {})
        | _choices(layout, column.name)
        for column in schema
    ]


def _file(file: FileSummary) -> dict[str, Any]:
    """The results of a file, without missing ones, so that records stay short."""
    return {
        "file": file.name,
        "size": file.size,
        # Two keys, so that the digest is that of the file as any program computes it.
        "sha256": content_digest(file.digest),
        **({"decided": decided} if (decided := _decided(file.digest)) else {}),
        "read": file.read,
        **({} if file.read else {"why_not_read": file.why_not_read}),
        **({"read_as": file.read_as} if file.read_as else {}),
        "records": file.records,
        "tabs": [
            {"tab": tab.name, "records": tab.records, "printed_totals": _totals(tab.totals)}
            | ({"edition": tab.form} if tab.form else {})
            for tab in file.tabs
        ],
        "tabs_not_read": dict(file.other_tabs),
        "cells": _account(file.account),
    }


def _restated(restated: Restated) -> dict[str, Any]:
    return {
        "values": restated.values,
        "records": restated.records,
        "sums": list(restated.sums),
    }


def _relative(layout: Path, out: Path | None) -> str:
    """The path of the layout relative to the output, so that both can be moved together."""
    start = (out or layout).resolve().parent
    try:
        return written_name(Path(os.path.relpath(layout.resolve(), start)).as_posix())
    except ValueError:  # on another drive
        return layout.name


def _totals(totals: TotalsCount) -> dict[str, int]:
    return {"compared": totals.printed, "agree": totals.agree}


def _account(account: Account) -> dict[str, Any]:
    return {
        "filled": account.filled,
        "roles": {role.word: account.roles[role] for role in Role},
        "left_out": dict(account.left_out),
    }
