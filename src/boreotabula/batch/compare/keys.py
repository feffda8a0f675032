"""Records that have the same key, where a layout says what their key is."""

from __future__ import annotations

from collections.abc import Iterator, Sequence

from boreotabula.batch.file.read import FileReading
from boreotabula.findings.comparing import KEY_TWICE
from boreotabula.findings.finding import Finding
from boreotabula.layout.addresses import written_address

_Place = tuple[str, str]
"""A file and a tab."""


class Keys:
    """Remembers the key of every record, and where it was met first."""

    def __init__(self, key: Sequence[str]) -> None:
        self._key = tuple(key)
        self._first: dict[tuple[object, ...], int] = {}
        self._places: list[_Place] = []
        self._twice: dict[tuple[int, int], list[tuple[tuple[object, ...], str]]] = {}

    def take(self, reading: FileReading) -> None:
        """Look at the keys of a file's records."""
        for tab in reading.tabs:
            here = len(self._places)
            self._places.append((reading.name, tab.name))
            for table, batch in tab.tables.items():
                if not batch.num_rows or any(one not in batch.schema.names for one in self._key):
                    continue
                columns = [batch.column(one).to_pylist() for one in self._key]
                cells = batch.column("source_cell")
                for at, key in enumerate(zip(*columns, strict=True)):
                    first = self._first.setdefault((table, *key), here * _SPREAD + at)
                    if first != here * _SPREAD + at:
                        pair = (here, first // _SPREAD)
                        self._twice.setdefault(pair, []).append((key, cells[at].as_py()))

    def findings(self) -> Iterator[Finding]:
        """One for each pair of tabs that share keys."""
        for (here, there), some in self._twice.items():
            file, tab = self._places[here]
            other_file, other_tab = self._places[there]
            of = other_tab if other_file == file and other_tab else f"{other_file} › {other_tab}"
            other = "another record of this tab" if here == there else f"one of “{of}”"
            (key, cell), many = some[0], len(some)
            said = ", ".join(f"{n} = {_shown(v)}" for n, v in zip(self._key, key, strict=True))
            yield KEY_TWICE(
                written_address(cell), file=file, tab=tab, records=many, other=other, key=said
            )


_SPREAD = 2**32
"""A tab has fewer records than this."""


def _shown(value: object) -> str:
    return "nothing" if value is None else str(value)
