"""A tab as a page: what is in it, and what happens in a browser when a cell is chosen."""

from __future__ import annotations

import json
import re
import shutil
from collections.abc import Iterator
from pathlib import Path
from typing import Any

import pytest

from helpers import LAYOUT, contrast, program, write_workbook

FORM = [
    ["Nursery", "Lomlia", None, None, None],
    [None, None, None, None, "</script><b>"],
    ["Art", "Lot", "M95", None, "M60"],
    [None, None, "A", "B", "A"],
    ["Pine", "L1", 10, "many", 20],
    [None, "L2", 30, 40, None],
    ["Total", None, 40, 40, 20],
]
OWN = LAYOUT.replace("[block]", '[source]\nfolder = "."\ninclude = ["*.xlsx"]\n[block]')
NURSERY = (
    OWN.replace("[block]", '[stamps]\nnursery = { right_of = "Nursery" }\n[block]')
    .replace("value =", 'carry_down = ["species"]\ntotals = ["Total*"]\nvalue =')
    .replace("[fields]", '[fields]\nnursery = "text"')
)  # fmt: skip


@pytest.fixture
def page(tmp_path: Path) -> Path:
    """The page of a tab with an error, a merged heading, and a text that looks like markup."""
    path = write_workbook(tmp_path / "form.xlsx", {"Bench 1": FORM}, {"Bench 1": ["C3:D3"]})
    (tmp_path / "stock.toml").write_text(NURSERY, "utf-8")
    out = tmp_path / "roles.html"
    done = program("show", path, "--layout", tmp_path / "stock.toml", "--page", out)
    assert (done.status, done.err) == (0, "") and done.out.startswith(str(out)[:40])
    return out


def test_the_page_holds_each_cell_with_its_role_and_each_record_with_its_cells(page: Path) -> None:
    text = page.read_text("utf-8")
    assert "http" not in text and "</script><b>" not in text
    roles = re.findall(r'data-a="(\w+)" data-r="(.)" class="(\w+)', text)
    classes = {address: name for address, _, name in roles}
    assert all(letter == name or (letter, name) == ("?", "u") for _, letter, name in roles)
    assert {address: classes[address] for address in ("A1", "B1", "C3", "A5", "C5", "C7")} == {
        "A1": "l", "B1": "s", "C3": "h", "A5": "n", "C5": "v", "C7": "t",
    }  # fmt: skip
    assert 'colspan="2" data-a="C3"' in text
    found = re.search(r'<script type="application/json">(.*?)</script>', text, re.DOTALL)
    assert found is not None
    data = json.loads(found[1])
    (block,) = data["blocks"]
    number = block["values"][block["fields"].index("lot")].index("L2")
    assert [line[number] for line in block["values"]][:3] == ["Lomlia", "Pine", "L2"]
    cells = dict(zip(block["fields"], (line[number] for line in block["cells"]), strict=True))
    row = data["width"]
    assert cells == {
        "nursery": 1, "species": 4 * row, "lot": 5 * row + 1, "container": 2 * row + 2,
        "grade": 3 * row + 2, "seedlings": 5 * row + 2,
    }  # fmt: skip
    assert [severity for severity, *_ in data["said"]["D5"]] == ["error"]


@pytest.mark.parametrize(
    ("arguments", "said"),
    [
        (["form.xlsx", "--page", "x.html"], "--page needs --layout"),
        (["form.xlsx", "--layout", "stock.toml", "--page", "x.pdf"], "is written as .html or .htm"),
        (["form.xlsx", "--layout", "stock.toml", "--page", "no/x.html"], "there is no folder"),
    ],
)
def test_wrong_calls_of_pages(page: Path, arguments: list[str], said: str) -> None:
    done = program("show", *arguments, cwd=page.parent)
    assert done.status == 2 and said in " ".join(done.err.split())


def test_a_page_that_the_next_run_would_read_is_refused(page: Path) -> None:
    home = page.parent
    (home / "all.toml").write_text(NURSERY.replace('include = ["*.xlsx"]', ""), "utf-8")
    done = program("show", "form.xlsx", "--layout", "all.toml", "--page", "x.html", cwd=home)
    assert done.status == 2 and "the next run would read it" in " ".join(done.err.split())
    report = ["-o", "s.csv", "--report", "x.html"]
    assert program("extract", "all.toml", *report, cwd=home).status == 2
    assert program("extract", "stock.toml", *report, cwd=home).status == 1


@pytest.fixture(scope="module")
def browser(tmp_path_factory: pytest.TempPathFactory) -> Iterator[Any]:
    """Chromium without a window."""
    chromium, driver = shutil.which("chromium"), shutil.which("chromedriver")
    if chromium is None or driver is None:
        pytest.skip("Chromium and its driver are not installed")
    from selenium import webdriver
    from selenium.webdriver.chrome.service import Service

    options = webdriver.ChromeOptions()
    options.binary_location = chromium
    for one in (
        "--headless=new", "--no-sandbox", "--disable-gpu", "--disable-quic", "--no-first-run",
        "--disable-background-networking", "--disable-component-update", "--disable-sync",
        "--disable-dev-shm-usage", "--window-size=1280,800",
        f"--user-data-dir={tmp_path_factory.mktemp('browser')}",
    ):  # fmt: skip
        options.add_argument(one)
    started = webdriver.Chrome(options=options, service=Service(driver))
    yield started
    started.quit()


