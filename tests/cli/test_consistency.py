"""Options mean the same in all commands, and every help says how the command ends."""

from __future__ import annotations

import re
from collections import defaultdict
from pathlib import Path

import click
import pytest

from boreotabula.cli.main import COMMANDS, cli

TABLE = Path(__file__).parents[2] / "CONTRIBUTING.md"
WITHOUT_STATUS = {"cache", "completion", "layout-schema", "demo"}
"""Commands that can only end well, or by a wrong call."""


def commands() -> dict[str, click.Command]:
    context = click.Context(cli)
    found = {name: cli.get_command(context, name) for name in COMMANDS}
    return {name: command for name, command in found.items() if command is not None}


def options() -> dict[str, dict[str, click.Option]]:
    """By option the commands that have it."""
    found: dict[str, dict[str, click.Option]] = defaultdict(dict)
    for name, command in commands().items():
        for parameter in command.params:
            if isinstance(parameter, click.Option):
                found[max(parameter.opts, key=len)][name] = parameter
    return found


def test_an_option_of_several_commands_takes_the_same_in_all_of_them() -> None:
    for option, holders in options().items():
        kinds = {
            (parameter.is_flag, type(parameter.type).__name__, parameter.multiple)
            for parameter in holders.values()
        }
        texts = {(parameter.metavar or "").partition("|")[0] for parameter in holders.values()}
        # Where a result is written is named by what it is: a layout, a folder, a file.
        if option not in ("--output", "--tab", "--by"):
            assert len(kinds) == 1 and len(texts) == 1, (option, kinds, texts)
        assert len({parameter.is_flag for parameter in holders.values()}) == 1, option


def test_the_table_of_options_names_all_that_several_commands_have() -> None:
    text = TABLE.read_text("utf-8").partition("## Options")[2].partition("\n## ")[0]
    named = set(re.findall(r"`(?:-\w`, `)?(--[a-z-]+)", text))
    shared = {option for option, holders in options().items() if len(holders) > 1}
    assert shared <= named, shared - named
    assert named <= options().keys(), named - options().keys()


@pytest.mark.parametrize("name", sorted(COMMANDS.keys() - WITHOUT_STATUS))
def test_the_help_of_a_command_says_how_it_ends(name: str) -> None:
    epilog = commands()[name].epilog or ""
    assert re.search(r"Exit status:\n  0 .+\n(.*\n)*  2 ", epilog)


def test_what_is_written_is_never_an_option_that_reads() -> None:
    assert "trace" not in options()["--output"] and "mark" in options()["--output"]
