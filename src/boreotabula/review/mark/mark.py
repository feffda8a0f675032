"""Marked copies and letters for all senders of a run, and which faults have been corrected
since."""

from __future__ import annotations

import json
from collections.abc import Callable, Collection, Iterable, Iterator, Mapping, Sequence
from contextlib import contextmanager
from dataclasses import dataclass, field
from functools import partial
from pathlib import Path, PurePosixPath

import pyarrow as pa

from boreotabula.batch.atomic import atomic_write, placed_folder, sweep
from boreotabula.batch.file.open_file import make_job
from boreotabula.batch.inputs import SourceFile, look
from boreotabula.batch.layouts.load import Layout
from boreotabula.batch.processes.pool import Ended, PoolOptions, spread
from boreotabula.errors import CallError
from boreotabula.files import text_of
from boreotabula.findings.kind import Severity
from boreotabula.findings.subjects.comparing import VALUE_RESTATED
from boreotabula.findings.subjects.totals import TOTAL_DIFFERS
from boreotabula.layout.field_types import type_called
from boreotabula.layout.model import PROVENANCE
from boreotabula.layout.problems import did_you_mean
from boreotabula.limits import Limits
from boreotabula.review.compare.sides import saved_side
from boreotabula.review.mark.by_value import write_values
from boreotabula.review.mark.checking import check_same
from boreotabula.review.mark.faults import Fault, faults_of
from boreotabula.review.mark.front import front_of
from boreotabula.review.mark.in_place import Mark, NotSafeError, write_marked
from boreotabula.review.mark.letter import STANDARD, CopyNote, letter
from boreotabula.review.mark.names import CopyNames
from boreotabula.review.mark.reminders import Reminder, write_reminders
from boreotabula.review.mark.words import Say, say_in
from boreotabula.sheets.opening import Opening
from boreotabula.stores.saved import SavedOutput
from boreotabula.unreadable import UnreadableError

LIST = "marked.json"
"""What was marked, so that later corrections can be recognised."""


@dataclass(frozen=True)
class Marking:
    """Options of marking."""

    least: Severity = Severity.WARNING
    language: str = "en"
    template: str = STANDARD
    by: str = ""
    """A field whose values name the folders of copies."""
    reminders: Sequence[Reminder] = ()
    """Letters to those whose reports are missing."""


@dataclass(frozen=True)
class Returned:
    """What is sent back to a sender."""

    file: str
    faults: Sequence[Fault]
    copy: str = ""
    """The marked copy, below the folder; empty if there is none, and then the note says why."""
    letter: str = ""
    formulas_kept: bool = False
    note: str = ""
    failed: bool = False
    """Whether there is no copy because of a fault in the file itself."""


@dataclass
class Returns:
    """Everything that is sent back, and the number of findings for the analyst alone."""

    files: list[Returned] = field(default_factory=list)
    others: int = 0
    reminders: list[str] = field(default_factory=list)
    """The letters to those whose reports are missing, below the folder."""


def check_folder(folder: Path) -> None:
    """Raises CallError if copies may not be written into a folder."""
    if folder.exists() and not folder.is_dir():
        raise CallError(f"“{folder}” is a file; name a folder for the copies")
    if folder.is_dir() and any(folder.iterdir()) and not (folder / LIST).is_file():
        raise CallError(
            f"the folder “{folder}” was not written by mark, so it is left alone; name a new one"
        )
    if not folder.exists() and not folder.parent.is_dir():
        raise CallError(f"there is no folder “{folder.parent}” to make “{folder.name}” in")


def mark(
    saved: SavedOutput,
    run_folder: Path,
    folder: Path,
    marking: Marking,
    on_file: Callable[[str], None],
    limits: Limits | None = None,
) -> Returns:
    """Write a marked copy and a letter for each file with faults of an output into a folder.

    What an earlier call wrote there and is not written again is removed. Raises CallError.
    """
    layout = Layout.load(saved.layout_path)
    say = say_in(marking.language)
    forms = layout.plan.fields.items()
    numbers = {name for name, form in forms if type_called(form.kind).is_number}
    result, count = faults_of(run_folder, marking.least, say, numbers)
    sources = {source.name: source for source in look(layout).taken}
    opening = make_job(layout.spec, layout.plan).opening
    groups = _groups(saved, marking.by)
    names = CopyNames((LIST,))
    tasks = [
        _Task(file, faults, groups.get(file, ""), names.take(file, groups.get(file, "")),
              sources.get(file))
        for file, faults in result.items()
    ]  # fmt: skip
    returns = Returns(others=count)
    with _ready(folder) as place:
        before = _written(place)
        # Whatever happens next, the folder is known as one of ours, and all that may lie in it.
        earlier = _read_list(place) if (place / LIST).is_file() else []
        _write_list(place, saved, [task.planned() for task in tasks], earlier)
        work = partial(_copy, opening=opening, folder=place, language=marking.language)
        copies = spread(work, tasks, _stopped, limits or Limits(), PoolOptions(1))
        for task, made in zip(tasks, copies, strict=True):
            if made.failed:
                sweep(place / task.name)  # its process may have ended amid the copy
            returns.files.append(_with_letter(task, made, place, marking, say))
            on_file(task.file)
        returns.reminders = write_reminders(marking.reminders, place, names)
        letters = [Returned("", (), letter=name) for name in returns.reminders]
        _write_list(place, saved, [*returns.files, *letters])
        now = {name for file in (*returns.files, *letters) for name in (file.copy, file.letter)}
        for name in before - now:
            (place / name).unlink(missing_ok=True)
    return returns


