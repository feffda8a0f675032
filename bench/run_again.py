"""Times a run over many workbooks against running it again: unchanged, and with one new file.

Also how peak memory grows with the number of files. The runs alternate, each in a process of its
own; medians and ratios are printed.
"""

from __future__ import annotations

import argparse
import os
import platform
import shutil
import subprocess
from pathlib import Path

from run import HERE, WORK, Contender, environment, table


def main() -> None:
    """Set up, run in alternation, print."""
    parser = argparse.ArgumentParser(description=__doc__)
    parser.add_argument("--files", type=int, default=1000)
    parser.add_argument("--rounds", type=int, default=3)
    given = parser.parse_args()
    tool = environment("tool", ["--editable", str(HERE.parent)])
    os.environ["BOREOTABULA_CACHE"] = str(WORK / "kept-again")
    shutil.rmtree(WORK / "kept-again", ignore_errors=True)
    folder, small = (made(tool, files) for files in (given.files, given.files // 10))
    full, fewer = (
        Contender(f"{name} files, all read", command(tool, at, "--fresh"), at / "again.csv")
        for name, at in ((given.files, folder), (given.files // 10, small))
    )
    same = Contender("again, nothing changed", command(tool, folder))
    new = Contender("again, one file new", command(tool, folder))
    others = sorted((made(tool, given.rounds, rows=81) / "inbox").glob("*.xlsx"))
    late = folder / "inbox" / f"lake_stock_{given.files // 2:04}b.xlsx"
    for other in others:
        fewer.go()
        full.go()
        same.go()
        shutil.copy(other, late)
        new.go()
        late.unlink()
    print(
        f"{given.files} files × 3 tabs × 80 rows × 40 columns; Python {platform.python_version()},"
    )
    print(f"{os.cpu_count()} cores, {platform.machine()}\n")
    print(table([full, same, new, fewer]))
    print(f"\nagain, nothing changed: {100 * same.median / full.median:.1f} % of the full run")
    print(f"again, one file new: {100 * new.median / full.median:.1f} %")
    print(f"peak memory, {given.files} files / {given.files // 10}: {full.peak / fewer.peak:.2f}")


def made(tool: Path, files: int, rows: int = 80) -> Path:
    """The folder of so many workbooks."""
    folder = WORK / (f"inbox-{files}" if rows == 80 else f"inbox-{files}-{rows}")
    size = ["--files", str(files), "--rows", str(rows)]
    subprocess.run([tool / "python", HERE / "make_inbox.py", folder, *size], check=True)
    return folder


def command(tool: Path, folder: Path, *more: str) -> list[object]:
    """The call that extracts a folder."""
    out = ["-q", "-o", folder / "again.csv", *more]
    return [tool / "boreotabula", "extract", folder / "stock.toml", *out]


if __name__ == "__main__":
    main()
