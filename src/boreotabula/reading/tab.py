"""Reading one tab: the steps of this room in their order.

Choose the form → settle its blocks: places, stamps, columns, rows → mark what needs no record →
build the records → book every cell that a record holds → report every cell that is left.
"""

from __future__ import annotations

from collections.abc import Iterable, Iterator, Mapping, Sequence
from dataclasses import dataclass, field, replace

import pyarrow as pa

from boreotabula.findings.finding import WHOLE, Finding, ScopedFinding
from boreotabula.findings.places import Why
from boreotabula.findings.subjects.files import (
    COLUMNS_HIDDEN,
    EDITION_UNKNOWN,
    ROWS_HIDDEN,
    TAB_HIDDEN,
)
from boreotabula.findings.subjects.rows import TABLE_NOT_FILLED, TABLE_WITHOUT_RECORDS
from boreotabula.findings.subjects.tables import CELLS_READ_TWICE, CORNER_DIFFERS
from boreotabula.layout.field_types import type_called
from boreotabula.layout.headings import normal_form
from boreotabula.reading.account.booking import book_cells, book_stamps
from boreotabula.reading.account.leftovers import (
    label_boilerplate,
    leave_out_around,
    tell_leftovers,
)
from boreotabula.reading.account.marking import (
    label_cells,
    mark_block,
    mark_spots,
    mark_values,
)
from boreotabula.reading.account.roles import Account, RoleMap
from boreotabula.reading.account.unplaced import UnplacedCells
from boreotabula.reading.blocks import SettledBlock, TabSource, settle_blocks
from boreotabula.reading.cells import cell_text
from boreotabula.reading.locate.place import Place
from boreotabula.reading.plan import FormPlan, Plan
from boreotabula.reading.records.build import LongRecords, build_records, stamps_alone
from boreotabula.reading.records.derive import (
    completed,
    with_corrected_fields,
    with_parts,
    without_year,
)
from boreotabula.reading.records.levels import LevelHeading, level_headings
from boreotabula.reading.records.schema import one_batch, plain_record, records_of
from boreotabula.reading.stamps.read import Stamped, convert_stamp, read_stamps
from boreotabula.reading.totals.checks import TotalsCount
from boreotabula.reading.totals.compare import check_totals
from boreotabula.reading.totals.control import about_control, control_figures
from boreotabula.reading.totals.doubtful import (
    about_slips,
    over_texts,
    slips_of,
    without_pattern_slips,
)
from boreotabula.reading.totals.figures import Figures
from boreotabula.reading.totals.findings import about_totals
from boreotabula.sheets.sheet import Sheet, Visibility


@dataclass(frozen=True)
class TabReading:
    """Everything read from one tab. `records` holds batches by output table, see
    `record_schema`."""

    tables: Mapping[str, pa.RecordBatch]
    account: Account
    findings: tuple[Finding, ...]
    unplaced: UnplacedCells
    roles: RoleMap = field(repr=False)
    form: str = ""
    """The title of the edition that was read, if the layout has editions."""
    headings: tuple[LevelHeading, ...] = ()
    """The headings of its cross-tabs, of all levels."""
    totals: TotalsCount = field(default_factory=TotalsCount)
    stamped: tuple[Stamped, ...] = ()
    """The stamps of each table of the tab; most tabs have one set of them."""
    blocks: tuple[ReadBlock, ...] = field(default=(), repr=False)

    @property
    def records(self) -> pa.RecordBatch:
        """The records of the first output table."""
        return next(iter(self.tables.values()))


@dataclass(frozen=True)
class ReadBlock(SettledBlock):
    """A block as read, and its records."""

    long: LongRecords
    batch: pa.RecordBatch


def read_tab(sheet: Sheet, plan: Plan, source: TabSource) -> TabReading:
    """Read one tab by a plan."""
    # What edition it is decides all that follows.
    form, label = form_of(sheet, plan)
    reader = _TabReader(sheet, plan, source)
    reader.tell(map(ScopedFinding, _hidden(sheet, form)))
    # Rather nothing than read by the wrong edition.
    if form is None:
        reader.tell([ScopedFinding(_no_edition(plan), WHOLE, WHOLE)])
    else:
        reader.read(form)
        label_cells(reader.roles, label)
    return reader.done(form)


