"""The output of `draft --again`: how a layout would change, and the effect."""

from __future__ import annotations

from pathlib import Path
from typing import TYPE_CHECKING, Any

from boreotabula.cli.options import limits
from boreotabula.cli.printing import say, say_json
from boreotabula.findings.kind import Severity
from boreotabula.texts import command_line, counted

if TYPE_CHECKING:
    from boreotabula.batch.again.propose import Proposal
    from boreotabula.batch.run.outcome import Run


def draft_again(path: Path, output: Path | None, memory_per_file: int, as_json: bool) -> int:
    """Propose the changes that a layout needs; returns the exit status."""
    from boreotabula.batch.again.propose import propose
    from boreotabula.batch.draft import check_new, write_new
    from boreotabula.batch.layouts.load import Layout
    from boreotabula.cli import screen

    layout = Layout.load(path)
    check_new([output] if output else [])
    with screen.counting("reading", shown=not as_json) as (start, step):
        proposal = propose(
            layout, limits(memory_per_file), lambda reading: step(reading.name), start
        )
    # Without a change there is nothing to write: the layout is good as it is.
    if output and proposal.changes:
        write_new({output: proposal.after})
    if as_json:
        say_json(_proposed(proposal))
    else:
        _print_proposal(proposal, path, output)
    return proposal.better.exit_status


def _proposed(proposal: Proposal) -> dict[str, Any]:
    return {
        "layout": proposal.after,
        "changes": [{"why": change.said, "where": change.where} for change in proposal.changes],
        "before": figures_of(proposal.run),
        "after": figures_of(proposal.better),
    }


def figures_of(run: Run) -> dict[str, int]:

    return {
        "files": len(run.files),
        "records": run.record_count,
        "cells_filled": run.account.filled,
        "cells_unplaced": len(run.unplaced),
        "errors": run.severities[Severity.ERROR],
        "warnings": run.severities[Severity.WARNING],
    }


def _print_proposal(proposal: Proposal, path: Path, output: Path | None) -> None:
    from difflib import unified_diff

    from boreotabula.cli import screen

    # The difference alone is the result, if it is not written.
    console = screen.out() if output or not proposal.changes else screen.err()
    if not proposal.run.files:
        say("No file in the folders of this layout matches its patterns.")
        return
    if not proposal.changes:
        console.print("No change of the layout makes these files read better.", style="bold")
    else:
        lines = unified_diff(
            proposal.before.splitlines(), proposal.after.splitlines(), path.name,
            f"{path.name}, proposed", lineterm="",
        )  # fmt: skip
        say("\n".join(lines))
        console.print("\nWhy", style="bold")
        for number, change in enumerate(proposal.changes, 1):
            console.tell(f"  {number}. {change.said}")
            console.tell(f"     {change.where}", "dim")
    console.print()
    for word, run in (("now", proposal.run), ("then", proposal.better))[
        : 1 + bool(proposal.changes)
    ]:
        console.tell(f"  {word:<6}{run_in_short(run)}")
    if proposal.more:
        console.print(
            f"  {counted(proposal.more, 'more file')} without findings not looked at again"
        )
    if proposal.better.severities[Severity.ERROR]:
        console.print(
            f"  {command_line('extract', output or path, '--dry-run')} shows the errors that remain"
        )
    if proposal.changes and output:
        say(f"\n  written   {output}")
    elif proposal.changes:
        call = command_line("draft", "--again", path, "-o", "NAME.toml")
        say(f"\nNext: {call} writes it.", err=True)


def run_in_short(run: Run) -> str:

    errors, warnings = (run.severities[severity] for severity in (Severity.ERROR, Severity.WARNING))
    return ", ".join([
        counted(len(run.files), "file"),
        counted(run.record_count, "record"),
        counted(len(run.unplaced), "cell") + " in no record",
        counted(errors, "error"),
        counted(warnings, "warning"),
    ])  # fmt: skip
