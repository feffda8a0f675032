"""`boreotabula survey`: what came in, what belongs, and what looks alike."""

from __future__ import annotations

from collections.abc import Iterator, Mapping, Sequence
from itertools import groupby
from pathlib import Path
from typing import TYPE_CHECKING, Any, NamedTuple

import click

from boreotabula.batch.remote.address import as_named
from boreotabula.cli.options import SOURCE, Command, json_option, limits, memory_per_file
from boreotabula.cli.printing import say_json
from boreotabula.errors import CallError
from boreotabula.texts import command_line, counted

if TYPE_CHECKING:
    from boreotabula.batch.survey import Alike, FileSurvey, Survey, TabSurvey

EPILOG = """\b
Examples:
  boreotabula survey inbox          all files and tabs, and which look alike
  boreotabula survey stock.toml     the same, and what the layout would read

\b
Exit status:
  0 done
  2 wrong call or layout"""


@click.command("survey", cls=Command, epilog=EPILOG)
@click.argument("target", type=SOURCE, metavar="FOLDER|LAYOUT")
@click.option("--odd", is_flag=True, help="List only the files and tabs that differ from most.")
@memory_per_file
@json_option
def command(target: Path, odd: bool, memory_per_file: int, as_json: bool) -> int:
    """List all files and tabs of a folder, or of the source folders of a layout.

    Lists each file and tab, what is left out and why, and groups the tabs that look alike: the same
    labels and headings, wherever they are and whatever the values. With a layout, headings count as
    the field they mean, whatever the language, and the tabs that it would read are marked.
    """
    from boreotabula.batch.layouts.load import Layout
    from boreotabula.batch.survey import survey
    from boreotabula.cli import screen

    if not target.exists() and target.suffix != ".toml":
        raise CallError(f"there is no folder or layout “{target}”")
    layout = None if target.is_dir() else Layout.load(target)
    with screen.counting("looking into", shown=not as_json) as (start, step):
        seen = survey(
            target,
            layout,
            limits(memory_per_file),
            lambda file_survey: step(file_survey.name),
            start,
        )
    if as_json:
        say_json(_described(seen))
        return 0
    _print(seen, target, with_layout=layout is not None, odd=odd)
    return 0


def _letters(survey: Survey) -> dict[tuple[str, str], str]:
    """A letter for each group of several tabs, and for the largest group; '' for single tabs."""
    from boreotabula.layout.addresses import column_letters

    letters: dict[tuple[str, str], str] = {}
    for index, group in enumerate(survey.groups):
        for place in group.tabs:
            letters[place] = column_letters(index)
    return letters


def _described(survey: Survey) -> dict[str, Any]:
    letters = _letters(survey)
    return {
        "files": [
            {
                "file": file.name,
                "size": file.size,
                "left_out": file.why_left_out,
                "unreadable": file.unreadable,
                "kind": file.kind,
                "remarks": file.remarks,
                "said": file.said,
                "tabs": [
                    {
                        "tab": tab.name,
                        "visibility": tab.visibility,
                        "filled_rows": tab.rows,
                        "filled_columns": tab.columns,
                        "starts_at": tab.start,
                        "tables": tab.tables,
                        "names": tab.names,
                        "hidden_rows": tab.hidden[0],
                        "hidden_columns": tab.hidden[1],
                        "merged": tab.merged,
                        "first_texts": tab.texts,
                        "group": letters.get((file.name, tab.name), ""),
                        "unreadable": tab.unreadable,
                        "read_by_layout": tab.chosen,
                        "captured": tab.captured,
                    }
                    for tab in file.tabs
                ],
            }
            for file in survey.files
        ],
        "groups": [
            {
                "group": letters[group.tabs[0]],
                "tabs": [{"file": file, "tab": tab} for file, tab in group.tabs],
                "headings": [group.frame.written(text) for *_, text in group.frame.headings],
                "shape": group.frame.shape,
                "labels": [group.frame.written(text) for text in sorted(group.frame.labels)],
                "like": None if group.like is None else letters[survey.groups[group.like].tabs[0]],
                "differs": group.differs.said if group.differs else "",
            }
            for group in survey.groups
        ],
    }


