"""What is to be said of values: those that do not convert, lie outside, or leave a doubt."""

from __future__ import annotations

from collections.abc import Callable, Sequence

from boreotabula.layout.addresses import Address
from boreotabula.reading.cells import cell_text
from boreotabula.reading.findings import Code, Finding
from boreotabula.reading.values.convert import Converted, Doubt
from boreotabula.reading.values.form import Reason, ValueForm
from boreotabula.texts import counted
from boreotabula.workbooks.sheet import Cell

Where = Callable[[int], Address | None]
"""Where the cell is that has a place among those that were converted."""


def not_converted(
    cell: Cell, where: Address | None, field: str, form: ValueForm, reason: Reason
) -> Finding:
    text = cell_text(cell)
    return Finding(
        Code.VALUE_NOT_CONVERTED,
        f"“{text}” is not {form.noun} ({reason}); “{field}” is left empty in the record",
        "Correct the cell, or ask the sender what is meant." + _unit_hint(reason),
        at=where,
        looked_for=form.kind,
        found=text,
        field=field,
    )


def _unit_hint(reason: Reason) -> str:
    return " If the text is a unit, name it in `unit` of the field." if reason.has_unit else ""


def column_not_converted(
    cells: Sequence[Cell],
    called: str,
    where: Address | None,
    field: str,
    form: ValueForm,
    reason: Reason,
) -> Finding:
    return Finding(
        Code.COLUMN_NOT_CONVERTED,
        f"none of the {len(cells)} cells of {called} is {form.noun} ({reason}); “{field}” is left"
        " empty in their records",
        "If the column is not part of the table, list its heading in `ignore`; if it is another"
        " field, add its heading to the glossary." + _unit_hint(reason),
        at=where,
        looked_for=form.kind,
        found=cell_text(cells[0]),
        field=field,
    )


def about_values(
    done: Converted, cells: Sequence[Cell], where: Where, field: str, form: ValueForm
) -> list[Finding]:
    """What is to be said of cells besides those that do not convert."""
    found = [_outside(cells[at], where(at), field, why) for at, why in done.outside]
    if done.rounded:
        found.append(_rounded(done, cells, where, field, form))
    if done.doubt is not None:
        found.append(_doubtful(done.doubt, cells, where, field))
    return found


def _outside(cell: Cell, where: Address | None, field: str, why: str) -> Finding:
    text = cell_text(cell)
    return Finding(
        Code.VALUE_OUTSIDE,
        f"“{text}” for “{field}” is {why}; it was kept",
        "Correct the cell; or change `min`, `max` or `choices` of the field, or list the spelling"
        " in `same_as`.",
        at=where,
        looked_for=why,
        found=text,
    )


def _rounded(
    done: Converted, cells: Sequence[Cell], where: Where, field: str, form: ValueForm
) -> Finding:
    first = done.rounded[0]
    text = cell_text(cells[first])
    were = "was" if len(done.rounded) == 1 else "were"
    return Finding(
        Code.VALUES_ROUNDED,
        f"{_cells(len(done.rounded))} for “{field}” with more than {form.digits} decimals, first"
        f" “{text}”, {were} rounded (halves to even)",
        "If the further decimals matter, give the field more of them, or make it a `number`.",
        at=where(first),
        looked_for=form.kind,
        found=text,
    )


def _doubtful(doubt: Doubt, cells: Sequence[Cell], where: Where, field: str) -> Finding:
    first = doubt.places[0]
    text = cell_text(cells[first])
    many = _cells(len(doubt.places))
    shown = [f"“{cell_text(cells[at])}” in {where(at)}" for at in doubt.evidence]
    if doubt.settled:
        said = f"read like {shown[0]}, which can be read in one way only"
        code = Code.READ_BY_EVIDENCE
    else:
        said = (
            f"and {' and '.join(shown)} speak for either way; they are empty in the records"
            if shown
            else "and no other cell settles it; they are empty in the records"
        )
        code = Code.READING_DOUBTFUL
    key = "decimal_mark" if doubt.about == "the decimal mark" else "day_first"
    return Finding(
        code,
        f"{many} for “{field}” leave {doubt.about} open, such as “{text}” ({doubt.reason}): {said}",
        f"Write `{key}` into [reading] of the layout, or into the field.",
        at=where(first),
        looked_for=key,
        found=text,
        cause=f"{field}: {doubt.about}",
    )


def _cells(number: int) -> str:
    return counted(number, "cell")
