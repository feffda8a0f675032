"""Boreotabula: a folder of form-like report workbooks becomes one tidy, typed table.

import boreotabula

run = boreotabula.extract("stock.toml")
run.records     # a pyarrow Table; run.to_pandas(), run.to_polars()
run.findings    # what to look at
run.unplaced    # filled cells that are in no record
"""

from __future__ import annotations

from importlib import import_module
from typing import TYPE_CHECKING, Any

if TYPE_CHECKING:
    from boreotabula.api import DraftedLayout, Run, draft, extract
    from boreotabula.batch.layouts.load import Layout
    from boreotabula.errors import BoreotabulaError
    from boreotabula.findings.finding import Finding, Unplaced
    from boreotabula.layout.problems import LayoutError

__version__ = "0.2.0"

__all__ = [
    "BoreotabulaError",
    "DraftedLayout",
    "Finding",
    "Layout",
    "LayoutError",
    "Run",
    "Unplaced",
    "__version__",
    "draft",
    "extract",
]

_HOMES = {
    "BoreotabulaError": "errors",
    "DraftedLayout": "api",
    "Finding": "findings.finding",
    "Layout": "batch.layouts.load",
    "LayoutError": "layout.problems",
    "Run": "api",
    "Unplaced": "findings.finding",
    "draft": "api",
    "extract": "api",
}


def __getattr__(name: str) -> Any:
    """Import the public names when they are first used: the command line starts without them."""
    if name not in _HOMES:
        raise AttributeError(f"module {__name__!r} has no attribute {name!r}")
    return getattr(import_module(f"{__name__}.{_HOMES[name]}"), name)
