"""The order of the rooms, and how light the program starts."""

from __future__ import annotations

import ast
import subprocess
import sys
from pathlib import Path

import pytest

import boreotabula
from boreotabula.cli.main import COMMANDS
from helpers import installed

HOME = Path(boreotabula.__file__).parent
ROOMS = (
    "layout", "findings", "sheets", "reading", "look", "drafting", "batch", "stores", "binding",
    "review", "run", "cli", "demo",
)  # fmt: skip
MODULES = sorted(HOME.rglob("*.py"))


def imports(path: Path) -> set[str]:
    tree = ast.parse(path.read_text("utf-8"))
    found = set()
    for node in ast.walk(tree):
        if isinstance(node, ast.Import):
            found |= {alias.name for alias in node.names}
        elif isinstance(node, ast.ImportFrom) and node.module:
            found.add(node.module)
    return found


def room(module: str) -> str | None:
    parts = module.split(".")
    known = parts[0] == "boreotabula" and len(parts) > 1 and parts[1] in ROOMS
    return parts[1] if known else None


def test_every_folder_is_a_known_room_and_none_is_empty() -> None:
    folders = {path.parent.name for path in HOME.glob("*/__init__.py")}
    assert folders <= set(ROOMS)
    assert all(len(list((HOME / name).glob("*.py"))) > 1 for name in folders)


@pytest.mark.parametrize("path", MODULES, ids=lambda path: str(path.relative_to(HOME)))
def test_a_room_imports_only_from_rooms_before_it(path: Path) -> None:
    here = path.relative_to(HOME).parts[0].removesuffix(".py")
    if here not in ROOMS:
        return
    before = ROOMS[: ROOMS.index(here) + 1]
    assert {found for one in imports(path) if (found := room(one))} <= set(before)


PARTS = {
    "reading": (
        "cells", "values", "corrections", "plan", "make_plan", "locate", "stamps", "columns",
        "rows", "totals", "blocks", "records", "account", "tab", "inspect",
    ),
    "look": (
        "texts", "repeats", "looks", "crossed", "heading_rows", "shape", "bodies", "tables",
        "frame", "headings",
    ),
    "drafting": (
        "texts", "doubts", "sketch", "tabs", "columns", "labels", "search", "draft", "halves",
        "asking",
    ),
    "batch": (
        "private_files", "signing", "atomic", "claims", "remote", "processes", "layouts",
        "run_folders", "inputs", "output_checks", "file", "evidence", "cache", "compare",
        "read_all", "prefetch", "run", "survey", "views", "draft", "headings", "again",
    ),
}  # fmt: skip
"""The parts of the large rooms, in the order of the data."""


@pytest.mark.parametrize(
    "path",
    [path for path in MODULES if path.relative_to(HOME).parts[0] in PARTS],
    ids=lambda path: str(path.relative_to(HOME)),
)
def test_a_part_of_a_room_imports_only_from_parts_before_it(path: Path) -> None:
    name, part = path.relative_to(HOME).parts[:2]
    here = part.removesuffix(".py")
    if here == "__init__":
        return
    before = PARTS[name][: PARTS[name].index(here) + 1]
    inside = (one.split(".")[2:3] for one in imports(path) if f"boreotabula.{name}." in one)
    assert {part for parts in inside for part in parts} <= set(before)


@pytest.mark.parametrize("name", ["layout", "findings", "reading", "look", "drafting"])
def test_the_core_has_no_interface_and_opens_no_file(name: str) -> None:
    for path in (HOME / name).rglob("*.py"):
        assert not imports(path) & {"click", "rich", "pathlib", "os", "io", "sys"}, path
        calls = [
            node.func
            for node in ast.walk(ast.parse(path.read_text("utf-8")))
            if isinstance(node, ast.Call)
        ]
        assert "open" not in {func.id for func in calls if isinstance(func, ast.Name)}, path


def test_roles_are_given_by_the_account_alone() -> None:
    given = {"give", "give_spots", "explain_cells", "book", "label"}
    for path in (HOME / "reading").rglob("*.py"):
        calls = [
            one for one in ast.walk(ast.parse(path.read_text("utf-8"))) if isinstance(one, ast.Call)
        ]
        named = {one.func.attr for one in calls if isinstance(one.func, ast.Attribute)}
        assert path.parent.name == "account" or not named & given, path


def test_help_loads_nothing_heavy() -> None:
    code = (
        "import sys; from boreotabula.cli.main import cli; cli(['--help'], standalone_mode=False);"
        "print([name for name in ('pyarrow', 'pydantic', 'rich', 'python_calamine', 'xlsxwriter',"
        "'rapidfuzz', 'babel', 'openpyxl') if name in sys.modules], file=sys.stderr)"
    )
    done = subprocess.run([sys.executable, "-c", code], capture_output=True, text=True, check=True)
    assert done.stderr.strip() == "[]"


def test_the_public_names_are_there() -> None:
    assert all(getattr(boreotabula, name) is not None for name in boreotabula.__all__)


@pytest.mark.parametrize("name", list(COMMANDS))
def test_each_command_of_the_installed_program_starts(name: str) -> None:
    done = installed(name, "--help")
    assert (done.status, done.err) == (0, "") and f"boreotabula {name}" in done.out


def test_the_installed_program_leaves_with_its_exit_status(tmp_path: Path) -> None:
    assert installed("extract", "none.toml", "-o", "out.csv", cwd=tmp_path).status == 2
    assert installed("demo", tmp_path / "d").status == 0
    done = installed("extract", tmp_path / "d" / "stock.toml", "--dry-run")
    assert done.status == 1 and "3,392 records" in done.out
