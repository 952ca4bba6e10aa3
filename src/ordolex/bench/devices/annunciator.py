"""The alarm annunciator: lists that come a page at a time, and events by themselves.

`LIST n` shows a list, a key goes on at `-- more --`, `q` ends it. Its event list has a gap in its numbering and a row
that is none, as such lists have.
"""

from __future__ import annotations

import random

from ordolex.bench.devices.base import Kinds, Say
from ordolex.core.uart.receiver import Character

PAGE = 12
_POINTS = ("raceway 1 oxygen", "raceway 2 oxygen", "intake level", "pump 2 running", "door hatching room", "blower B")
_STATES = ("LOW", "HIGH", "OFF", "OPEN", "normal")
_GAP, _ODD = 17, 23


def lists() -> dict[int, tuple[str, list[str]]]:
    """Number, heading and rows of each list; the same every time."""
    rng = random.Random("alarm annunciator")
    events = []
    minute = 0
    for number in range(1, 41):
        minute += rng.randint(3, 55)
        point, state = rng.choice(_POINTS), rng.choice(_STATES)
        time = f"26-11-{20 + minute // 1440:02} {minute // 60 % 24:02}:{minute % 60:02}"
        if number == _ODD:
            events.append("**** memory checked, 1 block remapped ****")
        if number != _GAP:
            events.append(f"{number:04}  {time}  {point:20}{state}")
    active = [f"{n:04}  {point:20}{state}" for n, (point, state) in enumerate(zip(_POINTS, _STATES, strict=False), 1)]
    channels = [f"{n:02}  {'in use' if n < 7 else 'spare':8}{'4-20 mA' if n % 2 else 'contact'}" for n in range(1, 17)]
    return {1: ("ACTIVE ALARMS", active), 2: ("EVENTS", events), 3: ("CHANNELS", channels)}


class Annunciator:
    """`interval_s` is how often it reports an event by itself while it waits for a command; 0 for never."""

    def __init__(self, interval_s: float, start_s: float) -> None:
        self._interval_s = interval_s
        self._next_s = start_s + interval_s
        self._typed = ""
        self._left: list[str] | None = None
        self._count = 40

    def receive(self, characters: list[Character], now_s: float) -> list[Say]:
        out = ""
        for character in characters:
            if character.faulty:
                continue
            key = chr(character.byte)
            if self._left is not None:
                out += "\r          \r" + (self._end("ended") if key == "q" else self._page())
            elif key == "\r":
                command, self._typed = self._typed.strip().upper(), ""
                out += "\r\n" + self._obey(command)
            elif key == "\x7f" or key == "\b":
                out += "\b \b" if self._typed else ""
                self._typed = self._typed[:-1]
            elif key.isprintable() and len(self._typed) < 40:
                self._typed += key
                out += key
        self._next_s = now_s + self._interval_s
        return [Say(now_s + 0.02, out.encode())] if out else []

    def tick(self, now_s: float) -> list[Say]:
        if not self._interval_s or now_s < self._next_s:
            return []
        self._next_s = now_s + self._interval_s
        if self._left is not None or self._typed:
            return []
        self._count += 1
        point = _POINTS[self._count % len(_POINTS)]
        return [Say(now_s, f"\r\nEVENT {self._count:04} {point} {_STATES[self._count % 5]}\r\n> ".encode())]

    def next_deadline(self) -> float | None:
        return self._next_s if self._interval_s else None

    def _obey(self, command: str) -> str:
        if command == "ID?":
            return "Brookmade AA-16 annunciator 3.2\r\n> "
        if command in ("LIST", "LIST?"):
            rows = [f"{n} {heading}, {len(rows)} rows" for n, (heading, rows) in lists().items()]
            return "\r\n".join(rows) + "\r\n> "
        word, _, number = command.partition(" ")
        if word == "LIST" and number.isdecimal() and int(number) in lists():
            heading, rows = lists()[int(number)]
            self._left = [f"-- {heading} --", *rows]
            return self._page()
        return "? ID? LIST? LIST n\r\n> " if command else "> "

    def _page(self) -> str:
        assert self._left is not None
        page, self._left = self._left[:PAGE], self._left[PAGE:]
        text = "".join(row + "\r\n" for row in page)
        return text + ("-- more --" if self._left else self._end("end of list"))

    def _end(self, words: str) -> str:
        self._left = None
        return f"{words}\r\n> "


KINDS: Kinds = {"alarms": lambda plan, now_s: Annunciator(plan.interval_s, now_s)}
