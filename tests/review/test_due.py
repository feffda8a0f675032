"""Who is late, by days that are given; and the letters to those whose reports are missing."""

from __future__ import annotations

import json
import os
from datetime import date, datetime
from pathlib import Path

import pytest
from test_review import records

from boreotabula.review.due import (
    Came,
    Sender,
    Standing,
    came_by_files,
    end_of_period,
    reports,
    said,
)
from helpers import program, write_workbook

ROWS = [
    ("Lia", "2026-01", "a", 1, None, "lia-1"),
    ("Lia", "2026-02", "a", 2, None, "lia-2"),
    ("Myr", "2026-01", "a", 3, None, "myr-1"),
    ("Myr", "2026-03", "a", 4, None, "myr-3"),
]
CAME = {
    "lia-1": date(2026, 2, 10), "lia-2": date(2026, 3, 11), "myr-1": date(2026, 2, 1),
    "myr-3": date(2026, 4, 1),
}  # fmt: skip


def stands(on: date, came: Came = CAME.get, **due: int | None) -> list[tuple[str, str, str]]:
    senders = [Sender((name,), days) for name, days in due.items()]
    found = reports(records(ROWS), (["site"], "month"), senders, on, came)
    return [(one.label[0], one.period, one.standing.value) for one in found]


def test_a_report_is_missing_late_or_due_by_its_day() -> None:
    # On the day itself nothing is late, and nothing missing.
    assert stands(date(2026, 3, 11), lia=11) == []
    assert stands(date(2026, 4, 10), lia=10) == [("lia", "2026-02", "late"),
                                                 ("lia", "2026-03", "due")]  # fmt: skip
    assert stands(date(2026, 4, 11), lia=10) == [("lia", "2026-02", "late"),
                                                 ("lia", "2026-03", "missing")]  # fmt: skip
    # Who is in no record has sent nothing; without a day nobody is judged.
    assert [one[1:] for one in stands(date(2026, 2, 1), Lund=0)] == [("2026-01", "missing")]
    assert stands(date(2026, 9, 1), Lia=None) == []


def test_a_period_that_is_not_over_is_not_asked_for() -> None:
    assert stands(date(2026, 3, 31), Myr=5) == [("Myr", "2026-02", "missing")]
    assert ("Myr", "2026-04", "due") in stands(date(2026, 5, 1), Myr=5)


def test_what_nobody_knows_the_day_of_is_not_called_late() -> None:
    assert stands(date(2026, 3, 31), lambda _: None, Lia=0) == []


@pytest.mark.parametrize(
    ("period", "end"), [("2024-02", (2024, 2, 29)), ("2026", (2026, 12, 31)),
                        ("2026-05-04", (2026, 5, 4))]
)  # fmt: skip
def test_a_period_ends_on_its_last_day(period: str, end: tuple[int, int, int]) -> None:
    assert end_of_period(period) == date(*end)


def test_earlier_reports_that_came_late_are_counted() -> None:
    found = reports(records(ROWS), (["site"], "month"), [Sender(("Lia",), 0)], date(2026, 4, 2),
                    CAME.get)  # fmt: skip
    assert [one.standing for one in found] == [Standing.LATE, Standing.LATE, Standing.MISSING]
    assert list(said(found, date(2026, 4, 2))) == [
        "missing   Lia, 2026-03: due 2026-03-31, 2 days ago",
        "late      Lia: 2 reports for earlier periods",
    ]


LAYOUT = """layout = 1
[source]
folder = "inbox"
[stamps]
site = { right_of = "Site" }
month = { right_of = "Month" }
[block]
[fields]
site = "text"
month = "month"
lot = "text"
n = "integer"
"""


@pytest.fixture
def desk(tmp_path: Path) -> Path:
    """Two reports for March, the second of which came late, and a list of three senders."""
    (tmp_path / "inbox").mkdir()
    (tmp_path / "s.toml").write_text(LAYOUT, "utf-8")
    for site, came in (("Lia", datetime(2026, 4, 9)), ("Myr", datetime(2026, 4, 12))):
        rows = [["Site", site], ["Month", "2026-03"], [], ["Lot", "N"], ["L1", 4.0]]
        path = tmp_path / "inbox" / f"{site}.xlsx"
        write_workbook(path, {"A": rows})
        os.utime(path, (came.timestamp(), came.timestamp()))
    (tmp_path / "sites.csv").write_text("Site,Due,Language\nLia,,\nMyr,,\nLund,12,nb\n", "utf-8")
    assert program("extract", "s.toml", "-o", "s.csv", cwd=tmp_path).status == 0
    return tmp_path


