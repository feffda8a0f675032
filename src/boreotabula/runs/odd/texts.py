"""What texts of many files have in common: how they were read, and remarks that all tabs bear."""

from __future__ import annotations

from collections.abc import Iterator

from boreotabula.reading.findings import Finding
from boreotabula.runs.files import FileReading


class GuessedEncodings:
    """Counts the texts whose encoding was guessed among several that are possible."""

    def __init__(self) -> None:
        self._files: dict[str, list[str]] = {}

    def take(self, reading: FileReading) -> None:
        """Note the encoding of a file."""
        if reading.guessed:
            self._files.setdefault(reading.guessed, []).append(reading.name)

    def findings(self) -> Iterator[Finding]:
        """One for each encoding."""
        for encoding, files in self._files.items():
            more = f" (and {len(files) - 1} more files)" if len(files) > 1 else ""
            yield Finding(
                "read-as",
                f"this text is not UTF-8; it was read as {encoding}, the likeliest by its"
                f" letters{more}",
                "If letters look wrong, say how the files are written with [text] encoding.",
                looked_for="UTF-8",
                found=encoding,
                file=files[0],
            )
