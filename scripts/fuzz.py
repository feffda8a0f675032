"""Damaged workbooks and layouts by the thousand: nothing may crash, hang, or lose a record unsaid.

    python scripts/fuzz.py 10000

Each example damages one file of some kind, and now and then the layout, puts it between two good
files and runs `extract`. It fails if the program does (exit status 70, or a fault at a file), if a
good file loses a record, if the account of cells does not close, or if a file is neither read nor
spoken of. Whatever fails is shrunk and printed, to be run again.
"""

from __future__ import annotations

import argparse
import csv
import io
import json
import random
import tempfile
import zipfile
from collections import Counter
from contextlib import redirect_stderr, redirect_stdout
from pathlib import Path

import xlsxwriter
from hypothesis import HealthCheck, given, settings
from hypothesis import strategies as st

from boreotabula.cli.main import call

LAYOUT = """\
layout = 1
[source]
folder = "inbox"
include = ["{site}.*"]
[tabs]
every = true
[stamps]
month = { right_of = "Month", default = "2026-04" }
[block]
stub = ["species", "lot"]
across = ["container", "grade"]
value = "seedlings"
carry_down = ["species"]
totals = ["Total*"]
ends_at = ["Notes*"]
[fields]
site = "text"
month = "month"
species = { type = "text", also = ["Art"] }
lot = "text"
container = "text"
grade = "text"
seedlings = "integer"
"""
ROWS = [
    ["Bench stock-take", None, None, None, None],
    ["Month", "2026-04", None, None, None],
    [None, None, "Multipot", None, "Crate"],
    ["Species", "Lot", "A", "B", "A"],
    ["Pine", "P1", 10, 20, 30],
    [None, "P2", 1, 2, 3],
    ["Birch", "B1", 4, 5, 6],
    ["Total", None, 15, 27, 39],
    ["Notes", "all counted by hand", None, None, None],
]
GOOD_RECORDS = 9
TOKENS = [
    b"<", b">", b"/>", b'"', b"'", b"<!--", b"-->", b"<![CDATA[", b"]]>", b"&#27;", b"\x00",
    b"\xff", b"999999999", b"-1", b"XFD1048576", b'r="A1"', b'hidden="1"', b"<c><v>7</v></c>",
    b"<row>", b'number-columns-repeated="99999"', b'number-rows-repeated="99999"', b"\n", b";",
    b",,,,", b't="e"', b"2026", b"1e999", b"=1+1", b"<td colspan=900 rowspan=900>", b"</table>",
    b"\xe2\x80\xae", b"{", b"[",
]  # fmt: skip


def xlsx(rows: list[list[object]]) -> bytes:
    """A workbook with the rows on one tab."""
    stream = io.BytesIO()
    with xlsxwriter.Workbook(stream, {"in_memory": True}) as book:
        tab = book.add_worksheet("Bench 1")
        for row, cells in enumerate(rows):
            for column, cell in enumerate(cells):
                if cell is not None:
                    tab.write(row, column, cell)
    return stream.getvalue()


def csv_text(rows: list[list[object]]) -> bytes:
    """The rows as CSV."""
    text = io.StringIO()
    csv.writer(text).writerows([["" if cell is None else cell for cell in row] for row in rows])
    return text.getvalue().encode()


def page(rows: list[list[object]]) -> bytes:
    """The rows as a web page."""
    lines = ("".join(f"<td>{'' if c is None else c}</td>" for c in row) for row in rows)
    return f"<html><table><tr>{'</tr><tr>'.join(lines)}</tr></table>".encode()


def saved(*endings: str) -> dict[str, bytes]:
    """Workbooks of kinds that no library writes, from the demo and the tests."""
    home = Path(__file__).parents[1]
    found = {}
    for ending in endings:
        paths = sorted([*home.glob(f"src/**/*{ending}"), *home.glob(f"tests/files/*{ending}")])
        found |= {f"saved{ending}": path.read_bytes() for path in paths[:1]}
    return found


BASES = {
    "made.xlsx": xlsx(ROWS), "made.csv": csv_text(ROWS), "made.html": page(ROWS),
    **saved(".ods", ".xls", ".xlsb"),
}  # fmt: skip
LOTS = ("P1", "P2", "B1")
GOOD = {
    name: xlsx([[f"{cell}{name[0]}" if cell in LOTS else cell for cell in row] for row in ROWS])
    for name in ("a good one.xlsx", "zz the last.xlsx")
}


