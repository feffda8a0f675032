"""Wrong layouts and glossaries: one message with file, line, what is wrong and the way out."""

from __future__ import annotations

import json
import tomllib
from pathlib import Path

import jsonschema
import pytest

from boreotabula import Layout, LayoutError
from boreotabula.layout.problems import line_of
from helpers import LAYOUT, layout_text, program


def refusal(text: str) -> str:
    from boreotabula.layout.parsing import parse_layout

    with pytest.raises(LayoutError) as caught:
        parse_layout(text, "stock.toml")
    return str(caught.value)


@pytest.mark.parametrize(
    ("change", "said"),
    [
        (('value = "seedlings"', ""), "line 5: “across” in [block] needs “value” beside it"),
        (('across = ["container", "grade"]', ""), "“value” in [block] needs “across”"),
        (("[block]", "[block]\nheadings = 0"), "needs “columns”, the fields in their order"),
        (("[block]", '[block]\ncolumns = ["lot"]'), "names the columns of a list"),
        (("[block]", '[block]\nat = "7"'), "“7” is not a cell address such as C2"),
        (("[block]", '[block]\ngroup_row = "lot"'), "the field “lot” is filled twice"),
        (("[block]", "[block]\nunder_headings = -1"), "“under_headings” in [block]"),
        (("[block]", "[tabs]\nposition = 0\n[block]"), "tabs are counted from 1, or from -1"),
        (("[block]", '[tabs]\nnamed = "a"\nevery = true\n[block]'), "by named and by every"),
        (("[block]", "[stamps]\nlot = { }\n[block]"), "it needs one of cell, right_of"),
        (
            ("[block]", '[stamps]\nlot = { value = 1, pattern = "x" }\n[block]'),
            "the pattern “x” needs {} for the part to keep",
        ),
        (
            ("[block]", '[stamps]\nlot = { below = "x", labelled = "y" }\n[block]'),
            "“labelled” goes with “cell”",
        ),
        (
            ("[block]", '[[edition]]\nwhen = { cell = "A1" }\n[block]'),
            "“when” of an edition is { cell",
        ),
        (("[block]", '[text]\ndelimiter = "ab"\n[block]'), "must be one sign in quotes"),
        (("layout = 1", "layout = 2"), "stock.toml, line 2: layout = 2 is not known"),
        (("layout = 1", ""), "the key “layout” is missing"),
        (("[fields]", "[field]"), "line 7: unknown key “field”; did you mean “fields”?"),
        (("stub =", "stubs ="), "line 4: unknown key “stubs” in [block]; did you mean “stub”?"),
        (
            ('"seedlings"', "7"),
            "line 6: “value” in [block] must be a text or a list of texts, but is 7",
        ),
        (('["species", "lot"]', '["species", 4]'), "line 4: “stub” in [block], entry 2, must be"),
        (('["species", "lot"]', "[]"), "[block] does not say where it stands"),
        (
            ('["species", "lot"]', '["spices", "lot"]'),
            "no field “spices” in [fields]; did you mean",
        ),
        (
            ('"integer"', '"integr"'),
            "line 12: “type” in [fields.seedlings] cannot be “integr”; did",
        ),
        (
            ('lot = "text"', "lot = true"),
            "line 9: “lot” in [fields] must be a table of keys, but is",
        ),
        (('lot = "text"', 'lot = { also = ["ART:"] }'), "cannot mean both “species” (also of"),
        (('lot = "text"', 'Species = "text"'), "cannot mean both “species” (the name"),
        (('lot = "text"', 'source_tab = "text"'), "“source_tab” is written for every record"),
        (('value = "seedlings"', 'value = "lot"'), "line 6: the field “lot” is filled twice"),
        (("[block]", '[stamps]\nlot = { cell = "C" }\n[block]'), "“C” is not a cell address"),
        (("[block]", "[stamps]\nx = { cel = 'C2' }\n[block]"), "“cel” in [stamps.x]; did you mean"),
        (("[block]", '[tabs]\nnamed = "Bench {b"\n[block]'), "line 4: “Bench {b” has a brace"),
        (
            ("[block]", '[source]\nexclude = "{x}.xlsx"\n[block]'),
            "what is matched here cannot fill",
        ),
        (
            ("[block]", '[tabs]\nnamed = "Bench {bech}"\n[block]'),
            "{bech} in named: no field “bech”",
        ),
        (("layout = 1", "layout = = 1"), "stock.toml, line 2: this is not TOML: invalid value"),
        (("seedlings = ", "seedlings"), "stock.toml, line 12: this is not TOML"),
    ],
)
def test_each_mistake_is_said_with_its_line_and_remedy(change: tuple[str, str], said: str) -> None:
    assert said in refusal(LAYOUT.replace(*change))


