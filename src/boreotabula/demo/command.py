"""`boreotabula demo`: samples to try the tool on."""

from __future__ import annotations

import io
from contextlib import redirect_stderr, redirect_stdout
from pathlib import Path

import click

from boreotabula.cli.options import Command
from boreotabula.cli.printing import say
from boreotabula.texts import command_line, counted

EPILOG = """\b
Example:
  boreotabula demo
  boreotabula demo trial --story

--story goes on with the other steps: adopt a sender's new headings, see who is late, draw a chart,
correct a cell, see what a sender has restated, accept it, and send faults back."""


@click.command("demo", cls=Command, epilog=EPILOG)
@click.argument("folder", type=click.Path(path_type=Path), default=Path("boreotabula-demo"))
@click.option("--story", is_flag=True, help="Run the other steps as well.")
def command(folder: Path, story: bool) -> int:
    """Write made-up workbooks and layouts to FOLDER, and extract the first of them.

    The default FOLDER is boreotabula-demo. A folder with other files in it is left alone.
    """
    from boreotabula.batch.layouts.load import Layout
    from boreotabula.cli import screen
    from boreotabula.cli.performing import perform
    from boreotabula.cli.target import Target
    from boreotabula.demo.folder import write_demo
    from boreotabula.stores.new_file import NewFile

    path = write_demo(folder)
    output = folder / "stock.csv"
    say(f"6 nurseries sent their counts of 4 months to {folder}/inbox.\n")
    say(f"$ boreotabula extract {path} -o {output}\n")
    layout = Layout.load(path)
    store = NewFile(output)
    status = perform(layout, store.look(layout), Target(store))
    say("\nThe first records:\n")
    screen.first_lines(output, 4)
    if story:
        _tell(folder)
    sample = f"{folder}/inbox/2026-04/lake_stock_Kaldvatn_2026-04.xlsx"
    say(
        "\nWhat to try next:\n"
        f"  boreotabula survey {path}\n"
        f"  boreotabula draft {folder}/reviews\n"
        f"  boreotabula show {sample} --layout {path}\n"
        f"  boreotabula extract {folder}/dispatch.toml -o dispatch.csv   (or climate.toml,"
        " plan.toml, benches.toml, review.toml)\n"
        f"  boreotabula headings {folder}/dispatch.toml\n"
        f"  boreotabula trace {folder}/stock.csv 1742\n"
        f"  look at {folder}/stock.csv.run/findings.csv and unplaced.csv\n"
        f"  take a line out of {folder}/headings.csv and run extract again\n"
    )
    return 0 if status in (0, 1) else status


_CORRECTED = "Granvik sends its January again, corrected:"


def _tell(folder: Path) -> None:
    """The steps of the work after the first, each with its command."""
    from boreotabula.demo.folder import correct_report

    stock = folder / "stock.csv"
    ask = ["--rows", "nursery", "--across", "month"]
    dispatch, out = folder / "dispatch.toml", folder / "dispatch.csv"
    steps = (
        ("One sender has renamed headings:", ["extract", dispatch, "-o", out], 12),
        ("What does the layout need?", ["draft", "--again", dispatch], 20),
        ("Add the headings to the glossary:",
         ["headings", dispatch, "--adopt", "--yes", "--certainty", "0.7"], 6),
        ("Who has reported, and who was late, on 25 May?",
         ["coverage", stock, *ask, "--expect", folder / "sites.csv", "--due", "10",
          "--on", "2026-05-25"], 14),
        ("A chart:", ["crosstab", stock, *ask, "--value", "seedlings", "--chart",
                      folder / "seedlings.png"], 2),
        ("Kaldvatn says on the phone what “ca. 120” is:",
         ["correct", folder / "inbox" / "2026-04" / "lake_stock_Kaldvatn_2026-04.xlsx",
          "Greenhouse 2", "D10", "--layout", folder / "stock.toml", "--to", "120",
          "--why", "said on the phone", "--who", "Ada"], 4),
        (_CORRECTED,
         ["extract", folder / "stock.toml", "-o", stock, "--report", folder / "month.html",
          "--expect", folder / "sites.csv", "--quiet"], 0),
        ("What has changed?", ["compare", stock, "--before", "--by", "nursery"], 13),
        ("That is agreed, and no longer to check:",
         ["accept", stock, "value-restated", "--why", "agreed with Granvik", "--who", "Ada"], 4),
        ("Faults go back to the senders, marked in a copy:",
         ["mark", stock, "-o", folder / "returns", "--by", "nursery"], 3),
    )  # fmt: skip
    for message, call, lines in steps:
        if message == _CORRECTED:
            correct_report(folder)
        words = [str(value) for value in call]
        say(f"\n{message}\n$ {command_line(*words)}\n")
        _show(_output_of(words), lines)


def _output_of(words: list[str]) -> list[str]:
    """The lines that a command prints."""
    from boreotabula.cli.main import cli

    string_io = io.StringIO()
    with redirect_stdout(string_io), redirect_stderr(string_io):
        cli.main(words, standalone_mode=False)
    return [line.rstrip() for line in string_io.getvalue().strip("\n").splitlines()]


def _show(lines: list[str], most: int) -> None:
    """The first lines of a text; blank ones are left out, so that everything fits a few screens."""
    texts = [line for line in lines if line]
    for line in texts[:most]:
        say(f"  {line}")
    if len(texts) > most > 0:
        say(f"  … and {counted(len(texts) - most, 'more line')}")
