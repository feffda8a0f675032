"""Every cell a word of its own: forms of all shapes in which no two filled cells hold the same.

After a run each of these words is in a written record, in unplaced.csv, or it is a total, a
heading, a label, or left out by a rule that has a name; and what is unplaced is told, as loudly as
its place asks for.
"""

from __future__ import annotations

import csv
from collections import Counter
from dataclasses import dataclass, field
from itertools import count
from pathlib import Path
from tempfile import TemporaryDirectory

from hypothesis import given, settings
from hypothesis import strategies as st

import boreotabula
from boreotabula.batch.file.open_file import make_job
from boreotabula.batch.file.read import read_chosen
from boreotabula.batch.inputs import look
from boreotabula.batch.read_all import ReadOptions
from boreotabula.findings.catalogue import finding_kind
from boreotabula.findings.kind import Severity
from boreotabula.reading.account.roles import Role
from boreotabula.run import run_into
from boreotabula.sheets.opening import Workbook
from boreotabula.stores.new_file import NewFile
from helpers import csv_rows, write_workbook

LOUDER = [Severity.NOTE, Severity.WARNING, Severity.ERROR]


@dataclass
class Form:
    """The cells of a tab, the layout that reads it, and the rectangles that its tables take."""

    turned: bool = False
    text_file: bool = False
    cells: dict[tuple[int, int], str | int] = field(default_factory=dict)
    blocks: list[str] = field(default_factory=list)
    fields: dict[str, str] = field(default_factory=dict)
    frames: list[tuple[range, range]] = field(default_factory=list)
    parts: dict[tuple[int, int], str] = field(default_factory=dict)
    """Of captions: the part of the text that a record holds."""
    words: count[int] = field(default_factory=lambda: count(1))

    def put(self, row: int, column: int, number: bool) -> None:
        """Fill a cell with a number, or a text, that is met nowhere else."""
        word = next(self.words)
        self.cells[row, column] = word * 1009 + 10**6 if number else f"w{word}w"

    def rows(self) -> list[list[str | int | None]]:
        cells = {spot[::-1]: one for spot, one in self.cells.items()} if self.turned else self.cells
        height = max(row for row, _ in cells) + 1
        width = max(column for _, column in cells) + 1
        return [[cells.get((row, at)) for at in range(width)] for row in range(height)]

    def layout(self) -> str:
        listed = "\n".join(f'{name} = "{kind}"' for name, kind in self.fields.items())
        keys = "turned = true\n" if self.turned else ""
        blocks = "".join(f"[[block]]\n{keys}{one}\n" for one in self.blocks)
        stamp = '[stamps]\nplace = { right_of = "Place" }\n'
        head = 'layout = 1\n[source]\nfolder = "in"\n'
        return f'{head}{stamp}{blocks}[fields]\nplace = "text"\n{listed}\n'


def put_list(draw: st.DrawFn, form: Form, top: int, name: str, *, alone: bool) -> int:
    """A plain list, found by any of its fields if it is alone; returns the row below it."""
    kinds = draw(st.lists(st.sampled_from(["text", "integer"]), min_size=2, max_size=4))
    fields = [f"{name}{at}" for at in range(len(kinds))]
    form.fields |= dict(zip(fields, kinds, strict=True))
    unheaded = draw(st.sampled_from([None, None, 1]))
    columns = [at + (unheaded is not None and at >= unheaded) for at in range(len(kinds))]
    stub = fields[: draw(st.integers(0 if alone else 1, 2))]
    total = draw(st.booleans()) and kinds[0] == "text"
    repeated = draw(st.booleans())
    keys = [f"stub = {stub}".replace("'", '"')] if stub else []
    keys += ['totals = "Total*"'] if total else []
    row = top
    for _ in range(2 if repeated else 1):
        first = row
        for field_, at in zip(fields, columns, strict=True):
            form.cells[row, at] = field_.upper()
        height = draw(st.integers(1, 5))
        for n in range(height):
            row += 1
            for kind, at in zip(kinds, columns, strict=True):
                if n == 0 or draw(st.integers(0, 3)):
                    form.put(row, at, kind == "integer")
            if unheaded is not None and draw(st.booleans()):
                form.put(row, unheaded, draw(st.booleans()))
        if total:
            row += 1
            form.cells[row, columns[0]] = f"Total {name}"
            for kind, at in zip(kinds, columns, strict=True):
                if kind == "integer":
                    above = (form.cells.get((r, at), 0) for r in range(first + 1, row))
                    form.cells[row, at] = sum(one for one in above if isinstance(one, int))
        # The last rows may be no records: what is in them is below the table then.
        form.frames.append((range(first, first + 2), range(columns[-1] + 1)))
        row += 3
    keys += ["repeat = true"] if repeated else []
    form.blocks.append("\n".join([*keys, f'into = "{name}"']))
    return row


