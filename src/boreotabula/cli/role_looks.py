"""How each role is shown on a terminal: by a letter and a colour."""

from __future__ import annotations

from collections.abc import Mapping

from boreotabula.reading.account.roles import Role

ROLE_LOOKS: Mapping[Role, tuple[str, str]] = {
    Role.STAMP: ("s", "bold bright_blue"),
    Role.LABEL: ("l", "dim"),
    Role.HEADING: ("h", "bold"),
    Role.STUB: ("n", "bright_blue"),
    Role.VALUE: ("v", ""),
    Role.TOTAL: ("t", "magenta"),
    Role.LEFT_OUT: ("x", "dim strike"),
    Role.UNPLACED: ("?", "bold red"),
}
"""Letter and colour of each role; the letter is always there too. These colours of the usual
sixteen are legible on light and on dark ground: yellow, green and cyan are not."""
