"""`boreotabula demo`: made-up workbooks, and the first run over them."""

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
    """Write made-up workbooks and a layout to FOLDER, and extract them.

    FOLDER is boreotabula-demo if none is named. A folder that holds anything else is left alone.
    """
    from boreotabula.cli import screen
    from boreotabula.cli.extract import perform
    from boreotabula.demo.folder import write_demo
    from boreotabula.demo.nurseries import MONTHS, NURSERIES

    layout = write_demo(folder)
    output = folder / "stock.csv"
    click.echo(
        f"{len(NURSERIES)} nurseries sent their counts of {len(MONTHS)} months to {folder}/inbox.\n"
    )
    click.echo(f"$ boreotabula extract {layout} -o {output}\n")
    status = perform(layout, output, quiet=False, verbose=False, as_json=False)
    click.echo("\nThe first records:\n")
    screen.first_lines(output, 8)
    click.echo(
        "\nWhat to try next:\n"
        f"  look into {folder}/inbox, and at how {layout} describes the forms\n"
        f"  look at {folder}/stock.run/findings.csv and unplaced.csv\n"
        f"  take a line out of {folder}/headings.csv and run extract again\n"
    )
    return 0 if status in (0, 1) else status
