"""Reading one tab: the steps of this room in their order.

Choose the form → find the blocks → read the stamps → of each block settle columns and rows, mark
their roles, and lengthen its values into records → account for every cell.
"""

from __future__ import annotations

from collections.abc import Iterator, Mapping, Sequence
from dataclasses import dataclass, field, replace

import pyarrow as pa

from boreotabula.reading.cells import cell_text
from boreotabula.reading.columns import Columns
from boreotabula.reading.derive import NO_YEAR_REASON, completed, with_parts, without_year
from boreotabula.reading.figures import Figures
from boreotabula.reading.findings import Finding, Unplaced
from boreotabula.reading.lengthen import Lengthened, lengthen
from boreotabula.reading.lines import Lines, blank_stubs, settle_lines
from boreotabula.reading.lookalikes import without_lookalikes
from boreotabula.reading.marking import mark_block
from boreotabula.reading.place import Place, bounded, same_table
from boreotabula.reading.places import find_places
from boreotabula.reading.plan import BlockPlan, FormPlan, Plan
from boreotabula.reading.records import one_batch, plain_record, record_schema, records_of
from boreotabula.reading.roles import Account, Role, RoleMap
from boreotabula.reading.settling import settle_columns
from boreotabula.reading.stamp_search import Surroundings
from boreotabula.reading.stamps import Stamped, convert_stamp, read_stamps
from boreotabula.reading.strays import about_strays, strays_of
from boreotabula.reading.total_findings import about_totals
from boreotabula.reading.totals import TotalsCount, check_totals
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
    """The headings of cross-tabs, of all levels, and a cell that stands under each."""
    totals: TotalsCount = field(default_factory=TotalsCount)
    stamped: tuple[Stamped, ...] = ()
    """The stamps of each table of the tab; most tabs have one set of them."""
    blocks: tuple[ReadBlock, ...] = field(default=(), repr=False)

    @property
    def records(self) -> pa.RecordBatch:
        """The records of the first output table."""
        return next(iter(self.tables.values()))


@dataclass(frozen=True)
class ReadBlock:
    """A block as it was read, and its records; `view` is the sheet as it lies, or turned."""

    block: BlockPlan
    place: Place
    columns: Columns
    lines: Lines
    long: Lengthened
    stamped: Stamped
    view: Sheet
    batch: pa.RecordBatch


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
    form = form_of(sheet, plan, roles)
    reader = _TabReader(sheet, plan, source, roles)
    reader.findings += _hidden(sheet)
    if form is None:
        reader.findings.append(_no_edition(plan))
    else:
        reader.read(form)
    return reader.done(form)


def form_of(sheet: Sheet, plan: Plan, roles: RoleMap) -> FormPlan | None:
    """The first form whose condition holds on a tab; the cell that tells it becomes a label."""
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


Placed = list[tuple[BlockPlan, Place]]
"""Blocks with the places where they stand, each bounded by the others."""


