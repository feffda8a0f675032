"""Adding a decision to a file beside a layout: a correction of a cell, or an accepted finding."""

from __future__ import annotations

import csv
import io
import re
from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from datetime import UTC, datetime
from pathlib import Path

from boreotabula.batch.layouts.accepted import COLUMNS as ACCEPTANCE_COLUMNS
from boreotabula.batch.layouts.beside import csv_lines, free_path, set_in_layout, write
from boreotabula.batch.layouts.decisions import CORRECTION_COLUMNS, DecisionLine, correction_of
from boreotabula.batch.layouts.glossaries import decoded_text, read_layout_file
from boreotabula.batch.layouts.load import Layout
from boreotabula.errors import CallError
from boreotabula.layout.patterns import Pattern
from boreotabula.reading.corrections import Correction


@dataclass(frozen=True)
class DecisionFile:
    """One of the files of decisions that a layout may name."""

    key: str
    """The key of the layout that names it."""
    columns: Sequence[str]
    line_is: str
    """What to call a line of it, with the article."""
    label: str
    """What messages call the file."""

    def path(self, layout: Layout) -> Path:
        """The file of a layout, or its future path."""
        named = self._named(layout)
        return layout.path.parent / named if named else free_path(layout.path, f"{self.key}.csv")

    def line(
        self,
        file: str,
        tab: str,
        files: Sequence[str],
        tabs: Sequence[str],
        values: Mapping[str, str],
    ) -> dict[str, str]:
        """A line about a tab of a file, by the other columns.

        `files` are the files of the layout, `tabs` the tabs of the file. Raises CallError if a
        pattern for this file or tab would match another one too: that would decide what nobody has
        seen.
        """
        # The names become patterns, as in every file of decisions, so what they hold of * and {}
        # must be written as themselves.
        line = {"file": _literal(file), "tab": _literal(tab), **values}
        file_pattern, tab_pattern = DecisionLine("the line", line).patterns()
        self._check_alone(file, file_pattern, files)
        if tab_pattern is not None:
            self._check_alone(tab, tab_pattern, tabs)
        return line

    def _check_alone(self, name: str, matched: Pattern, names: Sequence[str]) -> None:
        # A brace became “any text”, so another name may fit as well.
        twin = next(
            (other for other in names if other != name and matched.match(other) is not None), None
        )
        if twin is not None:
            raise CallError(
                f"{self.line_is} of “{name}” would be one of “{twin}” too: their names cannot be"
                " told apart. Rename one of them"
            )
        # A name made of signs that no pattern can write.
        if matched.match(name) is None or matched.text == "*":
            raise CallError(f"{self.line_is} cannot name “{name}”. Rename it")

    def add(self, layout: Layout, line: Mapping[str, str]) -> Path:
        """Add a line to the file of a layout; returns its path.

        A layout without one gets one beside it, and names it. Raises CallError if it cannot be
        written, or lacks a column of the line.
        """
        path, named = self.path(layout), self._named(layout)
        head = (",".join(self.columns) + "\n").encode()
        content = read_layout_file(path, self.label) if named else head
        columns = next(csv.reader(io.StringIO(decoded_text(content, path.name))), [])
        # A person may have left out columns that are not needed; nothing is lost as long as they
        # are not used.
        lacking = [column for column, value in line.items() if value and column not in columns]
        if lacking:
            named_columns = ", ".join(f"“{column}”" for column in lacking)
            several = len(lacking) > 1
            raise CallError(
                f"{path.name} has no column{'s' if several else ''} {named_columns}; add"
                f" {'them' if several else 'it'} to its first line"
            )
        # The file first and the layout second: a file that no layout names does no harm.
        write(path, content + csv_lines(content, columns, [line]))
        if named is None:
            set_in_layout(layout.path, self.key, path.name)
        return path

    def is_named(self, layout: Layout) -> bool:
        """Whether a layout names its file."""
        return self._named(layout) is not None

    def _named(self, layout: Layout) -> str | None:
        named: str | None = getattr(layout.spec, self.key)
        return named


CORRECTIONS = DecisionFile("corrections", CORRECTION_COLUMNS, "a correction", "file of corrections")
ACCEPTANCES = DecisionFile(
    "accepted", ACCEPTANCE_COLUMNS, "an acceptance", "file of accepted findings"
)


def _literal(name: str) -> str:
    """A pattern that matches a name; a brace, which cannot be written, matches any text."""
    return re.sub(r"\{[^{}]*\}|[{}]", "*", name.replace("*", "[*]"))


def check_decision(line: Mapping[str, str], needed: Mapping[str, str], line_is: str) -> None:
    """Raise CallError for an incomplete line, or a day that is past.

    `needed` are columns that must be filled, each with its option.
    """
    for column, option in needed.items():
        if not line[column]:
            raise CallError(f"{option} is blank; {line_is} needs it")
    # Read by the same code as a line of the file, so that both refuse the same.
    until = DecisionLine("--until", dict(line)).until()
    if until is not None and until < datetime.now(UTC).date():
        raise CallError(f"--until: {until} is past; {line_is} would never hold")


def as_correction(line: Mapping[str, str]) -> Correction:
    """A line in the form in which it is read. Raises CallError for an incomplete line, or a day
    that is past."""
    check_decision(line, {"is": "--to", "why": "--why", "who": "--who"}, CORRECTIONS.line_is)
    return correction_of(DecisionLine("the correction", dict(line)))
