"""The first sketch of a kind: what its tables, labels and names show by themselves."""

from __future__ import annotations

import re
from collections.abc import Iterable, Mapping, Sequence
from dataclasses import replace
from typing import Any

from boreotabula.drafting.columns.lists import position_sketch
from boreotabula.drafting.columns.over_columns import Tables, list_heading
from boreotabula.drafting.columns.tables import level_cells, table_sketch
from boreotabula.drafting.columns.unit_rows import rows_under_headings
from boreotabula.drafting.columns.with_types import with_types
from boreotabula.drafting.doubts import Doubt
from boreotabula.drafting.labels import names
from boreotabula.drafting.labels.header_lines import stamps_of_lines
from boreotabula.drafting.labels.stamps import stamps_of
from boreotabula.drafting.sketch import Sketch, one_or_list
from boreotabula.drafting.tabs.specimens import Example, TabFamily
from boreotabula.drafting.texts.periods import periods_in
from boreotabula.drafting.texts.templates import escaped
from boreotabula.layout.headings import normal_form
from boreotabula.look.looks import TEXT
from boreotabula.look.shape import Shape
from boreotabula.look.texts.types import Typed, languages_of, typed
from boreotabula.look.texts.words import field_name, is_total
from boreotabula.reading.cells import cell_text, one_line
from boreotabula.sheets.sheet import Cell


def first_sketch(kind: TabFamily, turned: TabFamily | None = None) -> Sketch:
    """A layout as the appearance of the tabs suggests it; `turned` are the same tabs turned."""
    examples = kind.examples
    under = rows_under_headings(kind) if kind.has_table and not turned else 0
    table = turned or kind.below(under)
    sketch = table_sketch(table) if turned or kind.has_table else position_sketch(kind)
    sketch = sketch.having(turned=True if turned else None, under_headings=under or None)
    if _names_by_text_above(sketch):
        # What names a table is no title of the tab.
        examples = tuple(_with_captions(example) for example in examples)
    of_stamps = stamps_of_lines if kind.has_lines else stamps_of
    stamps = of_stamps(examples, [*sketch.fields, *map(field_name, sketch.headings)])
    if stamps.endings:
        sketch = sketch.having(
            ends_at=one_or_list([f"{escaped(ending)}*" for ending in stamps.endings])
        )
    cells = [cell for example in examples for cell in _cells(example)]
    languages = languages_of([*cells, *stamps.moments, *_periods_in_names(kind)])
    groups = [texts | _words_of_captions(sketch, example)
            for texts, example in zip(stamps.told, kind.examples, strict=True)]  # fmt: skip
    tabs, tab_named, tab_stamps = names.of_tabs(
        examples, [*sketch.fields, *stamps.fields], groups, kind.places[len(examples) :]
    )
    sources = {**stamps.sources, **{name: source for name, (source, _) in tab_stamps.items()}}
    of_tabs = {name: how for name, (_, how) in tab_stamps.items()}
    own = {**stamps.fields, **tab_named.fields, **of_tabs}
    for group, one in zip(groups, examples, strict=True):
        group |= {
            names.plain(part) for part in (one.specimen.tab, *one.specimen.tab.split()) if part
        }
    file_named = names.of_files([file for file, _ in kind.places], groups, [*sketch.fields, *own])
    sources = _compared_with_names(sources, own, file_named)
    own = {**file_named.fields, **own}
    fields = {**{name: kind for name, kind in own.items() if name not in sketch.fields},
              **sketch.fields}  # fmt: skip
    # Without headings texts that come again and again are values.
    boilerplate = tuple(stamps.boilerplate) if kind.has_table or not sketch.block else ()
    result = replace(
        sketch,
        title=_title(kind, boilerplate, file_named.patterns),
        boilerplate=boilerplate,
        include=file_named.patterns,
        tabs=tabs,
        reading={**sketch.reading, **({"languages": languages} if languages else {})},
        stamps=sources,
        fields=fields,
        doubts=(*sketch.doubts, *_odd_names(file_named, examples)),
    )
    return with_types(result, typed_fields(fields, table, sketch, languages))


def _compared_with_names(
    sources: Mapping[str, Any], types: Mapping[str, str], named: names.Named
) -> dict[str, Any]:
    """The sources of stamps; a month or date that the names of the files also give is compared with
    them.

    Of several fields of a type it is unknown which one the names mean.
    """
    compared = dict(sources)
    for kind, pattern in named.again.items():
        fields = [name for name, own in types.items() if own == kind]
        if len(fields) == 1 and fields[0] in sources:
            again = {"from": "file name", "pattern": pattern, "compared": True}
            compared[fields[0]] = [sources[fields[0]], again]
    return compared


def _periods_in_names(kind: TabFamily) -> list[str]:
    """The months and dates that names of files and tabs hold, as written."""
    return [
        text[period.start : period.end].replace("_", " ")
        for text in dict.fromkeys(text for place in kind.places for text in place)
        for period in periods_in(text)
        if period.kind in ("month", "date")
    ]


def _odd_names(named: names.Named, examples: Sequence[Example]) -> Iterable[Doubt]:
    """The files whose names are unlike the others, so that they say nothing."""
    if named.fields:
        for name in dict.fromkeys(named.odd):
            file = next(
                example.specimen.file
                for example in examples
                if example.specimen.file.endswith(name)
            )
            yield Doubt(
                "file name", f"the name of {file} is unlike those of the other files; what these"
                f" tell ({', '.join(named.fields)}) is blank in its records",
                "rename the file, or leave it out with `exclude` in [source]", file,
            )  # fmt: skip


