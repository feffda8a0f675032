"""The letter that goes with a marked copy: the standard one, or the analyst's own template."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from pathlib import Path
from typing import NamedTuple

from boreotabula.errors import CallError
from boreotabula.files import text_of
from boreotabula.review.mark import words
from boreotabula.review.mark.faults import Fault, by_request
from boreotabula.review.mark.words import Request, Say

_MOST_LISTED = 30

STANDARD = """\
{{ subject }}

{{ hello }}

{{ found }}

{% for request in requests %}
{{ request.text }}

{% for one in request.faults[:most] %}
- {{ one.place }}: {{ one.text }}
{% endfor %}
{% if request.faults | length > most %}
- …
{% endif %}

{% endfor %}
{% if copy %}
{{ marked }}

{% endif %}
{{ thanks }}
{% if copy %}

{{ formulas }}
{% endif %}
"""


def own_template(path: Path) -> str:
    """The template of an analyst. Raises CallError if it cannot be read, or is no template."""
    import jinja2  # only needed for letters

    try:
        text = text_of(path)
        jinja2.Environment().parse(text)
    except OSError as error:
        raise CallError(f"--letter: “{path}” cannot be read: {error.strerror}") from None
    except (ValueError, jinja2.TemplateError) as error:
        raise CallError(f"--letter: “{path}” is not a template: {error}") from None
    return text


class CopyNote(NamedTuple):
    """What a letter says about the copy that it goes with."""

    name: str
    """The name of its file; empty if there is none."""
    formulas_kept: bool


def letter(
    template: str,
    file: str,
    faults: Sequence[Fault],
    say: Say,
    *,
    copy: CopyNote,
    more: Mapping[str, str],
) -> str:
    """The text of a letter. Raises CallError if a template fails."""
    import jinja2

    name = file.rpartition("/")[2]
    requests = by_request(faults)
    values = {
        "file": file,
        "name": name,
        "copy": copy.name,
        "most": _MOST_LISTED,
        "count": len(faults),
        "faults": [_described(fault, name) for fault in faults],
        "requests": [
            {"text": say(words.LIST_OF[request]), "to_correct": request is Request.CORRECT,
             "faults": [_described(fault, name) for fault in group]}
            for request, group in requests.items()
        ],
        "subject": words.subject(file, requests, say),
        "hello": say(words.HELLO),
        "found": say(words.FOUND).format(name=name),
        "marked": say(words.MARKED),
        "again": say(words.AGAIN),
        "thanks": say(words.THANKS),
        "formulas": say(words.FORMULAS_KEPT if copy.formulas_kept else words.VALUES_ONLY),
        **more,
    }  # fmt: skip
    shape = jinja2.Environment(
        trim_blocks=True, lstrip_blocks=True, undefined=jinja2.StrictUndefined
    )
    try:
        text = shape.from_string(template).render(values)
    except jinja2.TemplateError as error:
        raise CallError(f"--letter: the template does not work out: {error}") from None
    return text.rstrip() + "\n"


def _described(fault: Fault, name: str) -> dict[str, str]:
    """A fault as templates see it; without a tab it is about the file of that name."""
    place = " ".join(part for part in (fault.tab, fault.cell) if part) or name
    severity = str(fault.severity)
    return {"tab": fault.tab, "cell": fault.cell, "text": fault.text, "severity": severity,
            "place": place}  # fmt: skip
