"""Damaged files, layouts, masters, servers and names by the thousand: nothing may crash, or hide.

    python scripts/fuzz.py 10000
    python scripts/fuzz.py 1000 --what mark --what into

Each example damages one thing that a stranger sends, and runs the commands that meet it. It fails
if the program does (exit status 70, or a fault at a file), if a good file loses a record, if the
account of cells does not close, if a file is neither read nor spoken of, if part of an output stays
behind, or if a workbook that was written does not open. Whatever fails is shrunk and printed, to be
run again. At the end stands what it took of memory.
"""

from __future__ import annotations

import argparse
import resource
import sys
from pathlib import Path

from hypothesis import HealthCheck, settings

sys.path.insert(0, str(Path(__file__).parent))

from fuzzing import reading, servers, writing  # after the path is set
from fuzzing.desk import SEEN

CHECKS = {
    "read": reading.check,
    "mark": writing.check_mark,
    "bind": writing.check_bind,
    "into": writing.check_into,
    "names": writing.check_names,
    "servers": servers.check,
}
MOST_MEBIBYTES = 600


def main() -> None:
    """Run so many examples of each kind, or of those that are named."""
    parser = argparse.ArgumentParser(
        description=__doc__, formatter_class=argparse.RawDescriptionHelpFormatter
    )
    parser.add_argument("examples", type=int, nargs="?", default=1000)
    parser.add_argument(
        "--what", action="append", choices=CHECKS, help="only examples of this kind"
    )
    wanted = parser.parse_args()
    for what in wanted.what or CHECKS:
        settings(
            max_examples=wanted.examples, deadline=None, database=None,
            suppress_health_check=list(HealthCheck), print_blob=True,
        )(CHECKS[what])()  # fmt: skip
        print(f"{what}: {wanted.examples:,} examples", flush=True)
    for what, count in sorted(SEEN.items()):
        print(f"  {what:32} {count:7,}")
    largest = max(
        resource.getrusage(who).ru_maxrss // 1024
        for who in (resource.RUSAGE_SELF, resource.RUSAGE_CHILDREN)
    )
    print(f"at most {largest} MiB in one process")
    if largest > MOST_MEBIBYTES:
        raise SystemExit(f"that is more than {MOST_MEBIBYTES} MiB")


if __name__ == "__main__":
    main()
