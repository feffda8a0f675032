"""The one place where text reaches a terminal: whatever stands in cells and names, it is only text.

A control character could change the title of a terminal, clear it, or hide what was printed; marks
that turn the direction of writing could make a name look like another.
"""

from __future__ import annotations

import json
import re
from typing import Any

import click

_CONTROLS = re.compile(
    "[\x00-\x08\x0b-\x1f\x7f-\x9f\u061c\u200e\u200f\u2028\u2029\u202a-\u202e\u2066-\u2069"
    "\ud800-\udfff]"
)
_PICTURES = 0x2400
"""Where the pictures of the first control characters begin, by their codes."""


def clean(text: str) -> str:
    """A text without control characters: each is one sign that shows where it was."""
    return _CONTROLS.sub(_shown, text)


def _shown(found: re.Match[str]) -> str:
    code = ord(found[0])
    if code < 0x20:
        return chr(_PICTURES + code)
    return "\u2421" if code == 0x7F else "\ufffd"


def say(text: str = "", *, err: bool = False) -> None:
    """Print a line."""
    click.echo(clean(text), err=err)


def say_json(value: Any) -> None:
    """Print plain data as JSON; what is not for a terminal is escaped in its texts."""
    text = json.dumps(value, ensure_ascii=False, indent=2)
    click.echo(_CONTROLS.sub(lambda found: f"\\u{ord(found[0]):04x}", text))