def form_of(sheet: Sheet, plan: Plan) -> tuple[FormPlan | None, list[tuple[int, int]]]:
    """The first form whose condition holds on a tab, and the cell (if any) that shows it."""
    # The first that fits: the layout lists them in this order.
    for form in plan.forms:
        if form.when is None:
            return form, []
        if form.when.cell is not None:
            cells: list[tuple[int, int]] = [form.when.cell]
        else:
            cells = [(row, column) for row, column, _ in sheet.texts()]
        for row, column in cells:
            text = cell_text(sheet.cell(row, column))
            if text and any(p.match(text) is not None for p in form.when.patterns):
                return form, [(row, column)] if form.when.cell is not None else []
    return None, []


def _no_edition(plan: Plan) -> Finding:
    whens = [form.when for form in plan.forms if form.when]
    conditions = "; ".join(", ".join(pattern.text for pattern in when.patterns) for when in whens)
    return EDITION_UNKNOWN(conditions=conditions)


def _hidden(sheet: Sheet, form: FormPlan | None) -> Iterator[Finding]:
    """A finding: hidden cells are read as well."""
    if sheet.visibility is not Visibility.VISIBLE:
        yield TAB_HIDDEN(visibility=sheet.visibility.value)
    # Where a rule leaves them out, the account tells it.
    if form and form.blocks and all(block.visible_only for block in form.blocks):
        return
    rows = [hidden_row for hidden_row in sheet.hidden_rows if sheet.filled[hidden_row].any()]
    columns = [
        hidden_column
        for hidden_column in sheet.hidden_columns
        if sheet.column_filled(hidden_column, 0, sheet.height)
    ]
    if rows:
        yield ROWS_HIDDEN(hidden=list(map(sheet.row_called, rows)))
    if columns:
        yield COLUMNS_HIDDEN(hidden=list(map(sheet.column_called, columns)))


