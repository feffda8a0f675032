"""The other samples: climate loggers, dispatch lists, a plan of the year, bench sheets, reviews.

Each is made from figures that follow from fixed seeds; `totals` gives what an extraction must find.
"""

from __future__ import annotations

from collections.abc import Iterator, Mapping
from dataclasses import dataclass, replace
from datetime import date, datetime, timedelta
from pathlib import Path
from random import Random
from typing import Any

import xlsxwriter

from make_demo.nurseries import NURSERIES, SPECIES
from make_demo.reviews import reviews, write_reviews

_MADE = {"created": datetime(2026, 1, 1)}
_QUARTERS = ("Q1", "Q2", "Q3", "Q4")


@dataclass(frozen=True)
class ExpectedTotals:
    """What a layout must find in one file: the number of records, and the sum of one field."""

    records: int
    field: str
    total: float


def write_others(folder: Path) -> None:
    """Write all of these samples into folders of their own."""
    for name, write in (("climate", _climate), ("dispatch", _dispatch), ("plan", _plan)):
        (folder / name).mkdir(parents=True, exist_ok=True)
        write(folder / name)
    for name, write in (("benches", _benches), ("reviews", write_reviews)):
        (folder / name).mkdir(exist_ok=True)
        write(folder / name)


def totals() -> Mapping[str, Mapping[str, ExpectedTotals]]:
    """The expected totals, by layout and file."""
    return {
        "climate": {
            name: ExpectedTotals(len(rows), "temperature", round(sum(row[1] for row in rows), 1))
            for name, rows in _climate_rows()
        },
        "dispatch": {
            name: ExpectedTotals(len(rows), "seedlings", sum(row[4] for row in rows))
            for name, _, _, rows in _dispatch_lists()
        },
        "plan": {
            "plan_2026.xlsx": ExpectedTotals(
                sum(any(n is not None for n in pair) for _, rows in _plans() for _, pairs in rows
                    for pair in pairs),
                "planned",
                sum(pair[0] or 0 for _, rows in _plans() for _, pairs in rows for pair in pairs),
            )
        },
        "benches": {
            name: ExpectedTotals(
                sum(len(rows) * 3 for _, rows in benches),
                "seedlings",
                sum(sum(counts) for _, rows in benches for _, counts in rows),
            )
            for name, _, benches in _bench_sheets()
        },
        "review": {
            name: ExpectedTotals(
                sum(len(table.amounts) for tables in tabs.values() for table in tables),
                "amount",
                sum(sum(table.amounts) for tables in tabs.values() for table in tables),
            )
            for name, _, _, tabs in reviews()
        },
    }  # fmt: skip


# --- weekly files of climate loggers: text without headings --------------------------------------


def _climate_rows() -> Iterator[tuple[str, list[tuple[datetime, float, int, str]]]]:
    for nursery in NURSERIES[:3]:
        for week in (5, 6):
            draw = Random(f"climate {nursery.name} {week}")
            start = datetime.combine(date.fromisocalendar(2026, week, 1), datetime.min.time())
            rows = []
            for step in range(0, 7 * 24, 6):
                warm = round(draw.uniform(4, 19), 1)
                rows.append((start + timedelta(hours=step), warm, draw.randint(55, 97), "ok"))
            yield f"logger_{nursery.name}_2026-W{week:02}.dat", rows


def _climate(folder: Path) -> None:
    for name, rows in _climate_rows():
        lines = [f"{when:%Y-%m-%d %H:%M}|{warm}|{damp}|{state}" for when, warm, damp, state in rows]
        (folder / name).write_text("\n".join(lines) + "\n", "utf-8")


# --- dispatch lists: a plain list under a title, in three languages -------------------------------


@dataclass(frozen=True)
class _Words:
    """The words of a dispatch list in one language, and how it writes a date."""

    title: str
    headings: tuple[str, ...]
    months: tuple[str, ...]
    total: str
    date_form: str = ""
    """Empty for real dates."""


_ENGLISH = _Words(
    "Dispatch list", ("Order no.", "Species", "Ship to", "Shipped", "Seedlings"),
    ("January", "February", "March"), "Total",
)  # fmt: skip
_NORWEGIAN = _Words(
    "Utsendelser", ("Ordrenr.", "Art", "Mottaker", "Sendt", "Antall planter"),
    ("januar", "februar", "mars"), "Sum", "{day}. {month} {year}",
)  # fmt: skip
_FINNISH = _Words(
    "Lähetykset", ("Tilausnro", "Laji", "Vastaanottaja", "Lähetetty", "Taimia"),
    ("tammikuu", "helmikuu", "maaliskuu"), "Yhteensä", "{day}.{number}.{year}",
)  # fmt: skip
_NEW_FORM = replace(
    _FINNISH, headings=("Tilausnro", "Puulaji", "Asiakas", "Lähetetty", "Taimia kpl")
)
"""The headings that one sender began to use in the last month."""

_LANGUAGES = {"Frostmo": _NORWEGIAN, "Lomlia": _NORWEGIAN, "Suvanto": _FINNISH, "Hiekka": _FINNISH}

_Dispatch = tuple[str, str, str, date, int]