def _names_by_text_above(sketch: Sketch) -> bool:
    """Whether the names of tabs equal the texts above their tables."""
    own = sketch.block.get("stamps", {}).values()
    return "caption" in sketch.block or {"from": "table title"} in own


def _with_captions(example: Example) -> Example:
    return Example(
        example.specimen,
        tuple(replace(shape, top=max(shape.top - 2, 0)) for shape in example.shapes),
    )


def _words_of_captions(sketch: Sketch, example: Example) -> set[str]:
    """What captions of a tab already say, word by word."""
    if not _names_by_text_above(sketch):
        return set()
    above = (
        cell_text(cell)
        for shape in example.shapes
        for cells in example.sheet.rows[max(shape.top - 2, 0) : shape.top]
        for cell in cells
    )
    # A number in a caption is that of a table, and tells nothing of the file.
    return {
        names.plain(word)
        for text in above
        for word in re.split(r"[\s:,()–—]+", text)
        if word and not word.isdigit()
    }


def _cells(example: Example) -> Iterable[Cell]:
    return (cell for cells in example.sheet.rows for cell in cells if cell != "")


def _title(kind: TabFamily, boilerplate: Sequence[str], patterns: Sequence[str]) -> str:
    """The first text that all tabs share, else the common beginning of the file names."""
    above = {
        text.strip()
        for example in kind.examples
        for top in [min((shape.top for shape in example.shapes), default=example.sheet.height)]
        for _, _, text in example.sheet.texts(range(top))
    }
    titles = [text for text in boilerplate if text in above and not re.search("[:*]", text)]
    if titles:
        return titles[0]
    name = (patterns[0] if patterns else "").partition("{")[0].partition("*")[0].rpartition(".")
    stem = (name[0] or name[2]).replace("_", " ").strip(" -")
    # A letter or a number is no title.
    return stem[:1].upper() + stem[1:] if re.search(r"[^\W\d_]{3}", stem) else ""


def typed_fields(
    fields: Mapping[str, str], kind: TabFamily, sketch: Sketch, languages: Sequence[str]
) -> dict[str, Typed]:
    """The types of the cells of a table's fields."""
    shapes = [(example, shape) for example in kind.examples for shape in example.shapes]
    headings = {name: text for text, name in sketch.headings.items()}
    return {
        name: typed(cells, languages, heading=headings.get(name, name.replace("_", " ")))
        for name, cells in _cells_of(sketch, shapes).items()
        if name in fields and any(cell != "" for cell in cells)
    } if shapes else {}  # fmt: skip


def _cells_of(sketch: Sketch, shapes: Tables) -> dict[str, list[Cell]]:
    """The cells of each field of the table, as far as their place is known."""
    result: dict[str, list[Cell]] = {}
    block = sketch.block
    for example, shape in shapes:
        rows = [
            row for row in range(shape.first, shape.end) if not _is_total_row(example, shape, row)
        ]
        if not shape.crossed:
            for column in range(shape.right - shape.left):
                name = _field_over(sketch, list_heading(example, shape, column))
                cells = (example.sheet.rows[row][shape.left + column] for row in rows)
                if name:
                    result.setdefault(name, []).extend(cells)
            continue
        totals = {
            value for value in shape.values if is_total(cell_text(shape.heads[value - shape.left]))
        }
        measures = block["value"] if isinstance(block["value"], list) else []
        for column in shape.values:
            if column in totals or not _is_figures(shape, column):
                continue
            name = _measure(sketch, measures, shape.heads[column - shape.left]) or block["value"]
            if isinstance(name, str):
                result.setdefault(name, []).extend(example.sheet.rows[row][column] for row in rows)
        across = block["across"] if isinstance(block["across"], list) else [block["across"]]
        for level, name in enumerate(across):
            heads = [
                cell for cell in level_cells(example, shape, level) if not is_total(cell_text(cell))
            ]
            result.setdefault(name, []).extend(heads)
    return result


def _field_over(sketch: Sketch, heading: str) -> str:
    """The field that the heading of a list's column means."""
    plain = normal_form(heading)
    texts = {normal_form(text): name for text, name in sketch.headings.items()}
    texts |= {normal_form(name.replace("_", " ")): name for name in sketch.fields}
    return texts.get(plain, "") if plain else ""


def _measure(sketch: Sketch, measures: Sequence[str], head: Cell) -> str:
    """The measure that a heading of the lowest level names."""
    text = one_line(cell_text(head))
    plain = normal_form(text)
    known_text = sketch.headings.get(text)
    return next(
        (
            measure
            for measure in measures
            if measure == known_text or normal_form(measure.replace("_", " ")) == plain
        ),
        "",
    )


def _is_figures(shape: Shape, column: int) -> bool:
    return shape.of_texts or shape.columns[column - shape.left] != TEXT


def _is_total_row(example: Example, shape: Shape, row: int) -> bool:
    cells = example.sheet.rows[row][shape.left : shape.left + max(shape.leading, 1)]
    return any(is_total(cell_text(cell)) for cell in cells if cell != "")
