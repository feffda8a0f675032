"""Options that several commands share."""

from __future__ import annotations

import inspect
from collections import Counter
from collections.abc import Callable, Sequence
from functools import wraps
from pathlib import Path
from typing import TYPE_CHECKING, Any, TypeVar

import click
from click.shell_completion import CompletionItem

from boreotabula.errors import CallError
from boreotabula.limits import Limits
from boreotabula.texts import folded

if TYPE_CHECKING:
    from boreotabula.stores.bases.base import BasePlace


class Command(click.Command):
    """A command that takes an option's value once: a second value is an error, not silently
    ignored."""

    def parse_args(self, ctx: click.Context, args: list[str]) -> list[str]:
        """Read the arguments. Raises UsageError if an option that takes one value is given two."""
        # Shells parse half-typed lines to complete them: those may be wrong.
        if not ctx.resilient_parsing:
            # Click would use the last value and drop the others, so the line is parsed once more to
            # count.
            _, _, parameters = self.make_parser(ctx).parse_args(list(args))
            for option, times in Counter(parameters).items():
                if times > 1 and isinstance(option, click.Option) and _takes_one(option):
                    name = max(option.opts, key=len)
                    raise click.UsageError(
                        f"{name} is given {times} times; it takes one value", ctx
                    )
        return super().parse_args(ctx, args)

    def format_epilog(self, ctx: click.Context, formatter: click.HelpFormatter) -> None:
        """Write the text below the options: examples line by line, folded to the width."""
        with formatter.indentation():
            for block in inspect.cleandoc(self.epilog or "").split("\n\n"):
                formatter.write_paragraph()
                first, *lines = block.split("\n")
                if first != _KEPT:
                    formatter.write_text(block)
                    continue
                room = formatter.width - formatter.current_indent
                for line in folded("\n".join(lines), room).split("\n"):
                    formatter.write(f"{'':>{formatter.current_indent}}{line}".rstrip() + "\n")


_KEPT = "\b"
"""Stands above lines that stay as they are, as in Click."""


def _takes_one(option: click.Option) -> bool:
    return not (option.multiple or option.is_flag or option.count)


def options_as(
    kind: Callable[..., OptionsOf],
) -> Callable[[Callable[[OptionsOf], int]], Callable[..., int]]:
    """Have a command take its arguments and options as one object: `kind` is a dataclass with a
    field for each of them."""

    def decorate(command: Callable[[OptionsOf], int]) -> Callable[..., int]:
        @wraps(command)
        def with_values(**values: Any) -> int:
            return command(kind(**values))

        return with_values

    return decorate


OptionsOf = TypeVar("OptionsOf")

json_option = click.option(
    "--json", "as_json", is_flag=True, help="Print JSON, for other programs."
)
table_option = click.option("--table", metavar="NAME", help="Output table, if there are several.")
cross_option = click.option(
    "-o",
    "--output",
    type=click.Path(path_type=Path),
    metavar="OUT",
    help="Write a file (.csv or .xlsx).",
)
chart_option = click.option(
    "--chart",
    type=click.Path(path_type=Path),
    metavar="OUT",
    help="Draw a chart (.png, .svg or .pdf).",
)
overwrite_option = click.option(
    "--overwrite",
    is_flag=True,
    help="Replace a file even if this program did not write it, or it was changed since.",
)
memory_per_file = click.option(
    "--memory-per-file",
    type=click.IntRange(min=1),
    default=Limits().mebibytes,
    show_default=True,
    metavar="MIB",
    help="Memory that one file may take; with more memory it also gets more time.",
)


why_option = click.option(
    "--why", required=True, metavar="TEXT", help="Why; it stands in every account."
)
who_option = click.option("--who", metavar="NAME", help="Who decided it; else who is logged in.")
until_option = click.option(
    "--until", metavar="DAY", help="The last day on which it holds, as 2026-12-31."
)


def decided_by(who: str | None) -> str:
    """Who decides: the given name, else the user who is logged in. Raises CallError if there is
    none."""
    import getpass

    if who is not None:
        return who.strip()
    try:
        return getpass.getuser()
    except (KeyError, OSError, ImportError):  # nobody by that number, or no such module
        raise CallError("say who decides it: --who NAME") from None