@contextmanager
def _ready(folder: Path) -> Iterator[Path]:
    """The folder that copies are written into: a new one appears whole, or not at all."""
    if folder.exists():
        yield folder
    else:
        with placed_folder(folder) as beside:
            try:
                yield beside
            except CallError as error:  # nobody knows the folder by the name it has so far
                raise CallError(str(error).replace(str(beside), str(folder))) from None


@dataclass(frozen=True)
class _Task:
    """A file that is to be marked."""

    file: str
    faults: Sequence[Fault]
    group: str
    stem: str
    source: SourceFile | None

    @property
    def name(self) -> str:
        """The name of its copy."""
        return f"{self.stem}.xlsx"

    def planned(self) -> Returned:
        """What is sent back if nothing fails."""
        return Returned(self.file, self.faults, self.name, f"{self.stem}.txt")


@dataclass(frozen=True)
class _Copy:
    """The result of copying a file."""

    name: str = ""
    formulas_kept: bool = False
    note: str = ""
    failed: bool = False


def _stopped(task: _Task, ended: Ended) -> _Copy:
    return _Copy(note=f"no copy: {ended.said}", failed=True)


def _with_letter(task: _Task, made: _Copy, folder: Path, marking: Marking, say: Say) -> Returned:
    """What is sent back for a file, once its letter is written."""
    texts = {marking.by: task.group} if marking.by else {}
    text = letter(
        marking.template, task.file, task.faults, say,
        copy=CopyNote(made.name, made.formulas_kept), more=texts,
    )  # fmt: skip
    name = f"{task.stem}.txt"
    (folder / name).parent.mkdir(parents=True, exist_ok=True)
    with atomic_write(folder / name) as stream:
        stream.write(text.encode())
    return Returned(
        task.file, task.faults, made.name, name, made.formulas_kept, made.note, made.failed
    )


def _copy(task: _Task, opening: Opening, folder: Path, language: str) -> _Copy:
    """Write the copy of a file, in place if that is safe, else by its values."""
    source, name = task.source, task.name
    if source is None:
        return _Copy(note="it is no longer among the files of the layout, so there is no copy")
    faults, say = task.faults, say_in(language)
    marks: dict[str, list[Mark]] = {}
    for fault in faults:
        if fault.at is not None:
            marks.setdefault(fault.tab, []).append(Mark(fault.at, fault.severity, fault.text))
    front = front_of(task.file, faults, say)
    target = folder / name
    target.parent.mkdir(parents=True, exist_ok=True)
    note = ""
    if source.path.suffix.lower() in (".xlsx", ".xlsm"):
        try:
            with atomic_write(target) as stream:
                write_marked(source.path, marks, front, stream)
                stream.flush()
                check_same(source.path, Path(stream.name), marks, opening)
        except NotSafeError as error:
            note = f"only its values were copied, because {error}"
        else:
            return _Copy(name, formulas_kept=True)
    try:
        with atomic_write(target) as stream:
            lost = write_values(source.path, opening, marks, front, stream)
    except UnreadableError as error:
        # The letter of a file that nobody can read says so already.
        is_known = any(not one.tab and not one.cell for one in faults)
        return _Copy(note=f"no copy, because it cannot be read: {error}", failed=not is_known)
    texts = [note] if note else []
    return _Copy(
        name, note="; ".join([*texts, *([f"not kept: {', '.join(lost)}"] if lost else [])])
    )


def _groups(saved: SavedOutput, by: str) -> Mapping[str, str]:
    """The value of a field in the records of each file; several are joined."""
    if not by:
        return {}
    side = saved_side(saved)
    if by not in side.kinds or not side.traced:
        raise CallError(f"--by: the records have no field “{by}”{did_you_mean(by, side.kinds)}")
    groups: dict[str, dict[str, None]] = {}
    for batch in side.batches():
        table = pa.table({"file": batch.column("source_file"), "value": batch.column(by)})
        for pair in table.group_by(["file", "value"], use_threads=False).aggregate([]).to_pylist():
            if pair["value"] is not None:
                groups.setdefault(pair["file"], {})[pair["value"]] = None
    return {file: ", ".join(values) for file, values in groups.items()}