def damaged(content: bytes, seed: int, often: int) -> bytes:
    """Some bytes with so many places cut, doubled, changed or filled with what hurts."""
    dice = random.Random(seed)
    for _ in range(often):
        at = dice.randrange(len(content) + 1)
        end = min(at + dice.choice([1, 2, 8, 64, 1024]), len(content))
        how = dice.randrange(5)
        if how == 0:
            content = content[:at] + content[end:]
        elif how == 1:
            content = content[:end] + content[at:end] * dice.choice([1, 2, 50]) + content[end:]
        elif how == 2:
            content = content[:at] + dice.choice(TOKENS) + content[at:]
        elif how == 3:
            content = content[:at] + dice.choice(TOKENS) + content[end:]
        else:
            content = content[:at] + dice.randbytes(end - at) + content[end:]
    return content


def damaged_file(content: bytes, seed: int, often: int, *, inside: bool) -> bytes:
    """A file damaged as it is, or in one of its parts."""
    if not (inside and content.startswith(b"PK")):
        return damaged(content, seed, often)
    stream = io.BytesIO()
    with zipfile.ZipFile(io.BytesIO(content)) as old, zipfile.ZipFile(stream, "w") as new:
        names = old.namelist()
        chosen = names[seed % len(names)]
        if seed % 3:  # most often where the cells are
            chosen = next((one for one in names if "sheet1" in one or one == "content.xml"), chosen)
        for name in names:
            part = old.read(name)
            new.writestr(name, damaged(part, seed, often) if name == chosen else part)
    return stream.getvalue()


def damaged_layout(seed: int) -> str:
    """The layout with a line or a value changed."""
    dice = random.Random(seed)
    lines = LAYOUT.splitlines()
    at = dice.randrange(1, len(lines))
    how = dice.randrange(4)
    if how == 0:
        del lines[at]
    elif how == 1:
        lines.insert(at, lines[dice.randrange(len(lines))])
    elif how == 2:
        lines[at] = lines[at].replace(
            dice.choice('"=[]{}*'), dice.choice(['"', "", "[", "*", "{x}"]), 1
        )
    else:
        words = ['"text"', '"integer"', '"month"', '["*"]', "true", "-1", '"{a}*"', '["species"]']
        lines[at] = lines[at].partition("=")[0] + "= " + dice.choice(words)
    return "\n".join(lines) + "\n"


SEEN: Counter[str] = Counter()
"""How the examples came out."""


@given(
    st.sampled_from(sorted(BASES)),
    st.integers(0, 2**32),
    st.integers(1, 6),
    st.booleans(),
    st.one_of(st.none(), st.none(), st.integers(0, 2**32)),
)
def check(name: str, seed: int, often: int, inside: bool, layout: int | None) -> None:
    """Run one example."""
    with tempfile.TemporaryDirectory(prefix="boreotabula-fuzz-") as folder:
        desk = Path(folder)
        (desk / "inbox").mkdir()
        content = damaged_file(BASES[name], seed, often, inside=inside)
        for file, good in {**GOOD, name: content}.items():
            (desk / "inbox" / file).write_bytes(good)
        (desk / "l.toml").write_text(LAYOUT if layout is None else damaged_layout(layout), "utf-8")
        out, err = io.StringIO(), io.StringIO()
        with redirect_stdout(out), redirect_stderr(err):
            command = ["extract", str(desk / "l.toml"), "-o", str(desk / "out.csv")]
            status = call([*command, "--fresh", "--workers", "1"])
        assert status in (0, 1, 2, 3), err.getvalue()
        SEEN[f"exit {status}"] += 1
        if status in (0, 1):
            check_run(desk, name, layout is None)


def check_run(desk: Path, name: str, usual: bool) -> None:
    """What a run that wrote something must hold."""
    record = json.loads((desk / "out.csv.run" / "run.json").read_text("utf-8"))
    with (desk / "out.csv.run" / "findings.csv").open(encoding="utf-8", newline="") as stream:
        findings = list(csv.DictReader(stream))
    codes = Counter(one["code"] for one in findings)
    assert not codes["file-fault"], [one["advice"] for one in findings]
    for file in record["files"]:
        cells = file["cells"]
        assert sum(cells["roles"].values()) == cells["filled"], file["file"]
        told = [one for one in findings if one["file"] == file["file"]]
        assert file["read"] or told, file["file"]
        if usual and file["file"] in GOOD:
            assert file["records"] == GOOD_RECORDS, (file["file"], told)
    SEEN.update(code for code in codes if code.startswith(("file-", "tab-un")))


def main() -> None:
    """Run so many examples."""
    parser = argparse.ArgumentParser(description=__doc__)
    parser.add_argument("examples", type=int, nargs="?", default=1000)
    wanted = parser.parse_args().examples
    everything = list(HealthCheck)
    settings(
        max_examples=wanted, deadline=None, database=None, suppress_health_check=everything,
        print_blob=True,
    )(check)()  # fmt: skip
    print(f"{sum(SEEN[key] for key in SEEN if key.startswith('exit')):,} examples")
    for what, count in sorted(SEEN.items()):
        print(f"  {what:24} {count:7,}")


if __name__ == "__main__":
    main()
