"""What the installed program loads when it starts."""

from __future__ import annotations

import os
import pickle
import subprocess
import sys
from pathlib import Path

import pytest

from helpers import PROGRAM, csv_rows

LAYOUT = """layout = 1
[source]
folder = "in"
[block]
[fields]
lot = "text"
count = "integer"
"""


def desk(home: Path) -> Path:
    """A folder with a layout and one report."""
    (home / "in").mkdir()
    (home / "in" / "a.csv").write_text("Lot,Count\nL1,4\n", "utf-8")
    (home / "a.toml").write_text(LAYOUT, "utf-8")
    return home


def extract(home: Path, **around: str) -> subprocess.CompletedProcess[str]:
    return subprocess.run(
        [PROGRAM, "extract", "a.toml", "-o", "a.csv"],
        capture_output=True, text=True, cwd=home, check=False, env={**os.environ, **around},
    )  # fmt: skip


def test_pandas_is_left_alone_though_it_is_installed(tmp_path: Path) -> None:
    desk(tmp_path)
    # Any module of that name will do. What it raises may be swallowed, so it leaves a file.
    (tmp_path / "pandas.py").write_text("open('pandas was imported', 'w').close()\n", "utf-8")
    done = extract(tmp_path, PYTHONPATH=str(tmp_path))
    assert (done.returncode, done.stderr) == (0, "")
    assert not (tmp_path / "pandas was imported").exists()
    assert [row["count"] for row in csv_rows(tmp_path / "a.csv")] == ["4"]


def test_a_layout_that_was_checked_is_not_checked_again(tmp_path: Path) -> None:
    desk(tmp_path)
    kept = tmp_path / "kept"
    assert extract(tmp_path, BOREOTABULA_CACHE=str(kept)).returncode == 0
    before = (tmp_path / "a.csv").read_bytes()
    (tmp_path / "without" / "pydantic").mkdir(parents=True)
    module = tmp_path / "without" / "pydantic" / "__init__.py"
    module.write_text("raise SystemExit('pydantic was imported')\n", "utf-8")
    around = {"BOREOTABULA_CACHE": str(kept), "PYTHONPATH": str(tmp_path / "without")}
    (tmp_path / "a.csv").unlink()
    done = extract(tmp_path, **around)
    assert (done.returncode, done.stderr) == (0, "")
    assert (tmp_path / "a.csv").read_bytes() == before
    # Another layout is.
    (tmp_path / "a.toml").write_text(LAYOUT.replace('"integer"', '"number"'), "utf-8")
    assert "pydantic was imported" in extract(tmp_path, **around).stderr


def test_a_small_run_imports_nothing_that_it_does_not_use(tmp_path: Path) -> None:
    extract(desk(tmp_path))
    command = [
        sys.executable,
        "-X",
        "importtime",
        "-c",
        "from boreotabula.cli.main import run; run()",
    ]
    done = subprocess.run(
        [*command, "extract", "a.toml", "-o", "new.csv"],
        capture_output=True, text=True, cwd=tmp_path, check=False,
    )  # fmt: skip
    assert done.returncode == 0
    imported = {line.rpartition("|")[2].strip() for line in done.stderr.splitlines()}
    assert "boreotabula.reading.tab" in imported
    # Servers, other outputs, guesses about tabs, and what is slow to import for little.
    unused = {
        "boreotabula.batch.remote.fetch", "boreotabula.stores.saved", "boreotabula.look.frame",
        "boreotabula.drafting", "pydantic", "importlib.metadata", "statistics",
    }  # fmt: skip
    assert imported.intersection(unused) == set()


class Harm:
    """What a pickle can do."""

    def __reduce__(self) -> tuple[object, tuple[str]]:
        return os.mkdir, ("harmed",)


@pytest.mark.parametrize("change", ["unsigned", "of another layout", "cut", "folder of others"])
def test_only_layouts_that_were_kept_by_this_user_are_taken(tmp_path: Path, change: str) -> None:
    home, kept = desk(tmp_path), tmp_path / "kept"
    extract(home, BOREOTABULA_CACHE=str(kept))
    (entry,) = (kept / "layouts").iterdir()
    whole = entry.read_bytes()
    if change == "unsigned":
        entry.write_bytes(whole[:32] + pickle.dumps(Harm()))
    elif change == "of another layout":
        (home / "a.toml").write_text(LAYOUT.replace('"integer"', '"text"'), "utf-8")
        extract(home, BOREOTABULA_CACHE=str(kept))
        (other,) = set((kept / "layouts").iterdir()) - {entry}
        other.write_bytes(whole)
    elif change == "cut":
        entry.write_bytes(whole[:-1])
    else:
        kept.chmod(0o777)
        entry.write_bytes(b"")
    (home / "a.csv").unlink()
    done = extract(home, BOREOTABULA_CACHE=str(kept))
    assert (done.returncode, done.stderr) == (0, "")
    assert csv_rows(home / "a.csv")[0]["count"] == "4" and not (home / "harmed").exists()
    if change == "unsigned":  # and it is put right
        assert entry.read_bytes() == whole


def test_what_is_only_counted_loads_no_library_for_records(tmp_path: Path) -> None:
    for name in ("numpy", "pyarrow", "pydantic", "rich"):
        (tmp_path / f"{name}.py").write_text(f"raise SystemExit('{name} was imported')\n", "utf-8")
    done = subprocess.run(
        [PROGRAM, "cache"], capture_output=True, text=True, cwd=tmp_path, check=False,
        env={**os.environ, "PYTHONPATH": str(tmp_path), "BOREOTABULA_CACHE": str(tmp_path / "c")},
    )  # fmt: skip
    assert (done.returncode, done.stderr) == (0, "")
    assert done.stdout.startswith("0 results, 0 bytes, in ")
