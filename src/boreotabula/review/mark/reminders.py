"""Reminders to those whose reports are missing, a letter for each sender."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from pathlib import Path

from boreotabula.batch.atomic import atomic_write
from boreotabula.review.crosstab.cross import Label
from boreotabula.review.due import Report, Sender, missing_of
from boreotabula.review.mark import words
from boreotabula.review.mark.names import CopyNames
from boreotabula.review.mark.words import say_in


@dataclass(frozen=True)
class Reminder:
    """A letter to a sender, in their language, about the reports that are missing."""

    label: Label
    language: str
    reports: tuple[Report, ...]

    @property
    def name(self) -> str:
        """The recipient."""
        return ", ".join(self.label)

    @property
    def text(self) -> str:
        """The letter."""
        say = say_in(self.language)
        lines = [
            "- " + say(words.DUE_ON).format(period=report.period, day=report.due)
            for report in self.reports
        ]
        return "\n\n".join((
            say(words.REMINDER).format(name=self.name),
            say(words.HELLO),
            say(words.NOT_COME).format(name=self.name),
            "\n".join(lines),
            say(words.PLEASE_SEND),
            say(words.THANKS),
        )) + "\n"  # fmt: skip


def reminders(
    senders: Sequence[Sender], reports: Sequence[Report], language: str
) -> list[Reminder]:
    """The letters to all whose reports are missing, without those that are late or still due.

    `language` is that of senders without one. Raises CallError, before anything is written, if
    there are no texts in a language.
    """
    missing: Mapping[Label, Sequence[Report]] = missing_of(reports)
    letters = [
        Reminder(sender.label, sender.language or language, tuple(missing[sender.label]))
        for sender in senders
        if sender.label in missing
    ]
    for code in {letter.language for letter in letters}:
        say_in(code)
    return letters


def write_reminders(written: Sequence[Reminder], folder: Path, names: CopyNames) -> list[str]:
    """Write letters into a folder, and return their names below it."""
    files = []
    for reminder in written:
        files.append(f"{names.take(f'reminder {reminder.name}.txt')}.txt")
        with atomic_write(folder / files[-1]) as stream:
            stream.write(reminder.text.encode())
    return files
