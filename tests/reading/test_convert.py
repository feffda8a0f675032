"""Cells to typed values: right and wrong ones, in every type and way of writing."""

from __future__ import annotations

from datetime import date, datetime, time, timedelta
from decimal import Decimal
from typing import Any

import pytest
from babel.dates import format_date, format_datetime
from babel.numbers import format_decimal
from hypothesis import given
from hypothesis import strategies as st

from boreotabula.reading.cells import cell_text
from boreotabula.reading.values.convert import Converted, convert
from boreotabula.reading.values.form import ValueForm
from boreotabula.sheets.sheet import Flaw

D = date(2026, 4, 17)
APRIL = date(2026, 4, 1)
M = datetime(2026, 4, 17, 6, 30)


def form(kind: str, **said: Any) -> ValueForm:
    if "empty" in said:
        said["empty"] = frozenset(said["empty"])
    return ValueForm(kind, **said)


FORMS: dict[str, dict[str, Any]] = {
    "comma": {"decimal_mark": ","}, "point": {"decimal_mark": "."},
    "space": {"thousands_mark": " "}, "dots": {"thousands_mark": "."},
    "nb": {"languages": ("nb",)}, "fi": {"languages": ("fi",)}, "de": {"languages": ("de",)},
    "many": {"languages": ("nb", "fi", "sv")}, "clash": {"languages": ("cs", "hr")},
    "day": {"day_first": True}, "mon": {"day_first": False}, "kWh": {"units": ("kWh", "€", "kr")},
    "year": {"without_year": True, "languages": ("fi",)}, "none": {"empty": ("-", "n/a", "-999")},
    "same": {"spellings": {"m95": "Multipot 95", "none": "0", "x": "yes"}}, "max3": {"most": 3.0},
    "": {},
}  # fmt: skip

