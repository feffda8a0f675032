"""All that is watched for over the files of a run."""

from __future__ import annotations

from collections.abc import Iterable, Sequence
from typing import Protocol

from boreotabula.layout.model import LayoutSpec
from boreotabula.reading.findings import Finding
from boreotabula.runs.files import FileReading
from boreotabula.runs.odd.columns import ColumnsByPosition
from boreotabula.runs.odd.copies import SameValues
from boreotabula.runs.odd.counts import FewRecords, FieldsEmpty, MissingTabs
from boreotabula.runs.odd.headings import HeadingCount
from boreotabula.runs.odd.keys import Keys
from boreotabula.runs.odd.stamps import MovedStamps, SameStamps
from boreotabula.runs.odd.texts import Doubts, GuessedEncodings, UnplacedTexts
from boreotabula.runs.odd.values import FarValues


class Watch(Protocol):
    """Takes every file, and tells at the end what stands out."""

    def take(self, reading: FileReading) -> None:
        """Note what matters of a file."""

    def findings(self) -> Iterable[Finding]:
        """What stands out."""


def watches(spec: LayoutSpec) -> Sequence[Watch]:
    """Everything that is watched for in a run of a layout."""
    found: list[Watch] = [
        SameStamps(), SameValues(), MovedStamps(), MissingTabs(), HeadingCount(), FewRecords(),
        FieldsEmpty(), FarValues(), GuessedEncodings(), ColumnsByPosition(), UnplacedTexts(),
        Doubts(),
    ]  # fmt: skip
    return [Keys(spec.key), *found] if spec.key else found
