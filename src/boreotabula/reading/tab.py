"""Reading one tab: the steps of this room in their order.

Choose the form → find the blocks → read the stamps → of each block settle columns and rows, mark
their roles, and lengthen its values into records → account for every cell.
"""

from __future__ import annotations

from collections.abc import Iterator, Mapping, Sequence
from dataclasses import dataclass, field, replace
from functools import lru_cache

import pyarrow as pa

from boreotabula.layout.headings import normal_form
from boreotabula.layout.model import PROVENANCE
from boreotabula.reading.convert import ARROW_TYPES, TEXT, as_array
from boreotabula.reading.findings import Finding, Unplaced
from boreotabula.reading.lengthen import Lengthened, blank, constant, lengthen
from boreotabula.reading.lines import settle_lines
from boreotabula.reading.marking import mark_block
from boreotabula.reading.place import Place, bounded
from boreotabula.reading.places import find_places
from boreotabula.reading.plan import BlockPlan, FormPlan, Plan
from boreotabula.reading.roles import Account, Role, RoleMap
from boreotabula.reading.settling import settle_columns
from boreotabula.reading.stamp_search import Surroundings
from boreotabula.reading.stamps import Stamped, convert_stamp, read_stamps
from boreotabula.reading.strays import about_strays, strays_of
from boreotabula.workbooks.sheet import Sheet, Visibility


@dataclass(frozen=True)
class TabReading:
    """All that came of one tab. `records` holds batches by output table, see `record_schema`."""

    tables: Mapping[str, pa.RecordBatch]
    account: Account
    findings: tuple[Finding, ...]
    unplaced: tuple[Unplaced, ...]
    roles: RoleMap = field(repr=False)
    form: str = ""
    """The title of the edition that was read, if the layout has editions."""
    heads: Mapping[str, str] = field(default_factory=dict)
    """The headings of cross-tabs, all levels as one text, and a cell that stands under each."""

    @property
    def records(self) -> pa.RecordBatch:
        """The records of the first output table."""
        return next(iter(self.tables.values()))


@lru_cache(maxsize=64)
def record_schema(plan: Plan, table: str) -> pa.Schema:
    """The columns of an output table: fields in the layout's order, then where a record is from.

    Each field carries its type in the layout as metadata `field_type`, since Arrow has no months.
    """
    fields = [
        pa.field(name, ARROW_TYPES[plan.types[name]], metadata={"field_type": plan.types[name]})
        for name in plan.tables[table]
    ]
    fields += [pa.field(name, TEXT, metadata={"field_type": "text"}) for name in PROVENANCE]
    return pa.schema(fields)


@dataclass(frozen=True)
class TabSource:
    """Where a tab is from: its file's path, and what is known of it besides its cells."""

    file: str = ""
    around: Surroundings = field(default_factory=Surroundings)
    blocks: Mapping[str, Mapping[str, str]] | None = None
    """Of blocks that choose their own tabs: those that chose this one, with what its name gave."""
    shared: bool = True
    """Whether the tab is read by blocks that make no choice of their own."""


def read_tab(sheet: Sheet, plan: Plan, source: TabSource) -> TabReading:
    """Read one tab by a plan."""
    roles = RoleMap(sheet)
    findings = list(_hidden(sheet))
    form = _form(sheet, plan, roles)
    if form is None:
        findings.append(_no_edition(plan))
        return _done(
            sheet, plan, source, roles, findings, _Reading([], {}), FormPlan("", None, (), ())
        )
    reading = _read_form(sheet, plan, form, source, roles)
    return _done(sheet, plan, source, roles, [*findings, *reading.findings], reading, form)


@dataclass
class _Reading:
    """What is gathered while the blocks of a tab are read."""

    places: list[Place]
    batches: dict[str, list[pa.RecordBatch]]
    findings: list[Finding] = field(default_factory=list)
    heads: dict[str, str] = field(default_factory=dict)


def _done(
    sheet: Sheet,
    plan: Plan,
    source: TabSource,
    roles: RoleMap,
    findings: list[Finding],
    reading: _Reading,
    form: FormPlan,
) -> TabReading:
    """The reading of a tab, with every cell accounted for."""
    strays = list(strays_of(sheet, roles, reading.places))
    findings += about_strays(strays)
    file, tab = source.file, sheet.name
    return TabReading(
        {
            table: _one_batch(reading.batches.get(table, []), record_schema(plan, table))
            for table in plan.tables
        },
        roles.account(),
        tuple(replace(one, file=file, tab=tab) for one in findings),
        tuple(one.unplaced._replace(file=file, tab=tab) for one in strays),
        roles,
        form.title,
        reading.heads,
    )


