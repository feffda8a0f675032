"""How well a sketch reads the tabs that it was made from, by the account and the findings."""

from __future__ import annotations

from collections import Counter
from collections.abc import Callable, Sequence
from dataclasses import dataclass, field
from math import inf

import numpy as np
import pyarrow as pa

from boreotabula.drafting.sketch import Sketch, key_texts
from boreotabula.drafting.tabs.specimens import Specimen
from boreotabula.findings.finding import Finding
from boreotabula.findings.kind import Severity
from boreotabula.findings.places import Rule
from boreotabula.findings.subjects.tables import FIELD_MISSING
from boreotabula.findings.subjects.totals import TOTAL_DIFFERS
from boreotabula.layout.model import PROVENANCE
from boreotabula.layout.patterns import PatternKind, pattern
from boreotabula.layout.problems import LayoutError
from boreotabula.look.texts.words import level_name
from boreotabula.reading.account.roles import Role
from boreotabula.reading.blocks import TabSource
from boreotabula.reading.cells import reads_as_figure
from boreotabula.reading.plan import Plan
from boreotabula.reading.stamps.captures import capture
from boreotabula.reading.stamps.sources import Surroundings
from boreotabula.reading.tab import TabReading, read_tab


@dataclass(frozen=True)
class Judgement:
    """The result of reading some tabs by a sketch."""

    filled: int = 0
    unplaced: int = 0
    records: int = 0
    printed: int = 0
    agree: int = 0
    errors: tuple[tuple[Specimen, Finding], ...] = ()
    warnings: int = 0
    readings: tuple[TabReading, ...] = field(default=(), repr=False)
    examples: tuple[Specimen, ...] = field(default=(), repr=False)
    """The tab of each reading."""
    words: int = 0
    """The length of the layout in words."""
    passed_over: int = 0
    """Cells beside no value that are left out; they may be names of groups."""
    repeated: int = 0
    """Records that only numbers distinguish from another one of their tab."""
    as_texts: int = 0
    """Values that look like figures but are read as texts."""
    loose: float = 0.0
    """For each field, the share of values that look like figures but are read as texts; summed over
    the fields."""

    @property
    def placed(self) -> float:
        """The share of filled cells that are placed."""
        return 1 - self.unplaced / self.filled if self.filled else 0.0

    @property
    def bits_left(self) -> float:
        """What a reading leaves over, in bits.

        Each cell in no record, and each error, costs its place among all cells and a text; a figure
        that is kept as a text half of one. A reading without records explains nothing.
        """
        if not self.records:
            return inf
        bits = np.log2(self.filled + 1) + BITS_OF_TEXT
        faults = sum(finding.kind != TOTAL_DIFFERS for _, finding in self.errors)
        left = self.unplaced + self.passed_over + faults + self.printed - self.agree
        return float(left * bits + self.as_texts * BITS_OF_TEXT / 2)

    @property
    def score(self) -> float:
        """Higher is better: more placed cells and agreeing totals, fewer errors and words.

        The weights make a word worth less than any cell.
        """
        tabs = max(len(self.readings), 1)
        disagree = self.printed - self.agree
        # Totals that differ are weighed above: a sender's slip is no fault of the layout.
        faults = sum(finding.kind != TOTAL_DIFFERS for _, finding in self.errors)
        return (
            100 * self.placed
            - 50 * self.passed_over / (self.filled or 1)
            + min(self.agree, 200 * tabs) / (self.filled or 1) * 20
            - 12 * disagree / (self.printed or 1)
            - 8 * min(faults / tabs, 4)
            - 1.5 * min(self.warnings / tabs, 4)
            - 0.02 * self.words
            - 8 * self.loose
            - 3 * self.repeated / (self.records or 1)
        )


BITS_OF_TEXT = 20.0
"""The cost of a short text, letter by letter."""

WORST = Judgement(unplaced=1, filled=1)


