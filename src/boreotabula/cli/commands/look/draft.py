"""`boreotabula draft`: a first layout, made from the files themselves."""

from __future__ import annotations

import sys
from collections.abc import Sequence
from dataclasses import dataclass, replace
from pathlib import Path
from typing import TYPE_CHECKING, Any

import click

from boreotabula.batch.remote.address import as_named
from boreotabula.cli.options import (
    SOURCE,
    Command,
    json_option,
    limits,
    memory_per_file,
    options_as,
)
from boreotabula.cli.printing import say, say_json
from boreotabula.cli.proposals import draft_again
from boreotabula.errors import CallError
from boreotabula.findings.kind import Severity
from boreotabula.texts import agreeing, command_line, counted

if TYPE_CHECKING:
    from boreotabula.batch.draft import Drafting
    from boreotabula.batch.run.outcome import Run
    from boreotabula.drafting.doubts import Doubt
    from boreotabula.drafting.draft import Draft
    from boreotabula.drafting.tabs.specimens import LeftOut, TabFamily
    from boreotabula.limits import Limits

EPILOG = """\b
Examples:
  boreotabula draft inbox                    show the layout and what it gives
  boreotabula draft inbox -o stock.toml      write it
  boreotabula draft inbox/2026-04/*          from these files only
  boreotabula draft inbox --ask              answer its questions here
  boreotabula draft inbox --halves           try it on tabs that it was not made from
  boreotabula draft inbox --like "Bench 1"   for tabs like this one
  boreotabula draft --again stock.toml       propose changes to it

\b
Exit status:
  0 nothing to check
  1 drafted, with errors or questions that change records
  2 wrong call
  3 nothing to draft from
With --again these tell how the files are read with the changes."""


@dataclass(frozen=True)
class DraftOptions:
    """The arguments and options of `boreotabula draft`."""

    places: Sequence[Path]
    output: Path | None
    like: str
    again: Path | None
    ask: bool
    halves: bool
    memory_per_file: int
    as_json: bool


@click.command("draft", cls=Command, epilog=EPILOG)
@click.argument("places", type=SOURCE, nargs=-1, metavar="FOLDER|FILE...")
@click.option("-o", "--output", type=click.Path(path_type=Path), help="Write the layout there.")
@click.option(
    "--like", default="", metavar="TAB|FILE", help="Draft a layout for tabs like this one."
)
@click.option(
    "--again", type=click.Path(path_type=Path), metavar="LAYOUT",
    help="Propose changes to this layout as a diff; your lines stay.",
)  # fmt: skip
@click.option("--ask", is_flag=True, help="Ask in the terminal what the tabs do not tell.")
@click.option(
    "--halves", is_flag=True,
    help="Also draft from each half of the tabs; ask where it reads the other half differently.",
)  # fmt: skip
@memory_per_file
@json_option
@options_as(DraftOptions)
def command(options: DraftOptions) -> int:
    """Work out a layout from the files of a folder, or from some files, and show what it gives.

    All reports of these files are read by one layout. It is tried on every file that it takes; what
    it is not sure of is asked, and what it does not read is named. An existing layout is never
    replaced.
    """
    if options.again is not None:
        if options.places or options.like or options.ask or options.halves:
            raise click.UsageError(
                "--again reads the folders that its layout names, and asks nothing; name no other."
            )
        return draft_again(options.again, options.output, options.memory_per_file, options.as_json)
    if not options.places:
        raise click.UsageError("Name the folder with the files; or a layout, with --again.")
    if options.ask and (options.as_json or not sys.stdin.isatty()):
        raise click.UsageError("--ask needs a terminal; --json prints the questions.")
    from boreotabula.batch.draft import Progress, check_new, draft_from, places_of, write_draft
    from boreotabula.cli import screen
    from boreotabula.drafting.asking.questions import changes_records, questions

    # Told before the files are read, not after.
    if options.output is not None:
        _check_kind(options.output)
        check_new([options.output])
    folder, files = places_of(options.places)

    bounds = limits(options.memory_per_file)
    with screen.counting("looking into", shown=not options.as_json) as (start, step):
        drafting = draft_from(
            folder, files, options.like, bounds, Progress(start, step), halves=options.halves
        )
    drafted, run = drafting.draft, drafting.run
    # Status 3, as for a run that reads nothing.
    if drafted is None or run is None or not _is_any(drafted):
        why = _why_nothing(drafting)
        say_json({"layout": None, "why": why}) if options.as_json else say(why)
        return 3
    doubts = questions(drafted, run.findings, (run.record_count, drafting.other_records))
    if options.ask:
        answered = replace(drafting, draft=drafted, run=run)
        drafting, drafted, doubts = _asked(answered, doubts, folder, bounds)
        run = drafting.run or run
    written = write_draft(drafted, options.output, folder) if options.output else []
    if options.as_json:
        say_json(_described(drafting, drafted, run, doubts, folder))
    else:
        _print(drafting, drafted, run, doubts, folder, written)
    # Scripts must not take a layout with open questions for a finished one.
    return 1 if any(map(changes_records, doubts)) or _placed(run) < _LEAST_PLACED else 0