class PairType(click.ParamType):  # type: ignore[type-arg]  # of newer versions alone
    """A field and its value, as FIELD=VALUE."""

    name = "FIELD=VALUE"

    def convert(
        self, value: Any, param: click.Parameter | None, ctx: click.Context | None
    ) -> tuple[str, str]:
        """The field and the value. Raises CallError if the text is no pair, or more than one."""
        # Click may convert a value twice: a pair stays what it is.
        if isinstance(value, tuple):
            return value
        field, sign, text = str(value).partition("=")
        if not sign or not field.strip():
            raise CallError(f"--where: “{value}” is not FIELD=VALUE")
        # A search for the value “1,b=2” would find nothing, and its message would not say why.
        if "=" in text and "," in text:
            raise CallError(f"--where: “{value}” names several: give the option once for each")
        return field.strip(), text.strip()


Decorator = Callable[[Callable[..., Any]], Callable[..., Any]]

where_option = click.option(
    "--where", type=PairType(), multiple=True, metavar="FIELD=VALUE",
    help="Only records that have this value (repeatable).",
)  # fmt: skip


def fields_option(name: str, text: str) -> Decorator:
    """An option that takes fields, repeated or separated by commas."""

    def parted(
        ctx: click.Context, option: click.Parameter, values: Sequence[str]
    ) -> tuple[str, ...]:
        fields = [field.strip() for value in values for field in value.split(",") if field.strip()]
        # A lone comma would otherwise count as no option at all.
        if values and not fields:
            raise CallError(f"{name}: name one field or several, such as nursery,month")
        return tuple(fields)

    return click.option(
        name, multiple=True, metavar="FIELD,…", callback=parted, help=f"{text} (repeatable)."
    )


class _FileLike(click.ParamType):  # type: ignore[type-arg]  # of newer versions alone
    """A value that is most often a file: shells complete it as one."""

    def shell_complete(
        self, ctx: click.Context, param: click.Parameter, incomplete: str
    ) -> list[CompletionItem]:
        """Leave it to the shell."""
        return [CompletionItem(incomplete, type="file")]


class OutType(_FileLike):
    """A file to write, by its path or address; - is standard output."""

    name = "out"


OUT = OutType()


class PlaceType(_FileLike):
    """A path, or the address of a database on a server."""

    name = "place"

    def convert(
        self, value: BasePlace | str, param: click.Parameter | None, ctx: click.Context | None
    ) -> BasePlace:
        """The path or the address."""
        from boreotabula.batch.remote.address import is_remote, without_password
        from boreotabula.stores.bases.address import DatabaseAddress, is_base_address

        if not isinstance(value, str):
            return value
        if is_base_address(value):
            return DatabaseAddress(value)
        if is_remote(value):
            raise CallError(
                f"“{without_password(value)}”: name a file of this machine, or a database such as"
                " postgresql://host/name; fetch an output from a server first, with its run folder"
            )
        return Path(value)


PLACE = PlaceType()


class SourceType(_FileLike):
    """A file or folder; one on a server is fetched, and the path is that of the copy."""

    name = "source"

    def convert(
        self, value: Path | str, param: click.Parameter | None, ctx: click.Context | None
    ) -> Path:
        """The path."""
        from boreotabula.batch.remote.address import is_remote, without_password

        if isinstance(value, Path) or not is_remote(value):
            return Path(value)
        from boreotabula.batch.remote.fetch import fetched_here
        from boreotabula.cli.printing import say

        path, mirrored = fetched_here(value)
        say(f"{without_password(value)}: {mirrored.fetched.said or 'no file'}", err=True)
        for name, why in mirrored.failed.items():
            say(f"! {name}: not fetched: {why}", err=True)
        return path


SOURCE = SourceType()


def limits(mebibytes: int) -> Limits:
    """The limits that --memory-per-file asks for."""
    return Limits(mebibytes)


def record_number(what: Sequence[str], where: Sequence[tuple[str, str]]) -> int | None:
    """The number of the record in a call, counted from 1; None if the call names it by values.

    Raises CallError if it names none, or both.
    """
    if where and not what:
        return None
    if len(what) == 1 and not where and what[0].isdigit() and int(what[0]):
        return int(what[0])
    raise CallError(
        "name a record by its number, counted from 1, or with --where FIELD=VALUE; for a cell of a"
        " workbook add --layout or --records"
    )