class _TabReader:
    """Collects the results while the blocks of a tab are read, unturned and turned."""

    def __init__(self, sheet: Sheet, plan: Plan, source: TabSource) -> None:
        self.sheet, self.plan, self.source = sheet, plan, source
        self.roles = RoleMap(sheet)
        self.batches: dict[str, list[pa.RecordBatch]] = {}
        self.headings: list[LevelHeading] = []
        self.printed = self.differing = 0
        self.stamped: list[Stamped] = []
        self.blocks: list[ReadBlock] = []

    def tell(self, scoped_findings: Iterable[ScopedFinding], roles: RoleMap | None = None) -> None:
        """Add findings; their cells are those of the turned sheet if its `roles` are given."""
        for scoped_finding in scoped_findings:
            (roles or self.roles).tell(scoped_finding)

    def read(self, form: FormPlan) -> None:
        """Read the tab by a form."""
        if not form.blocks:
            self._read_plain(form)
            return
        views = settle_blocks(self.sheet, self.plan, form, self.source)
        self.stamped = [tab for view in views for tab in view.stamped]
        self.tell(
            dict.fromkeys(
                scoped_finding for tab in self.stamped for scoped_finding in tab.scoped_findings
            )
        )
        done: list[tuple[ReadBlock, RoleMap]] = []
        for view in views:
            # Both views write into the same roles, so that no cell is booked apart.
            roles = RoleMap(view.view, self.roles) if view.view.turned else self.roles
            self.tell(view.scoped_findings, roles)
            for block in view.blocks:
                self.tell(block.scoped_findings, roles)
                mark_block(roles, block.place, block.columns, block.table)
            # All records first: a cell is booked only once it is known who holds it.
            done += [(self._with_records(block, roles), roles) for block in view.blocks]
        for block, roles in done:
            self._book(block, roles)
        self.tell(map(ScopedFinding, _corners_differing(self.blocks)))
        self.tell(map(ScopedFinding, _not_filled(self.blocks, self.plan)))
        # After booking: a label that is also a value belongs to the record.
        label_cells(self.roles, (spot for tab in self.stamped for spot in tab.labels))
        self._tell_no_records()

    def _read_plain(self, form: FormPlan) -> None:
        """A form without a block: one record, made of its stamps."""
        stamped = read_stamps(self.sheet, self.plan, form.stamps, self.source.around)
        self.tell(stamped.scoped_findings)
        self.stamped.append(stamped)
        batch = plain_record(self.plan, stamped, self.source.file, self.sheet.name)
        # Names alone make no record of a tab on which nothing stands.
        if batch is not None and not self.sheet.blank:
            none = stamps_alone(batch.column("source_cell"))
            if self.plan.derives:
                batch = self._derived(batch, none, self.sheet, self.roles)
            if self.sheet.was:
                names = _corrected_stamps(stamped, self.sheet)
                batch = with_corrected_fields(batch, self.plan, none, (), names)
            self.batches.setdefault(next(iter(self.plan.tables)), []).append(batch)
            book_stamps(self.roles, batch, stamped)
        label_cells(self.roles, stamped.labels)

    def _with_records(self, settled: SettledBlock, roles: RoleMap) -> ReadBlock:
        """A block with its records; adds the findings about its values."""
        view, place, columns, table = (
            settled.view, settled.place, settled.columns, settled.table,
        )  # fmt: skip
        block = settled.block
        long = build_records(view, place, columns, table, self.plan)
        # Told where the cells are: on the view they were read from.
        self.tell(long.scoped_findings, roles)
        mark_values(roles, long)
        self._check_totals(settled)
        self.headings += level_headings(view, place, columns, long.slot_of, self.plan)
        # Captures of a block's own tabs come on top of the stamps that all share.
        values = dict(settled.stamped.values)
        for name, text in (self.source.blocks or {}).get(block.key, {}).items():
            values[name], findings = convert_stamp(self.plan, name, text)
            self.tell(map(ScopedFinding, findings))
        batch = records_of(self.plan, block.into, long, values, self.source.file, self.sheet.name)
        if self.plan.derives:
            batch = self._derived(batch, long, view, roles)
        if self.sheet.was:
            names = _corrected_stamps(settled.stamped, self.sheet)
            batch = with_corrected_fields(batch, self.plan, long, view.was, names)
        self.batches.setdefault(block.into, []).append(batch)
        return ReadBlock(**vars(settled), long=long, batch=batch)

    def _book(self, read: ReadBlock, roles: RoleMap) -> None:
        """Book the cells that the records of a block hold."""
        again = book_cells(roles, read.batch, read.long, read.block.row_names)
        # Two blocks that read one cell double its value.
        if again:
            self.tell([ScopedFinding(_read_twice(read.view, read.place, again))])
        book_stamps(self.roles, read.batch, read.stamped)
        self.blocks.append(read)

    def _check_totals(self, settled: SettledBlock) -> None:
        """Compare the printed totals with the records."""
        view = settled.view
        checked = [(check_totals(view, *one, self.plan), *one) for one in settled.summed]
        # Whichever agrees is taken to be meant.
        totals, columns, table = min(checked, key=lambda one: len(one[0].wrong))
        self.printed += totals.count
        self.differing += len(totals.wrong)
        lines = list(control_figures(view, settled.columns, settled.table, self.plan))
        self.printed += len(lines)
        self.differing += sum(not line.agrees for line in lines)
        self.tell(map(ScopedFinding, about_control(view, lines)))
        slips = slips_of(view, totals, columns, table)
        totals = without_pattern_slips(totals, slips)
        self.tell(map(ScopedFinding, about_slips(view, columns, slips)))
        self.tell(map(ScopedFinding, over_texts(view, columns, table, self.plan)))
        if totals.wrong or totals.flaws:
            figures = Figures(view, columns, self.plan, table)
            self.tell(map(ScopedFinding, about_totals(view, totals, columns, table, figures)))

    def _derived(
        self, batch: pa.RecordBatch, long: LongRecords, view: Sheet, roles: RoleMap
    ) -> pa.RecordBatch:
        """The records with their derived fields; adds a finding about months without a year."""
        batch, yearless = completed(batch, self.plan)
        for name, records in yearless.items():
            spots = {spot for record in records if (spot := long.spot(name, record)) is not None}
            mark_spots(roles, spots, Why.NO_YEAR)
            first = view.address(*min(spots)) if spots else None
            finding = without_year(self.plan, name, len(records), first)
            self.tell([ScopedFinding(finding, spots=sorted(spots))], roles)
            if not spots:
                stamps = [tab.spots[name] for tab in self.stamped if name in tab.spots]
                self.tell([ScopedFinding(finding, spots=stamps)])
        return with_parts(batch, self.plan)

    def _tell_no_records(self) -> None:
        """Report the stamps of a tab whose tables are there, but give no record."""
        spots = [spot for tab in self.stamped for spot in tab.spots.values()]
        some = any(block.batch.num_rows for block in self.blocks)
        # The stamps were read, but nothing carries them.
        if self.blocks and spots and not some:
            read = self.blocks[0]
            where = read.view.address(max(read.place.top, 0), read.place.left)
            finding = TABLE_WITHOUT_RECORDS(where)
            self.tell([ScopedFinding(finding, spots=spots, lapses=True)])

    def done(self, form: FormPlan | None) -> TabReading:
        """The finished reading of the tab, with every cell accounted for."""
        frames = [block.frame for block in self.blocks]
        # Before the leftovers are told: what belongs to the form is none.
        label_boilerplate(self.roles, frames, self.plan.boilerplate)
        for read, frame in zip(self.blocks, frames, strict=True):
            block = read.block
            leave_out_around(
                self.roles,
                frame,
                below=block.below == "leave out",
                beside=block.beside == "leave out",
            )
        tell_leftovers(self.roles, frames)
        file, tab = self.source.file, self.sheet.name
        # The same finding from several places of a block is told once.
        findings = dict.fromkeys(self.roles.findings())
        return TabReading(
            tables={
                table: one_batch(self.batches.get(table, []), self.plan, table)
                for table in self.plan.tables
            },
            account=self.roles.account(),
            findings=tuple(replace(finding, file=file, tab=tab) for finding in findings),
            unplaced=UnplacedCells.of_tab(self.roles, file, tab),
            roles=self.roles,
            form=form.title if form else "",
            headings=tuple(self.headings),
            totals=TotalsCount(self.printed, self.printed - self.differing),
            stamped=tuple(self.stamped),
            blocks=tuple(self.blocks),
        )


