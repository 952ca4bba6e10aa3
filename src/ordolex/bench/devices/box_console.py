"""The serial server's text console: locked at first, settings as lines, nothing holds before it is saved and restarted.

The same console answers on the box's serial console port and by telnet; what it sets is in the box's `BoxSettings`.
"""

from __future__ import annotations

import re
from collections.abc import Callable
from copy import deepcopy
from dataclasses import dataclass, field

from ordolex.bench.devices.base import Kinds, Say
from ordolex.core.line.notation import read_line
from ordolex.core.line.settings import SettingsError
from ordolex.core.uart.receiver import Character

CODE = "spring-2217"
"""What its label says; made up, and in the bench's document."""
MODES = ("virtual-port", "raw", "call-out", "off")
_RESTART_S = 1.5
_NUMBERS = re.compile(r"\d{1,3}(\.\d{1,3}){3}")


@dataclass
class ChannelSettings:
    """`mode`: virtual-port is RFC 2217, raw plain bytes, call-out calls `peer` itself, off nothing."""

    mode: str
    line: str
    peer: str = ""


@dataclass
class BoxSettings:
    """What a box keeps. `base` is the TCP port before its first channel's."""

    name: str
    address: str
    mask: str = "255.0.0.0"
    gateway: str = ""
    automatic: bool = False
    base: int = 4000
    channels: list[ChannelSettings] = field(default_factory=list)


class BoxConsole:
    """`stored` is what the box works by; `restart` is called when it is to work by it anew. `holder` says who is at a
    channel, counted from 1."""

    def __init__(self, stored: BoxSettings, restart: Callable[[], None], holder: Callable[[int], str]) -> None:
        self._stored, self._restart, self._holder = stored, restart, holder
        self._now = deepcopy(stored)
        self._typed = bytearray()
        self._unlocked = self._asks_code = False
        self._back_s: float | None = None

    @property
    def prompt(self) -> str:
        return "code: " if self._asks_code else "box> " if self._unlocked else "box (locked)> "

    def greeting(self) -> str:
        return f"Brookmade DS-4 serial server {self._stored.name}\r\n{self.prompt}"

    def receive(self, characters: list[Character], now_s: float) -> list[Say]:
        out = self.keys(bytes(c.byte for c in characters if not c.faulty), now_s)
        return [Say(now_s + 0.005, out.encode())] if out else []

    def keys(self, data: bytes, now_s: float) -> str:
        if self._back_s is not None:
            return ""
        out = ""
        for byte in data:
            if byte in b"\r":
                text = self._typed.decode("latin-1").strip()
                self._typed.clear()
                answer = self._given(text, now_s)
                out += "\r\n" + answer + ("" if self._back_s is not None else self.prompt)
            elif byte in (0x08, 0x7F):
                if self._typed:
                    self._typed.pop()
                    out += "" if self._asks_code else "\b \b"
            elif byte >= 0x20 and len(self._typed) < 80:
                self._typed.append(byte)
                out += "" if self._asks_code else chr(byte)
        return out

    def tick(self, now_s: float) -> list[Say]:
        if self._back_s is None or now_s < self._back_s:
            return []
        self._back_s = None
        self._unlocked = False
        self._now = deepcopy(self._stored)
        self._restart()
        boot = f"boot 1.09\r\nport eth0 address {self._stored.address} mask {self._stored.mask}\r\n"
        return [Say(now_s, (boot + self.greeting()).encode())]

    def next_deadline(self) -> float | None:
        return self._back_s

    # ---- what is given

    def _given(self, text: str, now_s: float) -> str:
        if self._asks_code:
            self._asks_code = False
            self._unlocked = text == CODE
            return "unlocked\r\n" if self._unlocked else "wrong code\r\n"
        word, _, rest = text.partition(" ")
        match word:
            case "":
                return ""
            case "unlock":
                self._asks_code = not self._unlocked
                return "" if self._asks_code else "it is unlocked\r\n"
            case "show":
                return self._show()
            case "channels":
                return self._channels()
            case "set" | "channel" | "save" | "restart" if not self._unlocked:
                return "? locked\r\n"
            case "set":
                return self._set(*rest.partition(" ")[::2])
            case "channel":
                return self._channel(rest)
            case "save":
                self._keep()
                return "saved; restart makes it hold\r\n"
            case "restart":
                self._back_s = now_s + _RESTART_S
                return "restarting\r\n"
        return f"? {word[:20]}: unlock, show, channels, set, channel, save, restart\r\n"

    def _keep(self) -> None:
        for name, value in vars(deepcopy(self._now)).items():
            setattr(self._stored, name, value)

    def _show(self) -> str:
        now = self._now
        rows = [
            f"address {now.address}", f"mask {now.mask}", f"gateway {now.gateway or 'none'}",
            f"automatic {'on' if now.automatic else 'off'}",
        ]  # fmt: skip
        return "".join(f"{row}\r\n" for row in rows)

    def _channels(self) -> str:
        return "".join(self._row(number) for number in range(1, len(self._now.channels) + 1))

    def _row(self, number: int) -> str:
        one = self._now.channels[number - 1]
        held = self._holder(number) or "nobody"
        return f"channel {number} port {self._now.base + number} mode {one.mode} line {one.line} held {held}\r\n"

    def _set(self, name: str, value: str) -> str:
        value = value.strip()
        if name in ("address", "mask", "gateway"):
            empty = name == "gateway" and value == "none"
            if not (empty or (_NUMBERS.fullmatch(value) and all(int(part) < 256 for part in value.split(".")))):
                return "? four numbers\r\n"
            setattr(self._now, name, "" if empty else value)
            return "ok\r\n"
        if name == "automatic" and value in ("on", "off"):
            self._now.automatic = value == "on"
            return "ok\r\n"
        return "? set address, mask, gateway or automatic\r\n"

    def _channel(self, rest: str) -> str:
        parts = rest.split(" ", 2)
        if rest.isdecimal() and 1 <= int(rest) <= len(self._now.channels):
            return self._row(int(rest))
        if len(parts) < 3 or not (parts[0].isdecimal() and 1 <= int(parts[0]) <= len(self._now.channels)):
            return "? channel NUMBER mode|line|peer VALUE\r\n"
        one, (_, name, value) = self._now.channels[int(parts[0]) - 1], parts
        if name == "mode" and value in MODES:
            one.mode = value
        elif name == "peer":
            one.peer = value
        elif name == "line":
            try:
                one.line = read_line(value).settings.text
            except SettingsError:
                return "? a line such as 19200 8N1\r\n"
        else:
            return f"? modes are {', '.join(MODES)}\r\n"
        return "ok\r\n"


KINDS: Kinds = {
    "box-console": lambda plan, now_s: BoxConsole(
        BoxSettings(plan.name, "127.20.0.44", channels=[ChannelSettings("raw", "9600 8N1")]), lambda: None, lambda n: ""
    )
}
