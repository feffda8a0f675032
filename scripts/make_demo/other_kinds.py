"""Saves the demo workbooks of the nurseries that use another program as .ods and .xls.

LibreOffice does it (`soffice`). To be run, after the other samples, when their figures or forms
change: `PYTHONPATH=scripts python -m make_demo.other_kinds`.
"""

from __future__ import annotations

import subprocess
import tempfile
from pathlib import Path

from make_demo.nurseries import forms
from make_demo.workbooks import write_form

INBOX = Path(__file__).parents[2] / "src" / "boreotabula" / "demo" / "files" / "inbox"


def main() -> None:
    """Write each form as .xlsx, and have it saved as what its nursery sends."""
    for form in forms():
        if form.nursery.ending == ".xlsx":
            continue
        with tempfile.TemporaryDirectory() as folder:
            source = (Path(folder) / form.file).with_suffix(".xlsx")
            write_form(form, source)
            kind = form.nursery.ending.removeprefix(".")
            command = [
                "soffice",
                "--headless",
                "--convert-to",
                kind,
                "--outdir",
                str((INBOX / form.path).parent),
            ]
            subprocess.run([*command, str(source)], check=True, stdout=subprocess.DEVNULL)


if __name__ == "__main__":
    main()
