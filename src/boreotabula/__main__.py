"""`python -m boreotabula` is the same as `boreotabula`."""

from boreotabula.cli.main import run

run()
