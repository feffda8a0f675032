"""All that is watched for over the files of a run."""

from __future__ import annotations

from collections.abc import Iterable, Sequence
from typing import Protocol

from boreotabula.layout.model import LayoutSpec
from boreotabula.reading.findings import Finding
from boreotabula.runs.compare.columns import ColumnsByPosition
from boreotabula.runs.compare.copies import SameValues
from boreotabula.runs.compare.counts import FewRecords, FieldsEmpty, MissingTabs
from boreotabula.runs.compare.headings import HeadingCount, NearHeadings
from boreotabula.runs.compare.keys import Keys
from boreotabula.runs.compare.stamps import LaterSources, MovedStamps, SameStamps
from boreotabula.runs.compare.texts import Doubts, GuessedEncodings, UnplacedTexts
from boreotabula.runs.compare.values import FarValues
from boreotabula.runs.file.read import FileReading


class Watch(Protocol):
    """Takes every file, and tells at the end what stands out."""

    def take(self, reading: FileReading) -> None:
        """Note what matters of a file."""

    def findings(self) -> Iterable[Finding]:
        """What stands out."""


def watches(spec: LayoutSpec) -> Sequence[Watch]:
    """Everything that is watched for in a run of a layout."""
    choices = {name: [str(one) for one in field.choices] for name, field in spec.fields.items()}
    found: list[Watch] = [
        SameStamps(), SameValues(), MovedStamps(), LaterSources(), MissingTabs(), HeadingCount(),
        NearHeadings(choices), FewRecords(), FieldsEmpty(), FarValues(), GuessedEncodings(),
        ColumnsByPosition(), UnplacedTexts(), Doubts(),
    ]  # fmt: skip
    return [Keys(spec.key), *found] if spec.key else found
