"""Write what commands print on the demo's folder into README.md, so that its figures are real.

A block is what stands between `<!-- boreotabula … -->` and `<!-- end -->`: the command in the first
comment is run, and what it prints replaces what is there.
"""

from __future__ import annotations

import os
import re
import shlex
import shutil
import subprocess
import sys
import tempfile
from pathlib import Path

README = Path(__file__).parents[1] / "README.md"
BLOCK = re.compile(r"<!-- (boreotabula [^\n]*?) -->\n.*?<!-- end -->", re.DOTALL)
WIDTH = 96
PROGRAM = Path(sys.executable).with_name("boreotabula")


def with_blocks(text: str, folder: Path) -> str:
    """A text whose blocks hold what their commands print in a folder of the demo."""
    return BLOCK.sub(lambda found: _block(found[1], folder), text)


def _block(command: str, folder: Path) -> str:
    call, _, lines = command.partition(" # first ")
    environment = {**os.environ, "COLUMNS": str(WIDTH)}
    done = subprocess.run(
        [PROGRAM, *shlex.split(call)[1:]], cwd=folder, env=environment, encoding="utf-8",
        stdout=subprocess.PIPE, stderr=subprocess.STDOUT, check=False,
    )  # fmt: skip
    if done.returncode not in (0, 1):
        raise SystemExit(f"{call}: {done.stdout}")
    said = [line.rstrip() for line in done.stdout.rstrip().splitlines()]
    said = said[: int(lines)] if lines else said
    shown = "\n".join(f"    {line}".rstrip() for line in (f"$ {call}", *said))
    return f"<!-- {command} -->\n\n{shown}\n\n<!-- end -->"


def main() -> None:
    """Make the demo in a new folder, and write the README."""
    with tempfile.TemporaryDirectory() as made:
        os.environ["BOREOTABULA_CACHE"] = str(Path(made) / "kept")
        folder = Path(made) / "demo"
        subprocess.run([PROGRAM, "demo", folder], check=False, capture_output=True)
        (folder / "stock.csv").unlink()
        shutil.rmtree(folder / "stock.csv.run")
        README.write_text(with_blocks(README.read_text("utf-8"), folder), "utf-8")


if __name__ == "__main__":
    main()
