"""Wrong layouts and glossaries: one message with file, line, what is wrong and the way out."""

from __future__ import annotations

import json
import tomllib
from pathlib import Path

import jsonschema
import pytest
import xlsxwriter

from boreotabula import Layout, LayoutError
from boreotabula.layout.problems import line_of
from helpers import LAYOUT, layout_text, program, write_workbook


def refusal(text: str) -> str:
    from boreotabula.layout.parsing import parse_layout

    with pytest.raises(LayoutError) as caught:
        parse_layout(text, "stock.toml")
    return str(caught.value)


BLOCK = """layout = 1
[block]
{}
[fields]
species = "text"
lot = "text"
year = "text"
site = "text"
n = "integer"
"""
CROSS = 'across = "year"\nvalue = "n"\n'


@pytest.mark.parametrize(
    ("keys", "said"),
    [
        (f'{CROSS}columns = "lot"\nat = "B2"\nfound_by = "A"', "line 7: [block] tells where the"
         " table is by at and by found_by; keep one of them"),
        (f'{CROSS}stub = "lot"\nfound_by = "A"', "needs “columns”, the fields of the leading"),
        (f'{CROSS}columns = "lot"\nrepeat = true', "add “caption” or “found_by”"),
        (f'{CROSS}columns = "lot"\nstub = "species"', "named by “stub”, if they have headings"),
        (f'{CROSS}columns = "-"\nat = "B2"', "“columns” in [block] passes over every column"),
        (f'{CROSS}columns = "lot"\nheading_rows = 2', "a row that is passed over is “-” there"),
        (f'{CROSS}columns = "lot"\nheadings = 0', "a cross-tab is made of its headings"),
        (CROSS, "does not tell where the table is: add “stub”"),
        (f'{CROSS}stub = "lot"\ncaption = "Table {{number}}"', "no field “number” in [fields]"),
        (f'{CROSS}stub = "lot"\ncaption = "{{site}}*"', "put some text between {site} and *"),
        (f'{CROSS}stub = "lot"\ncaption = "of {{year}}"', "the field “year” is filled twice"),
        (f'{CROSS}stub = "lot"\ngroup_row = {{ named = "P*" }}', "the key “field” is missing"),
        (f'{CROSS}stub = "lot"\ngroup_row = {{ field = "species", names = "P*" }}',
         "unknown key “names” in [block.group_row]; did you mean “named”?"),
        (f'{CROSS}stub = "lot"\ngroup_row = ["species", "site"]', "“species” in “group_row” needs"),
        ('stub = "lot"\nfirst_rows = 0', "“first_rows” in [block] must be at least 1, but is 0"),
        ('stub = "lot"\nvisible_only = "yes"', "must be true or false, but is the text “yes”"),
        ('stub = "lot"\nunknown_headings = "leave_out"', "did you mean “leave out”?"),
        (f'{CROSS}stub = "lot"\nunknown_headings = "leave out"', "“leave out” is for lists"),
        ('stub = "lot"\nalso = "Type"', "“also” in [block] must be a table of keys"),
        ('stub = "lot"\nalso = { kind = "Type" }', "also of [block]: no field “kind”"),
        ('stub = "lot"\nalso = { species = "Type", site = "type:" }', "cannot mean both"),
        ('stub = "lot"\nstamps = { site = "assets" }', "“site” in [block.stamps] must be {"),
        ('stub = "lot"\nstamps = { lot = { value = 1 } }', "the field “lot” is filled twice"),
        ('stub = "lot"\n[stamps]\nsite = { tab = "Cover" }', "it has nothing"),
        ('stub = "lot"\n[stamps]\nsite = { tab = "Cover", value = 1 }', "“tab” goes with cell"),
        ('stub = "lot"\n[stamps]\nsite = { pattern = "To *" }', "needs {} for the part to keep"),
        ('stub = "lot"\n[stamps]\nsite = []', "stamp “site” has an empty list of sources"),
        ('stub = "lot"\n[stamps]\nsite = [{ right_of = "S" }, { form = "file name" }]',
         "unknown key “form” in [stamps.site]; did you mean “from”?"),
        ('stub = "lot"\n[tabs]\nwhere_found = true\nevery = true', "by every and by where_found"),
        ('stub = "lot"\nat = "A1"\n[tabs]\nwhere_found = true', "found by texts, not by its place"),
        ('stub = "lot"\n[fields.kind]\npattern = "Bench*"', "“Bench*” needs {} for the part"),
    ],
)  # fmt: skip
def test_each_misuse_of_a_word_for_a_form_is_said_with_its_remedy(keys: str, said: str) -> None:
    told = refusal(BLOCK.format(keys)).splitlines()
    assert len(told) == 1 and said in told[0] and told[0].startswith("stock.toml, line ")


