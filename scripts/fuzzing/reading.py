"""Damaged forms between good ones: `extract` loses nothing without a word."""

from __future__ import annotations

import csv
import io
from collections import Counter
from pathlib import Path

from hypothesis import given
from hypothesis import strategies as st

from fuzzing.damage import damaged, damaged_layout, damaged_part
from fuzzing.desk import (
    GOOD,
    GOOD_RECORDS,
    LAYOUT,
    ROWS,
    SEEN,
    check_account,
    check_left,
    desk,
    findings,
    run,
    run_record,
    xlsx,
)


def csv_text(rows: list[list[object]]) -> bytes:
    """The rows as CSV."""
    text = io.StringIO()
    csv.writer(text).writerows([["" if cell is None else cell for cell in row] for row in rows])
    return text.getvalue().encode()


def page(rows: list[list[object]]) -> bytes:
    """The rows as a web page."""
    lines = ("".join(f"<td>{'' if cell is None else cell}</td>" for cell in row) for row in rows)
    return f"<html><table><tr>{'</tr><tr>'.join(lines)}</tr></table>".encode()


def saved(*endings: str) -> dict[str, bytes]:
    """Workbooks of kinds that no library writes, from the demo and the tests."""
    home = Path(__file__).parents[2]
    books = {}
    for ending in endings:
        paths = sorted([*home.glob(f"src/**/*{ending}"), *home.glob(f"tests/files/*{ending}")])
        books |= {f"saved{ending}": path.read_bytes() for path in paths[:1]}
    return books


BASES = {
    "made.xlsx": xlsx(ROWS), "made.csv": csv_text(ROWS), "made.html": page(ROWS),
    **saved(".ods", ".xls", ".xlsb"),
}  # fmt: skip


@given(
    st.sampled_from(sorted(BASES)),
    st.integers(0, 2**32),
    st.integers(1, 6),
    st.booleans(),
    st.one_of(st.none(), st.none(), st.integers(0, 2**32)),
)
def check(name: str, seed: int, often: int, inside: bool, layout: int | None) -> None:
    """Run one example: a damaged file of some kind, and now and then a damaged layout."""
    way = damaged_part if inside else damaged
    text = LAYOUT if layout is None else damaged_layout(LAYOUT, layout)
    with desk({**GOOD, name: way(BASES[name], seed, often)}, text) as folder:
        command = ["extract", folder / "l.toml", "-o", folder / "out.csv"]
        status, _ = run("read", *command, "--fresh", "--workers", "1")
        check_left(folder, *(["out.csv", "out.csv.run"] if status < 2 else []))
        if status in (0, 1):
            check_account(folder)
            for file in run_record(folder)["files"]:
                if layout is None and file["file"] in GOOD:
                    assert file["records"] == GOOD_RECORDS, file["file"]
            codes = Counter(line["code"] for line in findings(folder))
            SEEN.update(code for code in codes if code.startswith(("file-", "tab-un")))
