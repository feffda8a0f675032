"""`boreotabula mark`: faults marked in copies of the senders' workbooks, with a letter for each."""

from __future__ import annotations

from dataclasses import dataclass
from datetime import date, datetime
from pathlib import Path
from typing import TYPE_CHECKING

import click

from boreotabula.cli.options import PLACE, Command, json_option, options_as, table_option
from boreotabula.cli.printing import say, say_json
from boreotabula.errors import CallError
from boreotabula.texts import counted

EPILOG = """\b
Examples:
  boreotabula mark stock.csv -o returns
  boreotabula mark stock.csv -o returns --by nursery --severity error \\
      --language nb
  boreotabula mark stock.csv -o returns --letter letter.txt
  boreotabula mark stock.csv --check returns
  boreotabula mark stock.csv -o returns --expect sites.csv --across month \\
      --due 10

For each file with errors or warnings it writes a copy (.xlsx) in which the cells have a coloured
border and a note, a first tab that lists them with links, and a letter (.txt). The originals are
not changed. Copies of .xlsx files keep formulas and everything else; copies of other kinds keep
values.

With --expect it also writes a letter (reminder ….txt) to each sender whose report is not there
though it was due. SITES has a column for the sender, and may have “due” (days after a period) and
“language”.

\b
Your own letter is a jinja2 template with subject, name, file, count and
faults (tab, cell, text).

\b
Exit status:
  0 done, with --check all corrected
  1 a file could not be marked, with --check some are not corrected
  2 wrong call"""


if TYPE_CHECKING:
    from boreotabula.review.mark.mark import Returns
    from boreotabula.review.mark.reminders import Reminder
    from boreotabula.stores.bases.base import BasePlace
    from boreotabula.stores.saved import SavedOutput


@dataclass(frozen=True)
class MarkOptions:
    """The arguments and options of `boreotabula mark`."""

    records: BasePlace
    output: Path | None
    check: Path | None
    severity: str
    by: str | None
    language: str
    letter: Path | None
    expect: Path | None
    across: str | None
    due: int | None
    day: datetime | None
    table: str | None
    as_json: bool


@click.command("mark", cls=Command, epilog=EPILOG)
@click.argument("records", type=PLACE, metavar="RECORDS")
@click.option(
    "-o", "--output", type=click.Path(path_type=Path), metavar="FOLDER",
    help="Folder for the copies and letters.",
)  # fmt: skip
@click.option("--check", type=click.Path(path_type=Path), metavar="FOLDER",
              help="Check which faults marked in this folder are corrected by now.")  # fmt: skip
@click.option(
    "--severity", type=click.Choice(["error", "warning", "note"]), default="warning",
    show_default=True, help="Mark findings of this severity and above.",
)  # fmt: skip
@click.option("--by", metavar="FIELD", help="Make a folder for each value of a field.")
@click.option("--language", default="en", show_default=True, metavar="CODE",
              help="Language of notes and letters: en, nb, fi, de.")  # fmt: skip
@click.option("--letter", type=click.Path(path_type=Path), metavar="FILE",
              help="Your own template for the letters.")  # fmt: skip
@click.option(
    "--expect", type=click.Path(path_type=Path), metavar="SITES",
    help="Also remind those whose reports are missing, given who should report (CSV).",
)  # fmt: skip
@click.option("--across", metavar="FIELD", help="With --expect: field with the period.")
@click.option("--due", type=click.IntRange(min=0), metavar="DAYS",
              help="With --expect: days after a period until its report is due.")  # fmt: skip
@click.option("--on", "day", type=click.DateTime(["%Y-%m-%d"]), metavar="DATE",
              help="With --expect: as of this day. Default: today.")  # fmt: skip
