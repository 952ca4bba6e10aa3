"""A record in open forms: text for people, CSV (RFC 4180), JSON lines, raw bytes, and pcapng for packet tools.

Each function takes items of the record in order and gives pieces of the file. Times are UTC.
"""

from __future__ import annotations

import csv
import io
import json
import math
import struct
from collections.abc import Iterable, Iterator, Mapping
from dataclasses import asdict
from datetime import UTC, datetime
from typing import Any

from ordolex.core.link.conversation import Conversation, Direction, Row
from ordolex.core.record import CUTTING_EVENTS, Chunk, Event
from ordolex.core.text.cells import harmless_cell
from ordolex.core.text.visible import visible, visible_text

FORMS = ("text", "csv", "jsonl", "raw", "hex", "pcapng")
SUFFIX = {"text": "txt", "csv": "csv", "jsonl": "jsonl", "raw": "bin", "hex": "hex.txt", "pcapng": "pcapng"}
"""What the names of such files end in."""
Items = Iterable[Chunk | Event]
Names = Mapping[int, str]

_GLYPHS = {Direction.SENT: "▸", Direction.HEARD: "◂", Direction.NOTE: "·"}


def utc_text(utc_us: int, *, date: bool = True) -> str:
    """ISO 8601 with milliseconds, such as 2026-11-23T10:41:52.104Z, or the time of day alone."""
    moment = datetime.fromtimestamp(utc_us / 1e6, UTC)
    text = f"{moment:%H:%M:%S}.{moment.microsecond // 1000:03d}"
    return f"{moment:%Y-%m-%d}T{text}Z" if date else text


def export(form: str, items: Items, names: Names) -> Iterator[bytes]:
    """Raises ValueError for a form that is not in FORMS."""
    makers = {"text": as_text, "csv": as_csv, "jsonl": as_jsonl, "raw": as_raw, "hex": as_hex, "pcapng": as_pcapng}
    if form not in makers:
        raise ValueError(f"{form!r} is no export form; choose {', '.join(FORMS)}")
    return makers[form](items, names)


def rows_of(items: Items) -> Iterator[tuple[int, Row]]:
    """(link, row) of a whole record, each link's bytes cut into lines of its own."""
    talks: dict[int, Conversation] = {}
    for item in items:
        talk = talks.setdefault(item.link, Conversation())
        for row in _rows(talk, item):
            yield item.link, row
    for link, talk in talks.items():
        for row in talk.flush():
            yield link, row


def _rows(talk: Conversation, item: Chunk | Event) -> list[Row]:
    if isinstance(item, Event):
        return talk.note(item.words, item.utc_us, cut=item.kind in CUTTING_EVENTS)
    if item.direction == "tx":
        return talk.sent(item.data, item.utc_us)
    return talk.heard(item.data, item.utc_us, item.errors)


def as_text(items: Items, names: Names) -> Iterator[bytes]:
    """One line a row: time, link, direction, turn-round, text. Control bytes are shown, none is passed on."""
    for link, row in rows_of(items):
        after = f"+{row.after_ms:.0f} ms" if row.after_ms is not None else ""
        errors = f"   ({row.errors})" if row.errors else ""
        name = visible_text(names.get(link, "book"))
        text = visible_text(row.text) if row.text else visible(row.data)
        line = f"{utc_text(row.at_us)}  {name}  {_GLYPHS[row.direction]} {after:>9}  {text}{errors}\n"
        yield line.encode()


def as_hex(items: Items, names: Names) -> Iterator[bytes]:
    """Sixteen bytes a line, with the time of their chunk, link, direction, and what is readable beside them."""
    for item in items:
        if isinstance(item, Event):
            continue
        glyph = _GLYPHS[Direction(item.direction)]
        head = f"{utc_text(item.utc_us)}  {visible_text(names.get(item.link, 'book'))}  {glyph}"
        for at in range(0, len(item.data), 16):
            part = item.data[at : at + 16]
            text = "".join(chr(byte) if 32 <= byte < 127 else "." for byte in part)
            yield f"{head}  {at:06x}  {part.hex(' '):47}  {text}\n".encode()


_CSV_HEAD = [
    "utc",
    "link",
    "direction",
    "mono_us",
    "framing_errors",
    "parity_errors",
    "breaks",
    "overruns",
    "hex",
    "text",
]


