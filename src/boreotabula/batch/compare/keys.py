"""Records that have the same key, where a layout says what their key is."""

from __future__ import annotations

from collections.abc import Iterator, Sequence

from boreotabula.batch.file.read import FileReading
from boreotabula.findings.finding import Finding
from boreotabula.findings.subjects.comparing import KEY_TWICE
from boreotabula.layout.addresses import written_address

_Place = tuple[str, str]
"""A file and a tab."""


class Keys:
    """Remembers the key of every record, and its first place."""

    def __init__(self, key: Sequence[str]) -> None:
        self._key = tuple(key)
        self._first: dict[tuple[object, ...], int] = {}
        self._places: list[_Place] = []
        self._twice: dict[tuple[int, int], list[tuple[tuple[object, ...], str]]] = {}

    def take(self, reading: FileReading) -> None:
        """Check the keys of a file's records."""
        for tab in reading.tabs:
            position = len(self._places)
            self._places.append((reading.name, tab.name))
            for table, batch in tab.tables.items():
                # Without all fields of the key there is no key to compare.
                if not batch.num_rows or any(text not in batch.schema.names for text in self._key):
                    continue
                columns = [batch.column(text).to_pylist() for text in self._key]
                cells = batch.column("source_cell")
                for column, key in enumerate(zip(*columns, strict=True)):
                    # One number for tab and row, since a pair for each of millions of records
                    # takes more memory.
                    first = self._first.setdefault((table, *key), position * _SPREAD + column)
                    if first != position * _SPREAD + column:
                        pair = (position, first // _SPREAD)
                        self._twice.setdefault(pair, []).append((key, cells[column].as_py()))

    def findings(self) -> Iterator[Finding]:
        """One for each pair of tabs that share keys."""
        for (position, index), group in self._twice.items():
            file, tab = self._places[position]
            other_file, other_tab = self._places[index]
            # A tab of the same file needs no name of the file.
            of = other_tab if other_file == file and other_tab else f"{other_file} › {other_tab}"
            other_text = "another record of this tab" if position == index else f"one of “{of}”"
            (key, cell), many = group[0], len(group)
            message = ", ".join(f"{n} = {_shown(v)}" for n, v in zip(self._key, key, strict=True))
            yield KEY_TWICE(
                written_address(cell),
                file=file,
                tab=tab,
                records=many,
                other=other_text,
                key=message,
            )


_SPREAD = 2**32
"""No tab has this many records."""


def _shown(value: object) -> str:
    return "nothing" if value is None else str(value)