def _dispatch_lists() -> Iterator[tuple[str, str, _Words, list[_Dispatch]]]:
    for nursery in NURSERIES:
        words = _LANGUAGES.get(nursery.name, _ENGLISH)
        for number, month in enumerate(words.months, 1):
            draw = Random(f"dispatch {nursery.name} {number}")
            rows = [
                (
                    f"{draw.randint(1, 999):04}",
                    draw.choice(SPECIES),
                    draw.choice(("Fjellgard", "Myrset", "Koivula", "Northfield")),
                    date(2026, number, draw.randint(1, 28)),
                    draw.randint(2, 80) * 50,
                )
                for _ in range(draw.randint(4, 9))
            ]
            if nursery.name == "Hiekka" and number == len(words.months):
                words = _NEW_FORM
            title = f"{words.title} – {nursery.name} – {month} 2026"
            yield f"dispatch_{nursery.name}_2026-{number:02}.xlsx", title, words, rows


def _dispatch(folder: Path) -> None:
    for name, title, words, rows in _dispatch_lists():
        with xlsxwriter.Workbook(folder / name) as book:
            book.set_properties(_MADE)
            sheet = book.add_worksheet("Dispatch")
            sheet.set_column(0, 4, 16)
            bold = book.add_format({"bold": True})
            code = book.add_format({"num_format": "0000"})
            day = book.add_format({"num_format": "yyyy-mm-dd"})
            sheet.write(0, 0, title, bold)
            sheet.write_row(2, 0, words.headings, bold)
            for index, (order, species, to, shipped, seedlings) in enumerate(rows, 3):
                if words.date_form:
                    sheet.write_string(index, 0, order)
                    sheet.write_string(index, 3, _written(shipped, words))
                else:
                    sheet.write_number(index, 0, int(order), code)
                    sheet.write_datetime(
                        index, 3, datetime.combine(shipped, datetime.min.time()), day
                    )
                sheet.write_row(index, 1, (species, to))
                sheet.write_number(index, 4, seedlings)
            sheet.write(len(rows) + 3, 0, words.total, bold)
            sheet.write(len(rows) + 3, 4, sum(row[4] for row in rows), bold)


def _written(day: date, words: _Words) -> str:
    month = words.months[day.month - 1]
    return words.date_form.format(day=day.day, month=month, number=day.month, year=day.year)


# --- the plan of the year: planned and actual under each quarter ---------------------------------

_Pair = tuple[int | None, int | None]


def _plans() -> Iterator[tuple[str, list[tuple[str, list[_Pair]]]]]:
    for nursery in NURSERIES:
        draw = Random(f"plan {nursery.name}")
        rows: list[tuple[str, list[_Pair]]] = []
        for species in SPECIES:
            planned = [draw.randint(10, 90) * 1000 for _ in _QUARTERS]
            actual = [round(number * draw.uniform(0.8, 1.1)) for number in planned[:2]]
            rows.append((species, list(zip(planned, [*actual, None, None], strict=True))))
        yield nursery.name, rows


def _plan(folder: Path) -> None:
    with xlsxwriter.Workbook(folder / "plan_2026.xlsx") as book:
        book.set_properties(_MADE)
        head = book.add_format({"bold": True, "align": "center", "bottom": 1})
        for name, rows in _plans():
            sheet = book.add_worksheet(name)
            sheet.write(0, 0, f"Plan 2026, {name}")
            sheet.write(3, 1, "Species", head)
            for index, quarter in enumerate(_QUARTERS):
                sheet.merge_range(2, 2 + 2 * index, 2, 3 + 2 * index, quarter, head)
                sheet.write_row(3, 2 + 2 * index, ["Planned", "Actual"], head)
            for row, (species, pairs) in enumerate(rows, 4):
                sheet.write(row, 1, species)
                for index, pair in enumerate(pairs):
                    for column, number in enumerate(pair):
                        if number is not None:
                            sheet.write(row, 2 + 2 * index + column, number)


# --- bench sheets: the same small table for bench after bench ------------------------------------

_Bench = tuple[str, list[tuple[str, list[int]]]]


def _bench_sheets() -> Iterator[tuple[str, str, list[_Bench]]]:
    for nursery in NURSERIES[2:4]:
        draw = Random(f"benches {nursery.name}")
        benches: list[_Bench] = [
            (
                f"{nursery.name[0]}{number}",
                [(species, [draw.randint(1, 60) * 5 for _ in "ABC"]) for species in SPECIES],
            )
            for number in range(1, 6)
        ]
        yield f"benches_{nursery.name}.xlsx", nursery.name, benches


def _benches(folder: Path) -> None:
    for name, nursery, benches in _bench_sheets():
        with xlsxwriter.Workbook(folder / name) as book:
            book.set_properties(_MADE)
            sheet = book.add_worksheet("Benches")
            bold = book.add_format({"bold": True})
            sheet.write_row(0, 0, ["Nursery", nursery])
            for number, (bench, rows) in enumerate(benches):
                _bench(sheet, bold, 2 + number // 2 * 7, number % 2 * 6, bench, rows)


def _bench(
    sheet: Any, bold: Any, top: int, left: int, bench: str, rows: list[tuple[str, list[int]]]
) -> None:
    """One bench: its label, then a small table; two of them stand side by side."""
    sheet.write_row(top, left, ["Bench:", bench])
    sheet.write_row(top + 1, left, ["Species", "A", "B", "C"], bold)
    for row, (species, counts) in enumerate(rows, top + 2):
        sheet.write(row, left, species)
        sheet.write_row(row, left + 1, counts)
