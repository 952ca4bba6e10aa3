"""A record in open forms: text for people, CSV (RFC 4180), JSON lines, raw bytes, and pcapng for packet tools.

Each function takes items of the record in order and gives pieces of the file. Times are UTC.
"""

from __future__ import annotations

import json
import math
import struct
from collections.abc import Callable, Iterable, Iterator, Mapping
from dataclasses import asdict
from datetime import UTC, datetime
from functools import lru_cache
from typing import Any

from ordolex.core.protocols.passing import Passing
from ordolex.core.record.items import CUTTING_EVENTS, Chunk, Event
from ordolex.core.talk.conversation import SILENCE_US, Conversation, Direction, Row
from ordolex.core.text.cells import harmless_cell, quoted_cell
from ordolex.core.text.charsets import UNCHOSEN
from ordolex.core.text.visible import visible, visible_text

FORMS = ("text", "csv", "jsonl", "raw", "hex", "pcapng")
SUFFIX = {"text": "txt", "csv": "csv", "jsonl": "jsonl", "raw": "bin", "hex": "hex.txt", "pcapng": "pcapng"}
"""What the names of such files end in."""
Items = Iterable[Chunk | Event]
Names = Mapping[int, str]
Charsets = Mapping[int, str]
"""The character set of a link, where it is not the one that holds until somebody chooses."""

_NONE_CHOSEN: Charsets = {}
_PRINTABLE = bytes(range(0x20, 0x7F))
_GLYPHS = {Direction.SENT: "▸", Direction.HEARD: "◂", Direction.NOTE: "·"}


def utc_text(utc_us: int, *, date: bool = True) -> str:
    """ISO 8601 with milliseconds, such as 2026-11-23T10:41:52.104Z, or the time of day alone."""
    second, part = divmod(utc_us, 1_000_000)
    day, time = _second_text(second)
    text = f"{time}.{part // 1000:03d}"
    return f"{day}T{text}Z" if date else text


@lru_cache(64)
def _second_text(second: int) -> tuple[str, str]:
    moment = datetime.fromtimestamp(second, UTC)
    return f"{moment:%Y-%m-%d}", f"{moment:%H:%M:%S}"


def export(form: str, items: Items, names: Names, charsets: Charsets = _NONE_CHOSEN) -> Iterator[bytes]:
    """Raises ValueError for a form that is not in FORMS."""
    if form in ("text", "csv"):
        return (as_text if form == "text" else as_csv)(items, names, charsets)
    makers = {"jsonl": as_jsonl, "raw": as_raw, "hex": as_hex, "pcapng": as_pcapng}
    if form not in makers:
        raise ValueError(f"{form!r} is no export form; choose {', '.join(FORMS)}")
    return makers[form](items, names)


def rows_of(
    items: Items, charsets: Charsets = _NONE_CHOSEN, wants: Callable[[bytes, str], bool] = lambda line, charset: True
) -> Iterator[tuple[int, Row]]:
    """(link, row) of a whole record, each link's bytes cut into lines of its own. Lines of which there is nothing to
    say but their bytes may be left out: `wants` says of a line and its character set which are not."""
    for link, times, lines, rows in _lines_and_rows(items, charsets):
        if lines:
            charset = charsets.get(link, UNCHOSEN)
            at_us, then_us = times
            for line in lines:
                if wants(line, charset):
                    yield link, Row(Direction.HEARD, at_us, line, charset=charset)
                at_us = then_us
        for row in rows:
            yield link, row


_Times = tuple[int, int]
_NO_TIMES = (0, 0)


def _lines_and_rows(items: Items, charsets: Charsets) -> Iterator[tuple[int, _Times, list[bytes], list[Row]]]:
    """(link, times, plain lines heard, rows behind them): plain lines are most of a record, and go all at once. The
    times are that of the first of them and that of the others."""
    talks: dict[int, Conversation] = {}
    silent: dict[int, int] = {}  # when what a link has unfinished is shown as it is, as it is on the screen
    for item in items:
        link = item.link
        for other in _fell_silent(silent, item.utc_us):
            yield other, _NO_TIMES, [], talks[other].tick(item.utc_us)
        talk = talks.get(link)
        if talk is None:
            talk = talks[link] = Conversation(Passing(), charsets.get(link, UNCHOSEN))
        if isinstance(item, Event):
            yield link, _NO_TIMES, [], talk.note(item.words, item.utc_us, cut=item.kind in CUTTING_EVENTS)
        elif item.direction == "tx":
            yield link, _NO_TIMES, [], talk.sent(item.data, item.utc_us)
        elif item.errors is not None:
            yield link, _NO_TIMES, [], talk.heard(item.data, item.utc_us, item.errors)
        else:
            at_us = item.utc_us
            head, first_us, lines, tail = talk.plain_lines(item.data, at_us)
            if head or not lines:
                yield link, _NO_TIMES, [], talk.heard(head, at_us)
            if lines:
                yield link, (first_us, at_us), lines, talk.goes_on(tail, at_us) if tail else []
        if not talk.unfinished:
            silent.pop(link, None)
        elif link not in silent or (isinstance(item, Chunk) and item.data):  # what brings no byte ends no silence
            silent[link] = item.utc_us + SILENCE_US
    for link, talk in talks.items():
        yield link, _NO_TIMES, [], talk.flush()