class _TabReader:
    """What is gathered while the blocks of a tab are read, as it lies and turned."""

    def __init__(self, sheet: Sheet, plan: Plan, source: TabSource, roles: RoleMap) -> None:
        self.sheet, self.plan, self.source, self.roles = sheet, plan, source, roles
        self.findings: list[Finding] = []
        self.places: list[Place] = []
        self.batches: dict[str, list[pa.RecordBatch]] = {}
        self.heads: dict[str, str] = {}
        self.printed = self.differing = 0
        self.used = 0
        self.stamped: list[Stamped] = []
        self.blocks: list[ReadBlock] = []

    def read(self, form: FormPlan) -> None:
        """Read the tab by a form."""
        if not form.blocks:
            self._read_plain(form)
        blocks = wanted_blocks(form, self.source)
        for turned in (False, True):
            some = [one for one in blocks if one.turned is turned]
            if some and turned:
                view = self.sheet.turn()
                over = RoleMap(view)
                self._read_blocks(form, some, view, over)
                self.roles.take_over(over)
            elif some:
                self._read_blocks(form, some, self.sheet, self.roles)

    def _read_plain(self, form: FormPlan) -> None:
        """A form without a block: one record, made of its stamps."""
        stamped = read_stamps(self.sheet, self.plan, form, self.source.around, self.roles)
        self.findings += stamped.findings
        self.stamped.append(stamped)
        batch = plain_record(self.plan, stamped, self.source.file, self.sheet.name)
        if batch is not None and not self.sheet.blank:
            if self.plan.derives:
                none = Lengthened({}, batch.column("source_cell"))
                batch = self._derived(batch, none, self.sheet, self.roles)
            self.batches.setdefault(next(iter(self.plan.tables)), []).append(batch)

    def _read_blocks(
        self, form: FormPlan, blocks: Sequence[BlockPlan], view: Sheet, roles: RoleMap
    ) -> None:
        """Stamps come before the blocks, so that their cells are known to be spoken for."""
        placed = self._place(blocks, view)
        stamps = self._stamps(form, placed, turned=view.turned)
        if view.turned:
            roles.take_over(self.roles)
        else:
            self.places += [place for _, place in placed]
        for (block, place), stamped in zip(placed, stamps, strict=True):
            columns, lines, long = self._read_block(block, place, view, roles)
            values = dict(stamped.values)
            for name, text in (self.source.blocks or {}).get(block.key, {}).items():
                values[name], told = convert_stamp(self.plan, name, text)
                self.findings += told
            batch = records_of(
                self.plan, block.into, long, values, self.source.file, self.sheet.name
            )
            if self.plan.derives:
                batch = self._derived(batch, long, view, roles)
            self.batches.setdefault(block.into, []).append(batch)
            self.blocks.append(ReadBlock(block, place, columns, lines, long, stamped, view, batch))

    def _place(self, blocks: Sequence[BlockPlan], view: Sheet) -> Placed:
        found = [(block, *find_places(view, block, self.plan.names)) for block in blocks]
        placed: Placed = []
        for block, places, _ in found:
            for place in places:
                before = next((one for one, other in placed if same_table(other, place)), None)
                if before is None:
                    placed.append((block, place))
                else:
                    self.findings.append(_read_already(view, place))
        heads = _heading_cells(view, [place for _, place in placed])
        self.findings += [
            one
            for *_, told in found
            for one in told
            # What looks like the table a second time may be another block's own place.
            if not (one.code == "block-found-twice" and one.cell in heads)
        ]
        frames = bounded([place for _, place in placed])
        return [(block, frame) for (block, _), frame in zip(placed, frames, strict=True)]

    def _stamps(self, form: FormPlan, placed: Placed, *, turned: bool) -> list[Stamped]:
        """The stamps of each place; all share the same unless a block repeats."""
        frames = [frame for _, frame in placed]
        each = any(block.repeat for block, _ in placed)
        stamps = [
            read_stamps(
                self.sheet, self.plan, form, self.source.around, self.roles, frames, near, turned
            )
            for near in (frames if each else [None])
        ]
        told = dict.fromkeys(finding for one in stamps for finding in one.findings)
        self.findings[:0] = told
        self.stamped += stamps
        return stamps if each else stamps * len(frames)

    def _read_block(
        self, block: BlockPlan, place: Place, view: Sheet, roles: RoleMap
    ) -> tuple[Columns, Lines, Lengthened]:
        columns, about_columns = settle_columns(view, place, self.plan, block)
        lines, about_lines = settle_lines(view, place, columns, roles)
        settled = without_lookalikes(view, place, columns, lines, self.plan)
        columns, lines = settled.columns, settled.lines
        long = lengthen(view, place, columns, lines, self.plan)
        self.findings += [
            *about_columns, *about_lines, *settled.findings, *blank_stubs(view, columns, lines),
            *long.findings,
        ]  # fmt: skip
        self._check_totals(view, columns, lines)
        for head, column in columns.heads.items():
            self.heads.setdefault(head, view.address(max(place.bottom, 0), column))
        mark_block(roles, place, columns, lines)
        for misfit in long.misfits:
            roles.unplace(misfit.row, misfit.column, misfit.reason)
        self.used += long.used
        if long.unheld:
            self.findings.append(_unheld(view, long))
        for spot in long.unheld:
            roles.unplace(*spot, _UNHELD)
        for spot in long.blanked:
            roles.mark(*spot, roles.rule(f"empty: {cell_text(view.cell(*spot))}"))
        again = self.used - roles.count(Role.VALUE) if self.blocks else 0
        if again > 0:
            self.used -= again
            self.findings.append(_read_twice(view, place, again))
        return columns, lines, long

    def _check_totals(self, view: Sheet, columns: Columns, lines: Lines) -> None:
        """Compare the printed totals with the records."""
        totals = check_totals(view, columns, lines, self.plan)
        self.printed += totals.count
        self.differing += len(totals.wrong)
        if totals.wrong or totals.flaws:
            figures = Figures(view, columns, self.plan, lines.records)
            self.findings += about_totals(view, totals, columns, lines, figures)

    def _derived(
        self, batch: pa.RecordBatch, long: Lengthened, view: Sheet, roles: RoleMap
    ) -> pa.RecordBatch:
        """The records with what follows from their other fields; months without a year told."""
        batch, yearless = completed(batch, self.plan)
        for name, records in yearless.items():
            spots = list(dict.fromkeys(long.spots(name, at) for at in records))
            for spot in spots:
                if spot is not None:
                    self.used -= roles.role(*spot) is Role.VALUE
                    roles.unplace(*spot, NO_YEAR_REASON)
            first = "" if spots[0] is None else view.address(*spots[0])
            self.findings.append(without_year(self.plan, name, len(records), first))
        return with_parts(batch, self.plan)

    def done(self, form: FormPlan | None) -> TabReading:
        """The reading of the tab, with every cell accounted for."""
        strays = list(strays_of(self.sheet, self.roles, self.places))
        account = self.roles.account()
        findings = [*self.findings, *about_strays(strays), *_open(account, self.used, len(strays))]
        file, tab = self.source.file, self.sheet.name
        return TabReading(
            {
                table: one_batch(self.batches.get(table, []), record_schema(self.plan, table))
                for table in self.plan.tables
            },
            account,
            tuple(replace(one, file=file, tab=tab) for one in findings),
            tuple(one.unplaced._replace(file=file, tab=tab) for one in strays),
            self.roles,
            form.title if form else "",
            self.heads,
            TotalsCount(self.printed, self.printed - self.differing),
            tuple(self.stamped),
            tuple(self.blocks),
        )


