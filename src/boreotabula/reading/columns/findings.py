"""What is to be said of the columns of a block."""

from __future__ import annotations

from collections.abc import Iterator, Mapping

from boreotabula.layout.headings import normal_form
from boreotabula.reading.cells import cell_text, one_line
from boreotabula.reading.columns.kinds import Cause, Column, ColumnKind, Columns
from boreotabula.reading.columns.levels import Headings, HeadingsOver
from boreotabula.reading.findings import Code, Finding, Telling
from boreotabula.reading.locate.levels import level_row
from boreotabula.reading.locate.place import Place
from boreotabula.reading.plan import BlockPlan, Plan
from boreotabula.texts import counted
from boreotabula.workbooks.sheet import Sheet


def unknown_heading(place: Headings, column: int, heads: HeadingsOver) -> Finding:
    heading = heads.joined or heads.own[-1]
    return Finding(
        Code.HEADING_UNKNOWN,
        f"no field has the heading “{heading}”; the cells below it are in no record",
        "Add the heading to the glossary or to `also` of a field (`boreotabula headings` suggests"
        " which), or list it in `ignore`.",
        at=place.address(place.bottom, column),
        looked_for="a heading that a field is known by",
        found=heading,
    )


def unknown_value(place: Headings, block: BlockPlan, column: int, heads: HeadingsOver) -> Finding:
    label = one_line(cell_text(heads.labels[-1])) or "blank"
    return Finding(
        Code.HEADING_UNKNOWN,
        f"the lowest heading “{label}” names none of the values; the cells below it are in no"
        " record",
        "Add the heading to the glossary or to `also` of a value field, or list it in `ignore`.",
        at=place.address(place.bottom, column),
        looked_for=", ".join(block.values),
        found=label,
    )


def blank_level(
    place: Headings, block: BlockPlan, column: int, heads: HeadingsOver
) -> Finding | None:
    blank = [
        (level, field)
        for level, (field, label) in enumerate(zip(block.across, heads.labels, strict=False))
        if label == ""
    ]
    # Most columns have all their levels.
    if not blank:
        return None
    level, field = blank[0]
    at = column - place.left
    row = level_row(place.levels, block, level)
    cells = place.rows[row] if place.rows else ()
    # A heading right of it is often the one that was meant to reach over this column, too.
    right = next((n for n, cell in enumerate(cells) if n > at and cell != ""), None)
    other = ""
    if right is not None:
        where = place.address(place.top + row, place.left + right)
        other = f" (“{one_line(cell_text(cells[right]))}” in {where} begins right of it)"
    return Finding(
        Code.HEADING_LEVEL_BLANK,
        f"no heading “{field}” over “{heads.own[-1]}”{other}; the field is empty in its records",
        "Write the heading into the sheet, or merge the one beside it over this column; if upper"
        ' headings stand over the last column of their group, write `reach = "left"` into [block].',
        at=place.address(place.top + row, column),
        looked_for=field,
        found="blank",
    )


def contradicting(
    place: Headings, block: BlockPlan, columns: Mapping[int, tuple[str, str]]
) -> Finding:
    """Columns by position whose headings are those of other fields; by column the two fields."""
    column, (field, known) = next(iter(columns.items()))
    more = f" (and so do {len(columns) - 1} more)" if len(columns) > 1 else ""
    heading = one_line(cell_text(place.rows[-1][column - place.left])) or known
    return Finding(
        Code.HEADING_CONTRADICTS,
        f"`columns` reads this column as “{field}”, but its heading “{heading}” is that of"
        f" “{known}”{more}; it was read by its position",
        "Put `columns` in the order of the sheet; if the order differs from file to file, find"
        " the table by its headings instead: take `columns` out.",
        at=place.address(place.bottom, column),
        looked_for=field,
        found=heading,
    )


def level_contradicts(
    place: Headings, block: BlockPlan, row: int, column: int, field: str, level: int
) -> Finding:
    """A text over the stub that names another level than the one that its row was read as."""
    text = one_line(cell_text(place.rows[row][column - place.left]))
    read_as = block.across[level] if 0 <= level < len(block.across) else "no level"
    return Finding(
        Code.HEADING_CONTRADICTS,
        f"the headings beside “{text}” were read as “{read_as}”, but it names “{field}”",
        "Put `across` in the order of the heading rows, top to bottom.",
        at=place.address(place.top + row, column),
        looked_for=read_as,
        found=text,
    )


def too_narrow(place: Headings, block: BlockPlan, there: int) -> Finding:
    """A table with fewer columns than `columns` names."""
    return Finding(
        Code.COLUMNS_DIFFER,
        f"`columns` names {len(block.columns)} columns, but the table has {there}; the last fields"
        " are empty in its records",
        "Check whether a column is missing on this tab; the values may show which one.",
        at=place.address(max(place.bottom, 0), place.left),
        looked_for=f"{len(block.columns)} columns",
        found=f"{there} columns",
    )


