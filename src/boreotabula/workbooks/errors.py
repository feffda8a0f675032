"""What can go wrong with a file, in an analyst's words."""

from __future__ import annotations

SEND_AGAIN = "Open it in a spreadsheet program and save it again, or ask the sender for it again."


class UnreadableError(Exception):
    """A file or tab that cannot be read; the text says why, `advice` what a person can do."""

    def __init__(self, why: str, advice: str = SEND_AGAIN) -> None:
        super().__init__(why)
        self.advice = advice
