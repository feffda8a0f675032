"""A session with a database of any kind."""

from __future__ import annotations

from boreotabula.batch.private_files import OnWait
from boreotabula.stores.bases.address import DatabaseAddress
from boreotabula.stores.bases.base import Base, BasePlace


def open_base(place: BasePlace, *, read_only: bool = False, on_wait: OnWait | None = None) -> Base:
    """A session with a database.

    Where only one program at a time may use it, waits for others if `on_wait` is given. Raises
    CallError if it cannot be opened.
    """
    if isinstance(place, DatabaseAddress):
        from boreotabula.stores.bases.postgres import Postgres

        return Postgres(place)
    if place.suffix.lower() == ".duckdb":
        from boreotabula.stores.bases.duck import Duck

        return Duck(place, read_only=read_only, on_wait=on_wait)
    from boreotabula.stores.bases.sqlite import Sqlite

    return Sqlite(place, read_only=read_only)
