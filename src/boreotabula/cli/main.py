"""The entry point, and the only place where errors become exit statuses.

Commands are imported when they are called, so that `--help` answers at once.
"""

from __future__ import annotations

import errno
import os
import signal
import sys
from collections.abc import Sequence
from contextlib import suppress
from importlib import import_module
from types import ModuleType
from typing import NoReturn, TextIO

import click

from boreotabula import __version__
from boreotabula.cli.printing import fit_stream, say
from boreotabula.errors import BoreotabulaError

COMMANDS = {
    "survey": (
        "boreotabula.cli.commands.look.survey",
        "List the files and tabs of a folder, and which look alike.",
    ),
    "show": (
        "boreotabula.cli.commands.look.show",
        "Show a tab with addresses, and the role of each cell.",
    ),
    "draft": (
        "boreotabula.cli.commands.look.draft",
        "Write a first layout, worked out from the files.",
    ),
    "extract": (
        "boreotabula.cli.commands.table.extract",
        "Read all files of a layout into one table.",
    ),
    "headings": (
        "boreotabula.cli.commands.table.headings",
        "List all headings, and the field that each one means.",
    ),
    "correct": (
        "boreotabula.cli.commands.table.correct",
        "Write down what a cell should hold, until its sender corrects it.",
    ),
    "accept": (
        "boreotabula.cli.commands.table.accept",
        "Write down that a finding is known, so that it is no longer to check.",
    ),
    "trace": (
        "boreotabula.cli.commands.review.trace",
        "Show which cells a record comes from, or what became of a cell.",
    ),
    "coverage": (
        "boreotabula.cli.commands.review.coverage",
        "Show who has reported when, and who has not.",
    ),
    "crosstab": (
        "boreotabula.cli.commands.review.crosstab",
        "Sum up records in a table or a chart.",
    ),
    "compare": (
        "boreotabula.cli.commands.review.compare",
        "Compare two outputs: new, gone and changed records.",
    ),
    "mark": (
        "boreotabula.cli.commands.send.mark",
        "Mark faults in copies of the workbooks, to send back.",
    ),
    "check": (
        "boreotabula.cli.commands.send.check",
        "Check one report before it is sent.",
    ),
    "bind": ("boreotabula.cli.commands.send.bind", "Put the tabs of many files into one workbook."),
    "cache": ("boreotabula.cli.commands.other.cache", "Show the size of the cache, or clear it."),
    "completion": (
        "boreotabula.cli.commands.other.completion",
        "Print the completion script for bash, zsh or fish.",
    ),
    "layout-schema": (
        "boreotabula.cli.commands.other.layout_schema",
        "Print the JSON Schema of layouts.",
    ),
    "demo": ("boreotabula.demo.command", "Write made-up workbooks and layouts to try it on."),
}
"""The commands in the order of the work: the module of each, and its summary."""


FAULT = 70
"""The exit status of an internal fault."""


START = """\
Start here:
  boreotabula demo
  boreotabula draft FOLDER -o NAME.toml
  boreotabula extract NAME.toml -o NAME.csv
"""
GROUPS = {
    "Try it": ("demo",),
    "Look at files": ("survey", "show", "draft"),
    "Make the table": ("extract", "headings", "correct", "accept"),
    "Check it and use it": ("trace", "coverage", "crosstab", "compare"),
    "Hand on": ("mark", "check", "bind"),
    "Besides": ("cache", "completion", "layout-schema"),
}
"""The commands as they are listed, in groups of the work."""


class LazyGroup(click.Group):
    """A group whose commands are imported only when they are needed."""

    def resolve_command(
        self, ctx: click.Context, args: list[str]
    ) -> tuple[str | None, click.Command | None, list[str]]:
        """The command that is called. Raises UsageError, which suggests the most similar name."""
        if args and args[0] not in COMMANDS and not args[0].startswith("-"):
            from boreotabula.layout.problems import did_you_mean

            name = args[0]
            raise click.UsageError(f"there is no command “{name}”{did_you_mean(name, COMMANDS)}")
        return super().resolve_command(ctx, args)

    def format_help_text(self, ctx: click.Context, formatter: click.HelpFormatter) -> None:
        """What the program does, and how to begin."""
        super().format_help_text(ctx, formatter)
        formatter.write_paragraph()
        for line in START.splitlines():
            formatter.write(f"  {line}\n")

    def list_commands(self, ctx: click.Context) -> list[str]:
        """The names of all commands."""
        return list(COMMANDS)

    def get_command(self, ctx: click.Context, cmd_name: str) -> click.Command | None:
        """The command itself."""
        if cmd_name not in COMMANDS:
            return None
        command = import_module(COMMANDS[cmd_name][0]).command
        assert isinstance(command, click.Command)
        return command

    def format_commands(self, ctx: click.Context, formatter: click.HelpFormatter) -> None:
        """List the commands, in their groups, without importing them."""
        widest = max(map(len, COMMANDS))
        for group, names in GROUPS.items():
            with formatter.section(group):
                formatter.write_dl([(name.ljust(widest), COMMANDS[name][1]) for name in names])


@click.group(
    cls=LazyGroup,
    context_settings={"help_option_names": ["-h", "--help"]},
    epilog="boreotabula COMMAND --help tells more, with examples.",
)
@click.version_option(__version__, prog_name="boreotabula")
def cli() -> None:
    """Turn a folder of form-like report workbooks into one tidy, typed, trustworthy table."""


