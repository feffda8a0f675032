"""Servers whose lists, headers and bodies are damaged: nothing outside the folder is written."""

from __future__ import annotations

import os
import random
import threading
from collections.abc import Iterator
from contextlib import contextmanager
from http.server import BaseHTTPRequestHandler, ThreadingHTTPServer
from typing import ClassVar
from urllib.parse import quote, unquote

from hypothesis import given
from hypothesis import strategies as st

from boreotabula.batch.remote import fetch
from fuzzing.damage import damaged, damaged_tags, odd_name
from fuzzing.desk import (
    GOOD,
    GOOD_RECORDS,
    LAYOUT,
    check_account,
    check_left,
    desk,
    run,
    run_record,
)

ANSWER = """<D:response><D:href>{href}</D:href><D:propstat><D:prop><D:resourcetype>{kind}\
</D:resourcetype><D:getcontentlength>{size}</D:getcontentlength><D:getetag>"{tag}"</D:getetag>\
<D:getlastmodified>Mon, 01 Jun 2026 10:00:00 GMT</D:getlastmodified></D:prop>\
<D:status>HTTP/1.1 200 OK</D:status></D:propstat></D:response>"""


class Hostile(BaseHTTPRequestHandler):
    """Serves one folder as a page of links and by WebDAV, from lists that an example sets."""

    protocol_version = "HTTP/1.1"
    files: ClassVar[dict[str, bytes]] = {}
    page = b""
    answer = b""
    wrong_length = 0
    """So many bytes more than it sends, a file is said to have."""

    def do_GET(self) -> None:
        """Send the page, or a file."""
        name = unquote(self.path).rpartition("/")[2]
        if not name:
            self.reply(200, self.page, "text/html")
        elif name in self.files:
            self.reply(200, self.files[name], "application/octet-stream", self.wrong_length)
        else:
            self.reply(404, b"", "text/plain")

    do_HEAD = do_GET  # noqa: N815  # the base class calls it by the method's name

    def do_PROPFIND(self) -> None:
        """Send what WebDAV lists."""
        self.rfile.read(int(self.headers.get("Content-Length") or 0))
        self.reply(207, self.answer, "application/xml")

    def reply(self, status: int, body: bytes, kind: str, more: int = 0) -> None:
        """Send a body, under a length that may be wrong."""
        self.send_response(status)
        self.send_header("Content-Type", kind)
        self.send_header("Content-Length", str(len(body) + more))
        self.send_header("Connection", "close")
        self.end_headers()
        self.close_connection = True
        if self.command != "HEAD":
            self.wfile.write(body)

    def log_message(self, *_: object) -> None:
        """Say nothing."""


@contextmanager
def hostile() -> Iterator[str]:
    """The host and port of a server on this machine."""
    with ThreadingHTTPServer(("127.0.0.1", 0), Hostile) as server:
        threading.Thread(target=server.serve_forever, daemon=True).start()
        try:
            yield f"127.0.0.1:{server.server_port}"
        finally:
            server.shutdown()


def page(names: list[str]) -> bytes:
    """A page that links to files."""
    links = "".join(f'<li><a href="{quote(name)}">{name}</a></li>' for name in names)
    return f"<html><body><h1>reports</h1><ul>{links}</ul></body></html>".encode()


def multistatus(names: dict[str, int], folder: str) -> bytes:
    """What WebDAV says of a folder and its files, whose sizes are given."""
    own = ANSWER.format(href=folder, kind="<D:collection/>", size=0, tag="f")
    answers = (
        ANSWER.format(href=folder + quote(name), kind="", size=size, tag=size)
        for name, size in names.items()
    )
    return (
        '<?xml version="1.0" encoding="utf-8"?><D:multistatus xmlns:D="DAV:">'
        f"{own}{''.join(answers)}</D:multistatus>"
    ).encode()


@given(
    st.sampled_from(["http", "webdav"]),
    st.integers(0, 2**32),
    st.integers(0, 4),
    st.lists(st.integers(0, 2**32), max_size=3),
)
def check(scheme: str, seed: int, often: int, names: list[int]) -> None:
    """List a folder with a damaged list, odd names and wrong lengths, and read what it has."""
    dice = random.Random(seed)
    odd = {f"{odd_name(number, as_file=False)}.xlsx": b"PK\x03\x04 no book" for number in names}
    way = dice.choice([damaged, damaged_tags])
    Hostile.files = {**GOOD, **odd}
    Hostile.page = way(page(list(Hostile.files)), seed, often)
    sizes = {name: len(content) for name, content in Hostile.files.items()}
    Hostile.answer = way(multistatus(sizes, "/reports/"), seed, often)
    Hostile.wrong_length = dice.choice([0, 0, 0, 5, -5])
    with hostile() as host, desk({}) as folder:
        layout = LAYOUT.replace('"inbox"', f'"{scheme}://{host}/reports/"')
        (folder / "l.toml").write_text(layout, "utf-8")
        os.environ["BOREOTABULA_CACHE"] = str(folder / "kept")
        (folder / "kept").mkdir(mode=0o700)
        command = ["extract", folder / "l.toml", "-o", folder / "out.csv", "--workers", "1"]
        status, text = run(scheme, *command)
        assert "\x1b" not in text and "\x00" not in text
        check_left(folder, "kept", *(["out.csv", "out.csv.run"] if status < 2 else []))
        assert not list((folder / "inbox").iterdir())
        if status < 2:
            check_account(folder)
        if not often and not Hostile.wrong_length:
            assert status < 2, text
            read = {file["file"]: file["records"] for file in run_record(folder)["files"]}
            assert all(read.get(name) == GOOD_RECORDS for name in GOOD), read


fetch._pause = lambda seconds: None
