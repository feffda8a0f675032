"""A PostgreSQL server on loopback."""

from __future__ import annotations

import os
import secrets
import shutil
import socket
import subprocess
from pathlib import Path
from typing import Any
from urllib.parse import quote

import psycopg

PASSWORD = f"p%w {secrets.token_hex(8)}"


class Server:
    """A PostgreSQL server that listens on loopback."""

    def __init__(self, tools: Path, folder: Path) -> None:
        self._tools, self._folder = tools, folder
        self._user = "postgres" if os.geteuid() == 0 else None
        with socket.socket() as free:
            free.bind(("127.0.0.1", 0))
            self.port = free.getsockname()[1]
        (folder / "pw").write_text(PASSWORD, "utf-8")
        if self._user:
            for one in (folder, folder / "pw"):
                shutil.chown(one, self._user)
        self._run("initdb", "-D", folder / "data", "-U", "boss", f"--pwfile={folder / 'pw'}",
                  "-A", "scram-sha-256", "-N")  # fmt: skip
        self.start()

    def _run(self, tool: str, *arguments: object) -> None:
        call = [str(self._tools / tool), *map(str, arguments)]
        subprocess.run(call, check=True, user=self._user, cwd="/", stdout=subprocess.DEVNULL)

    def start(self) -> None:
        options = f"-p {self.port} -c listen_addresses=127.0.0.1 -k {self._folder}"
        self._run("pg_ctl", "-D", self._folder / "data", "-w", "-o", options, "-l",
                  self._folder / "log", "start")  # fmt: skip

    def stop(self, mode: str = "fast") -> None:
        self._run("pg_ctl", "-D", self._folder / "data", "-m", mode, "stop")

    def url(self, password: str = "") -> str:
        user = f"boss:{quote(password)}" if password else "boss"
        return f"postgresql://{user}@127.0.0.1:{self.port}/postgres"

    def ask(self, statement: str) -> list[tuple[Any, ...]]:
        with psycopg.connect(self.url(PASSWORD), autocommit=True) as base:
            found = base.execute(statement.encode())
            return found.fetchall() if found.description else []


def tools() -> Path | None:
    """Where the programs of the server are; None if it is not installed."""
    found = shutil.which("initdb") or next(
        iter(sorted(map(str, Path("/usr/lib/postgresql").glob("*/bin/initdb")), reverse=True)), None
    )
    return Path(found).parent if found else None
