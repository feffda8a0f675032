"""The templates of pages, and texts of messages in them."""

from __future__ import annotations

import re
from importlib.resources import files
from typing import TYPE_CHECKING, Any

if TYPE_CHECKING:
    from jinja2 import Template


def with_code(text: str) -> Any:
    """A text as HTML, with code between backticks."""
    from markupsafe import Markup, escape  # comes with jinja2, which only pages need

    return Markup(re.sub(r"`([^`]+)`", r"<code>\1</code>", str(escape(text))))


def page_template(name: str) -> Template:
    """The template of a page, by the name of its file here. All values are escaped."""
    import jinja2  # only needed for pages

    shape = jinja2.Environment(autoescape=True, trim_blocks=True, lstrip_blocks=True)
    shape.filters["grouped"] = lambda number: f"{number:,}"
    shape.filters["code"] = with_code
    source = files("boreotabula.review.pages").joinpath(name).read_text("utf-8")
    return shape.from_string(source)
