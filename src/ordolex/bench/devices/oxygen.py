"""The oxygen transmitter: an instrument that is asked in text, with the common commands of IEEE 488.2.

Headers may be written short or long (SCPI 1999, volume 1, 6.2.1), several commands may stand in one message with `;`.
Errors go into a queue that `SYST:ERR?` reads (SCPI 1999, volume 2, 21.8). What it cannot read at all, since framing
or parity failed or the bytes are no ASCII, it complains of at once: that is its temperament, and it lets a technician
at a wrong rate hear something.
"""

from __future__ import annotations

import math
import re
from collections import deque
from collections.abc import Callable

from ordolex.bench.day import Day
from ordolex.bench.devices.base import Kinds, Say
from ordolex.core.uart.receiver import Character

_TURN_ROUND_S = 0.032
_COMPLAIN_AFTER_S = 0.08
_BUFFER = 256
_QUEUE = 10
_PARITY_FAULT = '-361,"Parity error in program message"'
_FRAMING_FAULT = '-362,"Framing error in program message"'

_OPERATION_COMPLETE, _QUERY_ERROR, _DEVICE_ERROR, _EXECUTION_ERROR, _COMMAND_ERROR = 1, 4, 8, 16, 32


class OxygenTransmitter:
    """`unit` is the address it was given; it shows in the identity."""

    def __init__(self, unit: int, start_s: float) -> None:
        self._unit = unit
        self._start_s = start_s
        self._now_s = start_s
        self.day: Day | None = None
        """The day that it lives in, where the bench plays one."""
        self._buffer = bytearray()
        self._unreadable = ""
        self._last_s = start_s
        self._errors: deque[str] = deque()
        self._event_status = 128  # power on (IEEE 488.2, 11.5.1.1.2)
        self._event_enable = self._service_enable = 0
        self._alarm_low = 6.0
        self._queries: dict[str, Callable[[], str]] = {
            "*IDN?": lambda: f"Brookmade,OX-2,unit {self._unit},1.14",
            "*ESR?": self._read_event_status,
            "*ESE?": lambda: str(self._event_enable),
            "*SRE?": lambda: str(self._service_enable),
            "*STB?": lambda: str(self._status_byte()),
            "*OPC?": lambda: "1",
            "*TST?": lambda: "0",
            "MEASure:OXYGen?": lambda: f"{self.oxygen():.2f} mg/l",
            "MEASure:TEMPerature?": lambda: f"{self.temperature():.1f} C",
            "MEASure:SATuration?": lambda: f"{self.oxygen() / 10.92 * 100:.1f} %",
            "ALARm:LOW?": lambda: f"{self._alarm_low:.2f} mg/l",
            "SYSTem:ERRor?": self._next_error,
            "SYSTem:ERRor:NEXT?": self._next_error,
            "SYSTem:VERSion?": lambda: "1999.0",
        }
        self._commands: dict[str, Callable[[str], None]] = {
            "*CLS": self._clear,
            "*RST": self._reset,
            "*WAI": self._no_parameter,
            "*OPC": self._operation_complete,
            "*ESE": lambda text: setattr(self, "_event_enable", self._number(text, 0, 255, self._event_enable)),
            "*SRE": lambda text: setattr(self, "_service_enable", self._number(text, 0, 255, self._service_enable)),
            "ALARm:LOW": lambda text: setattr(self, "_alarm_low", self._decimal(text, 0.0, 20.0, self._alarm_low)),
        }

    def oxygen(self) -> float:
        """Dissolved oxygen in mg/l; it swings slowly, as when the blower cycles."""
        if self.day is not None:
            return self.day.oxygen(self._unit, self._now_s)
        return 9.4 + 0.1 * self._unit + 0.35 * math.sin((self._now_s - self._start_s) / 95 + self._unit)

    def temperature(self) -> float:
        return 11.3 + 0.2 * math.sin((self._now_s - self._start_s) / 400 + self._unit)

    # ---- the line

    def receive(self, characters: list[Character], now_s: float) -> list[Say]:
        self._now_s = now_s
        says: list[Say] = []
        for character in characters:
            self._last_s = now_s
            if character.faulty or character.byte >= 0x80:
                self._unreadable = _PARITY_FAULT if character.parity else _FRAMING_FAULT
                self._buffer.clear()
            elif self._unreadable:
                continue
            elif character.byte in b"\r\n":
                says += self._message(now_s)
            elif len(self._buffer) < _BUFFER:
                self._buffer.append(character.byte)
            else:
                self._fail('-363,"Input buffer overrun"', _DEVICE_ERROR)
                self._buffer.clear()
        return says

    def tick(self, now_s: float) -> list[Say]:
        self._now_s = now_s
        if self._unreadable and now_s - self._last_s >= _COMPLAIN_AFTER_S:
            complaint, self._unreadable = self._unreadable, ""
            self._fail(complaint, _COMMAND_ERROR)
            return [Say(now_s, complaint.encode() + b"\n")]
        return []

    def next_deadline(self) -> float | None:
        return self._last_s + _COMPLAIN_AFTER_S if self._unreadable else None

    # ---- messages

    def _message(self, now_s: float) -> list[Say]:
        text = self._buffer.decode("ascii").strip()
        self._buffer.clear()
        if self.day is not None and not self.day.answers(self._unit, now_s):
            return []
        answers = [answer for part in text.split(";") if (answer := self._command(part.strip())) is not None]
        wait_s = _TURN_ROUND_S + 0.004 * (self._unit % 4)
        return [Say(now_s + wait_s, ";".join(answers).encode() + b"\n")] if answers else []

    def _command(self, text: str) -> str | None:
        if not text:
            return None
        header, _, parameter = text.lstrip(":").partition(" ")
        for pattern, query in self._queries.items():
            if _same_header(header, pattern):
                if parameter:
                    self._fail('-108,"Parameter not allowed"', _COMMAND_ERROR)
                    return None
                return query()
        for pattern, command in self._commands.items():
            if _same_header(header, pattern):
                command(parameter.strip())
                return None
        self._fail('-113,"Undefined header"', _COMMAND_ERROR)
        return None

    def _fail(self, error: str, status: int) -> None:
        self._event_status |= status
        if len(self._errors) < _QUEUE:
            self._errors.append(error)
        else:
            self._errors[-1] = '-350,"Queue overflow"'

    def _next_error(self) -> str:
        return self._errors.popleft() if self._errors else '0,"No error"'

    def _read_event_status(self) -> str:
        value, self._event_status = self._event_status, 0
        return str(value)

    def _status_byte(self) -> int:
        """IEEE 488.2, 11.2: bit 2 error queue (SCPI), bit 5 event summary, bit 6 master summary."""
        value = 4 * bool(self._errors) | 32 * bool(self._event_status & self._event_enable)
        return value | 64 * bool(value & self._service_enable & ~64)

    def _no_parameter(self, text: str) -> None:
        if text:
            self._fail('-108,"Parameter not allowed"', _COMMAND_ERROR)

    def _clear(self, text: str) -> None:
        self._errors.clear()
        self._event_status = 0
        self._no_parameter(text)

    def _reset(self, text: str) -> None:
        self._alarm_low = 6.0
        self._no_parameter(text)

    def _operation_complete(self, text: str) -> None:
        self._event_status |= _OPERATION_COMPLETE
        self._no_parameter(text)

    def _number(self, text: str, low: int, high: int, now: int) -> int:
        return round(self._decimal(text, low, high, now))

    def _decimal(self, text: str, low: float, high: float, now: float) -> float:
        if not text:
            self._fail('-109,"Missing parameter"', _COMMAND_ERROR)
        elif not re.fullmatch(r"[+-]?(\d+\.?\d*|\.\d+)([eE][+-]?\d{1,3})?", text):
            self._fail('-104,"Data type error"', _COMMAND_ERROR)
        elif not low <= float(text) <= high:
            self._fail('-222,"Data out of range"', _EXECUTION_ERROR)
        else:
            return float(text)
        return now


def _same_header(given: str, pattern: str) -> bool:
    """Each part of a header may be given short (its capitals) or long, in any case."""
    given_parts, pattern_parts = given.upper().split(":"), pattern.split(":")
    if len(given_parts) != len(pattern_parts):
        return False
    return all(
        g in (p.upper(), "".join(c for c in p if not c.islower()))
        for g, p in zip(given_parts, pattern_parts, strict=True)
    )


KINDS: Kinds = {"oxygen": lambda plan, now_s: OxygenTransmitter(plan.unit, now_s)}