def _check_kind(output: Path) -> None:
    """Raises CallError for a name that no layout can have."""
    if output.suffix.lower() != ".toml":
        raise CallError(
            f"“{output}”: -o names the layout that is written, such as {output.stem}.toml; the"
            " records come from boreotabula extract"
        )


def _asked(
    drafting: Drafting, doubts: Sequence[Doubt], folder: Path, bounds: Limits
) -> tuple[Drafting, Draft, list[Doubt]]:
    """The draft after a person's answers, tried on all files; and the open questions."""
    from boreotabula.batch.draft import tried_on_all
    from boreotabula.drafting.asking.questions import questions

    drafted, run = drafting.draft, drafting.run
    assert drafted is not None and run is not None
    if _is_other_reading(doubts):
        drafted = drafted.otherwise()
        drafting = tried_on_all(drafting, drafted, folder, bounds)
        run = drafting.run or run
    # What the tabs are is said by now.
    doubts = questions(replace(drafted, runner_up=None), run.findings)
    drafted, doubts = _answered(drafted, doubts)
    known = replace(drafted, runner_up=None)
    return tried_on_all(drafting, known, folder, bounds), drafted, doubts


def _is_other_reading(doubts: Sequence[Doubt]) -> bool:
    """Whether the answer is that the tabs are what was not taken."""
    from boreotabula.cli import screen
    from boreotabula.drafting.asking.questions import READING

    doubt = next((doubt for doubt in doubts if doubt.kind == READING), None)
    if doubt is None:
        return False
    screen.err().tell(f"\n{doubt.text}", "bold")
    screen.err().tell(f"  {doubt.where}", "dim")
    return _answer(doubt) != doubt.choices[0]


def _answered(drafted: Draft, doubts: Sequence[Doubt]) -> tuple[Draft, list[Doubt]]:
    """A draft with the answers of the person at the terminal, and the remaining questions."""
    from boreotabula.cli import screen
    from boreotabula.drafting.asking.answers import answered, can_be_answered

    console = screen.err()
    sketch = drafted.sketch
    # Errors need a change by hand; they are printed after the answers.
    left = [doubt for doubt in doubts if not can_be_answered(doubt)]
    mine = [doubt for doubt in doubts if can_be_answered(doubt)]
    for number, doubt in enumerate(mine, 1):
        console.tell(f"\n{number} of {len(mine)}  {doubt.text}", "bold")
        console.tell(f"  {doubt.where}", "dim")
        # A name that is taken or invalid is asked for again.
        while True:
            try:
                sketch = answered(sketch, doubt, _answer(doubt))
            except ValueError as error:
                console.tell(f"  {error}")
            else:
                break
    return replace(drafted, sketch=sketch), left


def _answer(doubt: Doubt) -> str:
    """The person's answer: a name, or the number of a choice; Enter for what was taken."""
    if doubt.kind == "name":
        return str(click.prompt("  name", default=doubt.column, err=True)).strip()
    for number, choice in enumerate(doubt.choices, 1):
        # On stderr, because the layout itself may go to stdout.
        click.echo(f"  {number}  {choice}", err=True)
    numbers = click.IntRange(1, len(doubt.choices))
    return doubt.choices[click.prompt("  number", type=numbers, default=1, err=True) - 1]


_LEAST_PLACED = 0.95
"""A draft that leaves more cells unplaced needs a look, whatever it asks."""


def _is_any(drafted: Draft) -> bool:
    """Whether the layout gives records of a table, or of several labels: a single label is a
    letter."""
    fields = drafted.sketch.fields
    return bool(
        drafted.judged.records
        and (drafted.sketch.block or drafted.sketch.listed or len(fields) > 1)
    )


def _why_nothing(drafting: Drafting) -> str:
    if not drafting.looked:
        return "There is no file in this folder to draft a layout from."
    # The first reason stands for all, so that a thousand files do not make a thousand lines.
    if len(drafting.unreadable) == len(drafting.looked):
        first = drafting.unreadable[0]
        every = len(drafting.looked)
        return f"None of the {every} files can be read; {first.file}: {first.unreadable}."
    if not any(file.sheets for file in drafting.looked):
        return "All tabs of these files are empty."
    return (
        "No tab has a table, or labels with values: these files hold only texts, or too little to"
        " recognise a form. `boreotabula show FILE` shows what they hold."
    )


def _placed(run: Run) -> float:
    filled = run.account.filled
    return 1 - len(run.unplaced) / filled if filled else 1.0


def _account(run: Run) -> str:
    """The figures of a run over all files that the layout takes."""
    tabs = sum(len(file.tabs) for file in run.files)
    placed = f"{int(_placed(run) * 1000) / 10:g} % of {run.account.filled:,} filled cells placed"
    read = f"{counted(tabs, 'tab')} of {counted(len(run.files), 'file')}"
    read += f", {counted(run.record_count, 'record')}"
    totals = agreeing(run.totals.agree, run.totals.printed)
    return ", ".join([read, placed, *([totals] if run.totals.printed else [])])