def nothing_left(place: Headings, block: BlockPlan, rule: str) -> Finding:
    """A rule of `ignore` that leaves no column of values."""
    return Finding(
        Code.RULE_TAKES_ALL,
        f"the rule “{rule}” leaves out every column of the table, so it gives no records",
        "Make the pattern more exact: it should match only the columns that are not wanted.",
        at=place.address(max(place.bottom, 0), place.left),
        looked_for="columns of values",
        found=rule,
    )


def fields_missing(
    place: Headings, plan: Plan, block: BlockPlan, taken: Mapping[str, int]
) -> Iterator[Finding]:
    """Fields of the output that nothing fills on this tab."""
    expected = [
        *plan.tables[block.into],
        # A field that any heading may fill is missed only if it is required.
        *(plan.unclaimed & plan.required if block.is_list else ()),
    ]
    for field in expected:
        # What other blocks are for is no loss of this one.
        if field in block.filled or field in taken or field in block.foreign or block.by_list:
            continue
        required = field in plan.required
        yield Finding(
            Code.REQUIRED_FIELD_MISSING if required else Code.FIELD_MISSING,
            f"no column for the field “{field}”; it is empty in the records of this tab",
            "If the column has another heading here, add that to the glossary or to `also` of the"
            " field." + ("" if required else " `required = true` would make this an error."),
            at=place.address(place.bottom, place.left) if place.rows else None,
            looked_for=field,
            found="no such heading",
        )


def values_twice(place: Headings, columns: Columns) -> Iterator[tuple[int, Finding]]:
    """Two columns under the same headings: their records can only be told apart by their cells."""
    first: dict[tuple[str, tuple[str, ...]], Column] = {}
    for column in columns.of(ColumnKind.VALUE):
        # In normal form: “A” and “a ” over two columns are the same to whoever reads the records.
        labels = tuple(normal_form(cell_text(label)) for label in column.labels)
        before = first.setdefault((column.field, labels), column)
        # Blank headings are told as such, not as headings that repeat.
        if before is not column and any(labels):
            named = " / ".join(one_line(cell_text(label)) for label in column.labels)
            yield (
                column.column,
                Finding(
                    Code.HEADINGS_REPEATED,
                    f"two columns have the same headings “{named}”; both are read, and their"
                    " records differ only in `source_cell`",
                    "Correct the heading that is wrong, or list it in `ignore` or `totals`.",
                    at=place.address(place.bottom, column.column),
                    looked_for="each heading once",
                    found=f"{place.address(place.bottom, before.column)} and"
                    f" {place.address(place.bottom, column.column)}",
                ),
            )


def without_heading(sheet: Sheet, place: Place, column: Column, row: int, number: int) -> Finding:
    """Cells of a column that nothing names; `row` is that of the first of them."""
    called = sheet.column_called(column.column)
    cells = counted(number, "cell")
    if column.cause is Cause.UNNAMED:
        said = f"{cells} of {called} {_are(number)} beyond the last name of `columns`"
        advice = "Add a name to `columns` of the layout, or “-” to pass the column over."
        looked_for = "a name in `columns`"
    else:
        said = f"{cells} of {called} {'has' if number == 1 else 'have'} no heading"
        advice = (
            f"Write a heading into {sheet.address(max(place.bottom, 0), column.column)}, or clear"
            " them."
        )
        looked_for = f"a heading in {sheet.row_called(max(place.bottom, 0))} or above"
    return Finding(
        Code.VALUES_WITHOUT_HEADING,
        f"{said}; {'it is' if number == 1 else 'they are'} in no record",
        advice,
        at=sheet.address(row, column.column),
        looked_for=looked_for,
        found=cell_text(sheet.rows[row][column.column]),
    )


def _are(number: int) -> str:
    return "is" if number == 1 else "are"


def beyond_gap(sheet: Sheet, place: Place, right: int, last: int) -> Iterator[Telling]:
    """Headings with cells below them, right of the gap that ends the block; `last` is its last
    row."""
    for column in range(right, place.limit):
        headings = [sheet.rows[row][column] for row in range(place.top, place.bottom + 1)]
        texts = [cell_text(cell) for cell in headings if cell != ""]
        # A heading over nothing, or values of another table, are no part of this one.
        if texts and sheet.column_filled(column, place.bottom + 1, last + 1):
            finding = Finding(
                Code.HEADING_BEYOND_GAP,
                f"{sheet.column_called(right)} is blank and ends the table, but"
                f" “{texts[-1]}” is right of it; the columns from there on were not read",
                "Close the gap in the sheet if these columns belong to the table, or write"
                " `gaps = true` into [block].",
                at=sheet.address(place.bottom, column),
                looked_for="the end of the table",
                found=texts[-1],
            )
            rows, columns = range(place.top, last + 1), range(right, place.limit)
            yield Telling(finding, rows, columns, lapses=True)
            # The first column stands for all behind the gap: they have one cause.
            return
