"""All comparisons over the files of a run."""

from __future__ import annotations

from collections.abc import Iterable, Sequence
from typing import Protocol

from boreotabula.batch.compare.columns import ColumnsByPosition
from boreotabula.batch.compare.copies import SameValues
from boreotabula.batch.compare.counts import FewRecords, FieldsEmpty, LackingColumns, MissingTabs
from boreotabula.batch.compare.headings import HeadingCount, NearHeadings
from boreotabula.batch.compare.keys import Keys
from boreotabula.batch.compare.levels import LevelHeadings
from boreotabula.batch.compare.near import NearCopies
from boreotabula.batch.compare.stamps import LaterSources, MovedStamps, SameStamps
from boreotabula.batch.compare.texts import Doubts, GuessedEncodings, UnplacedTexts
from boreotabula.batch.compare.values import FarValues, OddValues
from boreotabula.batch.file.read import FileReading
from boreotabula.findings.finding import Finding
from boreotabula.layout.model import LayoutSpec
from boreotabula.reading.plan import Plan


class Watch(Protocol):
    """Takes every file, and reports at the end what stands out."""

    def take(self, reading: FileReading) -> None:
        """Note the relevant facts of a file."""

    def findings(self) -> Iterable[Finding]:
        """The findings about what stands out."""


def watches(spec: LayoutSpec, plan: Plan) -> Sequence[Watch]:
    """All comparisons in a run of a layout."""
    choices = {
        name: [str(choice) for choice in field.choices] for name, field in spec.fields.items()
    }
    optional = [name for name, field in spec.fields.items() if field.optional]
    levels, near = LevelHeadings(plan, choices), NearCopies()
    # What says more is asked first: it is not told again by the others.
    return [
        *([Keys(spec.key)] if spec.key else [near]),
        levels, SameStamps(near.told), SameValues(), MovedStamps(), LaterSources(), MissingTabs(),
        HeadingCount(levels.told), NearHeadings(choices), FewRecords(), FieldsEmpty(),
        LackingColumns(optional), FarValues(), OddValues(), GuessedEncodings(), ColumnsByPosition(),
        UnplacedTexts(), Doubts(),
    ]  # fmt: skip