def _one_batch(batches: Sequence[pa.RecordBatch], schema: pa.Schema) -> pa.RecordBatch:
    if len(batches) == 1:
        return batches[0]
    if not batches:
        return pa.RecordBatch.from_arrays([blank(one.type, 0) for one in schema], schema=schema)
    table = as_one(batches, schema).unify_dictionaries().combine_chunks()
    return table.to_batches()[0] if table.num_rows else batches[0]


def as_one(batches: Sequence[pa.RecordBatch], schema: pa.Schema) -> pa.Table:
    """Batches as one table. Those that have columns besides the schema's lend them to all.

    Headings that differ only in their spelling make one column, named as it was met first.
    """
    spelt: dict[str, str] = {}
    for batch in batches:
        for name in batch.schema.names:
            if name not in schema.names:
                spelt.setdefault(normal_form(name), name)
    if not spelt:
        return pa.Table.from_batches(batches, schema)
    return pa.Table.from_batches([_with_all(batch, schema, spelt) for batch in batches])


def _with_all(batch: pa.RecordBatch, schema: pa.Schema, spelt: Mapping[str, str]) -> pa.RecordBatch:
    own = {normal_form(name): name for name in batch.schema.names if name not in schema.names}
    more = {
        name: batch.column(own[form]) if form in own else blank(TEXT, batch.num_rows)
        for form, name in spelt.items()
    }
    return with_columns(batch.select(schema.names), more)


def _form(sheet: Sheet, plan: Plan, roles: RoleMap) -> FormPlan | None:
    """The first form whose condition holds on a tab."""
    for form in plan.forms:
        if form.when is None:
            return form
        if form.when.cell is not None:
            cells = [form.when.cell]
        else:
            cells = [(row, at) for row, texts in enumerate(sheet.texts) for at, _ in texts]
        for row, column in cells:
            text = sheet.cell(row, column)
            if isinstance(text, str) and any(p.match(text) is not None for p in form.when.patterns):
                if form.when.cell is not None:
                    roles.mark(row, column, Role.LABEL)
                return form
    return None


def _no_edition(plan: Plan) -> Finding:
    looked = [", ".join(one.text for one in form.when.patterns) for form in plan.forms if form.when]
    return Finding(
        "edition-unknown",
        "this tab fits no edition of the layout, so nothing was read from it",
        "Add an [[edition]] for it, or leave the tab out in [tabs].",
        looked_for="; ".join(looked),
        found="none of them",
    )


def _hidden(sheet: Sheet) -> Iterator[Finding]:
    """What a person does not see in the spreadsheet program is read all the same: said."""
    advice = "Nothing to do, if it belongs to the form; else unhide it and look."
    if sheet.visibility is not Visibility.VISIBLE:
        yield Finding(
            "tab-hidden", f"this tab is {sheet.visibility.value}; it was read all the same", advice
        )
    for code, hidden, called in (
        ("rows-hidden", sheet.hidden_rows, sheet.row_called),
        ("columns-hidden", sheet.hidden_columns, sheet.column_called),
    ):
        filled = [at for at in hidden if _filled(sheet, at, rows=code == "rows-hidden")]
        if filled:
            some = ", ".join(map(called, filled[:5])) + (" …" if len(filled) > 5 else "")
            verb = "is" if len(filled) == 1 else "are"
            yield Finding(code, f"{some} {verb} hidden; read all the same", advice)


def _filled(sheet: Sheet, at: int, *, rows: bool) -> bool:
    if rows:
        return 1 in sheet.filled[at * sheet.width : (at + 1) * sheet.width]
    return sheet.column_filled(at, 0, sheet.height)


def _read_form(
    sheet: Sheet, plan: Plan, form: FormPlan, source: TabSource, roles: RoleMap
) -> _Reading:
    """Read all blocks of a form, as it lies and turned."""
    blocks = [one for one in form.blocks if _wanted(one, source)]
    reading = _Reading([], {})
    if not form.blocks:
        stamped = read_stamps(sheet, plan, form, source.around, roles)
        reading.findings += stamped.findings
        if not sheet.blank:
            _keep(reading, plan, form, _plain_record(plan, stamped, source, sheet.name))
        return reading
    for turned in (False, True):
        some = [one for one in blocks if one.turned is turned]
        if some:
            view = sheet.turn() if turned else sheet
            over = RoleMap(view) if turned else roles
            found = [(block, *find_places(view, block, plan.names)) for block in some]
            placed = [(block, place) for block, places, _ in found for place in places]
            heads = _heading_cells(view, [place for _, place in placed])
            reading.findings += [
                one
                for _, _, told in found
                for one in told
                # What looks like the table a second time may be another block's own place.
                if not (one.code == "block-found-twice" and one.cell in heads)
            ]
            frames = bounded([place for _, place in placed])
            _read_places(view, sheet, plan, form, source, roles, over, reading, [
                (block, frame) for (block, _), frame in zip(placed, frames, strict=True)
            ])  # fmt: skip
            if turned:
                roles.take_over(over)
    return reading


