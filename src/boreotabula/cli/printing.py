"""The one place where text reaches a terminal: whatever stands in cells and names, it is only text.

Tables and bars are drawn by the consoles of `screen`, which clean their texts the same way.
"""

from __future__ import annotations

import json
from typing import Any

import click

from boreotabula.texts import CONTROLS, clean


def say(text: str = "", *, err: bool = False) -> None:
    """Print a line."""
    click.echo(clean(text), err=err)


def say_json(value: Any) -> None:
    """Print plain data as JSON; what is not for a terminal is escaped in its texts."""
    text = json.dumps(value, ensure_ascii=False, indent=2)
    click.echo(CONTROLS.sub(lambda found: f"\\u{ord(found[0]):04x}", text))