ASK = ("--expect", "sites.csv", "--across", "month", "--due", "10", "--on")


def test_coverage_says_what_is_missing_late_and_due(desk: Path) -> None:
    ask = ("coverage", "s.csv", "--rows", "site", *ASK)
    done = program(*ask, "2026-05-11", "--require-complete", cwd=desk)
    lines = done.out.splitlines()
    assert done.status == 1 and "2026-04" in done.out
    assert "missing   Lund has never reported" in lines
    assert "missing   Lia, 2026-04: due 2026-05-10, 1 day ago" in lines
    assert "late      Myr: 1 report for earlier periods" in lines
    early = json.loads(program(*ask, "2026-04-12", "--json", cwd=desk).out)["due"]
    assert [(one["row"], one["standing"], one["due"], one["came"]) for one in early["reports"]] == [
        (["Myr"], "late", "2026-04-10", "2026-04-12"), (["Lund"], "due", "2026-04-12", None),
    ]  # fmt: skip
    met = program("coverage", "s.csv", "--rows", "site", "--across", "month", "--due", "40",
                  "--on", "2026-05-01", "--require-complete", cwd=desk)  # fmt: skip
    assert met.status == 0 and "due       Lia, 2026-04: due 2026-06-09, in 39 days" in met.out


def test_gaps_of_senders_without_a_day_are_not_passed_over(desk: Path) -> None:
    for site, month in (("Lia", "2026-01"), ("Lia", "2026-02"), ("Myr", "2026-01"),
                        ("Oak", "2026-01"), ("Oak", "2026-03")):  # fmt: skip
        rows = [["Site", site], ["Month", month], [], ["Lot", "N"], ["L1", 4.0]]
        path = desk / "inbox" / f"{site} {month}.xlsx"
        write_workbook(path, {"A": rows})
        os.utime(path, (0, 0))
    assert program("extract", "s.toml", "-o", "s.csv", cwd=desk).status == 0
    # Lia is judged by a day, Myr has none, and Oak is not on the list.
    (desk / "sites.csv").write_text("Site,Due\nLia,20\nMyr,\n", "utf-8")
    ask = ("coverage", "s.csv", "--rows", "site", "--across", "month", "--expect", "sites.csv",
           "--on", "2026-05-11", "--require-complete")  # fmt: skip
    done = program(*ask, cwd=desk)
    lines = done.out.splitlines()
    assert done.status == 1 and "Complete" not in done.out
    assert lines[lines.index("due       Lia, 2026-04: due 2026-05-20, in 9 days") + 1 :] == [
        "gap       Myr: 2026-02", "gap       Oak: 2026-02"
    ]  # fmt: skip
    assert json.loads(program(*ask, "--json", cwd=desk).out)["complete"] is False
    for name in ("Myr 2026-01", "Oak 2026-01", "Oak 2026-03", "Myr"):
        (desk / "inbox" / f"{name}.xlsx").unlink()
    (desk / "sites.csv").write_text("Site,Due\nLia,20\n", "utf-8")
    assert program("extract", "s.toml", "-o", "s.csv", "--fresh", cwd=desk).status == 0
    done = program(*ask, cwd=desk)
    assert done.status == 0
    assert done.out.endswith("Complete up to now: all that was due has been reported.\n")