def _fell_silent(silent: dict[int, int], now_us: int) -> list[int]:
    """The links that did by now, the first one first; they are taken out."""
    if not silent or min(silent.values()) >= now_us:
        return []
    over = sorted((at_us, link) for link, at_us in silent.items() if at_us < now_us)
    for _, link in over:
        del silent[link]
    return [link for _, link in over]


def as_text(items: Items, names: Names, charsets: Charsets = _NONE_CHOSEN) -> Iterator[bytes]:
    """One line a row: time, link, direction, response time, text. Control bytes are shown, none is passed on."""
    shown: dict[int, str] = {}
    for link, (first_us, at_us), lines, rows in _lines_and_rows(items, charsets):
        name = shown.get(link)
        if name is None:
            name = shown[link] = visible_text(names.get(link, "book"))
        if lines:
            charset, rest = charsets.get(link, UNCHOSEN), f"  {name}  ◂ {'':>9}  "
            head = utc_text(at_us) + rest
            first = head if first_us == at_us else utc_text(first_us) + rest
            yield f"{first}{_joined(lines, head, charset)}\n".encode()
        if rows:
            yield "".join(_line(row, name) for row in rows).encode()


def _joined(lines: list[bytes], head: str, charset: str) -> str:
    """All lines as they are shown, with a line end and the head between them. Where all end alike and hold nothing that
    is shown in another way, which is usual, at once."""
    if len(lines) > 1:
        whole = b"".join(lines)
        end = b"\r\n" if lines[0].endswith(b"\r\n") else b"\n"
        if len(whole.translate(None, _PRINTABLE)) == len(lines) * len(end) and whole.count(end) == len(lines):
            shown = whole[: -len(end)].decode("ascii").replace(end.decode(), f"{visible(end)}\n{head}")
            return shown + visible(end)
    return f"\n{head}".join(visible(line, charset) for line in lines)


def _line(row: Row, name: str) -> str:
    after = f"+{row.after_ms:.0f} ms" if row.after_ms is not None else ""
    errors = f"   ({row.errors})" if row.errors else ""
    text = visible_text(row.text) if row.text else visible(row.data, row.charset)
    if row.words and row.is_text:
        text = f"{text}   {visible_text(row.words)}"
    elif row.words:
        text = f"{visible_text(row.words)}   {row.data.hex(' ')}"
    return f"{utc_text(row.at_us)}  {name}  {_GLYPHS[row.direction]} {after:>9}  {text}{errors}\n"


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


def as_csv(items: Items, names: Names, charsets: Charsets = _NONE_CHOSEN) -> Iterator[bytes]:
    yield (",".join(_CSV_HEAD) + "\r\n").encode()
    shown = {link: quoted_cell(harmless_cell(visible_text(name))) for link, name in names.items()}
    for item in items:
        head = f"{utc_text(item.utc_us)},{shown.get(item.link, '')}"
        if isinstance(item, Event):
            text = quoted_cell(harmless_cell(visible_text(item.text)))
            yield f"{head},{quoted_cell(item.kind)},{item.mono_us},,,,,,{text}\r\n".encode()
        else:
            e, data = item.errors, item.data
            errors = f"{e.framing},{e.parity},{e.breaks},{e.overruns}" if e else "0,0,0,0"
            text = quoted_cell(harmless_cell(visible(data, charsets.get(item.link, UNCHOSEN))))
            yield f"{head},{item.direction},{item.mono_us},{errors},{data.hex()},{text}\r\n".encode()


def as_jsonl(items: Items, names: Names) -> Iterator[bytes]:
    """One object a line. Those of bytes have numbers and hex digits only, and are put together as they are."""
    shown = {link: json_text(name) for link, name in names.items()}
    for item in items:
        name = shown.get(item.link, '""')
        head = f'{{"utc": "{utc_text(item.utc_us)}", "utc_us": {item.utc_us}, "mono_us": {item.mono_us}, "link": {name}'
        if isinstance(item, Event):
            rest = f'"kind": {json_text(item.kind)}, "text": {json_text(item.text)}, "detail": {json_text(item.detail)}'
        else:
            errors = f', "errors": {json_text(asdict(item.errors))}' if item.errors is not None else ""
            last = item.last_mono_us
            rest = f'"kind": "{item.direction}", "last_mono_us": {last}, "hex": "{item.data.hex()}"{errors}'
        yield f"{head}, {rest}}}\n".encode()


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
