"""A kind of finding: all of its properties, declared in one place."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from dataclasses import dataclass, replace
from enum import StrEnum
from functools import cached_property
from typing import TYPE_CHECKING

from boreotabula.findings.wording import filled, slots_of
from boreotabula.layout.addresses import Address

if TYPE_CHECKING:
    from boreotabula.findings.finding import Finding


class Severity(StrEnum):
    """How much a finding matters."""

    ERROR = "error"
    """Records are wrong, missing or doubtful."""
    WARNING = "warning"
    """Something a person should glance at."""
    NOTE = "note"
    """Everything else."""


@dataclass(frozen=True, eq=False)
class FindingKind:
    """A kind of finding: its code and severity, its words, and its line in the handbook.

    Called with a place and the values of its slots, it gives a finding. Kinds are equal if their
    codes are: a kind may have several wordings (`worded`), for different cases.
    """

    code: str
    severity: Severity
    message: str
    """What is wrong and what happened to the values; with slots, see `wording`."""
    advice: str
    looked_for: str = ""
    found: str = ""
    meaning: str = ""
    """The meaning, as in the handbook, with code names in Markdown."""
    example: str = ""
    cure: str = ""
    sender: str = ""
    """The text for the sender, in English; empty if only the analyst can correct it."""

    def __eq__(self, value: object) -> bool:
        return isinstance(value, FindingKind) and self.code == value.code

    def __hash__(self) -> int:
        return hash(self.code)

    def __reduce__(self) -> tuple[Callable[[str], FindingKind], tuple[str]]:
        """Pickled as its code."""
        from boreotabula.findings.catalogue import finding_kind

        return finding_kind, (self.code,)

    def worded(
        self,
        *,
        message: str | None = None,
        advice: str | None = None,
        looked_for: str | None = None,
        found: str | None = None,
    ) -> FindingKind:
        """The same kind in other words, for another case of it."""
        return replace(
            self,
            message=self.message if message is None else message,
            advice=self.advice if advice is None else advice,
            looked_for=self.looked_for if looked_for is None else looked_for,
            found=self.found if found is None else found,
        )

    @cached_property
    def slots(self) -> frozenset[str]:
        """The names of all its slots."""
        texts = (self.message, self.advice, self.looked_for, self.found)
        return frozenset().union(*map(slots_of, texts))

    def __call__(self, at: Address | None = None, /, **slots: object) -> Finding:
        """The finding at a cell.

        `tab`, `file`, `field` and `cause` belong to every finding, and may be used as slots. Raises
        TypeError if the other values are not those of the slots.
        """
        from boreotabula.findings.finding import Finding

        place = {name: str(slots.get(name, "")) for name in _OF_EVERY_FINDING}
        values: Mapping[str, object] = {"at": at, **place, **slots}
        wrong = self.slots.difference(values) | slots.keys() - self.slots - place.keys()
        if wrong:
            raise TypeError(f"{self.code}: wrong or missing slots {sorted(wrong)}")
        return Finding(
            self,
            filled(self.message, values),
            filled(self.advice, values),
            at,
            filled(self.looked_for, values),
            filled(self.found, values),
            **place,
        )


_OF_EVERY_FINDING = ("tab", "file", "field", "cause")