def put_cross_tab(draw: st.DrawFn, form: Form, top: int, name: str, *, alone: bool) -> int:
    """A cross-tab of one to four levels; returns the row below it."""
    levels, stubs = draw(st.integers(1, 4)), draw(st.integers(1, 2))
    width = draw(st.integers(1, 4))
    across = [f"{name}level{at}" for at in range(levels)]
    stub = [f"{name}stub{at}" for at in range(stubs)]
    form.fields |= dict.fromkeys([*across, *stub], "text") | {f"{name}value": "integer"}
    grouped = draw(st.booleans())
    row_total = draw(st.sampled_from(["", "above", "below"]))
    column_total = draw(st.booleans())
    beside = stubs + width if draw(st.booleans()) else stubs
    first = stubs + (column_total and beside == stubs)
    for level in range(levels - 1):
        for at in range(width):
            if at % (2 ** (levels - level - 1)) == 0:
                form.put(top + level, first + at, number=False)
    lowest = top + levels - 1
    for at in range(width):
        form.put(lowest, first + at, number=False)
    for at, one in enumerate(stub):
        form.cells[lowest, at] = one.upper()
    if column_total:
        form.cells[lowest, beside] = f"Total {name}"
    row = lowest
    if row_total == "above":
        row += 1
        put_total(form, row, name, range(first, first + width))
    for n in range(draw(st.integers(1, 5))):
        row += 1
        if grouped and n % 3 == 0:
            form.put(row, 0, number=False)
            row += 1
        for at in range(stubs):
            if at == 0 or draw(st.integers(0, 3)):
                form.put(row, at, number=False)
        for at in range(width):
            if (n == 0 and at == 0) or draw(st.integers(0, 3)):
                form.put(row, first + at, number=True)
        if column_total:
            values = [form.cells.get((row, first + at), 0) for at in range(width)]
            form.cells[row, beside] = sum(one for one in values if isinstance(one, int))
    if row_total == "below":
        row += 1
        put_total(form, row, name, range(first, first + width))
    keys = [f"stub = {stub}", f"across = {across}", f'value = "{name}value"', f'into = "{name}"']
    if grouped:
        form.fields[f"{name}group"] = "text"
        keys.append(f'group_row = "{name}group"')
    keys.append('totals = "Total*"')
    form.blocks.append("\n".join(keys).replace("'", '"'))
    form.frames.append((range(top, lowest + 1), range(first + width)))
    return row + 3


def put_by_position(draw: st.DrawFn, form: Form, top: int, name: str, *, alone: bool) -> int:
    """A cross-tab without headings over its leading columns, found by a caption, by headings or by
    both, with levels apart or cut, and groups that hold more than a name; returns the row below."""
    leading, width = draw(st.integers(1, 2)), draw(st.integers(1, 4))
    kinds = st.sampled_from(["level", "gap", "-", "cut"])
    levels = [*draw(st.lists(kinds, max_size=2)), "level"]
    found = draw(st.sampled_from(["caption", "found_by", "both"]))
    columns = [f"{name}stub{at}" for at in range(leading)]
    groups = [f"{name}group{at}" for at in range(draw(st.integers(0, 2)))]
    form.fields |= dict.fromkeys([*columns, *groups], "text") | {f"{name}value": "integer"}
    keys = [f"columns = {columns}", f'value = "{name}value"', f'into = "{name}"']
    row = top
    if found != "found_by":
        word = f"w{next(form.words)}w"
        form.cells[row, 0], form.parts[row, 0] = f"Table {word}, {name}", word
        form.fields[f"{name}title"] = "text"
        keys.append(f'caption = "Table {{{name}title}}, {name}"')
        row += draw(st.integers(1, 2))
    corner, across = draw(st.booleans()), []
    for at, level in enumerate(levels):
        fields = {"-": ["-"], "gap": [f"{name}level{at}"], "cut": [f"{name}level{at}"] * 2}
        for field_ in fields.get(level, [f"{name}level{at}"]):
            across.append(field_)
            for one in range(width):
                form.put(row, leading + one, number=False)
            row += 1
        # A blank row may set levels apart, if two headings at least show that it is one.
        row += level == "gap" and width > 1
    form.fields |= dict.fromkeys((one for one in across if one != "-"), "text")
    keys.append(f"across = {across}")
    lowest = row - 1
    if found != "caption":
        keys.append(f"found_by = {[form.cells[lowest, leading + at] for at in {0, width - 1}]}")
    if corner:
        form.put(lowest, 0, number=False)
        form.fields[f"{name}corner"] = "text"
        keys.append(f'stamps = {{ {name}corner = {{ from = "stub head" }} }}'.replace("'", '"'))
    for n in range(draw(st.integers(1, 6))):
        for at, group in enumerate(groups):
            if n % (3 - at) == 0:
                form.cells[row, leading - 1] = f"{group}w{next(form.words)}w"
                for one in range(-1 if leading > 1 else 0, width):
                    if draw(st.booleans()) and (row, leading + one) not in form.cells:
                        form.put(row, leading + one, number=True)
                row += 1
        for at in range(leading):
            if at == 0 or draw(st.integers(0, 3)):
                form.put(row, at, number=False)
        for at in range(width):
            if at == 0 or draw(st.integers(0, 3)):
                form.put(row, leading + at, number=True)
        row += 1
    named = [f'{{ field = "{one}", named = "{one}w*" }}' for one in groups]
    keys += [f"group_row = [{', '.join(named)}]"] if groups else []
    keys += ["first_rows = 2"] if draw(st.booleans()) else []
    form.blocks.append("\n".join(keys).replace("'", '"'))
    form.frames.append((range(lowest, row), range(leading + width)))
    return row + 2