def judge(sketch: Sketch, specimens: Sequence[Specimen]) -> Judgement:
    """Read some tabs by a sketch, and count the results."""
    try:
        plan = sketch.plan()
    except LayoutError:
        return WORST
    readings: list[TabReading] = []
    counts: Counter[str] = Counter()
    filled: Counter[str] = Counter()
    loose: Counter[str] = Counter()
    errors: list[tuple[Specimen, Finding]] = []
    for specimen in specimens:
        reading = read_tab(
            specimen.sheet, plan, TabSource(specimen.file, _around(sketch, specimen, plan))
        )
        readings.append(reading)
        counts["filled"] += reading.account.filled
        counts["unplaced"] += reading.account.roles[Role.UNPLACED]
        counts["passed"] += reading.account.left_out.get(Rule.BLANK, 0)
        counts["records"] += sum(batch.num_rows for batch in reading.tables.values())
        counts["printed"] += reading.totals.printed
        counts["agree"] += reading.totals.agree
        for batch in reading.tables.values():
            counts["repeated"] += _repeated(batch)
            for name in sketch.fields:
                if name in batch.schema.names:
                    column = batch.column(name)
                    filled[name] += len(column) - column.null_count
                    loose[name] += _loose(column, _is_loose)
                    if name not in sketch.captured and name not in sketch.stamps:
                        counts["as texts"] += _loose(column, _is_figure)
        for finding in reading.findings:
            if finding.severity is Severity.ERROR:
                errors.append((specimen, finding))
            counts["warnings"] += finding.severity is Severity.WARNING
            # A field that tabs lack is no fault of theirs, but of the names.
            counts["warnings"] += finding.kind == FIELD_MISSING
    return Judgement(
        filled=counts["filled"], unplaced=counts["unplaced"], records=counts["records"],
        printed=counts["printed"],
        agree=counts["agree"], errors=tuple(errors), warnings=counts["warnings"],
        readings=tuple(readings), examples=tuple(specimens),
        words=len(sketch.text().split()), passed_over=counts["passed"], repeated=counts["repeated"],
        as_texts=counts["as texts"],
        loose=sum(loose[name] / filled[name] for name in loose if filled[name]),
    )  # fmt: skip


def _repeated(batch: pa.RecordBatch) -> int:
    """How many records of a batch are distinguished from another one only by numbers."""
    names = [
        value.name
        for value in batch.schema
        if value.name not in PROVENANCE and not pa.types.is_floating(value.type)
        and not pa.types.is_integer(value.type)
    ]  # fmt: skip
    if not names or not batch.num_rows:
        return 0
    return int(batch.num_rows) - distinct_count([batch.column(name) for name in names])


def distinct_count(columns: Sequence[pa.Array]) -> int:
    """The number of distinct rows in some columns of equal length; blanks are equal."""
    alike = np.zeros(len(columns[0]), np.int64)
    for column in columns:
        encoded = column if pa.types.is_dictionary(column.type) else column.dictionary_encode()
        codes = encoded.indices.fill_null(-1).to_numpy() + 1
        # Numbered anew for each column, so that no number becomes too large.
        _, alike = np.unique(alike * (len(encoded.dictionary) + 1) + codes, return_inverse=True)
    return int(alike.max()) + 1 if len(alike) else 0


def _loose(column: pa.Array, is_loose: Callable[[str], bool]) -> int:
    """How many values of a column are texts that look like another type."""
    if not pa.types.is_dictionary(column.type):
        return 0
    looks = np.array(list(map(is_loose, column.dictionary.to_pylist())), bool)
    which = column.indices.drop_null().to_numpy()
    return int(np.count_nonzero(looks[which])) if len(looks) else 0


def _is_loose(text: str) -> bool:
    return _is_figure(text) or level_name([text]) == "month"


def _is_figure(text: str) -> bool:
    """Whether a text looks like a figure; one that begins with a zero is a code."""
    code = text[:1] == "0" and text.isdigit() and text != "0"
    return reads_as_figure(text) and not code


def _around(sketch: Sketch, specimen: Specimen, plan: Plan) -> Surroundings:
    """The stamps from the names of file and tab, as in a run."""
    texts_kept: dict[str, str] = {}
    for patterns, kind, name in (
        (sketch.include, PatternKind.FILE, specimen.file),
        (key_texts(sketch.tabs.get("named", ())), PatternKind.TAB, specimen.tab),
    ):
        kept = capture(tuple(pattern(text, kind) for text in patterns), name, plan)
        texts_kept |= kept.texts if kept else {}
    stem = specimen.file.rpartition("/")[2].rpartition(".")[0]
    folder = specimen.file.rpartition("/")[0].rpartition("/")[2]
    texts = {"file name": stem, "folder name": folder, "tab name": specimen.tab}
    return Surroundings(texts_kept, texts, tabs=specimen.others)
