"""Errors that end a command; each class carries its exit status."""

from __future__ import annotations


class BoreotabulaError(Exception):
    """A wrong call or a wrong layout: reported in one message, never as a traceback."""

    exit_status = 2


class CallError(BoreotabulaError):
    """The command cannot do what it was asked for (a path that cannot be written, say)."""
