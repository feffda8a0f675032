"""Keys of one block or stamp that contradict each other, and why."""

from __future__ import annotations

from collections.abc import Iterator

from boreotabula.layout.model import Block, Stamp
from boreotabula.layout.problems import did_you_mean

NO_FIELD = ("", "-")
"""The entry in `columns` and `across` for a column or heading level that is passed over."""
PASSED_OVER = "-"


def block_misfits(block: Block) -> Iterator[tuple[str, str]]:
    """Each key of a block that contradicts the others, and why."""
    if bool(block.across) != bool(block.value):
        has, lacks = ("across", "value") if block.across else ("value", "across")
        yield has, f"“{has}” in [block] needs “{lacks}” beside it"
    if block.headings == 0 and not block.columns:
        yield "headings", "“headings = 0” in [block] needs “columns”, the fields in their order"
    yield from _misplaced(block)
    yield from _only_for_lists(block) if block.across else ()
    yield from _no_fields(block)
    limits = [key for key in ("first_rows", "last_rows", "largest") if getattr(block, key)]
    if len(limits) > 1:
        yield limits[-1], f"[block] limits its rows by {' and by '.join(limits)}; keep one of them"
    if block.control is not None and not (block.control.count or block.control.sums):
        yield "control", "“control” in [block] needs “count” or “sums”, to say what is compared"
    yield from _misfit_groups(block)


def _only_for_lists(block: Block) -> Iterator[tuple[str, str]]:
    """Keys that a cross-tab cannot have."""
    if block.headings == 0:
        yield "headings", "a cross-tab is made of its headings: take out “headings = 0”"
    if block.columns and block.stub:
        yield (
            "columns",
            "beside “across” the leading columns are named by “stub”, if they have headings, or by"
            " “columns”, in their order; keep one of them",
        )
    if block.heading_rows != 1:
        yield (
            "heading_rows",
            "a cross-tab has a heading row for each field of “across”; a row that is passed over is"
            " “-” there, and a heading cut over two rows is named twice",
        )
    if block.every_row:
        yield "every_row", "“every_row” in [block] is for lists; take it out, or “across”"
    if block.unknown_headings == "leave out":
        yield (
            "unknown_headings",
            "in a cross-tab every heading is a value of “across”; “leave out” is for lists",
        )


def _no_fields(block: Block) -> Iterator[tuple[str, str]]:
    """Names that are not fields, where fields are named."""
    for key in ("across", "value", "stub"):
        for field in getattr(block, key):
            if field in NO_FIELD and not (key == "across" and field == PASSED_OVER):
                yield key, f"“{key}” in [block] names “{field}”, which is not a field"
    if block.across and all(text in NO_FIELD for text in block.across):
        yield "across", "“across” in [block] passes over every level; name a field of one"
    if block.columns and all(column in NO_FIELD for column in block.columns):
        yield "columns", "“columns” in [block] passes over every column; name a field of one"
    # Without names for the columns there is nothing to carry down.
    named = [text for text in (*block.stub, *block.columns) if text not in NO_FIELD]
    for field in block.carry_down:
        # In a list without a stub every field may have a column of its own.
        if field not in named and (named or block.across):
            near = did_you_mean(field, named)
            yield "carry_down", f"“{field}” is not a stub column{near}"


def _misplaced(block: Block) -> Iterator[tuple[str, str]]:
    """Keys of a block that give its position twice, or not at all."""
    exact = [key for key in ("at", "named_table") if getattr(block, key)]
    searched = [key for key in ("caption", "found_by") if getattr(block, key)]
    if len(exact) > 1 or (exact and searched):
        ways = [*exact, *searched]
        yield (
            ways[-1],
            f"[block] tells where the table is by {' and by '.join(ways)}; keep one of them",
        )
    if block.found_by and not block.columns:
        yield (
            "found_by",
            "“found_by” in [block] needs “columns”, the fields of the leading columns; with “stub”"
            " the table is found by the headings over these",
        )
    if block.found_by and block.headings == 0:
        yield "found_by", "“found_by” in [block] looks for headings: take out “headings = 0”"
    if block.repeat and block.columns and not searched:
        yield (
            "repeat",
            "“repeat” in [block] needs what marks each place: add “caption” or “found_by”, or find"
            " it by its headings and take out “columns”",
        )
    if block.across and not (
        block.stub or block.at or block.named_table or block.columns or block.caption
    ):
        yield (
            "value",
            "[block] does not tell where the table is: add “stub”, the fields of the leading"
            " columns;"
            " if these have no headings, “columns” with “at”, “caption” or “found_by”",
        )


def _misfit_groups(block: Block) -> Iterator[tuple[str, str]]:
    """Group rows that could not be told apart, or that name no field."""
    for index, group in enumerate(block.group_row):
        if group.field in NO_FIELD:
            yield "group_row", f"“group_row” in [block] names “{group.field}”, which is not a field"
        elif not group.named and group.indent is None and index < len(block.group_row) - 1:
            yield (
                "group_row",
                f"“{group.field}” in “group_row” needs “named”, the patterns of its names: without"
                " them only the innermost group can be recognised",
            )


_STAMP_SOURCES = ("cell", "right_of", "below", "name", "from", "value")
_ON_TAB = ("cell", "right_of", "below")


def stamp_misfits(stamp: Stamp) -> Iterator[str]:
    """What is wrong with how a stamp gives the place of its value."""
    keys = [key for key in _STAMP_SOURCES if _given(stamp, key)]
    # A pattern alone looks for a cell that matches, wherever it is.
    if len(keys) > 1 or (not keys and stamp.pattern is None):
        message = " and ".join(keys) if keys else "nothing"
        yield f"it needs one of {', '.join(_STAMP_SOURCES)}, pattern; it has {message}"
    if stamp.tab and keys and keys[0] not in _ON_TAB:
        yield f"“tab” goes with {', '.join(_ON_TAB)} or pattern, not with “{keys[0]}”"
    if stamp.labelled and not stamp.cell:
        yield "“labelled” goes with “cell”"
    if stamp.places != 1 and not (stamp.right_of or stamp.below):
        yield "“places” goes with “right_of” and “below”: so many cells from the label"


def _given(stamp: Stamp, key: str) -> bool:
    value = getattr(stamp, "from_" if key == "from" else key)
    return value is not None and value != ()
