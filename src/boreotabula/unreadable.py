"""Errors of files, in an analyst's words."""

from __future__ import annotations

SEND_AGAIN = "Open it in a spreadsheet program and save it again, or ask the sender for it again."
PROTECTED = "it is protected by a password"
WITHOUT_PASSWORD = "Ask the sender for a copy without a password, or save one."


class UnreadableError(Exception):
    """A file or tab that cannot be read; the text says why, `advice` what a person can do."""

    def __init__(self, why: str, advice: str = SEND_AGAIN) -> None:
        super().__init__(why)
        self.why = why
        self.advice = advice

    def __reduce__(self) -> tuple[type[UnreadableError], tuple[str, ...]]:
        return type(self), (self.why, self.advice)


class OverBudgetError(UnreadableError):
    """A file that exceeds the limits of reading one file."""

    @classmethod
    def of(cls, what: str, mebibytes: int, needed: int) -> OverBudgetError:
        """The error that something would take more than a number of mebibytes, about as many as
        `needed`."""
        return cls(
            f"{what} would take more than the {mebibytes:,} MiB of memory that one file may take",
            _DELETE
            if needed > _MOST
            else f"{_DELETE} If all of it is needed, allow more with"
            f" --memory-per-file {2 ** (needed - 1).bit_length()}.",
        )


_DELETE = "Delete blank rows and columns beyond the table, and save the file again."
_MOST = 64 * 1024
"""The largest memory of a machine, in MiB."""
