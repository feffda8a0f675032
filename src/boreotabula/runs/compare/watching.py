"""All that is watched for over the files of a run."""

from __future__ import annotations

from collections.abc import Iterable, Sequence
from typing import Protocol

from boreotabula.findings.finding import Finding
from boreotabula.layout.model import LayoutSpec
from boreotabula.reading.plan import Plan
from boreotabula.runs.compare.columns import ColumnsByPosition
from boreotabula.runs.compare.copies import SameValues
from boreotabula.runs.compare.counts import FewRecords, FieldsEmpty, LackingColumns, MissingTabs
from boreotabula.runs.compare.headings import HeadingCount, NearHeadings
from boreotabula.runs.compare.keys import Keys
from boreotabula.runs.compare.levels import LevelHeadings
from boreotabula.runs.compare.near import NearCopies
from boreotabula.runs.compare.stamps import LaterSources, MovedStamps, SameStamps
from boreotabula.runs.compare.texts import Doubts, GuessedEncodings, UnplacedTexts
from boreotabula.runs.compare.values import FarValues, OddValues
from boreotabula.runs.file.read import FileReading


class Watch(Protocol):
    """Takes every file, and tells at the end what stands out."""

    def take(self, reading: FileReading) -> None:
        """Note what matters of a file."""

    def findings(self) -> Iterable[Finding]:
        """What stands out."""


def watches(spec: LayoutSpec, plan: Plan) -> Sequence[Watch]:
    """Everything that is watched for in a run of a layout."""
    choices = {name: [str(one) for one in field.choices] for name, field in spec.fields.items()}
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