_MOST_ASKED = 7
"""This many questions are printed in full; the others in a line each."""


def _print(
    drafting: Drafting, drafted: Draft, run: Run, doubts: Sequence[Doubt], folder: Path,
    written: list[Path],
) -> None:  # fmt: skip
    from boreotabula.cli import screen

    # The layout alone is the result, if it is not written: it can be redirected.
    console = screen.out() if written else screen.err()
    # Two layouts in one folder would otherwise share a glossary.
    glossary = f"{written[0].stem}-headings.csv" if written else "headings.csv"
    text = drafted.sketch.text(as_named(folder), glossary)
    if not written:
        say(text, whole=True)
        for heading, name in drafted.sketch.glossary.items():
            seen = drafted.sketch.seen.get(heading, "")
            say(f"# {glossary}: {heading},{name},{seen}", whole=True)
    console.print(_account(run), style="bold")
    for file in drafting.unreadable:
        console.print(f"  not read: {file.file}: {file.unreadable}")
    if drafting.more:
        console.print(f"  drafted from {len(drafting.looked):,} files, and tried on all")
    if doubts:
        console.print("\nQuestions for you", style="bold")
    for number, asks in enumerate(doubts, 1):
        if number > _MOST_ASKED:
            console.tell(f"  {number}. {asks.text} ({asks.where})")
            continue
        console.tell(f"  {number}. {asks.text}")
        console.tell(f"     {asks.where}", "dim")
        console.tell(f"     → {asks.change}")
    _print_left_out(console, drafting.left_out)
    _print_others(console, drafted.others, folder)
    for path in written:
        console.print(f"  written   {path}")
    if written:
        stem = written[0].with_suffix("")
        # Several tables go into a folder.
        ending = "" if len(drafted.sketch.tables) > 1 else ".csv"
        say(f"\nNext: {command_line('extract', written[0], '-o', f'{stem}{ending}')}")
    else:
        call = command_line("draft", as_named(folder), "-o", "NAME.toml")
        say(f"\nNext: {call} writes it.", err=True)


def _print_left_out(console: Any, left_out: Sequence[LeftOut]) -> None:
    """What is not read: a line for each reason, with its first place."""
    reasons: dict[str, list[LeftOut]] = {}
    for omission in left_out:
        # A thousand files of one kind would otherwise be a thousand lines.
        reasons.setdefault(omission.why, []).append(omission)
    if reasons:
        console.print("\nNot read", style="bold")
    for why, reason in reasons.items():
        place = " › ".join(filter(None, (reason[0].file, reason[0].tab)))
        extra = f" (and {len(reason) - 1} more)" if len(reason) > 1 else ""
        console.tell(f"  {place}{extra}: {why}")


def _print_others(console: Any, other_kinds: Sequence[TabFamily], folder: Path) -> None:
    """The other kinds of tabs, each with the command that drafts it."""
    # Tabs without a table are notes and covers, which hardly need a layout.
    with_tables = [kind for kind in other_kinds if kind.examples and kind.examples[0].shapes]
    if with_tables:
        console.print("\nOther kinds of tabs", style="bold")
    for one in with_tables[:_MOST_OTHERS]:
        first = one.examples[0].specimen
        place = " › ".join(filter(None, (first.file, first.tab)))
        # A tab's name tells the kind only if no other kind has it.
        again = sum(first.tab == kind.examples[0].specimen.tab for kind in other_kinds)
        named = first.tab if first.tab and again == 1 else first.file
        command = command_line("draft", as_named(folder), "--like", named)
        tabs = counted(len(one.examples), "tab")
        console.tell(f"  {tabs} like {place}: {command}")


_MOST_OTHERS = 5


def _described(
    drafting: Drafting, drafted: Draft, run: Run, doubts: Sequence[Doubt], folder: Path
) -> dict[str, Any]:
    return {
        "layout": drafted.sketch.text(as_named(folder), "headings.csv"),
        "headings": drafted.sketch.glossary,
        "tabs": sum(len(file.tabs) for file in run.files),
        "files": len(run.files),
        "records": run.record_count,
        "cells_filled": run.account.filled,
        "cells_unplaced": len(run.unplaced),
        "totals_printed": run.totals.printed,
        "totals_agree": run.totals.agree,
        "errors": run.severities[Severity.ERROR],
        "questions": [
            {
                "kind": doubt.kind, "text": doubt.text, "file": doubt.file, "tab": doubt.tab,
                "cell": doubt.cell, "column": doubt.column, "choices": doubt.choices,
                "taken": doubt.choices[0] if doubt.choices else "", "records": doubt.records,
                "change": doubt.change,
            }
            for doubt in doubts
        ],
        "left_out": drafting.left_out,
    }  # fmt: skip
