"""What the installed program loads when it starts."""

from __future__ import annotations

import os
import subprocess
from pathlib import Path

from helpers import PROGRAM, csv_rows


def test_pandas_is_left_alone_though_it_is_installed(tmp_path: Path) -> None:
    # Any module of that name will do. What it raises may be swallowed, so it leaves a file.
    (tmp_path / "pandas.py").write_text("open('pandas was imported', 'w').close()\n", "utf-8")
    (tmp_path / "in").mkdir()
    (tmp_path / "in" / "a.csv").write_text("Lot,Count\nL1,4\n", "utf-8")
    text = (
        'layout = 1\n[source]\nfolder = "in"\n[block]\n[fields]\nlot = "text"\ncount = "integer"\n'
    )
    (tmp_path / "a.toml").write_text(text, "utf-8")
    done = subprocess.run(
        [PROGRAM, "extract", "a.toml", "-o", "a.csv"],
        capture_output=True, text=True, cwd=tmp_path, check=False,
        env={**os.environ, "PYTHONPATH": str(tmp_path)},
    )  # fmt: skip
    assert (done.returncode, done.stderr) == (0, "")
    assert not (tmp_path / "pandas was imported").exists()
    assert [row["count"] for row in csv_rows(tmp_path / "a.csv")] == ["4"]


def test_what_is_only_counted_loads_no_library_for_records(tmp_path: Path) -> None:
    for name in ("numpy", "pyarrow", "pydantic", "rich"):
        (tmp_path / f"{name}.py").write_text(f"raise SystemExit('{name} was imported')\n", "utf-8")
    done = subprocess.run(
        [PROGRAM, "cache"], capture_output=True, text=True, cwd=tmp_path, check=False,
        env={**os.environ, "PYTHONPATH": str(tmp_path), "BOREOTABULA_CACHE": str(tmp_path / "c")},
    )  # fmt: skip
    assert (done.returncode, done.stderr) == (0, "")
    assert done.stdout.startswith("0 results, 0 bytes, in ")
