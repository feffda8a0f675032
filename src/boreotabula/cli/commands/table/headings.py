"""`boreotabula headings`: every heading in the files, its field, and what unknown ones may mean."""

from __future__ import annotations

import sys
from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from pathlib import Path
from typing import TYPE_CHECKING, Any

import click

from boreotabula.cli.options import Command, json_option, limits, memory_per_file, options_as
from boreotabula.cli.printing import say, say_json
from boreotabula.errors import CallError
from boreotabula.texts import shell_word

if TYPE_CHECKING:
    from boreotabula.batch.headings.collect import HeadingList, HeadingUse
    from boreotabula.batch.headings.suggest import Suggestion
    from boreotabula.batch.layouts.load import Layout

EPILOG = """\b
Examples:
  boreotabula headings stock.toml
  boreotabula headings stock.toml --adopt         asks about each suggestion
  boreotabula headings stock.toml --adopt "Taimia kpl=seedlings"
  boreotabula headings stock.toml --adopt --yes --certainty 0.9

Adopted headings are added to the first CSV glossary of the layout; if it has none, headings.csv is
created next to it.

\b
Exit status:
  0 all headings are known
  1 some are unknown
  2 wrong call or layout
  3 nothing was read"""


@dataclass(frozen=True)
class HeadingsOptions:
    """The arguments and options of `boreotabula headings`."""

    layout: Path
    pairs: tuple[str, ...]
    adopt: bool
    yes: bool
    certainty: float
    memory_per_file: int
    as_json: bool


@click.command("headings", cls=Command, epilog=EPILOG)
@click.argument("layout", type=click.Path(path_type=Path))
@click.argument("pairs", nargs=-1, metavar="[HEADING=FIELD]...")
@click.option("--adopt", is_flag=True, help="Add accepted headings to the glossary.")
@click.option(
    "--yes", is_flag=True, help="With --adopt: accept all suggestions that are certain enough."
)
@click.option(
    "--certainty", type=click.FloatRange(0, 1), default=0.85, show_default=True, metavar="SHARE",
    help="Accept with --yes from this certainty on, from 0 to 1.",
)  # fmt: skip
@memory_per_file
@json_option
@options_as(HeadingsOptions)
def command(options: HeadingsOptions) -> int:
    """List all headings in the files of a LAYOUT, and the field that each one means.

    For unknown headings it suggests fields, by their words in all languages of the glossary and by
    the values below them.
    """
    from boreotabula.batch.headings.collect import list_headings
    from boreotabula.batch.headings.suggest import suggestions
    from boreotabula.batch.inputs import look
    from boreotabula.batch.layouts.load import Layout
    from boreotabula.cli import screen

    loaded = Layout.load(options.layout)
    places = [_pair(text) for text in options.pairs]
    if (places or options.yes) and not options.adopt:
        raise CallError("HEADING=FIELD and --yes go with --adopt, which writes the glossary")
    if places:
        return _adopt(loaded, places, as_json=options.as_json)
    inbox = look(loaded)
    with screen.counting("reading headings of", shown=not options.as_json) as (start, step):
        start(len(inbox.taken))
        headings = list_headings(
            loaded,
            inbox,
            limits(options.memory_per_file),
            lambda file_headings: step(file_headings.name),
        )
    suggested = suggestions(headings, loaded.plan)
    # So that a script can wait for a glossary that knows everything.
    status = 3 if not headings.tabs else 1 if headings.of("unknown") else 0
    if options.adopt:
        accepted = _accepted(
            headings, suggested, options.certainty if options.yes else None, loaded
        )
        return _adopt(loaded, accepted, as_json=options.as_json) if accepted else status
    if options.as_json:
        say_json(_described(headings, suggested))
        return status
    _print(headings, suggested, loaded, options.layout)
    return status


