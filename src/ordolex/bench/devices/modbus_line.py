"""A line with Modbus units on it. Two units may carry one address: both answer then, and the line carries the AND of
both."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Protocol

from ordolex.bench.devices.base import Say
from ordolex.core.line.settings import LineSettings
from ordolex.core.protocols.modbus.crc import crc16
from ordolex.core.protocols.modbus.frames import FRAMINGS, Ascii, Tcp, lrc, quiet_s
from ordolex.core.protocols.modbus.pdu import request_length
from ordolex.core.protocols.modbus.server import Unit
from ordolex.core.uart.receiver import Character

_TURN_ROUND_S = 0.006
TEMPERS = ("busy", "refuse", "forget", "wrong-check", "truncated", "other-unit")
"""How a unit can be told to misbehave."""


class OnLine(Protocol):
    """A device that answers by its unit; `slow_s` is how long it takes."""

    unit: Unit
    slow_s: float

    def tick(self, now_s: float) -> None:
        """Renews what it measures."""


class ModbusLine:
    """`devices` are (address, device), an address may stand twice; `mode` is rtu, ascii or tcp."""

    def __init__(self, line: LineSettings, devices: Sequence[tuple[int, OnLine]], mode: str) -> None:
        self._line = line
        self._framing = FRAMINGS[mode]()
        self._units = devices
        self._heard = bytearray()
        self._last_s = 0.0
        self.temper = ""

    def receive(self, characters: list[Character], now_s: float) -> list[Say]:
        quiet = max(0.05, quiet_s(self._line.characters_per_s, self._line.baud))
        for character in characters:
            if character.at_s - self._last_s > quiet:  # on the line: that they are handed over late is no silence
                self._heard.clear()
            self._last_s = character.at_s
            if character.faulty:
                self._heard.clear()
            else:
                self._heard.append(character.byte)
        out = []
        while (request := self._request()) is not None:
            head, unit, pdu = request
            out += self._answers(head, unit, pdu, now_s)
        return out

    def tick(self, now_s: float) -> list[Say]:
        return []

    def next_deadline(self) -> float | None:
        return None

    def _request(self) -> tuple[bytes, int, bytes] | None:
        """Head (of a TCP transaction), unit and PDU of the next whole request."""
        data = bytes(self._heard)
        if isinstance(self._framing, Tcp):
            if len(data) < 8 or len(data) < (whole := 6 + int.from_bytes(data[4:6])):
                return None
            del self._heard[:whole]
            return data[:4], data[6], data[7:whole]
        if isinstance(self._framing, Ascii):
            start, end = data.rfind(b":"), data.find(b"\r\n", max(0, data.rfind(b":")))
            if start < 0 or end < 0:
                return None
            self._heard.clear()
            try:
                body = bytes.fromhex(data[start + 1 : end].decode("ascii"))
            except ValueError:
                return None
            return (b"", body[0], body[1:-1]) if len(body) > 2 and lrc(body[:-1]) == body[-1] else None
        size = request_length(data[1:])
        if len(data) < 4 or size is None:
            return None
        whole = 1 + (size or len(data) - 3) + 2
        if len(data) < whole or crc16(data[: whole - 2]).to_bytes(2, "little") != data[whole - 2 : whole]:
            return None
        del self._heard[:whole]
        return b"", data[0], data[1 : whole - 2]

    def _answers(self, head: bytes, number: int, pdu: bytes, now_s: float) -> list[Say]:
        answers = []
        wait_s = _TURN_ROUND_S
        for own, device in self._units:
            device.tick(now_s)
            unit = device.unit
            unit.busy, unit.refuses, unit.forgets = (self.temper == t for t in ("busy", "refuse", "forget"))
            if number == 0:
                unit.answer(pdu)  # a broadcast is obeyed and not answered
            elif number == own:
                answers.append(self._wrap(head, own + (self.temper == "other-unit"), unit.answer(pdu)))
                wait_s = max(wait_s, device.slow_s)
        if not answers:
            return []
        data = answers[0]
        if len(answers) > 1:  # both drive the line: a 0 of either wins
            second = bytearray(answers[1])
            second[1:2] = bytes([second[1] ^ 0x11])
            data = bytes(a & b for a, b in zip(data, bytes(second).ljust(len(data), b"\xff"), strict=False))
        if self.temper == "wrong-check":
            data = (
                data[:-1] + bytes([data[-1] ^ 0x01]) if not isinstance(self._framing, Ascii) else data[:-3] + b"0\r\n"
            )
        elif self.temper == "truncated":
            data = data[:-3]
        return [Say(now_s + wait_s, data)]

    def _wrap(self, head: bytes, unit: int, pdu: bytes) -> bytes:
        if isinstance(self._framing, Tcp):
            return head + (len(pdu) + 1).to_bytes(2) + bytes([unit]) + pdu
        return self._framing.wrap(unit, pdu)
