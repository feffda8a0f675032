"""Makes the binary files of tests/files that no helper can write: see the README there.

Needs LibreOffice (`soffice`) and, for the protected workbook, `pip install msoffcrypto-tool`.
"""

from __future__ import annotations

import io
import subprocess
import tempfile
from datetime import datetime
from pathlib import Path

import xlsxwriter

HERE = Path(__file__).parents[1] / "tests" / "files"


def write(path: Path) -> None:
    """A workbook with what readers get wrong: errors, times, hidden parts, merged cells."""
    with xlsxwriter.Workbook(path) as book:
        sheet = book.add_worksheet("Bench 1")
        day = book.add_format({"num_format": "yyyy-mm-dd"})
        hour = book.add_format({"num_format": "hh:mm"})
        span = book.add_format({"num_format": "[h]:mm:ss"})
        for column, heading in enumerate(("Species", "Lot", "A", "B")):
            sheet.write(1, column, heading)
        sheet.merge_range("C1:D1", "Pot 95")
        sheet.write_row(2, 0, ["Spruce", "007"])
        sheet.write_formula(2, 2, "=1/0", None, "#DIV/0!")
        sheet.write_formula(2, 3, "=NA()", None, "#N/A")
        sheet.write_row(3, 0, ["Pine", "a\nb"])
        sheet.write_number(3, 2, 123456789012345)
        sheet.write_number(3, 3, 2.5)
        sheet.write_datetime(5, 0, datetime(2026, 4, 1), day)
        sheet.write_number(5, 1, 0.25, hour)
        sheet.write_number(5, 2, 1.25, span)
        sheet.write_boolean(5, 3, True)
        sheet.write_number(6, 0, 7, book.add_format({"num_format": "000"}))
        sheet.set_row(3, None, None, {"hidden": True})
        sheet.set_column(1, 1, None, None, {"hidden": True})
        book.add_worksheet("Out of sight").hide()


def convert(source: Path, kind: str) -> None:
    """Save a workbook as another kind."""
    subprocess.run(
        ["soffice", "--headless", "--convert-to", kind, "--outdir", str(HERE), str(source)],
        check=True,
        stdout=subprocess.DEVNULL,
    )


def protect(source: Path, target: Path) -> None:
    """Save a workbook with a password."""
    from msoffcrypto.format.ooxml import OOXMLFile

    with source.open("rb") as plain:
        sealed = io.BytesIO()
        OOXMLFile(plain).encrypt("nursery", sealed)
    target.write_bytes(sealed.getvalue())


def main() -> None:
    """Make all files anew."""
    with tempfile.TemporaryDirectory() as folder:
        source = Path(folder) / "bench.xlsx"
        write(source)
        for kind in ("xls", "ods"):
            convert(source, kind)
        protect(source, HERE / "protected.xlsx")


if __name__ == "__main__":
    main()