RIGHT: list[tuple[str, str, Any, Any]] = [
    ("text", "", " Spruce ", "Spruce"), ("text", "", 7.0, "7"), ("text", "", 0.5, "0.5"),
    ("text", "", True, "TRUE"), ("text", "", APRIL, "2026-04-01"), ("text", "", "0123", "0123"),
    ("text", "", M, "2026-04-17T06:30:00"), ("text", "", time(6, 30), "06:30:00"),
    ("text", "", timedelta(hours=30, minutes=5), "30:05:00"), ("text", "", 2017.0, "2017"),
    ("text", "", 1e15, "1000000000000000.0"), ("text", "same", "M95", "Multipot 95"),
    ("text", "same", " m95 ", "Multipot 95"), ("text", "same", "Bare root", "Bare root"),
    ("text", "none", "n/a", None), ("text", "none", " N/A ", None), ("integer", "", 7.0, 7),
    ("integer", "", "007", 7), ("integer", "", " -4 ", -4), ("integer", "", 0.0, 0),
    ("integer", "", "9007199254740993", 9007199254740993), ("integer", "", "1 200", 1200),
    ("integer", "", "12\u00a0000", 12000), ("integer", "", "1\u2009200\u2009000", 1200000),
    ("integer", "", "1'200", 1200), ("integer", "", "1.200.000", 1200000),
    ("integer", "comma", "1.200", 1200), ("integer", "dots", "1.200", 1200),
    ("integer", "", "2017.0", 2017), ("integer", "", "(12)", -12), ("integer", "", "12-", -12),
    ("integer", "", "\u221212", -12), ("integer", "same", "none", 0),
    ("integer", "none", -999.0, None), ("number", "", 7.0, 7.0), ("number", "", "7.25", 7.25),
    ("number", "", "-.5e3", -500.0), ("number", "", "7,25", 7.25), ("number", "", "0,125", 0.125),
    ("number", "", "1 234,5", 1234.5), ("number", "", "1.234,5", 1234.5),
    ("number", "", "1,234.5", 1234.5), ("number", "", "1,234,567", 1234567.0),
    ("number", "comma", "1.234", 1234.0), ("number", "point", "1.234", 1.234),
    ("number", "comma", "1,234", 1.234), ("number", "space", "1 234,56", 1234.56),
    ("number", "dots", "1.234,5", 1234.5), ("number", "", "1'234.5", 1234.5),
    ("number", "", "(1 200,50)", -1200.5), ("number", "", "1200,50-", -1200.5),
    ("number", "kWh", "12,5 kWh", 12.5), ("number", "kWh", "kr 1 200", 1200.0),
    ("number", "kWh", "-€5.50", -5.5), ("number", "kWh", "(5 KWH)", -5.0),
    ("number", "", "+3,5", 3.5), ("number", "none", "-", None), ("number", "none", "n/a", None),
    ("number", "none", 5.0, 5.0), ("decimal(2)", "", 12.5, Decimal("12.50")),
    ("decimal(2)", "", "12,5", Decimal("12.50")), ("decimal(2)", "", 0.1 + 0.2, Decimal("0.30")),
    ("decimal(0)", "", 7.0, Decimal(7)), ("decimal(3)", "comma", "1.234,5", Decimal("1234.500")),
    ("percent", "", 0.15, 0.15), ("percent", "", "15 %", 0.15), ("percent", "", "15%", 0.15),
    ("percent", "", "0.15", 0.15), ("percent", "", "12,5\u00a0%", 0.125),
    ("percent", "", "120 %", 1.2), ("percent", "", "(5 %)", -0.05), ("percent", "max3", 1.5, 1.5),
    ("month", "", D, APRIL), ("month", "", M, APRIL), ("month", "", "2026-04", APRIL),
    ("month", "", "4/2026", APRIL), ("month", "", "2026-04-17", APRIL),
    ("month", "", "April 2026", APRIL), ("month", "", "apr. 2026", APRIL),
    ("month", "", "APR-26", APRIL), ("month", "", "04/26", APRIL), ("month", "", "2026M04", APRIL),
    ("month", "", "2026 April", APRIL), ("month", "", "17.4.2026", APRIL),
    ("month", "fi", "huhtikuuta 2026", APRIL), ("month", "nb", "mai 2026", date(2026, 5, 1)),
    ("month", "many", "Toukokuu 2026", date(2026, 5, 1)),
    ("month", "de", "März 26", date(2026, 3, 1)), ("month", "many", "okt. -26", date(2026, 10, 1)),
    ("month", "clash", "srpen 2026", date(2026, 8, 1)), ("month", "year", "huhti", date(1, 4, 1)),
    ("month", "year", "Apr", date(1, 4, 1)), ("month", "year", 4.0, date(1, 4, 1)),
    ("month", "year", "4", date(1, 4, 1)), ("date", "", D, D), ("date", "", " 2026-04-17 ", D),
    ("date", "", datetime(2026, 4, 17), D), ("date", "", "17.4.2026", D),
    ("date", "", "17. 4. 2026", D), ("date", "", "03.04.2026", date(2026, 4, 3)),
    ("date", "", "17/04/2026", D), ("date", "", "04/17/2026", D),
    ("date", "day", "03/04/2026", date(2026, 4, 3)),
    ("date", "mon", "03/04/2026", date(2026, 3, 4)), ("date", "", "2026/4/17", D),
    ("date", "", "20260417", D), ("date", "", "17.4.26", D),
    ("date", "", "4/4/2026", date(2026, 4, 4)), ("date", "", "17 April 2026", D),
    ("date", "", "April 17, 2026", D), ("date", "", "17-Apr-26", D),
    ("date", "", "Fri 17th of April 2026", D), ("date", "fi", "17. huhtikuuta 2026", D),
    ("date", "fi", "perjantai 17. huhtikuuta 2026", D), ("date", "nb", "fre. 17. apr. 2026", D),
    ("date", "de", "Freitag, 17. April 2026", D), ("date", "nb", "1. mars 1999", date(1999, 3, 1)),
    ("datetime", "", M, M), ("datetime", "", D, datetime(2026, 4, 17)),
    ("datetime", "", "2026-04-17 06:30", M),
    ("datetime", "", "2026-04-17T06:30:15", datetime(2026, 4, 17, 6, 30, 15)),
    ("datetime", "", "17.4.2026 6.30", M), ("datetime", "", "17.04.2026 klo 6.30", M),
    ("datetime", "", "17. april 2026 kl. 06:30", M), ("datetime", "", "4/17/2026 6:30 AM", M),
    ("datetime", "", "17/04/2026, 18:30", datetime(2026, 4, 17, 18, 30)),
    ("datetime", "", datetime(2026, 4, 17, 5, 59, 59, 999_999), datetime(2026, 4, 17, 6)),
    ("month", "", "202604", date(2026, 4, 1)), ("month", "", 202604.0, date(2026, 4, 1)),
    ("time", "", time(6, 30), time(6, 30)), ("time", "", "6:30", time(6, 30)),
    ("time", "", "6.30", time(6, 30)), ("time", "", "06:30:15", time(6, 30, 15)),
    ("time", "", time(5, 59, 59, 999_999), time(6)), ("time", "", "6:30 pm", time(18, 30)),
    ("time", "", "12 AM", time(0)), ("time", "", "klo 6.30", time(6, 30)),
    ("time", "", time(23, 59, 59, 999_999), time(23, 59, 59)),
    ("time", "", timedelta(hours=6), time(6)), ("yesno", "", True, True), ("yesno", "", 0.0, False),
    ("yesno", "", "Yes", True), ("yesno", "", "false", False), ("yesno", "fi", "Kyllä", True),
    ("yesno", "fi", "ei", False), ("yesno", "nb", "Nei", False), ("yesno", "same", "x", True),
    ("yesno", "none", "-", None),
]  # fmt: skip
WRONG: list[tuple[str, str, Any, str]] = [
    ("text", "", Flaw("#N/A"), "where text belongs"),
    ("integer", "", "1,200", "could be 1200 or 1.200"), ("integer", "", "7.5", "a fraction"),
    ("integer", "", 7.5, "a fraction"), ("integer", "", True, "TRUE"),
    ("integer", "", APRIL, "a date"), ("integer", "", 1e17, "more digits"),
    ("integer", "", "12 00", "text"), ("integer", "", "99999999999999999999", "too large"),
    ("integer", "", "1 200.000.000", "text"), ("number", "", "nan", "text"),
    ("number", "", "inf", "text"), ("number", "", False, "TRUE"), ("number", "", "1_000", "text"),
    ("number", "", "--5", "text"), ("number", "", "1e999", "too large"),
    ("number", "", "12 kWh", "“kWh” beside the number"), ("number", "", "€5", "“€” beside"),
    ("number", "comma", "1.5", "text"), ("number", "space", "1'200", "text"),
    ("number", "", "()", "text"), ("number", "", "12 34", "text"),
    ("number", "", "1.234", "could be 1234 or 1.234"), ("number", "", "(5-)", "text"),
    ("decimal(2)", "", "x", "text"), ("decimal(2)", "", 1e30, "too large"),
    ("percent", "", 15.0, "could be 15 %"), ("percent", "", "15", "could be 15 %"),
    ("percent", "", "%", "text"), ("month", "", APRIL.toordinal() * 1.0, "a number"),
    ("month", "", "2026-13", "text"), ("month", "", "0000-01", "text"),
    ("month", "", "April", "without its year"), ("month", "", "2026", "text"),
    ("month", "", "Stock 2026", "text"), ("month", "", "April 0000", "text"),
    ("month", "", "huhtikuu 2026", "text"), ("month", "", "04/05", "two short figures"),
    ("month", "clash", "listopad 2026", "two months"),
    ("month", "", "1/2/2026", "could be 2026-02-01 or 2026-01-02"), ("month", "year", "13", "text"),
    ("date", "", 46113.0, "a number"), ("date", "", M, "a time of day"),
    ("date", "", "2026-W05", "text"), ("datetime", "", "2026W05", "text"),
    ("month", "", "2026-W05", "text"), ("month", "", 202613.0, "a number"),
    ("date", "", "soon", "text"), ("date", "", Flaw("#N/A"), "error value"),
    ("date", "", "03/04/2026", "could be 2026-04-03 or 2026-03-04"),
    ("date", "", "31.2.2026", "no such day"), ("date", "day", "04/17/2026", "no such day"),
    ("date", "", "26-04-17", "first or its last two figures"),
    ("date", "", "Mon 17 April 2026", "day of the week"), ("date", "", "17 April 18 2026", "text"),
    ("date", "", "17 Stock 2026", "text"), ("datetime", "", "06:30", "text"),
    ("datetime", "", "2026-04-17T06:30Z", "time zone"), ("datetime", "", 0.5, "a number"),
    ("datetime", "", "17.4.2026 25:00", "text"), ("time", "", "noon", "text"),
    ("time", "", 0.25, "a number"), ("time", "", timedelta(hours=30), "a date or time"),
    ("time", "", "25:00", "text"), ("time", "", "13:00 pm", "text"), ("time", "", "6", "text"),
    ("yesno", "", "maybe", "text"), ("yesno", "", 2.0, "a number"), ("yesno", "", "kyllä", "text"),
    ("yesno", "", D, "a date"),
]  # fmt: skip


