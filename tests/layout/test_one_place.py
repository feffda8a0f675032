"""What is new to the language is written down once: tried on a copy of the program."""

from __future__ import annotations

import os
import shutil
import subprocess
import sys
from pathlib import Path

import pytest

import boreotabula

LAYOUT = """
layout = 1
{above}
[block]
{block}
[fields]
species = {species}
pieces = "integer"
"""
LOAD = """
import json, sys
from boreotabula import Layout
from boreotabula.layout.model import layout_schema
layout = Layout.load(sys.argv[1])
form = layout.plan.forms[0]
"""


def tried(folder: Path, change: tuple[str, str, str], layout: str, script: str) -> str:
    """What a script prints that runs in a copy of the program with one line more."""
    package = folder / "boreotabula"
    shutil.copytree(
        Path(boreotabula.__file__).parent, package, ignore=shutil.ignore_patterns("__pycache__")
    )
    file, before, line = change
    text = (package / file).read_text()
    assert text.count(before) == 1
    (package / file).write_text(text.replace(before, line + before))
    path = folder / "stock.toml"
    path.write_text(layout)
    done = subprocess.run(
        [sys.executable, "-c", LOAD + script, str(path)],
        env={**os.environ, "PYTHONPATH": str(folder)},
        capture_output=True, text=True, check=False,
    )  # fmt: skip
    assert done.returncode == 0, done.stderr
    return done.stdout.strip()


@pytest.mark.parametrize(
    ("change", "layout", "script", "printed"),
    [
        (  # a key of [block], with a pattern that is checked and compiled
            ("layout/model.py", "    gaps: Flag", "    struck: CellPatterns = ()\n"),
            LAYOUT.format(above="", block='struck = "void*"', species='"text"'),
            "struck = form.blocks[0].struck[0]\n"
            "print(struck.match('VOID 3') is not None, 'struck' in json.dumps(layout_schema()))",
            "True True",
        ),
        (  # a source of stamps
            ("layout/model.py", "    places: Annotated", "    corner: CellAddress | None = None\n"),
            LAYOUT.format(
                above='[stamps]\npieces = { cell = "A1", corner = "C2" }', block="",
                species='"text"',
            ),
            "print(form.stamps[0][0].corner == (1, 2), form.stamps[0][0].field)",
            "True pieces",
        ),
        (  # what a field says of its values
            ("layout/model.py", "    part: DatePart", "    upright: Flag = False\n"),
            LAYOUT.format(above="", block="", species='{ type = "text", upright = true }'),
            "print(layout.spec.fields['species'].upright)",
            "True",
        ),
    ],
    ids=["block", "stamp", "field"],
)  # fmt: skip
def test_a_new_key_is_one_line(
    change: tuple[str, str, str], layout: str, script: str, printed: str, tmp_path: Path
) -> None:
    assert tried(tmp_path, change, layout, script) == printed


def test_a_wrong_value_of_a_new_key_is_told_with_its_line(tmp_path: Path) -> None:
    change = ("layout/model.py", "    gaps: Flag", "    struck: CellPatterns = ()\n")
    layout = LAYOUT.format(above="", block='struck = "{void"', species='"text"')
    with pytest.raises(AssertionError, match=r"line 5: “\{void” has a brace without its partner"):
        tried(tmp_path, change, layout, "")


def test_a_compiled_layout_works_without_the_library_that_validates_it(tmp_path: Path) -> None:
    change = ("layout/model.py", "    gaps: Flag", "")
    layout = LAYOUT.format(above="", block="totals = 'Sum*'", species='"text"')
    script = f"""
import pickle
from pathlib import Path
Path({str(tmp_path / "kept")!r}).write_bytes(pickle.dumps(layout.plan))
"""
    tried(tmp_path, change, layout, script)
    use = f"""
import pickle, sys
from pathlib import Path
from boreotabula.reading.tab import TabSource, read_tab
from boreotabula.sheets.sheet import make_sheet
plan = pickle.loads(Path({str(tmp_path / "kept")!r}).read_bytes())
sheet = make_sheet("A", [["Species", "Pieces"], ["Pine", 3.0], ["Birch", 4.0], ["Sum", 7.0]])
print(len(read_tab(sheet, plan, TabSource("a.xlsx")).records), "pydantic" in sys.modules)
"""
    done = subprocess.run([sys.executable, "-c", use], capture_output=True, text=True, check=False)
    assert done.stdout.strip() == "2 False", done.stderr
