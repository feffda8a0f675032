"""Bytes, parts of workbooks, layouts and names, damaged by a seed."""

from __future__ import annotations

import io
import random
import zipfile
from collections.abc import Sequence

TOKENS = [
    b"<", b">", b"/>", b'"', b"'", b"<!--", b"-->", b"<![CDATA[", b"]]>", b"&#27;", b"\x00",
    b"\xff", b"999999999", b"-1", b"XFD1048576", b'r="A1"', b'hidden="1"', b"<c><v>7</v></c>",
    b"<row>", b'number-columns-repeated="99999"', b'number-rows-repeated="99999"', b"\n", b";",
    b",,,,", b't="e"', b"2026", b"1e999", b"=1+1", b"<td colspan=900 rowspan=900>", b"</table>",
    b"\xe2\x80\xae", b"{", b"[", b'r:id="rId9"', b'Target="../../x"', b'TargetMode="External"',
    b's="-5"', b"<cellXfs/>", b"<authors/>", b'count="0"', b"xmlns:x='y'", b"../", b"%2e%2e/",
]  # fmt: skip
PIECES = [
    "..", ".", "/", "\\", ":", "\n", "\r", "\x00", "\x1b[31m", "‮", "😀" * 80, "a" * 300, "CON",
    "nul.txt", " ", "zzz.xlsx", "marked.json", "=1+1", "'", '"', "<b>", "{x}", "%20", "#1", "?x",
    "é", "é", "&amp;", "~", "$HOME", "*", "[1]", "-o",
]  # fmt: skip


def damaged(content: bytes, seed: int, often: int) -> bytes:
    """Some bytes with so many places cut, doubled, changed or filled with what hurts."""
    dice = random.Random(seed)
    for _ in range(often):
        at = dice.randrange(len(content) + 1)
        end = min(at + dice.choice([1, 2, 8, 64, 1024]), len(content))
        how = dice.randrange(5)
        if how == 0:
            content = content[:at] + content[end:]
        elif how == 1:
            content = content[:end] + content[at:end] * dice.choice([1, 2, 50]) + content[end:]
        elif how == 2:
            content = content[:at] + dice.choice(TOKENS) + content[at:]
        elif how == 3:
            content = content[:at] + dice.choice(TOKENS) + content[end:]
        else:
            content = content[:at] + dice.randbytes(end - at) + content[end:]
    return content


def damaged_tags(content: bytes, seed: int, often: int) -> bytes:
    """Markup that stays markup: whole elements and attributes are dropped, doubled or changed."""
    dice = random.Random(seed)
    for _ in range(often):
        starts = [place for place, byte in enumerate(content) if byte == ord("<")]
        if len(starts) < 3:
            return content
        at = dice.randrange(len(starts) - 1)
        tag = content[starts[at] : starts[at + 1]]
        how = dice.randrange(4)
        if how == 0:
            changed = b""
        elif how == 1:
            changed = tag * 2
        elif how == 2 and b'="' in tag:
            name, _, rest = tag.rpartition(b'="')
            value = dice.choice([b"", b"-5", b"0", b"999999999", b"rId1", b"A1", b"x", b"A1:B1"])
            changed = name + b'="' + value + b'"' + rest.partition(b'"')[2]
        else:
            changed = b"<!-- " + tag.replace(b"--", b"") + b" -->" + tag
        content = content[: starts[at]] + changed + content[starts[at + 1] :]
    return content


def damaged_part(
    content: bytes, seed: int, often: int, likely: Sequence[str] = ("sheet1", "content.xml")
) -> bytes:
    """A workbook damaged in one of its parts, most often in one that is likely."""
    if not content.startswith(b"PK"):
        return damaged(content, seed, often)
    dice = random.Random(seed)
    stream = io.BytesIO()
    with zipfile.ZipFile(io.BytesIO(content)) as old, zipfile.ZipFile(stream, "w") as new:
        names = old.namelist()
        chosen = dice.choice(names)
        wanted = [name for name in names if any(word in name for word in likely)]
        if wanted and dice.randrange(3):
            chosen = dice.choice(wanted)
        way = damaged if dice.randrange(2) else damaged_tags
        for name in names:
            part = old.read(name)
            new.writestr(name, way(part, seed, often) if name == chosen else part)
    return stream.getvalue()


def damaged_layout(layout: str, seed: int) -> str:
    """A layout with a line or a value changed."""
    dice = random.Random(seed)
    lines = layout.splitlines()
    at = dice.randrange(1, len(lines))
    how = dice.randrange(4)
    if how == 0:
        del lines[at]
    elif how == 1:
        lines.insert(at, lines[dice.randrange(len(lines))])
    elif how == 2:
        lines[at] = lines[at].replace(
            dice.choice('"=[]{}*'), dice.choice(['"', "", "[", "*", "{x}"]), 1
        )
    else:
        words = ['"text"', '"integer"', '"month"', '["*"]', "true", "-1", '"{a}*"', '["species"]']
        lines[at] = lines[at].partition("=")[0] + "= " + dice.choice(words)
    return "\n".join(lines) + "\n"


def odd_name(seed: int, *, as_file: bool) -> str:
    """A text of pieces that make trouble in a name; for a file, one that it may bear."""
    dice = random.Random(seed)
    name = "".join(dice.choice([*PIECES, "site", "North 3"]) for _ in range(dice.randrange(1, 5)))
    if as_file:
        name = name.replace("/", "_").replace("\x00", "_")
        name = name.encode()[:200].decode(errors="ignore").rstrip(".") or "_"
    return name