def test_a_wrong_carry_down_names_the_stub_it_could_be() -> None:
    assert "“specie” is no stub column; did you mean “species”?" in refusal(
        layout_text('carry_down = ["specie"]')
    )


def test_all_mistakes_are_told_at_once_in_the_order_of_lines() -> None:
    text = LAYOUT.replace('"integer"', '"int"').replace("across", "acros")
    lines = [part.split(",")[1].split(":")[0] for part in refusal(text).splitlines()]
    assert lines == [" line 5", " line 12"]


def test_a_line_is_found_whatever_way_a_key_is_written() -> None:
    text = 'a = 1\n[b]\nc = [\n 1,\n 2\n]\nd = { e = "x" }\n[[f]]\ng = 1\n[[f]]\ng = 2\n'
    paths = {("a",): 1, ("b",): 2, ("b", "c"): 3, ("b", "d", "e"): 7, ("f", 1, "g"): 11}
    assert {path: line_of(text, path) for path in paths} == paths
    assert line_of(text, ("b", "missing")) == 2


@pytest.mark.parametrize(
    ("glossary", "said"),
    [
        ("", "headings.csv: the glossary is empty"),
        ("heading,feld\nLaji,species\n", "headings.csv, row 1: the column “field” is missing"),
        ("heading,field\nLaji,specis\n", "headings.csv, row 2: no field “specis” in the layout"),
        ("heading,field\n\nLaji,\n", "headings.csv, row 3: “Laji” has no field beside it"),
        ("heading,field\nLaji,species\nlaji:,lot\n", "headings.csv, row 3: the heading “laji:”"),
        ("heading,field\nLot,species\n", "headings.csv, row 2: the heading “Lot” cannot mean both"),
        ('heading,field\n"Laji,species\n', "headings.csv: this is not CSV"),
        (b"heading,field\nM\xe5ned,lot\n", "headings.csv, line 2: save the file as UTF-8 text"),
    ],
)  # fmt: skip
def test_wrong_glossaries_name_file_and_row(
    tmp_path: Path, glossary: str | bytes, said: str
) -> None:
    content = glossary.encode() if isinstance(glossary, str) else glossary
    (tmp_path / "headings.csv").write_bytes(content)
    (tmp_path / "stock.toml").write_text(LAYOUT.replace("[block]", "[block]", 1), "utf-8")
    text = LAYOUT.replace("layout = 1", 'layout = 1\nglossary = "headings.csv"')
    (tmp_path / "stock.toml").write_text(text, "utf-8")
    with pytest.raises(LayoutError) as caught:
        Layout.load(tmp_path / "stock.toml")
    assert said in str(caught.value)


@pytest.mark.parametrize("sep", [",", ";"])
def test_a_glossary_may_hold_further_columns_and_headings_never_met(
    tmp_path: Path, sep: str
) -> None:
    rows = ["note,heading,field", "fi,Laji,species", ",Erä,lot", "x,Never met,lot", ",,"]
    (tmp_path / "g.csv").write_text("\ufeff" + "\n".join(rows).replace(",", sep), "utf-8")
    text = LAYOUT.replace("layout = 1", 'layout = 1\nglossary = ["g.csv"]')
    (tmp_path / "stock.toml").write_text(text, "utf-8")
    names = Layout.load(tmp_path / "stock.toml").plan.names
    assert [names.field_of(text) for text in ("LAJI", "erä:", "Art", "Rasse")] == [
        "species", "lot", "species", None,
    ]  # fmt: skip


def test_the_command_says_what_is_wrong_and_leaves_with_2(tmp_path: Path) -> None:
    (tmp_path / "stock.toml").write_text(LAYOUT.replace("stub", "stup"), "utf-8")
    done = program("extract", tmp_path / "stock.toml", "-o", tmp_path / "x.csv")
    assert (done.status, done.out) == (2, "")
    assert done.err == "stock.toml, line 4: unknown key “stup” in [block]; did you mean “stub”?\n"
    missing = program("extract", tmp_path / "stok.toml", "-o", tmp_path / "x.csv")
    assert missing.status == 2
    assert "there is no such layout; did you mean" in missing.err
    assert not list(tmp_path.glob("x.*"))


def test_the_schema_knows_every_layout_of_the_demo_and_refuses_others(demo: Path) -> None:
    schema = json.loads(program("layout-schema").out)
    validator = jsonschema.Draft202012Validator(schema)
    for path in demo.glob("*.toml"):
        assert list(validator.iter_errors(tomllib.loads(path.read_text("utf-8")))) == []
    wrong = {"layout": 1, "fields": {"lot": "texts"}, "blok": {}}
    assert {error.validator for error in validator.iter_errors(wrong)} == {
        "additionalProperties", "anyOf",
    }  # fmt: skip