def _write_list(
    folder: Path,
    saved: SavedOutput,
    files: Sequence[Returned],
    earlier: Sequence[Mapping[str, object]] = (),
) -> None:
    """Note what was marked; `earlier` are lines of the list that is replaced."""
    described = {
        "output": PurePosixPath(str(saved.place)).name,
        "files": [
            {
                "file": file.file,
                "copy": file.copy,
                "letter": file.letter,
                "faults": [
                    {"tab": fault.tab, "cell": fault.cell, "code": fault.kind.code,
                     "found": fault.found, "text": fault.text, "field": fault.field}
                    for fault in file.faults
                ],
            }
            for file in files
        ] + list(earlier),
    }  # fmt: skip
    with atomic_write(folder / LIST) as stream:
        stream.write(json.dumps(described, ensure_ascii=False, indent=1).encode())


def _read_list(folder: Path) -> list[Mapping[str, object]]:
    try:
        result = json.loads(text_of(folder / LIST))["files"]
        return list(result)
    except (OSError, ValueError, LookupError, TypeError, RecursionError):
        raise CallError(
            f"“{folder}” holds no {LIST}; name a folder that mark has written"
        ) from None


def _written(folder: Path) -> set[str]:
    """The files that an earlier call wrote into a folder, if they are still there."""
    if not (folder / LIST).is_file():
        return set()
    names = {str(values[key]) for values in _read_list(folder) for key in ("copy", "letter")} - {""}
    return {name for name in names if (folder / name).resolve().is_relative_to(folder.resolve())}


# --- what is mended ------------------------------------------------------------------------------


@dataclass(frozen=True)
class Mended:
    """The state of a file that was marked."""

    file: str
    gone: int
    left: Sequence[tuple[str, str, str]]
    """Tab, cell and text of the faults that remain."""
    missing: bool = False
    """Whether the file is no longer in the run."""


def check_marked(saved: SavedOutput, run_folder: Path, folder: Path) -> Iterator[Mended]:
    """For each marked file, which of its faults the last run has again. Raises CallError."""
    say = say_in("en")
    now, _ = faults_of(run_folder, Severity.NOTE, say)
    existing_texts = {str(value["file"]) for value in saved.record.get("files", ())}
    lists = [
        (str(values["file"]), _dicts(values.get("faults")))
        for values in _read_list(folder)
        if values["file"]  # the other letters are reminders
    ]
    values = _values_at(saved, {
        (file, fault["tab"], fault["cell"])
        for file, faults in lists
        for fault in faults
        if fault["code"] == VALUE_RESTATED.code
    })  # fmt: skip
    for file, marked in lists:
        groups = _known(now.get(file, ()))
        left = [
            (fault["tab"], fault["cell"], fault["text"])
            for fault in marked
            if _is_left(file, fault, groups, values)
        ]
        yield Mended(file, len(marked) - len(left), left, missing=file not in existing_texts)


_Spot = tuple[str, str, str]
"""A file, a tab and a cell."""


def _is_left(
    file: str,
    fault: Mapping[str, str],
    groups: Collection[_Spot],
    values: Mapping[_Spot, Mapping[str, str | None]],
) -> bool:
    """Whether a marked fault remains."""
    if fault["code"] == VALUE_RESTATED.code:
        # What was restated is left as long as it says what it said when it was marked.
        record = values.get((file, fault["tab"], fault["cell"]), {})
        return (record.get(fault.get("field", "")) or "") == fault["found"]
    return (fault["tab"], fault["code"], fault["cell"]) in groups or bool(
        fault["found"] and (fault["tab"], fault["code"], fault["found"]) in groups
    )


def _values_at(
    saved: SavedOutput, spots: Collection[_Spot]
) -> Mapping[_Spot, Mapping[str, str | None]]:
    """The records from some cells, as texts."""
    values: dict[_Spot, Mapping[str, str | None]] = {}
    if not spots:
        return values
    for batch in saved_side(saved).batches():
        places = zip(*(batch.column(name).to_pylist() for name in PROVENANCE), strict=True)
        for index, spot in enumerate(places):
            if spot in spots:
                values[spot] = {
                    name: batch.column(name)[index].as_py() for name in batch.schema.names
                }
    return values


def _known(faults: Iterable[Fault]) -> Collection[tuple[str, str, str]]:
    """What identifies a fault: its cell, or its content, as rows may have moved."""
    groups = set()
    for fault in faults:
        groups.add((fault.tab, fault.kind.code, fault.cell))
        if fault.found and fault.kind != TOTAL_DIFFERS:
            groups.add((fault.tab, fault.kind.code, fault.found))
    return groups


def _dicts(value: object) -> list[dict[str, str]]:
    return [one for one in value if isinstance(one, dict)] if isinstance(value, list) else []
