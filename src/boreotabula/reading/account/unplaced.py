"""The unplaced cells of a tab, a file or a run, kept in columns because there may be a million."""

from __future__ import annotations

from collections.abc import Callable, Collection, Iterator, Mapping, Sequence
from functools import cached_property
from typing import overload

import numpy as np
import pyarrow as pa
import pyarrow.compute as pc
from numpy.typing import NDArray

from boreotabula.findings.finding import Unplaced
from boreotabula.reading.account.roles import RoleMap, chunks_of
from boreotabula.reading.cells import cell_text

_LARGEST = 2**30
_FEW = 200
_AT_ONCE = 50_000
"""The number of rows turned into objects at a time."""
_REPEATED = pa.dictionary(pa.int32(), pa.string())
_OWN_TEXTS = ("cell", "text")
"""The columns whose texts rarely repeat."""
_SCHEMA = pa.schema(
    [pa.field(name, pa.string() if name in _OWN_TEXTS else _REPEATED) for name in Unplaced._fields]
)
_NONE = _SCHEMA.empty_table()


class UnplacedCells(Sequence[Unplaced]):
    """Unplaced cells in order; an `Unplaced` object is made only when it is asked for."""

    def __init__(self, table: pa.Table | None = None, few: Sequence[Unplaced] = ()) -> None:
        """Holds many cells as tables, or `few` as objects, which are slower to put in columns than
        to read."""
        self._few = few
        self._given = table

    @cached_property
    def _table(self) -> pa.Table:
        if self._given is not None:
            return self._given
        if not self._few:
            return _NONE
        names = zip(_SCHEMA.names, zip(*self._few, strict=True), strict=True)
        arrays = [
            pa.array(texts, pa.string()) if name in _OWN_TEXTS
            else pa.array(texts, pa.string()).dictionary_encode()
            for name, texts in names
        ]  # fmt: skip
        return pa.Table.from_arrays(arrays, schema=_SCHEMA)

    @classmethod
    def of_tab(cls, roles: RoleMap, file: str, tab: str) -> UnplacedCells:
        """The unplaced cells of a tab that was read."""
        # Most tabs: no arrays are made for nothing.
        if roles.all_placed:
            return cls()
        mask = roles.unplaced_mask
        if np.count_nonzero(mask) <= _FEW:
            return cls(few=list(_few_of(roles, mask, file, tab)))
        reasons, codes = pa.array(roles.reasons, pa.string()), pa.array(roles.codes, pa.string())
        where = [pa.array([tab], pa.string()), pa.array([file], pa.string())]
        batches = []
        # In parts: of a tab that was not read at all, every cell is here.
        for rows, columns in chunks_of(mask):
            spots = list(zip(rows.tolist(), columns.tolist(), strict=True))
            whys, values = roles.explained(rows, columns)
            # File and tab are the same for all: one entry, pointed to by each.
            nothing = pa.array(np.zeros(len(spots), np.int32))
            arrays = [
                pa.array([str(roles.sheet.address(*spot)) for spot in spots], pa.string()),
                pa.array(
                    [cell_text(roles.sheet.rows[row][value]) for row, value in spots], pa.string()
                ),
                pa.DictionaryArray.from_arrays(pa.array(whys), reasons),
                pa.DictionaryArray.from_arrays(pa.array(values), codes),
                *(pa.DictionaryArray.from_arrays(nothing, value) for value in where),
            ]
            batches.append(pa.RecordBatch.from_arrays(arrays, schema=_SCHEMA))
        return cls(pa.Table.from_batches(batches, _SCHEMA))

    @classmethod
    def joined(cls, several: Sequence[UnplacedCells]) -> UnplacedCells:
        """The cells of several tabs or files, concatenated."""
        if sum(map(len, several)) <= _FEW and all(cells._given is None for cells in several):
            return cls(few=[cell for cells in several for cell in cells._few])
        tables = [unplaced_cells._table for unplaced_cells in several if len(unplaced_cells)]
        if not tables:
            return cls()
        whole = pa.concat_tables(tables)
        # No array of texts holds more than 2 GiB.
        few = whole.nbytes < _LARGEST
        return cls(whole.unify_dictionaries().combine_chunks() if few else whole)

    @classmethod
    def unpacked(cls, content: bytes) -> tuple[UnplacedCells, Mapping[bytes, bytes]]:
        """The cells that were packed, and what was packed with them. Raises ValueError if the bytes
        are damaged."""
        with pa.ipc.open_stream(content) as reader:
            table = reader.read_all()
        return cls(table.replace_schema_metadata()), table.schema.metadata or {}

    def packed(self, contents: Mapping[bytes, bytes]) -> bytes:
        """The cells as bytes, together with whatever belongs to them."""
        sink = pa.BufferOutputStream()
        # Few are packed in the time that it takes to set up the compression.
        compression = "lz4" if len(self) > _AT_ONCE else None
        options = pa.ipc.IpcWriteOptions(compression=compression)
        with pa.ipc.new_stream(sink, _SCHEMA.with_metadata(contents), options=options) as writer:
            writer.write_table(self._table)
        content: bytes = sink.getvalue().to_pybytes()
        return content

    def without_tabs(self, tabs: Collection[str]) -> UnplacedCells:
        """The cells that are not on some tabs."""
        return self._chosen("tab", lambda names: pc.invert(pc.is_in(names, pa.array(list(tabs)))))

    def told_by(self, code: str) -> Iterator[Unplaced]:
        """The cells that a finding with this code is about."""
        unplaced_cells = self
        if len(self) > _FEW:  # else it takes longer to filter them than to look at each
            unplaced_cells = self._chosen("finding", lambda codes: pc.equal(codes, code))
        return (cell for cell in unplaced_cells if cell.finding == code)

    def _chosen(self, column: str, wanted: Callable[[pa.Array], pa.Array]) -> UnplacedCells:
        if not len(self):
            return self
        # The parts have dictionaries of their own, whose numbers mean different things.
        texts = self._table.column(column).cast(pa.string())
        return UnplacedCells(self._table.filter(wanted(texts)))

    def __len__(self) -> int:
        return len(self._few) if self._given is None else int(self._given.num_rows)

    def __iter__(self) -> Iterator[Unplaced]:
        if self._given is None:
            yield from self._few
            return
        for batch in self._table.to_batches(max_chunksize=_AT_ONCE):
            yield from map(Unplaced, *(column.to_pylist() for column in batch.columns))

    @overload
    def __getitem__(self, index: int) -> Unplaced: ...
    @overload
    def __getitem__(self, slice_: slice) -> UnplacedCells: ...
    def __getitem__(self, value: int | slice) -> Unplaced | UnplacedCells:
        if isinstance(value, slice):
            return UnplacedCells(self._table.take(pa.array(range(len(self))[value], pa.int64())))
        (row,) = self._table.take([range(len(self))[value]]).to_pylist()
        return Unplaced(**row)

    def __eq__(self, value: object) -> bool:
        return isinstance(value, Sequence) and list(self) == list(value)

    __hash__ = None  # type: ignore[assignment]


def _few_of(roles: RoleMap, mask: NDArray[np.bool_], file: str, tab: str) -> Iterator[Unplaced]:
    """The unplaced cells of a tab as objects; `mask` says where they are."""
    rows, columns = mask.nonzero()
    whys, told = roles.explained(rows, columns)
    places = zip(rows.tolist(), columns.tolist(), whys.tolist(), told.tolist(), strict=True)
    for row, column, why, code in places:
        yield Unplaced(
            str(roles.sheet.address(row, column)), cell_text(roles.sheet.rows[row][column]),
            roles.reasons[why], roles.codes[code], tab, file,
        )  # fmt: skip
