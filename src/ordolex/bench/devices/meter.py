"""The electricity meter of the pump house: sign-on at 300 baud, then the readout at the rate that both agree on.

IEC 62056-21, mode C. Where the option select message does not come in time, it reads out at 300 baud. Programming mode
is refused with a break message.
"""

from __future__ import annotations

import math
import re

from ordolex.bench.devices.base import Kinds, Say
from ordolex.core.line.settings import LineSettings
from ordolex.core.protocols import meter
from ordolex.core.uart.receiver import Character

ADDRESS = "00317"
_IDENTITY = meter.Identification("BRK", "5", "EM-3 v2.1")
_ANSWER_S, _OPTION_S, _READOUT_S = 0.25, 2.2, 0.3
TEMPERS = ("wrong-check", "truncated", "refuse")


class Meter:
    def __init__(self, line: LineSettings, start_s: float) -> None:
        self._home = line
        self.line = line
        self._heard = bytearray()
        self._start_s = start_s
        self._option_until_s: float | None = None
        self._readout_at_s: float | None = None
        self._home_at_s: float | None = None
        self._refused = False
        self._last = b""
        self.temper = ""

    def receive(self, characters: list[Character], now_s: float) -> list[Say]:
        self._heard = (self._heard + bytes(c.byte for c in characters if not c.faulty))[-80:]
        text = bytes(self._heard)
        found = re.search(rb"/\?([0-9A-Za-z ]*)!\r\n", text)
        if found is not None:
            self._heard.clear()
            if found[1].decode().lstrip("0") not in ("", ADDRESS.lstrip("0")):
                return []
            self._option_until_s = now_s + _OPTION_S
            return [Say(now_s + _ANSWER_S, meter.identify(_IDENTITY))]
        if text.endswith(meter.NAK) and self._last and self._home_at_s is not None:
            self._heard.clear()
            self._home_at_s = now_s + self.line.seconds_for(len(self._last)) + 0.5 + _READOUT_S
            return [Say(now_s + _READOUT_S, self._last)]
        option = re.search(rb"\x060([0-6])([0-9])\r\n", text)
        if option is not None and self._option_until_s is not None:
            self._heard.clear()
            self._option_until_s = None
            self._refused = option[2] != b"0" or self.temper == "refuse"
            self.line = self._home.changed(baud=meter.RATES_C[option[1].decode()])
            self._readout_at_s = now_s + _READOUT_S
        return []

    def tick(self, now_s: float) -> list[Say]:
        if self._option_until_s is not None and now_s >= self._option_until_s:
            self._option_until_s = None
            self._readout_at_s = now_s
        if self._readout_at_s is not None and now_s >= self._readout_at_s:
            self._readout_at_s = None
            data = meter.BREAK if self._refused else meter.block(self._lines(now_s))
            self._refused = False
            if self.temper == "wrong-check":
                data = data[:-1] + bytes([data[-1] ^ 0x01])
            elif self.temper == "truncated":
                data = data[:-9]
            self._home_at_s = now_s + self.line.seconds_for(len(data)) + 0.5
            self._last = data
            return [Say(now_s, data)]
        if self._home_at_s is not None and now_s >= self._home_at_s:
            self._home_at_s = None
            self.line = self._home
        return []

    def next_deadline(self) -> float | None:
        times = [self._option_until_s, self._readout_at_s, self._home_at_s]
        return min((time for time in times if time is not None), default=None)

    def relined(self, now_s: float) -> None:
        """The station has followed to the rate."""

    def _lines(self, now_s: float) -> bytes:
        passed = now_s - self._start_s
        power = 4.82 + 0.4 * math.sin(passed / 30)
        rows = [
            f"0.0.0({ADDRESS})", "F.F(00)", "0.9.1(10:42:07)", "0.9.2(26-11-23)", "0.4.2(60)", "0.4.3(1)",
            f"1.8.0({18214.62 + passed * power / 3600:010.2f}*kWh)", "1.8.1(0012004.10*kWh)", "1.8.2(0006210.52*kWh)",
            f"1.7.0({power:06.2f}*kW)", "32.7.0(231.4*V)", "52.7.0(230.9*V)", "72.7.0(232.2*V)", "31.7.0(000.118*A)",
            "13.7.0(0.91)", "14.7.0(50.0*Hz)",
        ]  # fmt: skip
        return "".join(f"{row}\r\n" for row in rows).encode()


KINDS: Kinds = {"meter": lambda plan, now_s: Meter(plan.settings, now_s)}
