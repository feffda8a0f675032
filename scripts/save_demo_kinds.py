"""Saves the demo workbooks of the nurseries that use another program as .ods and .xls.

LibreOffice does it (`soffice`); the results are kept in src/boreotabula/demo/saved, so that the
demo needs no such program. To be run anew when the figures or the forms of the demo change.
"""

from __future__ import annotations

import subprocess
import tempfile
from pathlib import Path

from boreotabula.demo.nurseries import forms
from boreotabula.demo.workbooks import write_form

TARGET = Path(__file__).parents[1] / "src" / "boreotabula" / "demo" / "saved"


def main() -> None:
    """Write each form as .xlsx, and have it saved as what its nursery sends."""
    for form in forms():
        if form.nursery.ending == ".xlsx":
            continue
        with tempfile.TemporaryDirectory() as folder:
            source = (Path(folder) / form.file).with_suffix(".xlsx")
            write_form(form, source)
            kind = form.nursery.ending.removeprefix(".")
            command = ["soffice", "--headless", "--convert-to", kind, "--outdir", str(TARGET)]
            subprocess.run([*command, str(source)], check=True, stdout=subprocess.DEVNULL)


if __name__ == "__main__":
    main()
