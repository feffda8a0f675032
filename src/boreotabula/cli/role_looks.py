"""How each role is shown on a terminal: by a letter and a colour."""

from __future__ import annotations

from collections.abc import Mapping

from boreotabula.reading.account.roles import Role

ROLE_LOOKS: Mapping[Role, tuple[str, str]] = {
    Role.STAMP: ("s", "dark_cyan"),
    Role.LABEL: ("l", "dim"),
    Role.HEADING: ("h", "bold dodger_blue2"),
    Role.STUB: ("n", "green4"),
    Role.VALUE: ("v", ""),
    Role.TOTAL: ("t", "dark_goldenrod"),
    Role.LEFT_OUT: ("x", "dim strike"),
    Role.UNPLACED: ("?", "bold red"),
}
"""Letter and colour of each role; the letter is always there too."""