@pytest.mark.parametrize(
    ("text", "said"),
    [
        ('[stamps]\nlot = { from = "stub head" }', "over the stub of a table: add a [block]"),
        ('[stamps]\nlot = { cell = "A1" }\n[tabs]\nwhere_found = true', "but there is no [block]"),
    ],
)  # fmt: skip
def test_what_needs_a_table_says_so_where_there_is_none(text: str, said: str) -> None:
    assert said in refusal(f'layout = 1\n{text}\n[fields]\nlot = "text"\n')


@pytest.mark.parametrize(
    ("change", "said"),
    [
        (('value = "seedlings"', ""), "line 5: “across” in [block] needs “value” beside it"),
        (('across = ["container", "grade"]', ""), "“value” in [block] needs “across”"),
        (("[block]", "[block]\nheadings = 0"), "needs “columns”, the fields in their order"),
        (("[block]", '[block]\ncolumns = ["lot"]'), "keep one of them"),
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
        (('["species", "lot"]', "[]"), "[block] does not tell where the table is"),
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
    assert "“specie” is not a stub column; did you mean “species”?" in refusal(
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
        ("heading,field\n\nLaji,\n", "headings.csv, row 3: “Laji” has no field in its row"),
        ("heading,field\nLaji,species\nlaji:,lot\n", "headings.csv, row 3: the heading “laji:”"),
        ("heading,field\nLot,species\n", "headings.csv, row 2: the heading “Lot” cannot mean both"),
        ('heading,field\n"Laji,species\n', "headings.csv: this is not CSV"),
        (b"heading,field\nM\xe5ned,lot\n", "headings.csv, line 2: save the file as UTF-8 text"),
        ("field,written\nlot,x\n", "headings.csv, row 1: the column “means” is missing"),
        ("field,written,means\nlot,x,y\nlot,X,z\n", "row 3: “X” of “lot” cannot mean both “y”"),
        ("field,written,means\nlod,x,y\n", "row 2: no field “lod” in the layout; known here:"),
        ("field,written,means\nlot,,y\n", "row 2: “lot y” has no written in its row"),
        ("# of\nheading,field\n# lots,lod\nx,lod\n", "headings.csv, row 4: no field “lod”"),
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


def glossary_layout(folder: Path, glossary: str, text: str = LAYOUT) -> Path:
    """The usual layout with a glossary, in a folder."""
    path = folder / "stock.toml"
    path.write_text(text.replace("layout = 1", f"layout = 1\nglossary = {glossary}"), "utf-8")
    return path


@pytest.mark.parametrize(
    ("part", "row"), [("#Words", 4), ("#words", 4), ("#tblWords", 4), ("#Other", 2)]
)
def test_a_glossary_may_be_a_tab_or_a_table_of_a_workbook(
    tmp_path: Path, part: str, row: int
) -> None:
    with xlsxwriter.Workbook(tmp_path / "lists.xlsx") as book:
        words = book.add_worksheet("Words")
        for at, cells in enumerate((["heading", "field"], ["Laji", "species"], ["Nr", "lot"])):
            words.write_row(at + 1, 2, cells)
        words.add_table(1, 2, 3, 3, {
            "name": "tblWords", "columns": [{"header": "heading"}, {"header": "field"}],
        })  # fmt: skip
        other = book.add_worksheet("Other")
        other.write_row(0, 0, ["field", "heading"])
        other.write_row(1, 0, ["lot", "Nr"])
    path = glossary_layout(tmp_path, f'"lists.xlsx{part}"')
    assert Layout.load(path).plan.names.field_of("NR") == "lot"
    with pytest.raises(LayoutError, match=f"lists.xlsx{part}, row {row}: the heading “Nr” cannot"):
        Layout.load(
            glossary_layout(tmp_path, f'"lists.xlsx{part}"', LAYOUT.replace('"Art"', '"Nr"'))
        )


@pytest.mark.parametrize(
    ("glossary", "said"),
    [
        ("lists.xlsx", "2 tabs are filled: A, B; write “lists.xlsx#TAB” to choose one"),
        ("lists.xlsx#C", "no tab or table “C” in it"),
        ("list.csv#A", "this is a text file; only a workbook has tabs"),
        ("gone.csv", "stock.toml, line 3: no file “gone.csv” beside the layout"),
    ],
)
def test_a_glossary_that_cannot_be_found_is_said(tmp_path: Path, glossary: str, said: str) -> None:
    write_workbook(tmp_path / "lists.xlsx", {"A": [["heading", "field"]], "B": [["x"]]})
    (tmp_path / "list.csv").write_text("heading,field\n", "utf-8")
    with pytest.raises(LayoutError) as caught:
        Layout.load(glossary_layout(tmp_path, f'"{glossary}"'))
    assert said in str(caught.value)


def test_comments_units_and_spellings_of_glossaries(tmp_path: Path) -> None:
    (tmp_path / "h.csv").write_text(
        "# from Suvanto, 2025\nheading,field,unit\n# of lots,lot,\nMengde,seedlings,stk\n"
        "Antall,seedlings,\nAntall,seedlings,\n",
        "utf-8",
    )
    (tmp_path / "v.csv").write_text("field;written;means\ngrade;I;A\n", "utf-8")
    layout = Layout.load(glossary_layout(tmp_path, '["h.csv", "v.csv"]'))
    asked = ("# of lots", "Mengde (stk)", "mengde", "Antall (stk)")
    assert [layout.plan.names.field_of(one) for one in asked] == [
        "lot", "seedlings", "seedlings", None,
    ]  # fmt: skip
    assert layout.plan.form("grade").spellings == {"i": "A", "a": "A"}
    (told,) = layout.findings
    assert (told.code, told.file) == ("glossary-entry-twice", "h.csv")
    assert told.message.startswith("h.csv, row 6: the heading “Antall” means “seedlings”, as h.csv")


def test_a_list_may_be_kept_in_a_file_of_its_own(tmp_path: Path) -> None:
    (tmp_path / "totals.txt").write_text("\ufeff# all languages\nTotal*\n\nSum*\n", "utf-8")
    text = layout_text('totals = { file = "totals.txt" }', 'file = "text"')
    path = tmp_path / "stock.toml"
    path.write_text(text, "utf-8")
    layout = Layout.load(path)
    assert layout.spec.block[0].totals.texts == ("Total*", "Sum*")
    before = layout.digest
    (tmp_path / "totals.txt").write_text("Total*", "utf-8")
    assert Layout.load(path).digest != before
    (tmp_path / "totals.txt").unlink()
    with pytest.raises(LayoutError, match="line 7: the list “totals"):
        Layout.load(path)


@pytest.mark.parametrize(
    ("field", "said"),
    [
        ('{ type = "decimal" }', "cannot be “decimal”; did you mean “decimal(2)”?"),
        ('{ type = "decimal(20)" }', "cannot be “decimal(20)”"),
        ('{ min = 3 }', "a text has no min; list its values in `choices`"),
        ('{ type = "integer", min = "x" }', "“min” of a field of type integer is a whole number"),
        ('{ type = "date", max = "2026-04-17" }', "type date is a date such as 2026-04-17"),
        ('{ type = "date", unit = "d" }', "“unit” goes with numbers, and this field is date"),
        ('{ part = "week" }', "“part” of a field needs “of” beside it"),
        ('{ part = "week", of = "lot" }', "“lot” is text; a part is taken of a date"),
        ('{ part = "week", of = "lo" }', "no other field “lo” in [fields]; did you mean “lot”?"),
        ('{ part = "day", of = "lot" }', "cannot be “day”"),
        ('{ type = "date", year_from = "seedlings" }', "“year_from” goes with fields of"),
        ('{ languages = ["Finnish"] }', "no language “Finnish”; did you mean “fi”?"),
        ('{ decimal_mark = ",", thousands_mark = "," }', "cannot be the same character"),
        ('{ same_as = { A = ["x"], B = ["X"] } }', "the spelling “X” cannot mean both “A” and “B”"),
    ],
)  # fmt: skip
def test_what_fields_say_of_their_values_is_checked(field: str, said: str) -> None:
    assert said in refusal(layout_text(fields=f"more = {field}"))


def test_a_part_of_a_date_cannot_be_filled_otherwise() -> None:
    text = layout_text(fields='day = "date"\n').replace(
        'lot = "text"', 'lot = { part = "week", of = "day" }'
    )
    assert "the field “lot” is filled twice: by “part” of its own, from “day” and by" in refusal(
        text
    )


def test_the_command_says_what_is_wrong_and_leaves_with_2(tmp_path: Path) -> None:
    (tmp_path / "stock.toml").write_text(LAYOUT.replace("stub", "stup"), "utf-8")
    done = program("extract", tmp_path / "stock.toml", "-o", tmp_path / "x.csv")
    assert (done.status, done.out) == (2, "")
    assert done.err == "stock.toml, line 4: unknown key “stup” in [block]; did you mean “stub”?\n"
    missing = program("extract", tmp_path / "stok.toml", "-o", tmp_path / "x.csv")
    assert missing.status == 2
    assert "did you mean" in missing.err
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
