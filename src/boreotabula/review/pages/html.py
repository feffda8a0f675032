"""Texts of messages in pages."""

from __future__ import annotations

import re
from typing import Any


def with_code(text: str) -> Any:
    """A text as HTML, what stands between backticks as code."""
    from markupsafe import Markup, escape  # comes with jinja2, which only pages need

    return Markup(re.sub(r"`([^`]+)`", r"<code>\1</code>", str(escape(text))))
