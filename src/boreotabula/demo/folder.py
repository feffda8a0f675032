"""The folder of samples: made once, marked as ours, and replaced only if it has the mark."""

from __future__ import annotations

from importlib.resources import files
from pathlib import Path

from boreotabula.demo.others import write_others
from boreotabula.demo.workbooks import write_forms
from boreotabula.errors import CallError

MARK = ".boreotabula-demo"
"""A file that says that the demo made the folder and may replace it."""

LAYOUTS = (
    "stock.toml", "headings.csv", "climate.toml", "dispatch.toml", "dispatch-headings.csv",
    "plan.toml", "benches.toml", "review.toml", "sites.csv",
)  # fmt: skip


def write_demo(folder: Path) -> Path:
    """Write samples, layout and glossary; returns the path of the layout.

    Raises CallError if the folder holds something that the demo did not make.
    """
    if folder.exists() and not folder.is_dir():
        raise CallError(f"“{folder}” is a file; name a folder for the demo")
    if folder.is_dir() and any(folder.iterdir()) and not (folder / MARK).is_file():
        raise CallError(
            f"“{folder}” is not empty and was not made by the demo; name a new or empty folder"
        )
    try:
        folder.mkdir(parents=True, exist_ok=True)
        (folder / MARK).write_text(
            "Made by boreotabula demo; running it again replaces everything here.\n", "utf-8"
        )
        for name in LAYOUTS:
            content = files("boreotabula.demo").joinpath("files", name).read_bytes()
            (folder / name).write_bytes(content)
        write_forms(folder / "inbox")
        write_others(folder)
    except OSError as error:
        raise CallError(f"the demo cannot be written to “{folder}”: {error.strerror}") from None
    return folder / LAYOUTS[0]
