"""A device with drawn habits, and what it said to whom: the truth that the program is held against."""

from __future__ import annotations

import asyncio
import random
import re

from ordolex.io.transport.twins import MemoryTransport
from tests.strangers.habits import CHARSETS, Habits

SET = "SET"
WORDS = ("zwölf", "twelve", "douze", "offline", "n/a", "----")


class Stranger:
    """`given` has what was said to each command, as number or text, `stood` what the setting was at any time."""

    def __init__(self, habits: Habits, seed: int) -> None:
        self.habits = habits
        self.random = random.Random(seed)
        self.given: dict[str, list[float]] = {command: [] for command in habits.commands}
        self.heard: list[str] = []
        self.setting = 20.0
        self.writes: list[float] = []
        self.refused_any = False
        self._line = b""
        self._last = b""
        self._at = 0.0
        self._numbers = {command: self.first_value(n) for n, command in enumerate(habits.commands)}

    # ---- what it is asked

    @property
    def readable(self) -> tuple[str, ...]:
        """The commands that answer with values; the last is the setting."""
        return self.habits.commands

    def first_value(self, number: int) -> float:
        """Values of different commands differ in their thousands and tens, so that no one's can be another's."""
        command = self.habits.commands[number]
        digits = re.sub(r"\D", "", command).lstrip("0")
        if self.habits.begins_like_its_question and digits:
            return float(f"{digits}{number + 2}.5" if self.habits.decimals else f"{digits}{number + 2}5")
        return (
            float(self.random.randint(2, 9) * 1000 + number * 100 + 7) if self.habits.thousands else 30.5 + 100 * number
        )

    def like(self, command: str) -> str:
        """The pattern that somebody writes who has read the manual, which shows one answer."""
        h = self.habits
        value = (
            rf"(?P<value>[+-]?[\d{h.thousands}]+)"
            if not h.decimals
            else rf"(?P<value>[+-]?[\d' ]+[{',' if h.comma else '.'}]\d+)"
        )
        if (
            h.loose
            and not h.alarm
            and not any(re.search(r"\d", self._before(one)) for one in h.commands)
            and not h.heading
        ):
            return value
        start = r"(?m)^\s*" if h.alarm else ""
        return start + re.escape(self._before(command)) + value + re.escape(h.suffix.rstrip("\x03"))

    def _before(self, command: str) -> str:
        h = self.habits
        own = f"{command}{h.names}" if h.names is not None else ""
        return own or h.prefix.strip("\x02") + CHARSETS[h.charset]

    def hear(self, transport: MemoryTransport, data: bytes) -> None:
        h = self.habits
        if not h.asked_with:
            text = (self._line + data).decode("latin-1")
            self._line = b""
            self._command(transport, text, data)
            return
        self._line += data
        while h.asked_with in self._line:
            line, self._line = self._line.split(h.asked_with, 1)
            self._command(transport, line.decode("latin-1"), line + h.asked_with)

    # ---- what it does

    def _command(self, transport: MemoryTransport, text: str, raw: bytes) -> None:
        h, r = self.habits, self.random
        self.heard.append(text)
        delay = h.turn_round
        if h.echo != "none" and not (h.echo == "some" and len(self.heard) % 2):
            own = raw.strip(b"\r\n")
            echo = own + {"other end": b"\n" if h.asked_with != b"\n" else b"\r"}.get(h.echo, h.asked_with or b"")
            if h.echo == "pieces":
                for n, byte in enumerate(echo):
                    self._say(transport, bytes([byte]), 0.003 * n)
            else:
                self._say(transport, echo, 0.06 if h.echo == "late" else 0.001)
            delay += 0.08
        if r.random() < h.silent_share:
            return
        if h.late and r.random() < h.late_share:
            delay += h.late * TIMEOUT_S
        answer = self._answer(text, raw)
        if h.alarm == "between":
            asyncio.get_running_loop().call_later(0.7 + 3.0 * r.random(), self._alarm, transport)
        if h.alarm == "before" and r.random() < 0.4:
            self._say(transport, self._bytes("door open 55") + (h.ends or b"\r\n"), max(0.0, delay - 0.015))
        self._pieces(transport, answer, delay)
        if h.double and answer:
            again = answer[: max(1, len(answer) * 2 // 3)] if h.double == "cut" else answer
            self._pieces(transport, again, delay + (0.0 if h.double == "at once" else 0.12))

    def _alarm(self, transport: MemoryTransport) -> None:
        """By itself, and not in the middle of an answer."""
        busy = self._at - asyncio.get_running_loop().time()
        if busy > 0:
            asyncio.get_running_loop().call_later(busy + 0.01, self._alarm, transport)
        else:
            self._say(transport, self._bytes("ALARM 77 high") + (self.habits.ends or b"\r\n"), 0.0)

    def _answer(self, text: str, raw: bytes) -> bytes:
        h = self.habits
        if text.startswith(SET + " "):
            return self._framed(self._set(float(text[4:])), "")
        if text not in self._numbers or (h.refuses and text == h.commands[1]):
            self.refused_any = True
            return self._framed(h.refusal, "")
        if text == h.commands[-1]:
            value = self.setting
        else:
            self._numbers[text] += self.random.choice((0, 0, 1)) if not h.begins_like_its_question else 0
            value = self._numbers[text]
        if h.in_words and self.random.random() < 0.3:
            return self._framed(self.random.choice(WORDS), text)
        self.given[text].append(round(value, h.decimals))
        return self._framed(self.number(value), text)

    def _set(self, value: float) -> str:
        h = self.habits
        if h.keeps == "refuses":
            return h.refusal
        self.writes.append(value)
        if h.keeps == "clamps":
            value = min(value, 25.0)
        elif h.keeps == "rounds":
            value = float(round(value))
        elif h.keeps == "nothing":
            return "OK"
        self.setting = value
        return "OK"

    def number(self, value: float) -> str:
        h = self.habits
        text = f"{value:,.{h.decimals}f}" if h.thousands else f"{value:.{h.decimals}f}"
        if h.comma:
            text = text.replace(",", "_").replace(".", ",")
        return text.replace("_" if h.comma else ",", h.thousands) if h.thousands else text

    def _framed(self, value: str, command: str) -> bytes:
        h = self.habits
        before = self._before(command) if command else ""
        shown = h.codes.format(f"{before}{value}{h.suffix if command else ''}")
        prefix = "\x02" if h.prefix == "\x02" else ""
        head = self._bytes(h.heading) + (h.ends or b"\r\n") if h.heading and command else b""
        out = head + self._bytes(prefix + shown) + h.ends + self._bytes(h.prompt)
        if h.flow:
            out = b"\x11" + out + b"\x13"
        if h.bell:
            out = b"\x07" + out
        if h.alarm == "inside" and h.heading and command:
            out = head + self._bytes("door open 55") + (h.ends or b"\r\n") + out[len(head) :]
        return out

    def _bytes(self, text: str) -> bytes:
        return text.encode(self.habits.charset, "replace")

    def _pieces(self, transport: MemoryTransport, data: bytes, delay: float) -> None:
        if self.habits.pieces is None:
            self._say(transport, data, delay)
            return
        size, longest = self.habits.pieces
        for at in range(0, len(data), size):
            self._say(transport, data[at : at + size], delay)
            delay += self.random.uniform(0.3, 1.0) * longest

    def _say(self, transport: MemoryTransport, data: bytes, delay: float) -> None:
        """One thing after the other: a device has one line to speak on."""
        loop = asyncio.get_running_loop()
        self._at = max(self._at + 1e-4, loop.time() + delay)
        if self.habits.parity_left:
            data = bytes(byte | 0x80 if byte.bit_count() & 1 else byte for byte in data)
        loop.call_at(self._at, transport.say, data)


TIMEOUT_S = 1.0
