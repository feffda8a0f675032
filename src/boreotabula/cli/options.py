"""Options that several commands share."""

from __future__ import annotations

import click

from boreotabula.workbooks.limits import MEBI, Limits

json_option = click.option(
    "--json", "as_json", is_flag=True, help="Print it as JSON, for other programs."
)
largest_part = click.option(
    "--largest-part",
    type=click.IntRange(min=1),
    default=1024,
    show_default=True,
    metavar="MIB",
    help="The most that a part of a workbook, or a text, may grow to when unpacked.",
)


def limits(mebibytes: int) -> Limits:
    """The limits that --largest-part asks for."""
    return Limits(inflated=mebibytes * MEBI)
