"""The letter that goes with a marked copy: ours, or the analyst's own template."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from pathlib import Path

from boreotabula.errors import CallError
from boreotabula.files import text_of
from boreotabula.review.mark import words
from boreotabula.review.mark.faults import Fault
from boreotabula.review.mark.words import Say

_MOST_LISTED = 30

STANDARD = """\
{{ subject }}

{{ hello }}

{{ found }}

{% for one in faults[:most] %}
- {{ one.place }}: {{ one.text }}
{% endfor %}
{% if faults | length > most %}
- …
{% endif %}

{% if copy %}
{{ marked }}
{% endif %}
{{ again }}

{{ thanks }}
{% if copy %}

{{ formulas }}
{% endif %}
"""


def own_template(path: Path) -> str:
    """The template of an analyst. Raises CallError if it cannot be read, or is none."""
    import jinja2  # only needed for letters

    try:
        text = text_of(path)
        jinja2.Environment().parse(text)
    except OSError as error:
        raise CallError(f"--letter: “{path}” cannot be read: {error.strerror}") from None
    except (ValueError, jinja2.TemplateError) as error:
        raise CallError(f"--letter: “{path}” is not a template: {error}") from None
    return text


def letter(
    template: str,
    file: str,
    faults: Sequence[Fault],
    say: Say,
    *,
    copy: str,
    formulas_kept: bool,
    more: Mapping[str, str],
) -> str:
    """The text of a letter. Raises CallError if a template does not work out."""
    import jinja2

    name = file.rpartition("/")[2]
    values = {
        "file": file,
        "name": name,
        "copy": copy,
        "most": _MOST_LISTED,
        "count": len(faults),
        "faults": [
            {"tab": fault.tab, "cell": fault.cell, "text": fault.text,
             "severity": str(fault.severity),
             "place": " ".join(part for part in (fault.tab, fault.cell) if part) or name}
            for fault in faults
        ],
        "subject": say(words.SUBJECT).format(name=name),
        "hello": say(words.HELLO),
        "found": say(words.FOUND).format(name=name),
        "marked": say(words.MARKED),
        "again": say(words.AGAIN),
        "thanks": say(words.THANKS),
        "formulas": say(words.FORMULAS_KEPT if formulas_kept else words.VALUES_ONLY),
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