def call(arguments: Sequence[str] | None = None) -> int:
    """Run the command line, with the arguments of the process if none are given.

    Returns the exit status: 0, 1, 2 or 3 (130 if interrupted, 143 or 129 if it is told to end or
    its terminal is gone, 70 after an internal fault). Processes that still read files when an error
    ends the command are ended, too.
    """
    try:
        status = cli.main(arguments, "boreotabula", standalone_mode=False)
    except click.Abort:
        _end_processes()
        with suppress(OSError):  # the terminal may be gone
            say("Stopped; nothing was written.", err=True)
        return 128 + _stopped_by[-1]
    # Click counts a call without arguments as an error, but its text is the help page.
    except click.exceptions.NoArgsIsHelpError as error:
        say(error.format_message())
        return error.exit_code
    except click.ClickException as error:
        say(_in_our_words(error), err=True)
        return error.exit_code
    except OSError as error:
        # Without a file name the error is about a standard stream. Errors of named files have
        # become messages before, so any other is our fault.
        if error.filename is None and error.errno in _NOT_PRINTED:
            _end_processes()
            return _not_printed(error)
        return _fault(error)
    except BoreotabulaError as error:
        _end_processes()
        say(str(error), err=True)
        return error.exit_status
    except Exception as error:  # noqa: BLE001  # the last resort: a fault of the program
        return _fault(error)
    return status if isinstance(status, int) else 0


def _in_our_words(error: click.ClickException) -> str:
    """A usage error, worded as all other messages, with the place of help."""
    # Click ends its messages with a full stop; ours have none.
    message = error.format_message().rstrip(".")
    if isinstance(error, click.NoSuchOption):
        from boreotabula.layout.problems import did_you_mean

        known_names = [
            name for option in (error.ctx.command.params if error.ctx else ())
            for name in option.opts if name.startswith("--")
        ]  # fmt: skip
        # Click takes no abbreviations: whoever begins a name gets the first that continues it.
        begun = [name for name in known_names if name.startswith(error.option_name)]
        near = did_you_mean(error.option_name, begun[:1] or known_names)
        message = f"there is no option {error.option_name}{near}"
    path = error.ctx.command_path if isinstance(error, click.UsageError) and error.ctx else ""
    return f"{message[:1].lower()}{message[1:]}\n{path or 'boreotabula'} --help lists what there is"


_stopped_by = [signal.SIGINT.value]
"""The signals that have ended the command; the first stands for ctrl-C."""
_STOPPING = [getattr(signal, name) for name in ("SIGTERM", "SIGHUP") if hasattr(signal, name)]


def _stop(number: int, _: object) -> None:
    """End as ctrl-C does, so that unfinished files are removed."""
    _stopped_by.append(number)
    # Whatever cleans up after ctrl-C cleans up after a signal, too.
    raise KeyboardInterrupt


def _take_signals() -> None:
    for value in _STOPPING:
        if signal.getsignal(value) is signal.SIG_DFL:  # whoever starts us may have it ignored
            signal.signal(value, _stop)


_NOT_PRINTED = (errno.EPIPE, errno.ENOSPC, errno.EBADF, errno.EIO, errno.EINVAL)
"""Errors of a stream, not of a named file: its reader is gone, or the disk is full."""


def _not_printed(error: OSError) -> int:
    """The exit status when output cannot be printed; the rest is not tried."""
    _silence(sys.stdout)
    if error.errno == errno.EPIPE:  # whoever reads our output has seen enough
        return 1
    with suppress(OSError):
        say(f"The printed output could not be written: {error.strerror}.", err=True)
    return BoreotabulaError.exit_status


def _silence(stream: TextIO) -> None:
    """Discard what is left in a stream."""
    with suppress(OSError, ValueError):
        # Python flushes the stream once more at its end, which would fail again and print a
        # traceback.
        os.dup2(os.open(os.devnull, os.O_WRONLY), stream.fileno())


def _fault(error: BaseException) -> int:
    """Report an internal fault and the file that describes it; returns the exit status."""
    from boreotabula.faults import report_of

    _end_processes()
    message = "this is a fault of the program, not of your files"
    say(f"Boreotabula failed and wrote nothing: {message}. {report_of(error)}", err=True)
    return FAULT


def run() -> NoReturn:
    """Run the command line and leave with its exit status at once, without cleaning up the
    interpreter."""
    _open_standard_streams()
    _take_signals()
    # Before the first command, because that imports pyarrow.
    sys.meta_path.insert(0, _NoPandas())
    status = call()
    try:
        if sys.stdout is not None:  # it may be closed
            sys.stdout.flush()
    except OSError as error:
        status = _not_printed(error)
    with suppress(OSError):
        sys.stderr.flush()
    # Everything is written by now. Freeing a million cells first would take time for nothing.
    os._exit(status)


class _NoPandas:
    """Makes pandas look uninstalled.

    With its first arrays pyarrow imports pandas in several places, if it is installed, to recognise
    data frames. No command makes one, and each would start later.
    """

    def find_spec(
        self, fullname: str, path: Sequence[str] | None, target: ModuleType | None = None
    ) -> None:
        """Raises ModuleNotFoundError for pandas; finds no other module."""
        if fullname == "pandas":
            raise ModuleNotFoundError(name=fullname)


def _open_standard_streams() -> None:
    """Keep our own files from taking the place of a closed standard stream."""
    for number, mode in enumerate((os.O_RDONLY, os.O_WRONLY, os.O_WRONLY)):
        try:
            os.fstat(number)
        except OSError:
            os.open(os.devnull, mode)  # takes the lowest number that is free: this one
    sys.stderr = sys.stderr or os.fdopen(2, "w", encoding="utf-8")
    for stream in (sys.stdout, sys.stderr):
        fit_stream(stream)


def _end_processes() -> None:
    """End all processes that are still reading files."""
    # A command that has not imported the module has started no process.
    if "boreotabula.batch.processes.pool" in sys.modules:
        sys.modules["boreotabula.batch.processes.pool"].end_processes()