def _print(survey: Survey, target: Path, *, with_layout: bool, odd: bool) -> None:
    from rich.text import Text

    from boreotabula.cli import screen

    console = screen.out()
    console.tell(Text.assemble((as_named(target), "bold"), f" · {_totals(survey.files)}"))
    console.print()
    letters = _letters(survey)
    # The largest group counts as usual: only what differs from it is coloured.
    usual = letters[survey.groups[0].tabs[0]] if survey.groups else ""
    last = "read, and fields from names" if with_layout else "what else"
    rows = []
    for kind, files in groupby(survey.files, lambda file: _bare_kind(file, letters, with_layout)):
        several = list(files)
        if kind and len(several) > _FEW_BARE:
            rows += [] if odd and kind == usual else [_bare_row(several, kind, usual)]
            continue
        for file in several:
            rows += _rows(file, letters, usual, with_layout=with_layout, odd=odd)
    if rows:
        screen.listing([_Row("file", "tab", "filled", "from", "like", last, "bold"), *rows])
    elif odd:
        console.print("All files would be read, and all tabs look alike.")
    _print_groups(survey.groups, letters, None if with_layout else target)


_FEW_BARE = 3
"""More text files of one kind in sequence, without headings, share a line."""


def _bare_kind(file: FileSurvey, letters: Mapping[tuple[str, str], str], with_layout: bool) -> str:
    """The letter of the kind of a text file without headings; empty if there is more to report."""
    if with_layout or len(file.tabs) != 1 or _told(file):
        return ""
    (tab,) = file.tabs
    bare = not tab.name and tab.frame is not None and tab.frame.shape and not tab.frame.labels
    return letters.get((file.name, tab.name), "") if bare else ""


def _told(file: FileSurvey) -> list[str]:
    """The remarks about a file besides its tabs."""
    return [remark for remark in file.remarks if "whatever its ending" in remark] + list(file.said)


def _bare_row(files: Sequence[FileSurvey], letter: str, usual: str) -> _Row:
    """One line for text files of one kind."""
    tabs = [file.tabs[0] for file in files]
    rows = sorted({tab.rows for tab in tabs})
    height = f"{rows[0]}" if len(rows) == 1 else f"{rows[0]}–{rows[-1]}"
    return _Row(
        f"{files[0].name} … {files[-1].name}",
        "(text)",
        f"{height} × {tabs[0].columns}",
        tabs[0].start,
        letter,
        f"{len(files)} files",
        "" if letter == usual else "magenta",
    )


class _Row(NamedTuple):
    """A line of the listing; `style` is that of the whole line."""

    file: str = ""
    tab: str = ""
    filled: str = ""
    start: str = ""
    like: str = ""
    notes: str = ""
    style: str = ""


def _totals(files: Sequence[FileSurvey]) -> str:
    kinds: dict[str, int] = {}
    for file in files:
        what = "left out" if file.why_left_out else "unreadable" if file.unreadable else file.kind
        kinds[what] = kinds.get(what, 0) + 1
    parts = [f"{number} {_plural(what, number)}" for what, number in kinds.items()]
    return f"{len(files)} file{'' if len(files) == 1 else 's'}: {', '.join(parts) or 'none'}"


def _plural(what: str, number: int) -> str:
    article, _, noun = what.partition(" ")
    return f"{noun}{'' if number == 1 else 's'}" if article in ("a", "an") else what


def _rows(
    file: FileSurvey,
    letters: Mapping[tuple[str, str], str],
    usual: str,
    *,
    with_layout: bool,
    odd: bool,
) -> Iterator[_Row]:
    """The rows of one file: one for each tab, the file's name on the first."""
    if file.why_left_out:
        yield _Row(file.name, notes=f"left out: {file.why_left_out}", style="dim")
        return
    if file.unreadable:
        yield _Row(file.name, notes=f"unreadable: {file.unreadable}", style="bold red")
        return
    name = file.name
    remarks = _told(file)
    for tab in file.tabs:
        letter = letters.get((file.name, tab.name), "")
        if odd and letter == usual and not remarks and tab.chosen is not False:
            continue
        yield _Row(
            name,
            tab.name or "(text)",
            f"{tab.rows} × {tab.columns}" if tab.rows else "",
            tab.start,
            letter,
            "; ".join([*_tab_notes(tab, with_layout), *remarks]),
            "" if letter == usual else "magenta",
        )
        # Once for each file, on its first line.
        name, remarks = "", []


