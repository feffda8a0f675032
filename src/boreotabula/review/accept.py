"""Accepting a finding of a run: choosing it, and writing the line that accepts it."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from pathlib import Path
from typing import Any

from boreotabula.batch.inputs import look
from boreotabula.batch.layouts.decide import ACCEPTANCES, check_decision
from boreotabula.batch.layouts.load import Layout
from boreotabula.batch.private_files import turn_of
from boreotabula.errors import CallError
from boreotabula.findings.catalogue import BY_CODE
from boreotabula.findings.finding import Finding
from boreotabula.layout.addresses import written_address
from boreotabula.layout.patterns import PatternError, PatternKind, pattern
from boreotabula.layout.problems import did_you_mean
from boreotabula.review.mark.faults import rows_of
from boreotabula.stores.saved import SavedOutput
from boreotabula.texts import counted

Row = Mapping[str, str]
"""A line of findings.csv."""
_SHOWN = 6


def chosen_finding(run_folder: Path, code: str, places: Mapping[str, str | None]) -> Row | None:
    """The finding of a run with this code at one of the `places`: patterns for its file and tab,
    and its cell.

    None if there is none. Raises CallError if the code does not exist, several findings match, or
    it is accepted already.
    """
    rows = list(rows_of(run_folder, "findings.csv"))
    if code not in BY_CODE:
        known = dict.fromkeys(row["code"] for row in rows)
        raise CallError(f"there is no finding “{code}”{did_you_mean(code, known)}")
    # As written in findings.csv, since the person names the finding as that list shows it.
    like = [
        row for row in rows
        if row["code"] == code and all(map(_is_there, *_pairs(row, places)))
    ]  # fmt: skip
    to_check = [row for row in like if not row.get("accepted")]
    if like and not to_check:
        raise CallError(f"it is accepted already, by {like[0]['accepted']}")
    if len(to_check) > 1:
        listed = "".join(f"\n  {place_of_finding(row)}" for row in to_check[:_SHOWN])
        extra = f"\n  … and {len(to_check) - _SHOWN} more" if len(to_check) > _SHOWN else ""
        raise CallError(
            f"{counted(len(to_check), 'finding')} are like that; name one of them with --file,"
            f" --tab and --cell:{listed}{extra}"
        )
    return to_check[0] if to_check else None


def _pairs(row: Row, places: Mapping[str, str | None]) -> tuple[list[str], list[str], list[str]]:
    """The names of the requested places, the finding's values there, and the requested ones."""
    asked = {name: text for name, text in places.items() if text is not None}
    return list(asked), [row[name] for name in asked], list(asked.values())


def _is_there(name: str, text: str, asked: str) -> bool:
    if name == "cell":
        return text.casefold() == asked.strip().casefold()
    try:
        wanted = pattern(asked, PatternKind.FILE if name == "file" else PatternKind.TAB)
    except PatternError as error:
        raise CallError(f"--{name}: {error}") from None
    return wanted.match(text) is not None


def place_of_finding(row: Row) -> str:
    """File, tab and cell of a finding, in words."""
    return " › ".join(filter(None, (row["file"], row["tab"], row["cell"])))


@dataclass(frozen=True)
class WrittenAcceptance:
    """An acceptance as written."""

    line: Mapping[str, str]
    path: Path
    """The file of accepted findings."""
    layout_edited: bool
    """Whether the layout was changed to name that file."""


def write_acceptance(
    layout: Layout, row: Row, tabs: Sequence[str], decision: Mapping[str, str]
) -> WrittenAcceptance:
    """Accept a finding, exactly as it was seen, by a line beside the layout.

    `tabs` are those of its file; `decision` gives `who` decided it, `why`, and `until` when. Raises
    CallError if it is about no cell, if the line would accept what was not seen, or if another
    line accepts it already.
    """
    line = _line(layout, row, tabs, decision)
    finding = Finding(
        kind=BY_CODE[row["code"]], message=row["message"], advice=row["advice"],
        at=written_address(row["cell"]),
        looked_for=row["looked_for"], found=row["found"], tab=row["tab"], file=row["file"],
    )  # fmt: skip
    # Two calls at the same time must not write the same line, or lose one.
    with turn_of(layout.path):
        current = Layout.load(layout.path)  # another call may have written meanwhile
        for other in current.accepted:
            if other.covers(finding):
                raise CallError(f"{other.where} accepts it already: {other.who}, {other.why}")
        path = ACCEPTANCES.add(current, line)
    return WrittenAcceptance(line, path, not ACCEPTANCES.is_named(current))


def _line(
    layout: Layout, row: Row, tabs: Sequence[str], decision: Mapping[str, str]
) -> dict[str, str]:
    # A line without a cell would also accept what nobody has seen yet.
    if not row["file"] or not row["cell"]:
        raise CallError(
            f"{row['code']} is about {'no cell' if row['file'] else 'no file'}; only what stands in"
            " a cell can be accepted"
        )
    files = [source.name for source in look(layout).taken]
    # What was looked for and what was found belong to the line: another fault of the same cell is
    # not accepted by it.
    seen = {name: row[name] for name in ("code", "cell", "looked_for", "found")}
    line = ACCEPTANCES.line(row["file"], row["tab"], files, tabs, {**seen, **decision})
    check_decision(line, {"why": "--why", "who": "--who"}, ACCEPTANCES.line_is)
    return line


def tabs_of(saved: SavedOutput, file: str) -> list[str]:
    """The tabs of a file in a run; none if the run did not have the file."""
    files = (value for value in saved.record["files"] if value["file"] == file)
    record: Mapping[str, Any] = next(files, {})
    return [*(tab["tab"] for tab in record.get("tabs", ())), *record.get("tabs_not_read", ())]
