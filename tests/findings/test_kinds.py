"""Kinds of findings: declared once, in whole sentences, and met where the reader says which."""

from __future__ import annotations

import ast
import pickle
import re
from collections.abc import Iterator
from itertools import chain
from pathlib import Path

import pytest

import boreotabula
from boreotabula.findings import catalogue
from boreotabula.findings.finding import Finding, readable
from boreotabula.findings.kind import FindingKind, Severity
from boreotabula.findings.wording import filled, slots_of
from boreotabula.layout.addresses import Address

HOME = Path(boreotabula.__file__).parent
WORDINGS = {
    f"{module.__name__.rpartition('.')[2]}.{name}": kind
    for module in catalogue.MODULES
    for name, kind in catalogue.wordings(module).items()
}
SOURCES = {
    path.relative_to(HOME): path.read_text("utf-8")
    for path in HOME.rglob("*.py")
    if path.relative_to(HOME).parts[0] != "findings"
}


@pytest.mark.parametrize("kind", WORDINGS.values(), ids=WORDINGS)
def test_every_wording_is_filled_by_its_slots(kind: FindingKind) -> None:
    slots = dict.fromkeys(kind.slots - {"at"}, "Lot")
    finding = kind(Address(6, 2), **slots)
    words = (finding.message, finding.advice, finding.looked_for, finding.found)
    assert all(not re.search(r"[{}#](?!REF)", one.replace("same_as = { ", "")) for one in words[:1])
    assert (finding.code, finding.severity, finding.cell) == (kind.code, kind.severity, "C7")
    assert finding.message and finding.advice
    if kind.slots - {"at", "field", "tab", "file"}:
        with pytest.raises(TypeError, match=kind.code):
            kind(Address(6, 2))
    with pytest.raises(TypeError, match="odd"):
        kind(Address(6, 2), **slots, odd=1)


def test_codes_are_told_apart_and_explained() -> None:
    kinds = list(chain.from_iterable(catalogue.SECTIONS.values()))
    assert len({kind.code for kind in kinds}) == len(kinds) == len(catalogue.BY_CODE)
    assert all(kind.meaning and kind.example and kind.cure for kind in kinds)
    assert all(slots_of(kind.sender) <= {"found", "wanted", "example"} for kind in kinds)
    assert {kind.severity for kind in kinds} == set(Severity)


def test_every_wording_is_used() -> None:
    names = {name.rpartition(".")[2] for name in WORDINGS}
    used = set(re.findall(r"\b[A-Z][A-Z_]{3,}\b", "\n".join(SOURCES.values())))
    assert names - used == set()


def test_a_further_wording_is_the_same_kind() -> None:
    kind = catalogue.BY_CODE["heading-unknown"]
    other = kind.worded(message="Said otherwise.")
    assert other == kind and hash(other) == hash(kind) and other.message != kind.message
    assert pickle.loads(pickle.dumps(other)) == kind != catalogue.BY_CODE["heading-rare"]


LAYOUT_WORDS = {"stub head", "table title", "leave out", "layout version"}
"""Words of the layout language that hold a blank."""


def literals_with_blanks(tree: ast.Module) -> Iterator[str]:
    """The texts of a module that hold a blank, docstrings and expressions apart."""
    passed: set[int] = set()
    for node in ast.walk(tree):
        body = getattr(node, "body", None)
        for one in body if isinstance(body, list) else ():
            if isinstance(one, ast.Expr) and isinstance(one.value, ast.Constant):
                passed.add(id(one.value))
        if isinstance(node, ast.Call) and ast.unparse(node.func) == "re.compile":
            passed |= {id(one) for one in ast.walk(node)}
    for node in ast.walk(tree):
        text = node.value if isinstance(node, ast.Constant) and id(node) not in passed else None
        if isinstance(text, str) and " " in text.strip() and text not in LAYOUT_WORDS:
            yield text


def reading_modules() -> list[Path]:
    return [
        path for path in SOURCES
        if path.parts[0] == "reading" and path.parts[1] != "inspect"
        and path.name != "total_words.py"  # the words for totals are data
    ]  # fmt: skip


@pytest.mark.parametrize("path", reading_modules(), ids=str)
def test_the_reader_says_which_and_where_but_no_sentence(path: Path) -> None:
    assert list(literals_with_blanks(ast.parse(SOURCES[path]))) == []


def test_a_sentence_in_the_reader_would_be_found() -> None:
    code = 'def f(x):\n    """A docstring."""\n    return KIND(x, text=f"{x} is wrong")\n'
    assert list(literals_with_blanks(ast.parse(code))) == [" is wrong"]


@pytest.mark.parametrize(
    ("sentence", "slots", "text"),
    [
        ("{n:# cell is|# cells are} blank", {"n": 1}, "1 cell is blank"),
        ("{n:# cell is|# cells are} blank", {"n": 1200}, "1,200 cells are blank"),
        ("{rows:it is|they are}", {"rows": ["a"]}, "it is"),
        ("{more:more|less}", {"more": False}, "less"),
        ("a{n:? (and # more)}", {"n": 0}, "a"),
        ("a{n:? (and # more)}", {"n": 3}, "a (and 3 more)"),
        ("{level:?“#”|no level}", {"level": ""}, "no level"),
        ("{text:? (“#” in {cell})}", {"text": "x", "cell": Address(0, 1)}, " (“x” in B1)"),
        ("{tabs:q}", {"tabs": list("abcdef")}, "“a”, “b”, “c”, “d”, “e” …"),
        ("{at}", {"at": Address(6, 2)}, "C7"),
    ],
)
def test_numbers_agree_with_their_words(sentence: str, slots: dict[str, object], text: str) -> None:
    assert filled(sentence, slots) == text
    assert slots_of(sentence) == set(slots)


def test_long_quotations_are_cut() -> None:
    kind = catalogue.BY_CODE["read-as"]
    finding = Finding(kind, f"“{'z' * 500}” and “{'w' * 20}”", "")
    assert len(finding.message) < 200 and readable("short") == "short"
