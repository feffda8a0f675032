"""The page of a report that is checked before it is sent."""

from __future__ import annotations

from collections.abc import Sequence
from importlib.resources import files
from pathlib import Path

from boreotabula.batch.claims import check_claim, claimed
from boreotabula.batch.output_checks import PAGES, check_place
from boreotabula.review.mark import words
from boreotabula.review.mark.faults import Fault, by_request
from boreotabula.review.mark.words import Say


def check_page(out: Path, inputs: Sequence[Path], *, overwrite: bool) -> None:
    """Raises CallError if the page cannot be written to a file, or would replace an input."""
    check_place(out, PAGES, "a page is written as")
    check_claim(out, inputs, overwrite=overwrite)


def write_page(out: Path, name: str, faults: Sequence[Fault], say: Say, language: str) -> None:
    """Write what is to be corrected in a file as a page, whole or not at all."""
    import jinja2  # only needed for this kind of output

    source = files("boreotabula.review.mark").joinpath("checked.html").read_text("utf-8")
    # Texts of a workbook are data: none of them may become markup.
    shape = jinja2.Environment(autoescape=True, trim_blocks=True, lstrip_blocks=True)
    text = shape.from_string(source).render(
        language=language,
        name=name,
        nothing=say(words.NOTHING_TO_CORRECT).format(name=name),
        heads=[say(head) for head in words.HEADS],
        requests=[
            (say(words.CHECKED_OF[request]).format(name=name), group)
            for request, group in by_request(faults).items()
        ],
    )
    with claimed(out) as stream:
        stream.write(text.encode())
