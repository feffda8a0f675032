"""What is to be said of the columns of a block."""

from __future__ import annotations

from collections.abc import Iterator, Mapping

from boreotabula.layout.headings import normal_form
from boreotabula.reading.cells import cell_text, one_line
from boreotabula.reading.columns import Column, ColumnKind, Columns
from boreotabula.reading.findings import Finding
from boreotabula.reading.heads import Headings, Heads
from boreotabula.reading.place import Place
from boreotabula.reading.plan import BlockPlan, Plan
from boreotabula.workbooks.sheet import Cell, Sheet

UNHEADED = "no heading over it"
UNNAMED = "no name in `columns`"
"""Why a column is unknown, where that shows only in its cells."""


def unknown_heading(place: Headings, column: int, heads: Heads) -> Finding:
    heading = heads.joined or heads.own[-1]
    return Finding(
        "heading-unknown",
        f"no field is known by the heading “{heading}”; its cells are unplaced",
        "Add the heading to the glossary or to `also` of a field (`boreotabula headings` suggests"
        " what it may mean), or list it in `ignore`.",
        cell=place.address(place.bottom, column),
        looked_for="a heading that a field is known by",
        found=heading,
    )


def unknown_value(place: Headings, block: BlockPlan, column: int, heads: Heads) -> Finding:
    label = one_line(cell_text(heads.labels[-1])) or "blank"
    return Finding(
        "heading-unknown",
        f"the lowest heading “{label}” names none of the values; its cells are unplaced",
        "Add the heading to `also` of a value field or to the glossary, or list it in `ignore`.",
        cell=place.address(place.bottom, column),
        looked_for=", ".join(block.values),
        found=label,
    )


def blank_level(place: Headings, block: BlockPlan, column: int, heads: Heads) -> Finding | None:
    blank = [
        (level, field)
        for level, (field, label) in enumerate(zip(block.across, heads.labels, strict=False))
        if label == ""
    ]
    if not blank:
        return None
    level, field = blank[0]
    at = column - place.left
    right = next((n for n, cell in enumerate(place.rows[level]) if n > at and cell != ""), None)
    other = ""
    if right is not None:
        where = place.address(place.top + level, place.left + right)
        other = (
            f" (“{one_line(cell_text(place.rows[level][right]))}” in {where} begins right of it)"
        )
    return Finding(
        "heading-level-blank",
        f"no heading “{field}” over “{heads.own[-1]}”{other}; the field is empty in its records",
        "Write the heading into the sheet, or merge the one beside it over this column; if upper"
        ' headings stand over the last column of their group, write `reach = "left"` into [block].',
        cell=place.address(place.top + level, column),
        looked_for=field,
        found="blank",
    )


def fields_missing(
    place: Headings, plan: Plan, block: BlockPlan, taken: Mapping[str, int]
) -> Iterator[Finding]:
    """Fields of the output that nothing fills on this tab."""
    for field in plan.tables[block.into]:
        if field in block.filled or field in taken:
            continue
        required = field in plan.required
        yield Finding(
            "required-field-missing" if required else "field-missing",
            f"no column for the field “{field}”; it is empty in the records of this tab",
            "If the column is there under another heading, add that to `also` of the field or to"
            " the glossary." + ("" if required else " `required = true` would make this an error."),
            cell=place.address(place.bottom, place.left) if place.rows else "",
            looked_for=field,
            found="no such heading",
        )


def values_twice(place: Headings, columns: Columns) -> Iterator[Finding]:
    """Two columns under the same headings: their records can only be told apart by their cells."""
    first: dict[tuple[str, tuple[str, ...]], Column] = {}
    for column in columns.of(ColumnKind.VALUE):
        labels = tuple(normal_form(cell_text(label)) for label in column.labels)
        before = first.setdefault((column.field, labels), column)
        if before is not column and any(labels):
            named = " / ".join(one_line(cell_text(label)) for label in column.labels)
            yield Finding(
                "headings-repeated",
                f"two columns stand under the same headings “{named}”; both are read, and their"
                " records differ only in `source_cell`",
                "Correct the heading that is wrong, or list it in `ignore` or `totals`.",
                cell=place.address(place.bottom, column.column),
                looked_for="each heading once",
                found=f"{place.address(place.bottom, before.column)} and"
                f" {place.address(place.bottom, column.column)}",
            )


def unheaded(sheet: Sheet, place: Place, columns: Columns) -> Iterator[Finding]:
    """Numbers that no heading names are an error; text alone is a note beside the table."""
    rows = range(place.bottom + 1, place.end)
    for one in columns.every:
        if one.why not in (UNHEADED, UNNAMED):
            continue
        cells = [(row, sheet.rows[row][one.column]) for row in rows]
        if one.why == UNHEADED:
            cells = [(row, cell) for row, cell in cells if not isinstance(cell, str)]
        cells = [(row, cell) for row, cell in cells if cell != ""]
        if cells:
            row, cell = cells[0]
            yield _without_heading(sheet, place, one, row, cell, len(cells))


def _without_heading(
    sheet: Sheet, place: Place, column: Column, row: int, cell: Cell, number: int
) -> Finding:
    called = sheet.column_called(column.column)
    if column.why == UNNAMED:
        said = f"{number} cells of {called} stand beyond the last name of `columns`"
        advice = "Add a name to `columns` of the layout, or “-” to pass the column over."
        looked_for = "a name in `columns`"
    else:
        said = f"{number} cells of {called} stand under no heading"
        advice = (
            f"Write a heading into {sheet.address(place.bottom, column.column)}, or clear them."
        )
        looked_for = f"a heading in {sheet.row_called(max(place.bottom, 0))} or above"
    return Finding(
        "values-without-heading",
        f"{said}; they are unplaced",
        advice,
        cell=sheet.address(row, column.column),
        looked_for=looked_for,
        found=cell_text(cell),
    )


def beyond_gap(sheet: Sheet, place: Place, right: int) -> Iterator[Finding]:
    """Headings with cells below them, right of the gap that ends the block."""
    if right >= place.limit:
        return
    for column in range(right, place.limit):
        headings = [sheet.rows[row][column] for row in range(place.top, place.bottom + 1)]
        texts = [cell_text(cell) for cell in headings if cell != ""]
        if texts and sheet.column_filled(column, place.bottom + 1, place.end):
            yield Finding(
                "heading-beyond-gap",
                f"{sheet.column_called(right)} is blank and ends the table, but"
                f" “{texts[-1]}” stands beyond it; what is there was not read",
                "Close the gap in the sheet if these columns belong to the table, or write"
                " `gaps = true` into [block].",
                cell=sheet.address(place.bottom, column),
                looked_for="the end of the table",
                found=texts[-1],
            )
            return
