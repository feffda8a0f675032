"""Findings about printed totals that disagree: both figures, and the likely culprits."""

from __future__ import annotations

from collections import Counter
from collections.abc import Iterable, Iterator, Sequence

from boreotabula.findings.finding import Finding
from boreotabula.findings.subjects.totals import (
    AVERAGE_DIFFERS,
    NO_TOTAL_OF_LINE_AGREES,
    TOTAL_BEFORE_CORRECTION,
    TOTAL_DIFFERS,
    TOTAL_WITHOUT_NUMBER,
    TOTALS_OF_LINE_DIFFER,
)
from boreotabula.reading.cells import cell_text
from boreotabula.reading.columns.kinds import Columns
from boreotabula.reading.rows.table_rows import TableRows
from boreotabula.reading.totals.checks import Check, Totals
from boreotabula.reading.totals.figures import Figures
from boreotabula.reading.totals.suspects import Suspects, difference, number_text
from boreotabula.sheets.sheet import Sheet


def about_totals(
    sheet: Sheet, totals: Totals, columns: Columns, table: TableRows, figures: Figures
) -> list[Finding]:
    """The totals that disagree, one finding for each cause.

    One cause is a difference that several totals share. Another is a whole row or column of totals
    of which several disagree, each by another difference: perhaps a column was lost.
    """
    search = Suspects(sheet, columns, table, figures)
    before = [check for check in totals.wrong if search.corrected_in(check)] if sheet.was else []
    wrong = [check for check in totals.wrong if check not in before]
    whole = list(_whole_lines(totals, wrong))
    # What a whole line explains is not told cell by cell as well.
    pairs = {(check.row, check.column) for checks in whole for check in checks}
    single = [check for check in wrong if (check.row, check.column) not in pairs]
    # What several totals say together is surer than what fits one of them.
    shared = search.explained_together(single)
    result: dict[tuple[float, str], list[Check]] = {}
    for check in single:
        culprit = shared.get((check.row, check.column)) or search.culprit(check)
        # The same difference with the same culprit is one cause.
        result.setdefault((difference(check), culprit), []).append(check)
    findings = [_differs(sheet, checks, cause[1]) for cause, checks in result.items()]
    findings += [
        _of_line(sheet, totals, checks, search.one_row(checks)) for checks in _same_cause(whole)
    ]
    if totals.flaws:
        findings.append(_flawed(sheet, totals))
    if before:
        findings.append(_before_correction(sheet, before, search))
    return findings


def _before_correction(sheet: Sheet, checks: Sequence[Check], search: Suspects) -> Finding:
    """A finding: totals of the values before a correction, which explains the difference."""
    first, *others = checks
    where = sheet.address(first.row, first.column)
    return TOTAL_BEFORE_CORRECTION(
        where,
        printed=number_text(first.printed),
        summed=number_text(first.summed),
        total=where,
        cell=sheet.address(*search.corrected_in(first)[0]),
        others=[sheet.address(check.row, check.column) for check in others],
        number=len(others),
    )


_SEVERAL = 3
"""Two totals may be wrong independently; this many of a line have one cause."""


def _whole_lines(totals: Totals, wrong: Sequence[Check]) -> Iterator[list[Check]]:
    """Rows or columns of which at least three totals disagree, by different amounts or without a
    single one that agrees; the fullest first, each total once."""
    agreeing = Counter(line for check in totals.checks if check.agrees for line in _lines_of(check))
    groups: dict[tuple[str, int], list[Check]] = {}
    for one in wrong:
        for line in _lines_of(one):
            groups.setdefault(line, []).append(one)
    pairs: set[tuple[int, int]] = set()
    for line, every in sorted(groups.items(), key=lambda one: -len(one[1])):
        checks = [check for check in every if (check.row, check.column) not in pairs]
        # One wrong cell gives all totals the same difference: that is no lost line.
        several = len({difference(check) for check in checks}) >= _SEVERAL or not agreeing[line]
        if len(checks) >= _SEVERAL and several:
            pairs |= {(check.row, check.column) for check in checks}
            yield checks


def _lines_of(check: Check) -> tuple[tuple[str, int], tuple[str, int]]:
    return ("column", check.column), ("row", check.row)


def _same_cause(table: Iterable[list[Check]]) -> Iterator[list[Check]]:
    """Lines of totals that differ by the same amounts in the same places: subtotals and totals of
    the same records.

    Of each group, the totals of the first line.
    """
    groups: set[frozenset[float]] = set()
    for checks in table:
        amounts = frozenset(map(difference, checks))
        # Subtotals and totals of the same records fail by the same amounts.
        if amounts not in groups:
            groups.add(amounts)
            yield checks


def _differs(sheet: Sheet, checks: Sequence[Check], culprit: str) -> Finding:
    first, other_checks = checks[0], checks[1:]
    apart = first.printed - first.summed
    kind = AVERAGE_DIFFERS if first.averaged else TOTAL_DIFFERS
    return kind(
        sheet.address(first.row, first.column),
        printed=number_text(first.printed),
        summed=number_text(first.summed),
        apart=number_text(abs(apart)),
        more=apart > 0,
        range=_range(sheet, first),
        others=[sheet.address(check.row, check.column) for check in other_checks],
        number=len(other_checks),
        culprit=culprit,
    )


def _range(sheet: Sheet, check: Check) -> str:
    columns = check.columns or (check.column,)
    if not check.rows:
        return "none"
    first = sheet.address(check.rows[0], columns[0])
    last = sheet.address(check.rows[-1], columns[-1])
    return str(first) if first == last else f"{first} to {last}"


def _of_line(sheet: Sheet, totals: Totals, checks: Sequence[Check], culprit: str) -> Finding:
    """A finding: a row or column of totals of which several disagree."""
    first = checks[0]
    in_row = len({check.row for check in checks}) == 1
    called = sheet.row_called(first.row) if in_row else sheet.column_called(first.column)
    line = ("row", first.row) if in_row else ("column", first.column)
    number = sum(line in _lines_of(check) for check in totals.checks)
    slots = {
        "printed": number_text(first.printed), "summed": number_text(first.summed), "line": called,
        "culprit": culprit,
    }  # fmt: skip
    where = sheet.address(first.row, first.column)
    if number == len(checks):
        return NO_TOTAL_OF_LINE_AGREES(where, **slots)
    return TOTALS_OF_LINE_DIFFER(where, wrong=len(checks), totals=number, **slots)


def _flawed(sheet: Sheet, totals: Totals) -> Finding:
    row, column = totals.flaws[0]
    text = cell_text(sheet.rows[row][column])
    where = sheet.address(row, column)
    return TOTAL_WITHOUT_NUMBER(where, totals=len(totals.flaws), text=text)
