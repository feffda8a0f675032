"""The tab in front of a marked copy: its file, what to do, and each place with a link."""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from dataclasses import dataclass
from enum import Enum, auto

from boreotabula.review.mark import words
from boreotabula.review.mark.faults import Fault, by_request
from boreotabula.review.mark.words import Say

WIDTHS = (24, 10, 100)
"""Of the columns, in characters."""


class FrontLook(Enum):
    """The appearance of a row in front."""

    TITLE = auto()
    TEXT = auto()
    HEAD = auto()
    FAULT = auto()


@dataclass(frozen=True)
class FrontRow:
    """A row of the tab in front; for a fault its tab, its cell and its text."""

    texts: tuple[str, ...]
    look: FrontLook
    tab: str = ""
    """The tab of a fault, by the sender's name for it."""
    cell: str = ""


@dataclass(frozen=True)
class Front:
    """The tab in front of a marked copy."""

    name: str
    """The name of the tab."""
    rows: tuple[FrontRow | None, ...]
    """From the first row on; None leaves one blank."""


def front_of(file: str, faults: Sequence[Fault], say: Say) -> Front:
    """The tab in front of the copy of a file, in the language of its sender."""
    requests = by_request(faults)
    return Front(say(words.HEADING_OF[next(iter(requests))]), tuple(_rows(file, requests, say)))


def _rows(
    file: str, requests: dict[words.Request, list[Fault]], say: Say
) -> Iterator[FrontRow | None]:
    yield FrontRow((words.subject(file, requests, say),), FrontLook.TITLE)
    is_wrong = words.Request.CORRECT in requests
    to_do = words.AGAIN if is_wrong else words.LIST_OF[words.Request.CONFIRM]
    yield FrontRow((f"{say(words.MARKED_HERE)} {say(to_do)}",), FrontLook.TEXT)
    yield None
    yield FrontRow(tuple(map(say, words.HEADS)), FrontLook.HEAD)
    for request, faults in requests.items():
        if len(requests) > 1:
            yield FrontRow((say(words.HEADING_OF[request]),), FrontLook.HEAD)
        for fault in faults:
            texts = (fault.tab, fault.cell, fault.text)
            yield FrontRow(texts, FrontLook.FAULT, fault.tab, fault.cell)