def _corrected_stamps(stamped: Stamped, sheet: Sheet) -> list[str]:
    """The stamps whose cells were corrected."""
    return [name for name, spot in stamped.spots.items() if spot in sheet.was]


_MOST_NAMED = 5
_FEW = 2
"""This few records, or columns, may well hold no number."""


def _not_filled(blocks: Iterable[ReadBlock], plan: Plan) -> Iterator[Finding]:
    """Findings about lists whose records lack all their numbers; without number fields, all but
    their names.

    Most likely such a form was not filled in.
    """
    for read in blocks:
        batch = read.batch
        if not read.block.is_list or batch.num_rows < _FEW:
            continue
        beside = [name for name in read.columns.by_row if name in batch.schema.names]
        forms = {name: plan.fields[name] for name in beside if name in plan.fields}
        numbers = [name for name, form in forms.items() if type_called(form.kind).is_number]
        wanted = numbers or beside
        if len(wanted) >= _FEW and all(
            batch.column(name).null_count == batch.num_rows for name in wanted
        ):
            where = read.view.address(max(read.place.bottom, 0), read.place.left)
            number = len(wanted) - _MOST_NAMED
            more = f" and {number} more" if number > 0 else ""
            names = wanted[:_MOST_NAMED]
            yield TABLE_NOT_FILLED(where, records=batch.num_rows, names=names, more=more)


def _corners_differing(blocks: Sequence[ReadBlock]) -> Iterator[Finding]:
    """Tables of one tab whose leading columns, named by position, have different headings that no
    record holds."""
    by_block: dict[str, list[ReadBlock]] = {}
    for block in blocks:
        if block.block.columns and block.block.across and block.place.depth:
            by_block.setdefault(block.block.key, []).append(block)
    for tables in by_block.values():
        first = tables[0]
        held = {spot for table in tables for spot in table.stamped.spots.values()}
        for column, name in enumerate(first.block.columns):
            spots = [(table.place.bottom, table.place.left + column) for table in tables]
            # A place may be narrower than `columns`.
            texts = [cell_text(first.view.cell(*spot)) for spot in spots]
            known_texts = {first.block.names.field_of(text) for text in texts}
            if name and len({*map(normal_form, texts)}) > 1 and known_texts != {name}:
                if not held.isdisjoint(spots):
                    continue
                yield CORNER_DIFFERS(
                    first.view.address(*spots[0]), field=name, corners=list(dict.fromkeys(texts))
                )


def _read_twice(view: Sheet, place: Place, cells: int) -> Finding:
    where = view.address(max(place.top, 0), place.left)
    return CELLS_READ_TWICE(where, place=where, cells=cells)