def _heading_cells(view: Sheet, places: Sequence[Place]) -> set[str]:
    """The addresses of all cells in the heading rows of some places."""
    return {
        view.address(row, column)
        for place in places
        for row in range(max(place.top, 0), place.bottom + 1)
        for column in range(place.left, min(place.limit, view.width))
    }


def _wanted(block: BlockPlan, source: TabSource) -> bool:
    if block.tabs is None:
        return source.shared
    return source.blocks is not None and block.key in source.blocks


def _read_places(
    view: Sheet,
    sheet: Sheet,
    plan: Plan,
    form: FormPlan,
    source: TabSource,
    roles: RoleMap,
    over: RoleMap,
    reading: _Reading,
    placed: Sequence[tuple[BlockPlan, Place]],
) -> None:
    """Stamps first, so that their cells are known; then block by block."""
    frames = [frame for _, frame in placed]
    around, turned = source.around, view.turned
    repeats = any(block.repeat for block, _ in placed)
    once = None
    if not (repeats and placed):
        once = read_stamps(sheet, plan, form, around, roles, frames, turned=turned)
    stamps: list[Stamped] = [
        once or read_stamps(sheet, plan, form, around, roles, frames, frame, turned)
        for frame in frames
    ]
    reading.findings[:0] = dict.fromkeys(
        finding for one in ([once] if once else stamps) for finding in one.findings
    )
    if view.turned:
        over.take_over(roles)
    for (block, frame), stamped in zip(placed, stamps, strict=True):
        long = _read_block(view, frame, plan, block, over, reading)
        values = dict(stamped.values)
        for name, text in (source.blocks or {}).get(block.key, {}).items():
            values[name], told = convert_stamp(plan, name, text)
            reading.findings += told
        batch = _records(plan, block.into, long, values, source.file, sheet.name)
        reading.batches.setdefault(block.into, []).append(batch)
    if not view.turned:
        reading.places += frames


def _read_block(
    view: Sheet, place: Place, plan: Plan, block: BlockPlan, roles: RoleMap, reading: _Reading
) -> Lengthened:
    columns, about_columns = settle_columns(view, place, plan, block)
    lines, about_lines = settle_lines(view, place, columns, roles)
    long = lengthen(view, place, columns, lines, plan)
    reading.findings += [*about_columns, *about_lines, *long.findings]
    for head, column in columns.heads.items():
        reading.heads.setdefault(head, view.address(max(place.bottom, 0), column))
    mark_block(roles, place, columns, lines)
    for misfit in long.misfits:
        roles.unplace(misfit.row, misfit.column, misfit.reason)
    return long


def _records(
    plan: Plan,
    table: str,
    long: Lengthened,
    stamps: Mapping[str, object],
    file: str,
    tab: str,
) -> pa.RecordBatch:
    arrays = {**long.arrays, "source_cell": long.cells}
    stamped = {**stamps, "source_file": file, "source_tab": tab}
    length = len(long.cells)
    schema = record_schema(plan, table)
    columns = []
    for column in schema:
        if column.name in arrays:
            columns.append(arrays[column.name])
        elif column.name in stamped:
            kind = plan.types.get(column.name, "text")
            columns.append(constant(stamped[column.name], kind, length))
        else:
            columns.append(blank(column.type, length))
    known = pa.RecordBatch.from_arrays(columns, schema=schema)
    more = [name for name in arrays if name not in plan.types and name not in PROVENANCE]
    return with_columns(known, {name: arrays[name] for name in more}) if more else known


def with_columns(batch: pa.RecordBatch, more: Mapping[str, pa.Array]) -> pa.RecordBatch:
    """A batch with further text columns, before those that say where a record is from."""
    at = batch.num_columns - len(PROVENANCE)
    fields = [pa.field(name, TEXT, metadata={"field_type": "text"}) for name in more]
    schema = [*batch.schema][:at] + fields + [*batch.schema][at:]
    columns = [*batch.columns[:at], *more.values(), *batch.columns[at:]]
    return pa.RecordBatch.from_arrays(columns, schema=pa.schema(schema))


def _plain_record(
    plan: Plan, stamped: Stamped, source: TabSource, tab: str
) -> pa.RecordBatch | None:
    """The one record of a form without a block, if any of its stamps has a value."""
    if not stamped.first and all(value is None for value in stamped.values.values()):
        return None
    long = Lengthened({}, as_array([stamped.first or None], "text"), (), ())
    return _records(plan, next(iter(plan.tables)), long, stamped.values, source.file, tab)


def _keep(reading: _Reading, plan: Plan, form: FormPlan, batch: pa.RecordBatch | None) -> None:
    if batch is not None:
        reading.batches.setdefault(next(iter(plan.tables)), []).append(batch)
