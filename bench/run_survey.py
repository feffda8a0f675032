"""Times `survey` on many workbooks against opening each and reading its tabs with the fast reader.

Both run in alternation, each in a process of its own; medians and the ratio are printed.
"""

from __future__ import annotations

import argparse
import os
import platform
import subprocess

from run import HERE, WORK, Contender, environment, table


def main() -> None:
    """Set up, run in alternation, print."""
    parser = argparse.ArgumentParser(description=__doc__)
    parser.add_argument("--files", type=int, default=1000)
    parser.add_argument("--rounds", type=int, default=5)
    given = parser.parse_args()
    tool = environment("tool", ["--editable", str(HERE.parent)])
    folder = WORK / f"survey-{given.files}"
    size = ["--files", str(given.files), "--tabs", "2", "--rows", "40", "--columns", "16"]
    subprocess.run([tool / "python", HERE / "make_inbox.py", folder, *size], check=True)
    inbox = folder / "inbox"
    survey = Contender("boreotabula survey", [tool / "boreotabula", "survey", inbox])
    only = Contender("only reading", [tool / "python", HERE / "only_read.py", inbox])
    for _ in range(given.rounds):
        survey.go()
        only.go()
    print(
        f"{given.files} files × 2 tabs × 40 rows × 16 columns; Python {platform.python_version()},"
    )
    print(f"{os.cpu_count()} cores, {platform.machine()}\n")
    print(table([survey, only]))
    print(f"\nsurvey / only reading: {survey.median / only.median:.2f} times")


if __name__ == "__main__":
    main()
