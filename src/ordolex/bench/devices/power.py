"""Panel power meters behind instrument transformers, two on one RS-485 line, by Modbus RTU.

They measure on the secondary side; their front panel multiplies by the ratios that are set. They log by themselves what
was chosen, and begin the log anew when that changes. The last of several takes a write only once its code was written;
what each register is stands in the shipped sheet.
"""

from __future__ import annotations

import calendar
import math

from ordolex.bench.devices.base import Kinds
from ordolex.bench.devices.modbus_line import TEMPERS, ModbusLine
from ordolex.core.line.settings import LineSettings
from ordolex.core.protocols.modbus.pdu import Code
from ordolex.core.protocols.modbus.server import Refused, Unit
from ordolex.core.protocols.modbus.values import encode

__all__ = ["CODE", "KINDS", "TEMPERS", "PanelMeters"]
CODE = 2217
"""Made up, and in the bench's document."""
_BEGAN = calendar.timegm((2026, 5, 4, 6, 0, 0))
_SLOTS, _ENTRIES, _MOST_ENTRIES, _FIRST_ENTRY, _ENTRY = 8, 900, 60, 1000, 18
_OLDER = 12
"""Rows that a log holds when the meter comes."""


class _PanelMeter:
    def __init__(self, number: int, *, locked: bool) -> None:
        unit = Unit(identity=("Brookmade", "PM-8", "1.07"))
        unit.holding = {0: number, 1: 150, 2: 5, 5: 110, 6: int(not locked), 20: 900}
        unit.holding |= _at(3, encode(11_000, "uint32", "CDAB"))
        unit.holding |= dict(zip(range(21, 21 + _SLOTS), (1, 2, 3, 4, 0, 0, 0, 0), strict=True))
        unit.may_write, unit.written = self._may_write, self._written
        self.unit, self.slow_s = unit, 0.02
        self._locked = locked
        self._now_s = 0.0
        self._log_from_s: float | None = None

    # ---- what it measures

    def quantities(self, now_s: float) -> tuple[float, ...]:
        """0, then volts of three phases, amperes of three, watts, hertz, watt-hours: secondary side."""
        sway = math.sin(now_s / 37)
        volts = [63.5 * (1 + 0.002 * sway + 0.001 * n) for n in range(3)]
        amperes = [2.14 * (1 + 0.004 * sway - 0.002 * n) for n in range(3)]
        watts = 0.94 * sum(v * a for v, a in zip(volts, amperes, strict=True))
        return (0.0, *volts, *amperes, watts, 50 + 0.01 * sway, 4_812_400 + watts * now_s / 3600)

    def panel(self, now_s: float) -> str:
        """What its front panel shows."""
        held, all_of = self.unit.holding, self.quantities(now_s)
        current = held[1] / held[2]
        voltage = (held[3] | held[4] << 16) / held[5]
        return (
            f"L1 {all_of[1] * voltage:.0f} V  {all_of[4] * current:.1f} A  "
            f"{all_of[7] * voltage * current / 1000:.1f} kW  {all_of[9] * voltage * current / 1e6:.1f} MWh"
        )

    def tick(self, now_s: float) -> None:
        self._now_s = now_s
        if self._log_from_s is None:
            self._log_from_s = now_s - _OLDER * self.unit.holding[20]
        all_of = self.quantities(now_s)
        table: dict[int, int] = {}
        for n in range(3):
            table |= _at(2 * n, encode(all_of[1 + n], "float32"))
            table |= _at(10 + 2 * n, encode(all_of[4 + n], "float32", "CDAB"))
        table |= _at(20, encode(all_of[7], "float32"))
        table[22] = round(all_of[8] * 100)
        table |= _at(30, encode(round(all_of[9] / 1000), "uint32"))
        table |= _at(32, encode(round(all_of[9]), "uint64", "CDAB"))
        table |= _at(36, encode(all_of[9] / 1000, "float64"))
        self.unit.input = table | self._log(now_s)

    def _log(self, now_s: float) -> dict[int, int]:
        """How many rows, then each: its time and eight values."""
        every, from_s = self.unit.holding[20], self._log_from_s or 0.0
        count = max(0, math.floor((now_s - from_s) / every))
        first = max(0, count - _MOST_ENTRIES)
        out = {_ENTRIES: count - first}
        chosen = [self.unit.holding[21 + n] for n in range(_SLOTS)]
        for row, number in enumerate(range(first, count)):
            at_s = from_s + (number + 1) * every
            all_of = self.quantities(at_s)
            at = _FIRST_ENTRY + row * _ENTRY
            out |= _at(at, encode(_BEGAN + round(at_s), "uint32"))
            for n, quantity in enumerate(chosen):
                out |= _at(at + 2 + 2 * n, encode(all_of[quantity], "float32"))
        return out

    # ---- what is set

    def _may_write(self, address: int, value: int) -> None:
        if address == 6:
            if value not in (0, CODE):
                raise Refused(Code.ILLEGAL_VALUE)
            return
        if self._locked and not self.unit.holding[6]:
            raise Refused(Code.DEVICE_FAILURE)
        low, high = {0: (1, 247), 1: (1, 6000), 5: (100, 400), 20: (1, 3600)}.get(address, (0, 0xFFFF))
        if 21 <= address < 21 + _SLOTS:
            high = 9
        if not low <= value <= high or (address == 2 and value not in (1, 5)):
            raise Refused(Code.ILLEGAL_VALUE)

    def _written(self, address: int, value: int) -> None:
        if address == 6:
            self.unit.holding[6] = int(value == CODE or not self._locked)  # it says only whether it is open
        elif address >= 20:
            self._log_from_s = self._now_s


def _at(first: int, registers: tuple[int, ...]) -> dict[int, int]:
    return dict(zip(range(first, first + len(registers)), registers, strict=True))


class PanelMeters(ModbusLine):
    def __init__(self, line: LineSettings, units: list[int]) -> None:
        self._meters = [(n, _PanelMeter(n, locked=len(units) > 1 and n == units[-1])) for n in units]
        super().__init__(line, self._meters, "rtu")

    def panel(self, now_s: float) -> str:
        """What the front panels show."""
        return "; ".join(f"unit {number}: {meter.panel(now_s)}" for number, meter in self._meters)


KINDS: Kinds = {"panel-meters": lambda plan, now_s: PanelMeters(plan.settings, plan.units)}
