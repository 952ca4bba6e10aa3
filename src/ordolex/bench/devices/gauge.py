"""A gauge box with eight level gauges. `READ` brings all levels; `SETUP`, in capitals, opens its set-up menu.

The menu asks name, zero, span, unit and state of a channel one after the other, and keeps what is there for an empty
answer. `S` stores and leaves, `X` leaves without storing; the levels follow what is set at once, stored or not.
"""

from __future__ import annotations

import math
from collections.abc import Callable
from dataclasses import dataclass, replace

from ordolex.bench.devices.base import Kinds, Say
from ordolex.core.uart.receiver import Character

_TURN_ROUND_S = 0.03
_LONGEST = 30
_UNITS = ("mm", "cm", "m")
TEMPERS = ("deaf-key",)
"""`deaf-key`: it drops the last digit of a span, as a key that no longer makes contact would."""


@dataclass(frozen=True, slots=True)
class _Channel:
    """The current loop's 4 mA are `zero`, its 20 mA `zero` + `span`, in `unit`."""

    name: str
    zero: float = 0.0
    span: float = 2.5
    unit: str = "m"
    state: str = "on"


_NAMES = ("intake", "screen front", "screen back", "pond 1", "pond 2", "pond 3", "outlet weir", "spare")
_ASKED = ("name", "zero", "span", "unit", "state")


class GaugeBox:
    def __init__(self, start_s: float) -> None:
        self._start_s = start_s
        channels = {n: _Channel(name) for n, name in enumerate(_NAMES, 1)}
        self._stored = channels | {7: _Channel("outlet weir", 120.0, 600.0, "mm"), 8: _Channel("spare", state="off")}
        self._channels = dict(self._stored)
        self._typed = ""
        self._given: Callable[[str], str] | None = None
        self.temper = ""

    def receive(self, characters: list[Character], now_s: float) -> list[Say]:
        out = ""
        for character in characters:
            if character.faulty:
                self._typed = ""
            elif character.byte == 0x0D:
                text, self._typed = self._typed, ""
                out += self._line(text, now_s)
            elif 0x20 <= character.byte < 0x7F and len(self._typed) < _LONGEST:
                self._typed += chr(character.byte)
                out += chr(character.byte) if self._given is not None else ""
        return [Say(now_s + _TURN_ROUND_S, out.encode("ascii"))] if out else []

    def tick(self, now_s: float) -> list[Say]:
        return []

    def next_deadline(self) -> float | None:
        return None

    def _line(self, text: str, now_s: float) -> str:
        if self._given is not None:
            return "\r\n" + self._given(text.strip())
        if text == "SETUP":
            return self._menu()
        if text == "READ":
            return " ".join(self._level(n, now_s) for n in self._channels) + "\r\n"
        return ""

    def _level(self, number: int, now_s: float) -> str:
        channel = self._channels[number]
        if channel.state == "off":
            return "---"
        part = 0.45 + 0.03 * number + 0.02 * math.sin((now_s - self._start_s) / 50 + number)
        return f"{channel.zero + channel.span * part:.{0 if channel.unit == 'mm' else 3}f}"

    # ---- the menu

    def _menu(self) -> str:
        self._given = self._chosen
        return "GB-8 SET-UP\r\n1-8 channel  V1-V8 view  S store and leave  X leave\r\nselect> "

    def _chosen(self, text: str) -> str:
        if text == "S" or text == "X":
            words = "stored" if text == "S" else "not stored"
            self._stored, self._channels = (
                (dict(self._channels), self._channels) if text == "S" else (self._stored, dict(self._stored))
            )
            self._given = None
            return f"{words}\r\n"
        if text.isdecimal() and int(text) in self._channels:
            return self._ask(int(text), 0)
        if text[:1] == "V" and text[1:].isdecimal() and int(text[1:]) in self._channels:
            one = self._channels[int(text[1:])]
            return (
                f"channel {text[1:]} name {one.name}; zero {one.zero:.3f} span {one.span:.3f} unit {one.unit}"
                f" state {one.state}\r\nselect> "
            )
        return f"{'' if not text else '?? '}\r\nselect> "

    def _ask(self, number: int, at: int) -> str:
        """One after the other, without a way back."""
        if at == len(_ASKED):
            self._given = self._chosen
            return "select> "
        self._given = lambda text: self._take(number, at, text)
        return f"channel {number} {_ASKED[at]} ({getattr(self._channels[number], _ASKED[at])})? "

    def _take(self, number: int, at: int, text: str) -> str:
        name, one = _ASKED[at], self._channels[number]
        if not text:
            return self._ask(number, at + 1)
        if name in ("zero", "span"):
            if self.temper == "deaf-key" and name == "span":
                text = text[:-1] or text
            try:
                value = float(text)
            except ValueError:
                value = math.nan
            if not -9999 <= value <= 9999 or (name == "span" and value <= 0):
                return f"?? -9999 to 9999{', more than 0' * (name == 'span')}\r\n{self._ask(number, at)}"
            self._channels[number] = replace(one, zero=value) if name == "zero" else replace(one, span=value)
        elif (name == "unit" and text not in _UNITS) or (name == "state" and text not in ("on", "off")):
            return f"?? {'mm, cm or m' if name == 'unit' else 'on or off'}\r\n{self._ask(number, at)}"
        else:
            self._channels[number] = _with(one, name, text)
        return self._ask(number, at + 1)


def _with(one: _Channel, name: str, text: str) -> _Channel:
    return {
        "name": replace(one, name=text[:16]), "unit": replace(one, unit=text), "state": replace(one, state=text)
    }[name]  # fmt: skip


KINDS: Kinds = {"gauge-box": lambda plan, now_s: GaugeBox(now_s)}
