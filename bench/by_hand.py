"""The same job as a careful analyst would script it with pandas and openpyxl."""

from __future__ import annotations

import re
import sys
from pathlib import Path

import openpyxl
import pandas as pd


def read_tab(sheet: object, file: str, region: str) -> pd.DataFrame:
    """One tab as records: find the headings, carry the upper ones on, melt."""
    cells = pd.DataFrame(sheet.values)  # type: ignore[attr-defined]
    at = cells.index[cells.apply(lambda row: "Species" in set(row) and "Lot" in set(row), axis=1)][
        0
    ]
    left = list(cells.loc[at]).index("Species")
    upper = cells.loc[at - 1].ffill()
    lower = cells.loc[at]
    body = cells.loc[at + 1 :]
    values = body.iloc[:, left + 2 :]
    values.columns = pd.MultiIndex.from_arrays(
        [upper.iloc[left + 2 :], lower.iloc[left + 2 :]], names=["container", "grade"]
    )
    values.index = pd.MultiIndex.from_arrays(
        [body.iloc[:, left], body.iloc[:, left + 1]], names=["species", "lot"]
    )
    long = values.stack(["container", "grade"]).rename("seedlings").reset_index()
    long.insert(0, "region", region)
    long.insert(1, "nursery", cells.iloc[1, 1])
    long.insert(2, "month", cells.iloc[2, 1])
    long.insert(3, "bench", re.fullmatch(r"Bench (.+)", sheet.title)[1])  # type: ignore[attr-defined, index]
    long["seedlings"] = long["seedlings"].astype(int)
    long["source_file"] = file
    long["source_tab"] = sheet.title  # type: ignore[attr-defined]
    return long


def main(inbox: Path, out: Path) -> None:
    """Read every workbook of the inbox into one CSV file."""
    parts = []
    for path in sorted(inbox.glob("*_stock_*.xlsx")):
        book = openpyxl.load_workbook(path, read_only=True, data_only=True)
        region = path.name.split("_")[0]
        parts += [read_tab(book[name], path.name, region) for name in book.sheetnames]
        book.close()
    pd.concat(parts).to_csv(out, index=False)


if __name__ == "__main__":
    main(Path(sys.argv[1]), Path(sys.argv[2]))