def test_a_chosen_value_shows_its_record_and_lights_up_its_cells(page: Path, browser: Any) -> None:
    from selenium.webdriver.common.by import By
    from selenium.webdriver.common.keys import Keys

    def lit() -> set[str]:
        found = browser.find_elements(By.CSS_SELECTOR, "td.lit")
        return {one.get_attribute("data-a") for one in found}

    def panel() -> str:
        return str(browser.find_element(By.CSS_SELECTOR, ".panel").text)

    browser.get(page.as_uri())
    # A tab opens at its first finding; what code is in it is shown as code.
    assert panel().startswith("C3: heading") and "could begin in row 2" in panel()
    assert "`" not in panel()
    browser.find_element(By.CSS_SELECTOR, "td[data-a=C6]").click()
    assert panel().startswith("C6: value") and "species Pine stub A5" in panel()
    assert lit() == {"B1", "A5", "B6", "C3", "C4"}
    browser.switch_to.active_element.send_keys(Keys.ARROW_RIGHT, Keys.ENTER)
    assert panel().startswith("D6: value") and lit() == {"B1", "A5", "B6", "C3", "D4"}
    browser.switch_to.active_element.send_keys(Keys.ARROW_UP, Keys.ENTER)
    assert "“many” is not a whole number" in panel()
    browser.find_element(By.CSS_SELECTOR, "td[data-a=B1]").click()
    assert "part of 5 records; this is number 1" in panel()
    browser.find_element(By.XPATH, "//button[.='next one']").click()
    assert "this is number 2" in panel()
    browser.find_element(By.CSS_SELECTOR, "button[data-go=D5]").click()
    assert panel().startswith("D5: unplaced")
    browser.get(f"{page.as_uri()}#t0-C7")
    browser.refresh()
    assert panel().startswith("C7: total") and "part of no record" in panel()
    assert browser.get_log("browser") == []


def test_the_page_of_a_run_leads_to_the_cells_of_its_findings(page: Path, browser: Any) -> None:
    from selenium.webdriver.common.by import By

    home = page.parent
    extract = ("extract", "stock.toml", "-o", "s.csv", "-q", "--report", "run.html")
    assert program(*extract, cwd=home).status == 1
    browser.get((home / "run.html").as_uri())
    browser.find_element(By.PARTIAL_LINK_TEXT, "Bench 1 › D5").click()
    assert browser.current_url.endswith("/run-roles.html#t0-D5")
    panel = browser.find_element(By.CSS_SELECTOR, ".panel").text
    assert panel.startswith("D5: unplaced") and "“many” is not a whole number" in panel
    # With nothing left to look at the page of an earlier run goes.
    rows = [[10 if cell == "many" else cell for cell in row] for row in FORM[:1] + FORM[2:]]
    rows[-1][3] = 50
    path = write_workbook(home / "form.xlsx", {"Bench 1": rows}, {"Bench 1": ["C2:D2"]})
    assert path.is_file() and program(*extract, cwd=home).status == 0
    assert not (home / "run-roles.html").exists() and (home / "run.html").is_file()
    # What somebody else has written there is not replaced, and said before the files are read.
    (home / "run-roles.html").write_text("mine", "utf-8")
    done = program(*extract, cwd=home)
    assert done.status == 2 and "“run-roles.html” was not written by this program" in done.err
    assert (home / "run-roles.html").read_text("utf-8") == "mine"


def test_what_colours_say_is_said_in_words_and_can_be_read_on_any_ground(
    page: Path, browser: Any
) -> None:
    from selenium.webdriver.common.by import By

    script = """return [...document.querySelectorAll("td[data-r], li, .found p")].map(one => {
        const style = getComputedStyle(one), after = getComputedStyle(one, "::after");
        let ground = one;
        while (getComputedStyle(ground).backgroundColor === "rgba(0, 0, 0, 0)")
            ground = ground.parentElement;
        return [style.color, getComputedStyle(ground).backgroundColor, after.color];
    })"""
    for scheme in ("light", "dark"):
        features = [{"name": "prefers-color-scheme", "value": scheme}]
        browser.execute_cdp_cmd("Emulation.setEmulatedMedia", {"features": features})
        browser.get(page.as_uri())
        for ink, ground, letter in browser.execute_script(script):
            assert min(contrast(ink, ground), contrast(letter, ground)) >= 4.5
    cell = browser.find_element(By.CSS_SELECTOR, "td[data-a=D5]")
    assert cell.aria_role == "gridcell" and cell.get_attribute("aria-invalid") == "true"
    assert cell.get_attribute("aria-description") == "unplaced"
    assert cell.get_attribute("title") == "D5: unplaced\nmany"


def test_a_page_of_twenty_thousand_cells_is_whole(tmp_path: Path, browser: Any) -> None:
    from selenium.webdriver.common.by import By

    heads = ["Species", "Lot", *(f"W{week}" for week in range(98))]
    rows = [[f"S{row}", f"L{row}", *range(row, row + 98)] for row in range(200)]
    path = write_workbook(tmp_path / "wide.xlsx", {"S": [heads, *rows]})
    text = OWN.replace('["container", "grade"]', '["grade"]').replace('container = "text"\n', "")
    (tmp_path / "wide.toml").write_text(text, "utf-8")
    out = tmp_path / "wide.html"
    assert program("show", path, "--layout", tmp_path / "wide.toml", "--page", out).status == 0
    browser.get(f"{out.as_uri()}#t0-CV201")
    assert len(browser.find_elements(By.CSS_SELECTOR, "td[data-a]")) == 20_100
    (panel,) = browser.find_elements(By.CSS_SELECTOR, ".panel")
    assert "grade W97 heading CV1" in panel.text and "seedlings 296 value CV201" in panel.text