@pytest.mark.parametrize(("kind", "said", "cell", "value"), RIGHT)
def test_what_converts(kind: str, said: str, cell: Any, value: Any) -> None:
    done = convert([cell, ""], form(kind, **FORMS[said]))
    assert (done.values.to_pylist(), done.failures) == ([value, None], ())
    assert done.blanked == ((0,) if value is None else ())


@pytest.mark.parametrize(("kind", "said", "cell", "why"), WRONG)
def test_what_does_not_convert_gives_an_empty_value_and_a_reason(
    kind: str, said: str, cell: Any, why: str
) -> None:
    done = convert(["", cell], form(kind, **FORMS[said]))
    assert done.values.to_pylist() == [None, None]
    assert [place for place, _ in done.failures] == [1]
    assert why in str(done.failures[0][1])


@pytest.mark.parametrize(
    ("kind", "cells", "values", "settled", "evidence"),
    [
        ("date", ["03/04/2026", "25/04/2026"], [date(2026, 4, 3), date(2026, 4, 25)], True, (1,)),
        ("date", ["04/25/2026", "03/04/2026"], [date(2026, 4, 25), date(2026, 3, 4)], True, (0,)),
        ("date", ["03/04/2026", "4.4.2026"], [None, date(2026, 4, 4)], False, ()),
        (
            "date", ["03/04/2026", "25/04/2026", "04/25/2026"],
            [None, date(2026, 4, 25), date(2026, 4, 25)], False, (1, 2),
        ),
        ("number", ["1.234", "0.5"], [1.234, 0.5], True, (1,)),
        ("number", ["1.234", "0,5", 3.0], [1234.0, 0.5, 3.0], True, (1,)),
        ("integer", ["1,234", "1,234,567"], [1234, 1234567], True, (1,)),
        ("number", ["1,234", "12"], [None, 12.0], False, ()),
        ("month", ["1/2/2026", "13/2/2026"], [date(2026, 2, 1), date(2026, 2, 1)], True, (1,)),
        ("datetime", ["1/2/2026 6:00", "1/13/2026 7:00"],
         [datetime(2026, 1, 2, 6), datetime(2026, 1, 13, 7)], True, (1,)),
    ],
)  # fmt: skip
def test_a_doubtful_text_is_read_like_those_that_leave_no_doubt_and_said(
    kind: str, cells: list[Any], values: list[Any], settled: bool, evidence: tuple[int, ...]
) -> None:
    done = convert(cells, form(kind))
    assert done.values.to_pylist() == values
    assert done.doubt is not None
    assert (done.doubt.settled, done.doubt.evidence) == (settled, evidence)
    assert bool(done.failures) != settled


