"""Where the blocks of a layout stand on a sheet."""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from dataclasses import replace

from boreotabula.findings.finding import WHOLE, Finding, ScopedFinding, Spot
from boreotabula.findings.subjects.files import CAPTION_AMBIGUOUS
from boreotabula.findings.subjects.tables import CAPTION_NOT_FOUND, TABLES_FOUND
from boreotabula.findings.wording import captures
from boreotabula.reading.cells import cell_text
from boreotabula.reading.locate.by_position import by_position, place_at, table_places
from boreotabula.reading.locate.captioned import below_caption
from boreotabula.reading.locate.captions import Caption, below, captions_of, whole
from boreotabula.reading.locate.found_by import found_by
from boreotabula.reading.locate.frame import TableFrame
from boreotabula.reading.locate.place import Found, Place
from boreotabula.reading.locate.search import only_place, repeated_places
from boreotabula.reading.plan import BlockPlan
from boreotabula.sheets.sheet import Sheet


def find_places(sheet: Sheet, block: BlockPlan, captions: Sequence[Spot] = ()) -> Found:
    """Find where a block stands: one place, several if it repeats, none if it is not there.

    `captions` are those of all blocks of the sheet: the table of each ends before the next one.
    """
    if not block.caption:
        return _the_only(sheet, block, *_places_in(sheet, block, whole(sheet)))
    own = captions_of(sheet, block)
    if not own:
        return [], [_no_caption(block)]
    result: list[Place] = []
    scoped_findings: list[ScopedFinding] = []
    for caption in own:
        scoped_findings += map(ScopedFinding, _ambiguous(sheet, caption))
        places, told = _places_in(sheet, block, below(sheet, caption, captions))
        # What else is below a caption needs one of its own.
        result += [replace(place, caption=caption) for place in places[:1]]
        scoped_findings += told
    return _the_only(sheet, block, result, scoped_findings)


def _ambiguous(sheet: Sheet, caption: Caption) -> Iterator[Finding]:
    """A finding: the parts of a caption could be split in another way as well."""
    if not caption.other:
        return
    used, other_texts = captures(caption.captured), captures(caption.other)
    where = sheet.address(*caption.spot)
    yield CAPTION_AMBIGUOUS(where, caption=caption.text, used=used, other=other_texts)


def holds_search_text(sheet: Sheet, block: BlockPlan) -> bool:
    """Whether any of the texts by which a block is found stands on a sheet; always false for a
    block found by position alone."""
    if block.caption and captions_of(sheet, block):
        return True
    if block.found_by:
        shown = {cell_text(cell) for cells in sheet.rows for cell in cells if cell != ""}
        return any(pattern.match(text) is not None for pattern in block.found_by for text in shown)
    wanted = frozenset(block.marks) | frozenset(filter(None, block.columns))
    texts = block.names.fields_in({text for _, _, text in sheet.texts()})
    return not wanted.isdisjoint(texts.values())


def _places_in(sheet: Sheet, block: BlockPlan, area: TableFrame) -> Found:
    """The places of a block in a part of the sheet."""
    # What says most exactly where a table is comes first.
    if block.named_table:
        return table_places(sheet, block)
    if block.at is not None:
        # The address is that of the sheet as a person sees it.
        row, column = block.at if not sheet.turned else block.at[::-1]
        return place_at(sheet, block, row, column, area)
    if block.found_by:
        return found_by(sheet, block, area)
    if block.columns:
        return (below_caption if block.caption else by_position)(sheet, block, area)
    # One place below each caption: there nothing repeats.
    if block.repeat and not block.caption:
        return repeated_places(sheet, block, area)
    return only_place(sheet, block, area)


def _the_only(
    sheet: Sheet, block: BlockPlan, places: list[Place], scoped_findings: list[ScopedFinding]
) -> Found:
    """The first of several places, and a finding for the others, unless the block repeats."""
    if block.repeat or block.named_table or len(places) < 2:
        return places, scoped_findings
    first, second = (sheet.address(max(place.first, 0), place.left) for place in places[:2])
    finding = TABLES_FOUND(second, tables=len(places), first=first)
    # What is below the second must not become records of the first.
    below_it = [place.first for place in places[1:] if place.first > places[0].bottom]
    rows = range(max(places[1].first, 0), sheet.height)
    only = replace(places[0], end=min([places[0].end, *below_it]))
    return [only], [*scoped_findings, ScopedFinding(finding, rows, WHOLE, lapses=True)]


def _no_caption(block: BlockPlan) -> ScopedFinding:
    captions = ", ".join(pattern.text for pattern in block.caption)
    finding = CAPTION_NOT_FOUND(captions=captions)
    return ScopedFinding(finding, WHOLE, WHOLE)
