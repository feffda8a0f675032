"""The handbook tells the truth: its examples are run, its lists are complete."""

from __future__ import annotations

import re
import runpy
import shlex
import shutil
import tomllib
from pathlib import Path

import click
import jsonschema
import pyarrow as pa
import pytest

from boreotabula.cli.main import cli
from boreotabula.findings.catalogue import BY_CODE, SECTIONS
from boreotabula.findings.kind import Severity
from boreotabula.layout.model import layout_schema
from boreotabula.stores.csv import csv_texts
from helpers import read, sheet

DOCS = Path(__file__).parents[1] / "docs"
_TEXT = (DOCS / "layout.md").read_text("utf-8")
_OTHER_TAB = r'(?:```tab title="tab: (.+?)"\n(.*?)```\s+)?'
_TAB = r'```tab(?: title="merged: (.+?)")?\n(.*?)```'
_EXAMPLE = rf"```toml title=\"layout\"\n(.*?)```\s+{_OTHER_TAB}{_TAB}\s+```records\n(.*?)```"
EXAMPLES = re.findall(_EXAMPLE, _TEXT, re.DOTALL)
_FORM = rf"{_TAB}\s+```toml title=\"layout\"\n(.*?)```\s+First of (\d+) records?: (.*?)\.\n"
_FORMS_TEXT = (DOCS / "which-form.md").read_text("utf-8")
FORMS = re.findall(_FORM, _FORMS_TEXT, re.DOTALL)


def cells(line: str) -> list[str]:
    return ["" if part.strip() == "." else part.strip() for part in line.split("|")]


@pytest.mark.parametrize("example", EXAMPLES, ids=range(len(EXAMPLES)))
def test_an_example_of_the_handbook_gives_its_records(example: tuple[str, ...]) -> None:
    layout, name, other, merges, picture, records = example
    reading = read(
        sheet(picture, merges.split(", ") if merges else ()),
        layout,
        texts={"file name": "Lomlia_2026"},
        tabs={name: sheet(other, name=name)} if name else {},
    )
    names, *rows = map(cells, records.strip().splitlines())
    found = csv_texts(pa.Table.from_batches([reading.records]).select(names))
    assert found == [names, *rows]
    assert not [one.message for one in reading.findings if one.severity is Severity.ERROR]


def test_every_feature_has_an_example() -> None:
    fences = _TEXT.count('title="layout"'), _FORMS_TEXT.count('title="layout"')
    assert (len(EXAMPLES), len(FORMS)) == fences and fences[0] >= 28 and fences[1] == 10


@pytest.mark.parametrize("form", FORMS, ids=range(1, len(FORMS) + 1))
def test_the_lines_for_a_form_read_it(form: tuple[str, ...]) -> None:
    merges, picture, lines, number, said = form
    first = [one.partition(" ") for one in said.replace("\n", " ").split(", ")]
    names = [name for name, _, _ in first]
    kinds = {name: "integer" for name, _, text in first if text.isdecimal()}
    # The page leaves out what is the same for all.
    fields = (
        ""
        if "[fields]" in lines
        else "[fields]\n" + "".join(f'{name} = "{kinds.get(name, "text")}"\n' for name in names)
    )
    reading = read(
        sheet(picture, merges.split(", ") if merges else ()), f"layout = 1\n{lines}\n{fields}"
    )
    assert reading.records.num_rows == int(number)
    found = reading.records.slice(0, 1).to_pylist()[0]
    assert {name: str(found[name]) for name in names} == {name: text for name, _, text in first}
    assert not [one.message for one in reading.findings if one.severity is not Severity.NOTE]


def test_the_page_of_findings_is_that_of_the_code() -> None:
    made = runpy.run_path(str(DOCS.parent / "scripts" / "findings_page.py"))["page"]()
    assert (DOCS / "findings.md").read_text("utf-8") == made  # scripts/findings_page.py writes it
    entries = [one.code for entries in SECTIONS.values() for one in entries]
    assert sorted(entries) == sorted(BY_CODE) and "||" not in made


def test_the_schema_knows_all_that_the_examples_say() -> None:
    schema = jsonschema.Draft202012Validator(layout_schema())
    layouts = [example[0] for example in EXAMPLES]
    layouts += [f"layout = 1\n{form[2]}" for form in FORMS]
    for text in layouts:
        wrong = list(schema.iter_errors({"fields": {}, **tomllib.loads(text)}))
        assert wrong == [], text


def commands_shown() -> list[tuple[str, str]]:
    """Every command line that a page or the README shows, in a block or indented."""
    shown = []
    for page in [*sorted(DOCS.glob("*.md")), DOCS.parent / "README.md"]:
        text = page.read_text("utf-8").replace("\\\n", " ")
        lines = re.findall(r"^(?: {4,}|\$ )?(boreotabula [a-z-]+ .*)$", text, re.MULTILINE)
        shown += [(page.name, line.partition(" > ")[0].partition("  #")[0]) for line in lines]
    return shown


def test_every_command_that_is_shown_is_understood() -> None:
    shown = commands_shown()
    assert len(shown) > 80
    wrong = []
    # An address is asked for what lies there while it is parsed.
    for page, line in (one for one in shown if "://" not in one[1]):
        # What follows a pipe or a wide gap is no part of the command.
        _, name, *arguments = shlex.split(re.split(r" \| | {3,}|…", line)[0])
        command = cli.get_command(click.Context(cli), name)
        try:
            assert command is not None
            command.make_context(name, list(arguments))
        except (AssertionError, click.ClickException) as error:
            wrong.append(f"{page}: {line}: {error}")
    assert wrong == []


def test_every_page_is_linked_from_the_readme() -> None:
    readme = (DOCS.parent / "README.md").read_text("utf-8")
    assert readme.count("\n") <= 150
    nav = (DOCS.parent / "mkdocs.yml").read_text("utf-8")
    for page in DOCS.glob("*.md"):
        assert f" {page.name}\n" in nav, page
    linked = {page.name for page in DOCS.glob("*.md") if f"docs/{page.name}" in readme}
    assert {page.name for page in DOCS.glob("*.md")} - linked == {"findings-rules.md"}
    shown = {path.name for path in (DOCS / "screenshots").glob("*.png")}
    text = readme + "".join(page.read_text("utf-8") for page in DOCS.glob("*.md"))
    assert all(f"screenshots/{name}" in text for name in shown) and len(shown) < 20


def test_the_readme_shows_what_the_commands_print(demo: Path, tmp_path: Path) -> None:
    folder = tmp_path / "trial"
    shutil.copytree(demo, folder)
    (folder / "stock.csv").unlink()
    shutil.rmtree(folder / "stock.csv.run")
    made = runpy.run_path(str(DOCS.parent / "scripts" / "readme_blocks.py"))["with_blocks"]
    readme = (DOCS.parent / "README.md").read_text("utf-8")
    assert made(readme, folder) == readme  # scripts/readme_blocks.py writes it