@table_option
@json_option
@options_as(MarkOptions)
def command(options: MarkOptions) -> int:
    """Mark the faults that a run has found in copies of the workbooks, to send back."""
    from boreotabula.batch.output_checks import check_apart
    from boreotabula.cli import screen
    from boreotabula.findings.kind import Severity
    from boreotabula.review.mark.letter import STANDARD, own_template
    from boreotabula.review.mark.mark import Marking, check_folder, mark
    from boreotabula.stores.records import source_folders
    from boreotabula.stores.saved import output_and_run

    if (options.output is None) == (options.check is None):
        raise CallError(
            "name a folder for the copies with -o, or a folder of copies to check with --check"
        )
    if options.check is not None:
        return _check(options.records, options.check, options.table, as_json=options.as_json)
    saved, run_folder = output_and_run(options.records, options.table)
    assert options.output is not None
    check_folder(options.output)
    # With any name: a copy among the reports would be read by the next run.
    check_apart(options.output / "copy.xlsx", source_folders(options.records))
    template = own_template(options.letter) if options.letter is not None else STANDARD
    late = _reminders(
        saved, options.expect, options.across, options.due, options.day, options.language
    )
    marking = Marking(
        Severity(options.severity), options.language, template, options.by or "", late
    )
    with screen.counting("marking", shown=not options.as_json) as (_, on_file):
        returns = mark(saved, run_folder, options.output, marking, on_file)
    # A file without a copy still has its letter, but its sender must be told otherwise.
    status = 1 if any(file.failed for file in returns.files) else 0
    if options.as_json:
        say_json(_described(returns))
    else:
        _print(returns, options.output)
    return status


def _described(returns: Returns) -> list[dict[str, object]]:
    return [
        {"file": file.file, "copy": file.copy, "letter": file.letter,
         "faults": len(file.faults), "formulas_kept": file.formulas_kept, "note": file.note}
        for file in returns.files
    ] + [
        {"file": "", "copy": "", "letter": name, "faults": 0, "formulas_kept": False,
         "note": "a reminder"}
        for name in returns.reminders
    ]  # fmt: skip


def _reminders(
    saved: SavedOutput,
    expect: Path | None,
    across: str | None,
    due: int | None,
    day: datetime | None,
    language: str,
) -> list[Reminder]:
    """The letters to those whose reports are missing, if a list of senders is given."""
    from boreotabula.review.coverage import expected_senders, sender_fields
    from boreotabula.review.due import came_by_files, reports
    from boreotabula.review.mark.reminders import reminders
    from boreotabula.stores.records import saved_records, source_paths

    if expect is None:
        if across is not None or due is not None or day is not None:
            raise CallError("--across, --due and --on go with --expect: the list of who reports")
        return []
    records = saved_records(saved)
    if across is None or across not in records.schema.names:
        known = ", ".join(records.schema.names)
        raise CallError(f"--expect: name the field with the period by --across, of {known}")
    fields = sender_fields(expect, [name for name in records.schema.names if name != across])
    senders = expected_senders(expect, fields, due)
    # Without a deadline nobody is late, and no letter could say so.
    if all(sender.due is None for sender in senders):
        raise CallError(
            f"--expect: say when reports are due with --due, or in a column “due” of “{expect}”"
        )
    on = day.date() if day is not None else date.today()
    came = came_by_files(source_paths(saved.place))
    late = reports(records, (fields, across), senders, on, came)
    return reminders(senders, late, language)


def _print(returns: Returns, output: Path) -> None:
    if not returns.files:
        say("No file has anything to correct.")
    for name in returns.reminders:
        say(f"a report is missing → {output / name}")
    for copy in returns.files:
        faults = counted(len(copy.faults), "fault")
        say(f"{copy.file}: {faults} marked → {output / (copy.copy or copy.letter)}")
        if copy.note:
            say(f"  {copy.note}")
    if returns.others:
        number = counted(returns.others, "finding")
        say(f"{number} {'concerns' if returns.others == 1 else 'concern'} only you; not marked.")


def _check(records: BasePlace, folder: Path, table: str | None, *, as_json: bool) -> int:
    from boreotabula.review.mark.mark import check_marked
    from boreotabula.stores.saved import output_and_run

    repairs = list(check_marked(*output_and_run(records, table), folder))
    if as_json:
        say_json([
            {"file": repair.file, "gone": repair.gone, "missing": repair.missing,
             "left": [{"tab": tab, "cell": cell, "text": text} for tab, cell, text in repair.left]}
            for repair in repairs
        ])  # fmt: skip
    else:
        for one in repairs:
            if one.missing:
                say(f"{one.file}: is not among the files any more")
                continue
            say(f"{one.file}: {one.gone} of {one.gone + len(one.left)} corrected")
            for tab, cell, text in one.left:
                say(f"  {' '.join(part for part in (tab, cell) if part)}: {text}")
    return 1 if any(repair.left or repair.missing for repair in repairs) else 0
