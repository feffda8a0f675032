"""`boreotabula kept`: how much is kept of earlier runs, and clearing it."""

from __future__ import annotations

import click

from boreotabula.cli.options import json_option
from boreotabula.cli.printing import say, say_json
from boreotabula.texts import counted

EPILOG = """\b
Examples:
  boreotabula kept
  boreotabula kept --clear

An unchanged file is not read again by the same layout and version: its result is kept, in the
user's cache folder or that of the environment variable BOREOTABULA_KEPT. What was unused longest
goes first once the folder holds 2 GiB. `extract --fresh` reads every file anew."""


@click.command("kept", epilog=EPILOG)
@click.option("--clear", "clear_it", is_flag=True, help="Delete all of it.")
@json_option
def command(clear_it: bool, as_json: bool) -> int:
    """Show how much is kept of earlier runs, or clear it."""
    from boreotabula.runs.cache.store import cache_size, clear
    from boreotabula.runs.own import cache_folder

    folder = cache_folder()
    count, size = cache_size(folder)
    if clear_it:
        clear(folder)
    if as_json:
        found = {"folder": str(folder), "results": count, "bytes": size, "cleared": clear_it}
        say_json(found)
        return 0
    results = counted(count, "result")
    say(f"{results}, {_size(size)}, in {folder}" + (": deleted" if clear_it else ""))
    return 0


def _size(size: int) -> str:
    for unit in ("bytes", "KiB", "MiB"):
        if size < 1024:
            return f"{size:,.0f} {unit}"
        size //= 1024
    return f"{size:,.0f} GiB"
