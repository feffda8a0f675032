"""`boreotabula layout-schema`: the JSON Schema of layouts, for editors."""

from __future__ import annotations

import click

from boreotabula.cli.options import Command
from boreotabula.cli.printing import say_json

EPILOG = """\b
Example:
  boreotabula layout-schema > layout.schema.json

Many editors check and complete a TOML file that names its schema in the first line:
  #:schema layout.schema.json"""


@click.command("layout-schema", cls=Command, epilog=EPILOG)
def command() -> int:
    """Print the JSON Schema of layouts.

    It describes what a layout may contain; whether the parts fit together is checked when a layout
    is used.
    """
    from boreotabula.layout.model import layout_schema

    say_json(layout_schema())
    return 0
