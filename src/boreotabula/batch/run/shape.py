"""Whether plain data is the record of a run: it comes from a folder that others may write into."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from typing import Any

from boreotabula.layout.field_types import is_type

Test = Callable[[Any], bool]


# Checked key by key rather than by a schema: only what is used again must be right.
def is_record(result: object) -> bool:
    """Whether data has the shape of a record, as far as it is used again."""
    return isinstance(result, dict) and all(test(result.get(key)) for key, test in _OF.items())


def _text(value: object) -> bool:
    return isinstance(value, str)


def _or_none(test: Test) -> Test:
    return lambda value: value is None or test(value)


def _each(test: Test) -> Test:
    return lambda value: isinstance(value, list) and all(map(test, value))


def _having(**tests: Test) -> Test:
    return lambda value: (
        isinstance(value, Mapping) and all(test(value.get(key)) for key, test in tests.items())
    )


def _texts_by_name(value: object) -> bool:
    return isinstance(value, dict) and all(map(_text, value.values()))


_FIELD = _having(field=_text, type=lambda value: _text(value) and is_type(value))
_OF: Mapping[str, Test] = {
    "output": _or_none(_text),
    "layout": _having(file=_text, path=_or_none(_text), digest=_text, key=_or_none(_each(_text))),
    "tables": _each(_having(table=_text, fields=_each(_FIELD), tab=_or_none(_text))),
    "files": _each(_having(file=_text, sha256=_text)),
    "files_kept": _or_none(_texts_by_name),
    "written": _or_none(lambda value: isinstance(value, dict)),
    "partition": _or_none(_each(_text)),
}
"""The type under each key that is used."""
