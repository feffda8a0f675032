"""Whether an output may be written to its path: never in the way of inputs."""

from __future__ import annotations

import errno
from collections.abc import Collection, Iterable, Sequence
from pathlib import Path
from typing import TYPE_CHECKING

from boreotabula.batch.remote.address import is_remote, without_password
from boreotabula.errors import CallError
from boreotabula.files import written_name
from boreotabula.layout.patterns import Pattern, matching

if TYPE_CHECKING:
    from boreotabula.batch.layouts.load import Layout
from boreotabula.batch.inputs import look


def check_output(
    layout: Layout,
    out: Path,
    named: Sequence[Path] = (),
    own: Collection[Path] = (),
    *,
    beside_glossary: bool = False,
) -> None:
    """Raises CallError if writing `out` would destroy an input.

    The run leaves out what is in `own`, unless it is named. `beside_glossary` says whether only
    some tabs of a workbook are written, so that others of it may hold a glossary.
    """
    inputs = [layout.path, *(() if beside_glossary else layout.glossaries), *layout.lists]
    if out.resolve() in {path.resolve() for path in inputs}:
        raise CallError(f"“{out}” is read by this run; choose another name for the output")
    home = out.resolve()
    # Only an output that exists can be an input; one that will lie in a source folder is refused
    # by `check_apart`.
    if out.exists() and (
        named or any(home.is_relative_to(folder.resolve()) for folder in layout.folders.values())
    ):
        taken = {source.path.resolve() for source in look(layout, own, named).taken}
        if out.resolve() in taken:
            raise CallError(
                f"“{out}” is one of the files that are read; choose another name for the output"
            )


def check_place(out: Path, endings: Sequence[str] = (), what: str = "") -> None:
    """Raises CallError if a file has another ending than these, or its folder is missing. `what`
    and the endings make the message, as in “a page is written as .html”."""
    if endings and out.suffix.lower() not in endings:
        *first, last = endings
        listed = f"{', '.join(first)} or {last}" if first else last
        raise CallError(f"“{out}”: {what} {listed}")
    try:
        out.stat()
    except OSError as failure:
        # `resolve` raises an error for such a link only up to Python 3.12.
        if failure.errno == errno.ELOOP:
            raise CallError(f"“{out}” is a link that leads back to itself") from None
    # What a link leads to is written, so its folder must be there.
    folder = out.resolve().parent if out.is_symlink() else out.parent
    if not folder.is_dir():
        raise CallError(f"there is no folder “{folder}” to write “{out.name}” into")


PAGES = (".html", ".htm")
"""The endings of pages."""


def check_apart(out: Path, folders: Iterable[Path], include: tuple[Pattern, ...] = ()) -> None:
    """Raises CallError if a file would lie among the inputs: the next run would read it. `include`
    are the patterns of inputs, if there are any."""
    home = out.resolve()
    for folder in folders:
        if not home.is_relative_to(folder.resolve()):
            continue
        below = written_name(home.relative_to(folder.resolve()).as_posix())
        if not include or matching(include, below):
            raise CallError(
                f"“{out}” is inside the source folder “{folder}”: the next run would read it;"
                " choose another place"
            )


def check_not_below(url: str, folders: Iterable[str], include: tuple[Pattern, ...]) -> None:
    """Raises CallError if a file on a server would lie below a source folder; folders are given as
    the layout names them."""
    shown = without_password(url)
    for text in folders:
        folder = without_password(text)
        below = shown.removeprefix(folder.rstrip("/") + "/")
        if is_remote(text) and below != shown and (not include or matching(include, below)):
            raise CallError(
                f"“{shown}” is inside the source folder “{folder}”: the next run would read it;"
                " choose another place"
            )
