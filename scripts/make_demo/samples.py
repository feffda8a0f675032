"""The samples as they are shipped: a folder of files, corrected ones, and when reports came."""

from __future__ import annotations

import csv
import io
from pathlib import Path

from make_demo.nurseries import forms, restated
from make_demo.others import write_others
from make_demo.workbooks import write_form, write_forms


def write_samples(demo: Path) -> None:
    """Write the samples below `demo`: `files` as they come first, `corrected` as they come again,
    and the day on which each report came."""
    write_forms(demo / "files" / "inbox")
    write_others(demo / "files")
    again = restated()
    corrected = demo / "corrected" / again.path
    corrected.parent.mkdir(parents=True, exist_ok=True)
    write_form(again, corrected)
    days = [
        *((form.path, form.came_on, "") for form in forms()),
        (again.path, again.came_on, "yes"),
    ]
    text = io.StringIO()
    writer = csv.writer(text, lineterminator="\n")
    writer.writerows([("report", "came", "corrected"), *days])
    (demo / "came.csv").write_text(text.getvalue(), "utf-8")
