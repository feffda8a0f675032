"""`boreotabula layout-schema`: the JSON Schema of layouts, for editors."""

from __future__ import annotations

import json

import click

EPILOG = """\b
Example:
  boreotabula layout-schema > layout.schema.json

Many editors check and complete a TOML file whose first line names its schema:
  #:schema layout.schema.json"""


@click.command("layout-schema", epilog=EPILOG)
def command() -> int:
    """Print the JSON Schema of layouts.

    It tells what may be written where; whether the parts fit together is checked when a layout is
    used.
    """
    from boreotabula.layout.model import layout_schema

    click.echo(json.dumps(layout_schema(), ensure_ascii=False, indent=2))
    return 0
