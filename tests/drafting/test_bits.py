"""What readings cost in bits: the likelier one is taken, and a close one is asked about."""

from __future__ import annotations

from math import inf, log2

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from boreotabula.drafting.asking.questions import questions
from boreotabula.drafting.draft import draft
from boreotabula.drafting.search.cost import cost_of
from boreotabula.drafting.search.judging import judge
from boreotabula.drafting.sketch import Sketch, TabForm
from boreotabula.drafting.tabs.specimens import Specimen
from boreotabula.drafting.texts.bits import (
    LETTER,
    bits_of_numbers,
    bits_of_presence,
    bits_of_texts,
)
from boreotabula.sheets.sheet import make_sheet


@given(st.lists(st.integers(0, 10_000), min_size=1, max_size=30), st.integers(1, 20))
def test_numbers_cost_their_range(values: list[int], more: int) -> None:
    numbers = np.array(values, float)
    bits = bits_of_numbers(numbers)
    assert bits >= len(values) * log2(max(values) - min(values) + 1)
    assert bits_of_numbers(np.append(numbers, numbers[:more])) >= bits
    assert bits_of_numbers(np.append(numbers, max(values) + 1e6)) > bits


@given(st.lists(st.text("abcdef", min_size=1, max_size=8), max_size=30))
def test_a_text_is_paid_by_its_letters_once(texts: list[str]) -> None:
    once = sum(LETTER * (len(text) + 1) for text in set(texts))
    bits = bits_of_texts(texts)
    assert once <= bits <= once + len(texts) * log2(len(set(texts)) + 2)


@given(st.integers(0, 50), st.integers(0, 50))
def test_what_is_everywhere_or_nowhere_costs_nothing_to_say(filled: int, blank: int) -> None:
    bits = bits_of_presence(filled, filled + blank)
    assert bits == 0 if not filled or not blank else 0 < bits <= filled + blank
    assert bits == pytest.approx(bits_of_presence(blank, filled + blank))


HEADS = ["Sown", "Kept", "Sold", "Lost", "Given", "Late"]


def forms(spans: list[int], files: int = 4, rows: int = 6) -> list[Specimen]:
    """Forms with a column for each span, whose numbers reach from 0 to that."""

    def number(file: int, row: int, at: int) -> float:
        ends = {(0, 0): 0, (1, 1): spans[at]}
        mixed = (file * 131 + row * 37 + at * 97 + file * row * at * 13) % (spans[at] + 1)
        return float(ends.get((file, row), mixed))

    found = []
    for file in range(files):
        body = [
            [f"L{file}{row}", *(number(file, row, at) for at in range(len(spans)))]
            for row in range(rows)
        ]
        lines = [["Nursery:", f"N{file}"], [], ["Lot", *HEADS[: len(spans)]], *body]
        width = len(spans) + 1
        grid = [[*line, *[""] * (width - len(line))] for line in lines]
        found.append(Specimen(f"stock_N{file}.xlsx", make_sheet("Sheet1", grid)))
    return found


@pytest.mark.parametrize(
    ("spans", "form", "other"),
    [
        ([9, 400, 40_000], TabForm.LIST, None),
        ([400, 400, 400], TabForm.LIST, None),
        ([400] * 6, TabForm.CROSS_TAB, TabForm.LIST),
    ],
    ids=["unlike", "few", "close"],
)
def test_a_reading_that_is_almost_as_likely_is_asked_about(
    spans: list[int], form: TabForm, other: TabForm | None
) -> None:
    found = draft(forms(spans))
    assert found is not None and found.sketch.form == form
    asked = [one for one in questions(found) if one.kind == "reading"]
    if other is None:
        assert not asked and found.runner_up is None
        return
    (doubt,) = asked
    assert doubt.choices == (form.value, other.value) and doubt.cell == "A3"
    turned = found.otherwise()
    assert turned.sketch.form == other and turned.otherwise().sketch == found.sketch
    counts = [one.judged.records for one in (found, turned)]
    assert counts == [144, 24] and doubt.records == 144
    assert f"as {form} ({counts[0]} records); {other} ({counts[1]}) is almost" in doubt.text


@pytest.mark.parametrize(
    ("lines", "form", "other"),
    [
        ("Lot,Species|A,Fir|B,Oak|C,Ash", TabForm.LABELS, TabForm.LIST),
        ("Site,North|Month,2026-03|Manager,Eva|Total,12", TabForm.LIST, TabForm.LABELS),
        (
            "Site,North|Month,March 2026|Head,Eva Holm|Sown,1200|Lost,31",
            TabForm.LIST,
            TabForm.LABELS,
        ),
        ("Lot,Count|A,1|B,2|C,3|D,4", TabForm.LIST, None),
    ],
)
def test_two_columns_of_a_tab_that_is_alone_may_be_labels_or_a_list(
    lines: str, form: TabForm, other: TabForm | None
) -> None:
    rows = [line.split(",") for line in lines.split("|")]
    cells = [[float(cell) if cell.isdigit() else cell for cell in row] for row in rows]
    found = draft([Specimen("a.xlsx", make_sheet("Sheet1", cells))])
    assert found is not None and found.sketch.form == form
    assert (found.runner_up and found.runner_up[0].form) == other


def test_what_gives_no_record_explains_nothing() -> None:
    specimens = forms([9, 400])
    nothing = Sketch(block={"stub": "species"}, fields={"species": "text", "sown": "integer"})
    assert cost_of(nothing, judge(nothing, specimens)) == inf
    read = Sketch(listed=True, fields={"lot": "text", "sown": "integer", "kept": "integer"})
    fewer = Sketch(listed=True, fields={"lot": "text", "sown": "integer"})
    costs = [cost_of(one, judge(one, specimens)) for one in (read, fewer)]
    assert costs[0] < costs[1] < inf