def _pair(text: str) -> tuple[str, str]:
    heading, sign, field = text.rpartition("=")
    if not (sign and heading.strip() and field.strip()):
        raise CallError(f'“{text}” is not HEADING=FIELD, such as "Taimia kpl=seedlings"')
    return heading.strip(), field.strip()


def _adopt(layout: Layout, pairs: Sequence[tuple[str, str]], *, as_json: bool) -> int:
    from boreotabula.batch.layouts.adopt import adopt, check_pairs
    from boreotabula.batch.layouts.load import Layout

    # All pairs are checked first: a glossary gets all of them, or none.
    fresh = check_pairs(layout, pairs)
    path = adopt(layout, fresh) if fresh else None
    Layout.load(layout.path)  # what was written is read again, so that it surely holds
    if as_json:
        adopted = [{"heading": heading, "field": field} for heading, field in fresh]
        new = path is not None and path not in layout.glossaries
        values = {
            "adopted": adopted, "glossary": path.name if path else None, "layout_edited": new,
        }  # fmt: skip
        say_json(values)
        return 0
    for heading, field in pairs:
        say(f"  {heading} → {field}" + ("" if (heading, field) in fresh else "  known already"))
    if path is not None:
        say(f"{_count(len(fresh), 'heading')} added to {path}; run extract again.")
        if path not in layout.glossaries:
            say(f'{layout.path} was edited too: it names the new file as glossary = "{path.name}".')
    return 0


def _accepted(
    headings: HeadingList,
    suggested: Mapping[str, Sequence[Suggestion]],
    certainty: float | None,
    layout: Layout,
) -> list[tuple[str, str]]:
    """The suggestions that are accepted: all that are certain enough, or one by one as asked."""
    unknown = headings.of("unknown")
    if not unknown:
        say("Every heading is known.")
        return []
    if certainty is not None:
        accepted = [
            (use.heading, suggestions[0].field)
            for use in unknown
            if (suggestions := suggested[use.heading]) and suggestions[0].certainty >= certainty
        ]
        left = len(unknown) - len(accepted)
        if left:
            say(f"{_count(left, 'unknown heading')} not certain enough ({certainty:g}).", err=True)
        return accepted
    if not sys.stdin.isatty():
        raise CallError(
            "--adopt asks on a terminal; elsewhere say HEADING=FIELD, or --yes with --certainty"
        )
    return _asked(unknown, suggested, layout)


def _asked(
    unknown: Sequence[HeadingUse], suggested: Mapping[str, Sequence[Suggestion]], layout: Layout
) -> list[tuple[str, str]]:
    accepted: list[tuple[str, str]] = []
    say("Enter takes the suggestion; or type another field, “-” to pass, “q” to end.\n")
    for use in unknown:
        suggestions = suggested[use.heading]
        for line in _about(use, suggestions):
            say(line)
        while True:
            answer = click.prompt(
                f"  “{use.heading}” means", default=suggestions[0].field if suggestions else "-"
            ).strip()
            if answer in ("-", "q") or answer in layout.spec.fields:
                break
            say(f"  no field “{answer}”; there are {', '.join(layout.spec.fields)}")
        # What was accepted so far is kept.
        if answer == "q":
            break
        if answer != "-":
            accepted.append((use.heading, answer))
    return accepted


def _count(number: int, what: str) -> str:
    return f"{number:,} {what}" + ("" if number == 1 else "s")


def _about(use: HeadingUse, suggestions: Sequence[Suggestion]) -> list[str]:
    """An unknown heading, in lines: where it stands, the cells below it, what it may mean."""
    file, tab, cell = use.first
    where = " › ".join(part for part in (file, tab, cell) if part)
    tabs = f"{_count(len(use.places), 'tab')} of {_count(len(use.files), 'file')}"
    lines = [f"“{use.heading}”  {tabs}, first {where}"]
    profile = use.profile
    holds = f"{_count(profile.filled, 'cell')}"
    if profile.filled:
        ranged = "" if profile.least is None else f" {profile.least:g} to {profile.most:g}"
        sample = "" if ranged else ": " + ", ".join(profile.sample[:3])
        holds += f", {profile.kind}{ranged}{sample}"
    lines.append(f"  {holds}")
    lines += [
        f"  → {one.field}, certainty {one.certainty:.2f}: {one.why}" for one in suggestions[:2]
    ]
    if not suggestions:
        lines.append("  → nothing similar among the fields that its tabs are missing")
    return lines


