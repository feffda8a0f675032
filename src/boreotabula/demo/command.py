"""`boreotabula demo`: samples to try the tool on."""

from __future__ import annotations

from pathlib import Path

import click

EPILOG = """\b
Example:
  boreotabula demo
  boreotabula demo trial"""


@click.command("demo", epilog=EPILOG)
@click.argument("folder", type=click.Path(path_type=Path), default=Path("boreotabula-demo"))
def command(folder: Path) -> int:
    """Write made-up workbooks and layouts to FOLDER, and extract the first of them.

    FOLDER is boreotabula-demo if none is named. A folder that holds anything else is left alone.
    """
    from boreotabula.cli import screen
    from boreotabula.cli.extract import Target, perform
    from boreotabula.demo.folder import write_demo
    from boreotabula.demo.nurseries import MONTHS, NURSERIES
    from boreotabula.outputs.writing import look_for
    from boreotabula.runs.layouts import Layout

    path = write_demo(folder)
    output = folder / "stock.csv"
    click.echo(
        f"{len(NURSERIES)} nurseries sent their counts of {len(MONTHS)} months to {folder}/inbox.\n"
    )
    click.echo(f"$ boreotabula extract {path} -o {output}\n")
    layout = Layout.load(path)
    status = perform(layout, look_for(layout, output), Target(output))
    click.echo("\nThe first records:\n")
    screen.first_lines(output, 8)
    sample = f"{folder}/inbox/2026-04/lake_stock_Kaldvatn_2026-04.xlsx"
    click.echo(
        "\nWhat to try next:\n"
        f"  boreotabula survey {path}\n"
        f"  boreotabula show {sample} --layout {path}\n"
        f"  boreotabula extract {folder}/dispatch.toml -o dispatch.csv   (or climate.toml,"
        " plan.toml, benches.toml)\n"
        f"  boreotabula headings {folder}/dispatch.toml\n"
        f"  boreotabula trace {folder}/stock.csv 1742\n"
        f"  look at {folder}/stock.run/findings.csv and unplaced.csv\n"
        f"  take a line out of {folder}/headings.csv and run extract again\n"
    )
    return 0 if status in (0, 1) else status