def test_values_outside_stay_and_are_told_with_the_nearest_choice() -> None:
    def outside(done: Converted) -> list[tuple[int, str]]:
        return [(at, str(reason)) for at, reason in done.outside]

    ranged = convert([5.0, -1.0, 12.0], form("integer", least=0, most=10))
    assert ranged.values.to_pylist() == [5, -1, 12]
    assert [(at, why[:8]) for at, why in outside(ranged)] == [(1, "less tha"), (2, "more tha")]
    months = convert(["2026-04", "2025-12"], form("month", least=date(2026, 1, 1)))
    assert outside(months) == [(1, "less than the least allowed, 2026-01")]
    chosen = convert(["A", "Cul", "A"], form("text", choices=("A", "B", "Cull")))
    assert outside(chosen) == [(1, "none of the choices A, B, Cull; the nearest is “Cull”")]


def test_decimals_that_are_cut_are_told() -> None:
    done = convert([12.345, 12.355, 0.1 + 0.2, "1,005"], form("decimal(2)", decimal_mark=","))
    assert done.values.to_pylist() == [Decimal(one) for one in ("12.35", "12.36", "0.30", "1.01")]
    assert done.rounded == (0, 1, 3)


@given(st.lists(st.integers(-(2**53), 2**53).map(float), min_size=1))
def test_whole_floats_convert_alike_all_at_once_and_one_by_one(cells: list[float]) -> None:
    together = convert(cells, form("integer")).values.to_pylist()
    one_by_one = [convert([cell, ""], form("integer")).values.to_pylist()[0] for cell in cells]
    assert together == one_by_one == [int(cell) for cell in cells]