_UNHELD = "no value stands in its row"


def _unheld(view: Sheet, long: Lengthened) -> Finding:
    row, column = long.unheld[0]
    text = cell_text(view.cell(row, column))
    many = f"{len(long.unheld)} cells stand" if len(long.unheld) > 1 else "1 cell stands"
    return Finding(
        "row-without-value",
        f"{many} beside values that are all blank, “{text}” first; no record can hold them",
        'Nothing to do, if a row without values tells nothing; else `blank = "keep"` in [block]'
        " makes records of blank values.",
        cell=view.address(row, column),
        looked_for="a value in its row",
        found=text,
    )


def _open(account: Account, used: int, unplaced: int) -> Iterator[Finding]:
    """An account that does not close is a fault of the program, and is said."""
    counts = (account.roles[Role.VALUE], account.roles[Role.UNPLACED], account.filled)
    if counts != (used, unplaced, sum(account.roles.values())):
        yield Finding(
            "account-open",
            f"the account of this tab does not close: {counts[0]} cells count as values, {used} of"
            f" them gave one; {counts[1]} count as unplaced, {unplaced} are listed",
            "This is a fault of the program, not of the file: please report it with the tab.",
            looked_for="one role for every filled cell",
            found=f"{account.filled} filled cells",
        )


def _read_already(view: Sheet, place: Place) -> Finding:
    return Finding(
        "blocks-overlap",
        f"two blocks of the layout find the same table at {view.address(place.top, place.left)};"
        " it was read by the first of them only",
        "Give the blocks stub headings that differ, say where each stands with `at`, or let them"
        " choose other tabs.",
        cell=view.address(max(place.top, 0), place.left),
        looked_for="a table for each block",
        found="the same table for two",
    )


def _read_twice(view: Sheet, place: Place, cells: int) -> Finding:
    said = "1 cell" if cells == 1 else f"{cells} cells"
    return Finding(
        "blocks-overlap",
        f"the table at {view.address(max(place.top, 0), place.left)} reaches over another one:"
        f" {said} that another block reads as values were read again",
        "Say where each block stands and ends: with `at`, `ends_at`, or stub headings of its own.",
        cell=view.address(max(place.top, 0), place.left),
        looked_for="each value in one block",
        found="cells in two blocks",
    )


def _heading_cells(view: Sheet, places: Sequence[Place]) -> set[str]:
    """The addresses of all cells in the heading rows of some places."""
    return {
        view.address(row, column)
        for place in places
        for row in range(max(place.top, 0), place.bottom + 1)
        for column in range(place.left, min(place.limit, view.width))
    }


def wanted_blocks(form: FormPlan, source: TabSource) -> list[BlockPlan]:
    """The blocks of a form that are read on a tab."""
    return [one for one in form.blocks if _wanted(one, source)]


def _wanted(block: BlockPlan, source: TabSource) -> bool:
    if block.tabs is None:
        return source.shared
    return source.blocks is not None and block.key in source.blocks