def as_csv(items: Items, names: Names) -> Iterator[bytes]:
    out = io.StringIO()
    writer = csv.writer(out)
    writer.writerow(_CSV_HEAD)
    for item in items:
        name = harmless_cell(visible_text(names.get(item.link, "")))
        if isinstance(item, Event):
            text = harmless_cell(visible_text(item.text))
            writer.writerow([utc_text(item.utc_us), name, item.kind, item.mono_us, "", "", "", "", "", text])
        else:
            e = item.errors
            errors = [e.framing, e.parity, e.breaks, e.overruns] if e else [0, 0, 0, 0]
            writer.writerow(
                [
                    utc_text(item.utc_us),
                    name,
                    item.direction,
                    item.mono_us,
                    *errors,
                    item.data.hex(),
                    harmless_cell(visible(item.data)),
                ]
            )
        yield out.getvalue().encode()
        out.seek(0)
        out.truncate()
    yield out.getvalue().encode()


def as_jsonl(items: Items, names: Names) -> Iterator[bytes]:
    for item in items:
        common = {"utc": utc_text(item.utc_us), "utc_us": item.utc_us, "mono_us": item.mono_us}
        common |= {"link": names.get(item.link, "")}
        if isinstance(item, Event):
            row = {**common, "kind": item.kind, "text": item.text, "detail": item.detail}
        else:
            e = item.errors
            row = {**common, "kind": item.direction, "last_mono_us": item.last_mono_us, "hex": item.data.hex()}
            if e is not None:
                row["errors"] = asdict(e)
        yield json_text(row).encode() + b"\n"


def json_text(value: Any) -> str:
    """JSON by RFC 8259, in ASCII: control characters, C1 and marks that reorder text are escaped, and what is no number
    (NaN, infinity) is null, because JSON has none."""
    return json.dumps(_finite(value), ensure_ascii=True, allow_nan=False)


def _finite(value: Any) -> Any:
    if isinstance(value, float) and not math.isfinite(value):
        return None
    if isinstance(value, dict):
        return {key: _finite(one) for key, one in value.items()}
    return [_finite(one) for one in value] if isinstance(value, list | tuple) else value


def as_raw(items: Items, names: Names) -> Iterator[bytes]:
    """The bytes alone, in the order of time."""
    for item in items:
        if isinstance(item, Chunk):
            yield item.data


# pcapng: draft-ietf-opsawg-pcapng, sections 4.1 (section header), 4.2 (interface description), 4.3 (enhanced packet).
# The link type is USER0 (147), which is set aside for private use: a packet is one chunk of bytes as they passed.
_SECTION, _INTERFACE, _PACKET = 0x0A0D0D0A, 1, 6
_USER0 = 147
_IF_NAME, _EPB_FLAGS, _COMMENT = 2, 2, 1


def as_pcapng(items: Items, names: Names) -> Iterator[bytes]:
    """An interface for each link; inbound and outbound stand in the packet flags, notes in comments."""
    yield _block(_SECTION, struct.pack("<IHHq", 0x1A2B3C4D, 1, 0, -1))
    interfaces: dict[int, int] = {}
    for item in items:
        if item.link not in interfaces:
            interfaces[item.link] = len(interfaces)
            name = names.get(item.link, "book").encode()
            yield _block(_INTERFACE, struct.pack("<HHI", _USER0, 0, 0) + _option(_IF_NAME, name) + _option(0, b""))
        options = b""
        data = b""
        if isinstance(item, Event):
            options = _option(_COMMENT, item.words.encode())
        else:
            data = item.data
            options = _option(_EPB_FLAGS, struct.pack("<I", 1 if item.direction == "rx" else 2))
            if item.errors is not None:
                options += _option(_COMMENT, item.errors.words().encode())
        head = struct.pack(
            "<IIIII", interfaces[item.link], item.utc_us >> 32, item.utc_us & 0xFFFFFFFF, len(data), len(data)
        )
        yield _block(_PACKET, head + _padded(data) + options + _option(0, b""))


def _block(kind: int, body: bytes) -> bytes:
    total = len(body) + 12
    return struct.pack("<II", kind, total) + body + struct.pack("<I", total)


def _option(code: int, value: bytes) -> bytes:
    return struct.pack("<HH", code, len(value)) + _padded(value)


def _padded(data: bytes) -> bytes:
    return data + bytes(-len(data) % 4)