@given(st.floats(allow_nan=False, allow_infinity=False))
def test_the_text_of_a_number_reads_back(number: float) -> None:
    assert float(cell_text(number)) == number


LANGUAGES = st.sampled_from(["en", "nb", "fi", "sv", "de", "fr", "es", "pl", "et", "en_GB"])
DATES = st.dates(date(1970, 1, 1), date(2068, 12, 31))


@given(
    DATES,
    LANGUAGES,
    st.sampled_from(["long", "full", "medium", "d. MMMM y", "y-MM-dd", "d MMM yy"]),
)
def test_a_date_written_in_any_language_reads_back(day: date, language: str, style: str) -> None:
    written = format_date(day, style, locale=language)
    done = convert([written], form("date", languages=(language,), day_first=language != "en"))
    assert done.values.to_pylist() == [day], written


@given(DATES, LANGUAGES, st.sampled_from(["MMMM y", "LLLL y", "LLL yy", "y-MM", "MM/y", "MMM y"]))
def test_a_month_written_in_any_language_reads_back(day: date, language: str, style: str) -> None:
    written = format_date(day, style, locale=language)
    done = convert([written], form("month", languages=(language,)))
    assert done.values.to_pylist() == [day.replace(day=1)], written


@given(st.decimals(-(10**9), 10**9, places=2, allow_nan=False), LANGUAGES, st.booleans())
def test_a_number_written_in_any_language_reads_back(
    number: Decimal, language: str, brackets: bool
) -> None:
    written = format_decimal(number, "#,##0.00", locale=language)
    if brackets and number < 0:
        written = "(" + written.lstrip("-\u2212") + ")"
    for kind, value in (("decimal(2)", number), ("number", float(number))):
        assert convert([written], form(kind)).values.to_pylist() == [value], written


@given(st.datetimes(datetime(1970, 1, 1), datetime(2068, 1, 1)), LANGUAGES)
def test_a_time_written_in_any_language_reads_back(moment: datetime, language: str) -> None:
    moment = moment.replace(microsecond=0)
    written = format_datetime(moment, "d. MMMM y HH:mm:ss", locale=language)
    done = convert([written], form("datetime", languages=(language,)))
    assert done.values.to_pylist() == [moment], written
