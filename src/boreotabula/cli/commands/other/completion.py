"""`boreotabula completion`: the script with which a shell completes commands, options and file
names."""

from __future__ import annotations

import click
from click.shell_completion import ShellComplete, get_completion_class

from boreotabula.cli.options import Command
from boreotabula.cli.printing import say

SHELLS = ("bash", "zsh", "fish")

EPILOG = """\b
Add one line to the start-up file of your shell:
  bash  ~/.bashrc                    eval "$(boreotabula completion bash)"
  zsh   ~/.zshrc                     eval "$(boreotabula completion zsh)"
  fish  ~/.config/fish/config.fish   boreotabula completion fish | source

Then open a new terminal; Tab completes commands, options and file names."""


@click.command("completion", cls=Command, epilog=EPILOG)
@click.argument("shell", type=click.Choice(SHELLS))
@click.pass_context
def command(context: click.Context, shell: str) -> int:
    """Print the completion script for a shell."""
    kind = get_completion_class(shell)
    assert kind is not None
    group = context.find_root().command
    script = kind(group, {}, "boreotabula", "_BOREOTABULA_COMPLETE")
    # Not the source of the kind itself: that asks which bash this machine has.
    say(ShellComplete.source(script).strip(), whole=True)
    return 0
