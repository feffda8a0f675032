"""`boreotabula cache`: how much is kept from earlier runs, and clearing it."""

from __future__ import annotations

import click

from boreotabula.cli.options import Command, json_option
from boreotabula.cli.printing import say, say_json
from boreotabula.texts import counted

EPILOG = """\b
Examples:
  boreotabula cache
  boreotabula cache --clear

The cache holds the results of files that have not changed, so that they need not be read again by
the same layout and version, layouts that were checked, and files fetched from servers. It lies in
your cache folder, or where the environment variable BOREOTABULA_CACHE says. Above 2 GiB, what was
not used longest is deleted. `extract --fresh` ignores it."""


@click.command("cache", cls=Command, epilog=EPILOG)
@click.option("--clear", "clear_it", is_flag=True, help="Delete everything in it.")
@json_option
def command(clear_it: bool, as_json: bool) -> int:
    """Show the size of the cache, or clear it."""
    from boreotabula.batch.cache.size import cache_size, clear
    from boreotabula.batch.private_files import cache_folder
    from boreotabula.batch.remote.mirror import clear_fetched, fetched_size

    folder = cache_folder()
    count, size = cache_size(folder)
    files, fetched = fetched_size()
    if clear_it:
        clear(folder)
        clear_fetched()
    if as_json:
        say_json({
            "folder": str(folder), "results": count, "bytes": size, "fetched_files": files,
            "fetched_bytes": fetched, "cleared": clear_it,
        })  # fmt: skip
        return 0
    end = ": deleted" if clear_it else ""
    say(f"{counted(count, 'result')}, {_size(size)}, in {folder}{end}")
    if files:
        say(f"{counted(files, 'file')} from servers, {_size(fetched)}{end}")
    return 0


def _size(size: int) -> str:
    for unit in ("bytes", "KiB", "MiB"):
        if size < 1024:
            return f"{size:,.0f} {unit}"
        size //= 1024
    return f"{size:,.0f} GiB"
