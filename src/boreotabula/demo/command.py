"""`boreotabula demo`: samples to try the tool on."""

from __future__ import annotations

from pathlib import Path

import click

from boreotabula.cli.printing import say

EPILOG = """\b
Example:
  boreotabula demo
  boreotabula demo trial --story

--story goes on with the other steps: draft a layout, survey a folder, adopt a sender's new
headings, look at records, draw a chart, bind workbooks, see what a sender has corrected, and send
faults back."""


@click.command("demo", epilog=EPILOG)
@click.argument("folder", type=click.Path(path_type=Path), default=Path("boreotabula-demo"))
@click.option("--story", is_flag=True, help="Run the other steps as well.")
def command(folder: Path, story: bool) -> int:
    """Write made-up workbooks and layouts to FOLDER, and extract the first of them.

    The default FOLDER is boreotabula-demo. A folder with other files in it is left alone.
    """
    from boreotabula.cli import screen
    from boreotabula.cli.extract import perform
    from boreotabula.cli.target import Target
    from boreotabula.demo.folder import write_demo
    from boreotabula.demo.nurseries import MONTHS, NURSERIES
    from boreotabula.pipeline.new_output import look_for
    from boreotabula.runs.layouts.load import Layout

    path = write_demo(folder)
    output = folder / "stock.csv"
    say(
        f"{len(NURSERIES)} nurseries sent their counts of {len(MONTHS)} months to {folder}/inbox.\n"
    )
    say(f"$ boreotabula extract {path} -o {output}\n")
    layout = Layout.load(path)
    status = perform(layout, look_for(layout, output), Target(output))
    say("\nThe first records:\n")
    screen.first_lines(output, 8)
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
        f"  look at {folder}/stock.run/findings.csv and unplaced.csv\n"
        f"  take a line out of {folder}/headings.csv and run extract again\n"
    )
    return 0 if status in (0, 1) else status


def _tell(folder: Path) -> None:
    """The steps of the work after the first, each with its command."""
    from boreotabula.cli.main import cli
    from boreotabula.demo.nurseries import restated
    from boreotabula.demo.workbooks import write_form

    stock = folder / "stock.csv"
    ask = ["--rows", "nursery", "--across", "month"]
    dispatch, out = folder / "dispatch.toml", folder / "dispatch.csv"
    form = restated()
    steps = (
        ("A layout drafted from a folder alone:", ["draft", folder / "benches"]),
        ("What came in?", ["survey", folder / "dispatch"]),
        ("One sender has renamed headings:", ["extract", dispatch, "-o", out]),
        ("What does the layout need?", ["draft", "--again", dispatch]),
        ("What may they mean?", ["headings", dispatch, "--adopt", "--yes", "--certainty", "0.7"]),
        ("Once more:", ["extract", dispatch, "-o", out]),
        ("Who reported when?", ["coverage", stock, *ask, "--expect", folder / "sites.csv"]),
        ("How many seedlings?", ["crosstab", stock, *ask, "--value", "seedlings"]),
        ("A picture:", ["crosstab", stock, *ask, "--value", "seedlings", "--chart",
                        folder / "seedlings.png"]),
        ("All tabs in one workbook:", ["bind", folder / "inbox", "-o", folder / "all.xlsx"]),
        (f"{form.nursery.name} sends its January once more, corrected:",
         ["extract", folder / "stock.toml", "-o", stock]),
        ("What is other than before?", ["compare", stock, "--before", "--by", "nursery"]),
        ("Back to the senders:", ["mark", stock, "-o", folder / "returns", "--by", "nursery"]),
    )  # fmt: skip
    for said, call in steps:
        if form.nursery.name in said:
            write_form(form, folder / "inbox" / form.path)
        words = [str(one) for one in call]
        say(f"\n{said}\n\n$ boreotabula {' '.join(words)}\n")
        cli.main(words, standalone_mode=False)
