"""Options that several commands share."""

from __future__ import annotations

from pathlib import Path

import click

from boreotabula.limits import Limits

json_option = click.option(
    "--json", "as_json", is_flag=True, help="Print it as JSON, for other programs."
)
table_option = click.option(
    "--table", metavar="NAME", help="The output table, if there are several."
)
cross_option = click.option(
    "-o", "--output", type=click.Path(path_type=Path), metavar="OUT", help="Write .csv or .xlsx."
)
chart_option = click.option(
    "--chart", type=click.Path(path_type=Path), metavar="OUT", help="Draw .png, .svg or .pdf."
)
largest_part = click.option(
    "--largest-part",
    type=click.IntRange(min=1),
    default=Limits().mebibytes,
    show_default=True,
    metavar="MIB",
    help="The memory that reading one file may take; the time that it may take grows with it.",
)


def limits(mebibytes: int) -> Limits:
    """The limits that --largest-part asks for."""
    return Limits(mebibytes)