def _tab_notes(tab: TabSurvey, with_layout: bool) -> Iterator[str]:
    if with_layout:
        captured = ", ".join(f"{field} = {text}" for field, text in tab.captured.items())
        yield ("read" + (f": {captured}" if captured else "")) if tab.chosen else "not read"
    if tab.unreadable:
        yield f"unreadable: {tab.unreadable}"
    elif tab.blank:
        yield "blank"
    if tab.visibility.value != "visible":
        yield tab.visibility.value
    rows, columns = tab.hidden
    hidden = [counted(rows, "row")] * bool(rows) + [counted(columns, "column")] * bool(columns)
    if hidden:
        yield f"hidden: {' and '.join(hidden)}"
    if tab.merged:
        yield f"{counted(tab.merged, 'merged range')}"
    if tab.tables:
        yield f"table {', '.join(tab.tables)}"
    if tab.names:
        yield f"name{'s' * (len(tab.names) > 1)} {', '.join(tab.names)}"
    if tab.texts and not with_layout:
        yield " · ".join(f"“{_shortened(text)}”" for text in tab.texts)


def _shortened(text: str) -> str:
    return text if len(text) <= _LONGEST_TEXT else text[: _LONGEST_TEXT - 1] + "…"


_LONGEST_TEXT = 28


def _kinds(groups: Sequence[Alike], letters: Mapping[tuple[str, str], str]) -> str:
    """The number of kinds of tabs, and of tabs of each kind."""
    if len(groups) == 1:
        tabs = len(groups[0].tabs)
        every = {1: "1 tab", 2: "Both tabs are alike"}
        return every.get(tabs, f"All {tabs:,} tabs are alike")
    counts = [f"{letters[group.tabs[0]]} {len(group.tabs):,}" for group in groups]
    more = len(counts) - _MOST_COUNTED
    rest = [f"and {more} more"] if more > 0 else []
    return f"{len(groups)} kinds of tabs: {', '.join([*counts[:_MOST_COUNTED], *rest])}"


_MOST_COUNTED = 8
_MOST_LISTED = 4


def _print_groups(
    groups: Sequence[Alike], letters: Mapping[tuple[str, str], str], folder: Path | None
) -> None:
    """The groups of tabs that look alike; for a `folder` without a layout, also how to draft
    one."""
    from rich.table import Table
    from rich.text import Text

    from boreotabula.cli import screen

    if not groups:
        return
    console = screen.out()
    console.print()
    console.print(_kinds(groups, letters), style="bold", markup=False)
    table = Table(box=None, pad_edge=False, padding=(0, 2, 0, 0), show_header=False)
    table.add_column(no_wrap=True)
    table.add_column(justify="right", no_wrap=True)
    table.add_column(overflow="fold")
    for group in groups:
        heads = ", ".join(dict.fromkeys(group.frame.written(t) for *_, t in group.frame.headings))
        heads = heads or group.frame.shape
        count = f"{len(group.tabs)} in {len(group.files)}"
        where = ", ".join(
            f"{file} › {tab}" if tab else file for file, tab in group.tabs[:_MOST_LISTED]
        )
        number = len(group.tabs) - _MOST_LISTED
        where += f" and {number} more" if number > 0 else ""
        message = Text(heads)
        if group.like is not None:
            like = letters[groups[group.like].tabs[0]]
            differs = group.differs
            assert differs is not None  # it is like another one
            # “like A, but” would mislead where hardly anything is shared.
            other = differs.another_form
            message = Text(differs.said if other else f"like {like}, but {differs.said}")
            message.append(f"\n{where}", "dim")
        # Tabs of another form need a layout of their own.
        another = group.like is None or (group.differs is not None and group.differs.another_form)
        if folder is not None and another and heads:
            file, tab = group.tabs[0]
            only = ("--like", tab or file) if group.like is not None else ()
            call = command_line("draft", as_named(folder), *only)
            message.append(f"\n{call}", "dim italic")
        table.add_row(f"  {letters[group.tabs[0]]}", count, message)
    console.print(table)