def put_total(form: Form, row: int, name: str, columns: range) -> None:
    """A row of totals; that they are no sums is told, and nothing else."""
    form.cells[row, 0] = f"Total {name}"
    for at in columns:
        form.put(row, at, number=True)


@st.composite
def forms(draw: st.DrawFn) -> Form:
    form = Form(draw(st.booleans()), draw(st.booleans()))
    form.cells[0, 0] = "Place"
    form.put(0, 1, number=False)
    top = 2
    names = ("a", "b")[: draw(st.integers(1, 2))]
    for name in names:
        put = draw(st.sampled_from([put_list, put_cross_tab, put_by_position]))
        top = put(draw, form, top, name, alone=len(names) == 1)
    for _ in range(draw(st.integers(0, 4))):  # texts and numbers wherever they may be
        spot = draw(st.tuples(st.integers(1, top), st.integers(0, 7)))
        if spot not in form.cells:
            form.put(*spot, number=draw(st.booleans()))
    return form


def told_enough(codes: Counter[str], code: str, needed: Severity) -> bool:
    return codes[code] > 0 and LOUDER.index(finding_kind(code).severity) >= LOUDER.index(needed)


@settings(max_examples=120)
@given(forms())
def test_every_cell_is_written_or_told(form: Form) -> None:
    with TemporaryDirectory() as folder:
        check(form, Path(folder))


def check(form: Form, home: Path) -> None:
    (home / "in").mkdir()
    layout_text = form.layout()
    if form.turned:
        layout_text = layout_text.replace("right_of", "below")
    (home / "a.toml").write_text(layout_text, "utf-8")
    if form.text_file:
        with (home / "in" / "a.csv").open("w", encoding="utf-8", newline="") as stream:
            csv.writer(stream, delimiter=";").writerows(form.rows())
    else:
        write_workbook(home / "in" / "a.xlsx", {"T": form.rows()})
    layout = boreotabula.Layout.load(home / "a.toml")
    several = len(layout.plan.tables) > 1
    out = home / ("out" if several else "out.csv")
    store = NewFile(out)
    run = run_into(store, layout, store.look(layout), lambda _: None, ReadOptions())
    (source,) = look(layout).taken
    job = make_job(layout.spec, layout.plan)
    with Workbook(source.path, job.opening) as book:
        ((sheet, reading),) = read_chosen(book, source, job, None)
    written: Counter[str] = Counter()
    for path in sorted(out.glob("*.csv")) if several else [out] if out.exists() else []:
        for row in csv_rows(path):
            written.update(value for name, value in row.items() if "source_" not in name)
    unplaced = {one["cell"]: one for one in csv_rows(home / f"{out.name}.run" / "unplaced.csv")}
    codes = Counter(one["code"] for one in csv_rows(home / f"{out.name}.run" / "findings.csv"))
    assert run.account == reading.account
    for (row, column), word in form.cells.items():
        spot = (column, row) if form.turned else (row, column)
        where = str(sheet.address(*spot))
        role = reading.roles.role(*spot)
        assert (where in unplaced) == (role is Role.UNPLACED)
        if role in (Role.STAMP, Role.STUB, Role.VALUE):  # those that only a record can give
            # Where no table is found below it, a caption may be a cell of the table above.
            part = form.parts.get((row, column))
            word = part if part is not None and role is Role.STAMP else word
            assert written[str(word)], (where, word, role)
            if role is Role.VALUE and isinstance(word, int):
                again = sum(one == word for one in form.cells.values())  # totals of one number
                assert written[str(word)] <= again, (where, word)
        elif role is Role.LEFT_OUT:
            assert reading.roles.why(*spot)
        elif role is Role.UNPLACED:
            inside = any(row in rows and column in columns for rows, columns in form.frames)
            needed = Severity.WARNING if isinstance(word, int) else Severity.NOTE
            needed = Severity.ERROR if inside else needed
            assert told_enough(codes, unplaced[where]["finding"], needed), (where, word, codes)