def test_mark_reminds_those_whose_reports_are_missing(desk: Path) -> None:
    done = program("mark", "s.csv", "-o", "back", *ASK, "2026-05-11", cwd=desk)
    assert done.status == 0 and done.out.count("a report is missing") == 3
    letter = (desk / "back" / "reminder Lund.txt").read_text("utf-8")
    assert (
        letter.startswith("Rapporter som mangler: Lund") and "2026-03, frist 2026-04-12" in letter
    )
    assert "Myr" not in letter and "Lia" not in letter
    english = (desk / "back" / "reminder Lia.txt").read_text("utf-8")
    assert "- 2026-04, due on 2026-05-10" in english and "2026-03" not in english
    # What is not missing any more is not left lying there; the list of faults knows no reminders.
    assert program("mark", "s.csv", "--check", "back", cwd=desk).status == 0
    program("mark", "s.csv", "-o", "back", *ASK, "2026-04-13", cwd=desk)
    assert [path.name for path in (desk / "back").glob("*.txt")] == ["reminder Lund.txt"]


def test_the_page_of_a_run_says_who_is_late_and_what_to_check(desk: Path) -> None:
    rows = [["Site", "Myr"], ["Month", "2026-02"], [], ["Lot", "N"], ["L1", "ca. 4"]]
    write_workbook(desk / "inbox" / "Myr-2.xlsx", {"A": rows})
    program("extract", "s.toml", "-o", "s.csv", "--report", "r.html", "--expect", "sites.csv",
            cwd=desk)  # fmt: skip
    page = (desk / "r.html").read_text("utf-8")
    # Only of Lund a day is known, and it has sent nothing since the first month that was met.
    assert "<li><b>missing</b> Lund, 2026-02 to " in page and "the first due 2026-03-12" in page
    assert '<th scope="row">Myr</th><td class="n">1</td><td class="n"></td>' in page
    (desk / "sites.csv").write_text("Site\nLund\n", "utf-8")
    program("extract", "s.toml", "-o", "s.csv", "--report", "r.html", "--expect", "sites.csv",
            "--overwrite", cwd=desk)  # fmt: skip
    page = (desk / "r.html").read_text("utf-8")
    assert "Who is late" not in page and "<li><b>Lund</b>: never</li>" in page


@pytest.mark.parametrize(
    ("arguments", "told"),
    [
        (("coverage", "s.csv", "--rows", "site", "--across", "lot", "--due", "3"),
         "“lot” is no month, date or year"),
        (("coverage", "s.csv", "--rows", "site", "--across", "month", "--on", "2026-05-01"),
         "--on goes with --due"),
        (("coverage", "s.csv", "--rows", "site", "--across", "month", "--expect", "bad.csv"),
         "line 2: “soon” under “due” is no number of days"),
        (("mark", "s.csv", "-o", "back", "--due", "3"), "go with --expect"),
        (("mark", "s.csv", "-o", "back", "--expect", "sites.csv"), "name the field with the"),
        (("mark", "s.csv", "-o", "back", "--expect", "sites.csv", "--across", "month"),
         None),
        (("mark", "s.csv", "-o", "back", "--expect", "odd.csv", "--across", "month", "--due", "0",
          "--on", "2026-05-01"), "there are no texts in “xx”"),
        (("mark", "s.csv", "-o", "back", "--expect", "other.csv", "--across", "month"),
         "no column of “other.csv” is called like a field"),
    ],
)  # fmt: skip
def test_wrong_calls(desk: Path, arguments: tuple[str, ...], told: str | None) -> None:
    (desk / "bad.csv").write_text("site,due\nLia,soon\n", "utf-8")
    (desk / "other.csv").write_text("who\nLia\n", "utf-8")
    (desk / "odd.csv").write_text("site,language\nLia,xx\n", "utf-8")
    done = program(*arguments, cwd=desk)
    if told is None:  # the list itself says a day for one of them
        assert done.status == 0
    else:
        assert done.status == 2 and told in " ".join(done.err.split())
        assert not (desk / "back").exists()


def test_the_day_of_a_file_is_that_of_its_last_change(tmp_path: Path) -> None:
    path = tmp_path / "a.xlsx"
    path.write_bytes(b"")
    os.utime(path, (0, datetime(2026, 4, 9, 12).timestamp()))
    came = came_by_files({"a.xlsx": path, "b.xlsx": tmp_path / "b.xlsx"})
    assert [came(name) for name in ("a.xlsx", "b.xlsx", "c.xlsx")] == [date(2026, 4, 9), None, None]