def _print(
    headings: HeadingList,
    suggested: Mapping[str, Sequence[Suggestion]],
    layout: Layout,
    path: Path,
) -> None:
    from boreotabula.cli import screen
    from boreotabula.cli.tables import print_table

    console = screen.out()
    title = layout.spec.title or path.stem
    console.print(
        f"Headings of {title}: {_count(headings.tabs, 'tab')} of"
        f" {_count(headings.files, 'file')}\n",
        markup=False,
    )
    known = _known_rows(headings, layout)
    if known:
        print_table(
            console, ("heading", "means", "tabs", "files", "first in"), known, ("tabs", "files")
        )
    for file, why in headings.troubles:
        console.tell(f"not read: {file}: {why}")
    unknown = headings.of("unknown")
    if not unknown:
        console.print("\nEvery heading is known.")
        return
    console.print(f"\n{_count(len(unknown), 'unknown heading')}:\n", style="bold red")
    for use in sorted(unknown, key=lambda use: len(use.places), reverse=True):
        for line in _about(use, suggested[use.heading]):
            console.tell(line)
    best = next((suggestions[0] for suggestions in suggested.values() if suggestions), None)
    layout_word = shell_word(str(path))
    pair = f"{best.heading}={best.field}" if best else f"{unknown[0].heading}=FIELD"
    console.print("\nTo add them to the glossary:")
    console.tell(f"  boreotabula headings {layout_word} --adopt    asks for each of them")
    console.tell(f"  boreotabula headings {layout_word} --adopt {shell_word(pair)}")


def _known_rows(headings: HeadingList, layout: Layout) -> list[list[str]]:
    """The headings with a meaning, in the order of the layout."""
    order = {field: index for index, field in enumerate(["", *layout.spec.fields])}
    uses = sorted(headings.uses, key=lambda use: (_ORDER.index(use.role), order[use.field]))
    return [
        [
            use.heading, _meaning(use), str(len(use.places)), str(len(use.files)),
            " › ".join(part for part in use.first if part),
        ]
        for use in uses if use.role != "unknown"
    ]  # fmt: skip


_ORDER = ("column", "level", "total", "ignored", "unknown")


def _meaning(use: HeadingUse) -> str:
    words = {"total": "(totals)", "ignored": "(ignored)", "level": f"a value of {use.field}"}
    return words.get(use.role, use.field)


def _described(
    headings: HeadingList, suggested: Mapping[str, Sequence[Suggestion]]
) -> dict[str, Any]:
    return {
        "files": headings.files,
        "tabs": headings.tabs,
        "headings": [
            {
                "heading": use.heading,
                "spellings": use.spellings,
                "role": use.role,
                "field": use.field or None,
                "tabs": len(use.places),
                "files": use.files,
                "first": dict(zip(("file", "tab", "cell"), use.first, strict=True)),
                "cells": {
                    "filled": use.profile.filled,
                    "kinds": use.profile.kinds,
                    "least": use.profile.least,
                    "most": use.profile.most,
                    "sample": use.profile.sample[:3],
                },
                "suggestions": [
                    {
                        "field": suggestion.field,
                        "certainty": suggestion.certainty,
                        "why": suggestion.why,
                    }
                    for suggestion in suggested.get(use.heading, ())
                ],
            }
            for use in headings.uses
        ],
        "not_read": [{"file": file, "why": why} for file, why in headings.troubles],
    }
