"""The pump house bus: blower and pump drives and the lift station's PLC, on one RS-485 line, by Modbus.

Units 3 and 4 are variable-speed drives, unit 7 the PLC; what each register is stands in the shipped sheets. The PLC is
slow.
"""

from __future__ import annotations

import math
from collections.abc import Callable

from ordolex.bench.devices.base import Kinds
from ordolex.bench.devices.modbus_line import TEMPERS, ModbusLine
from ordolex.core.line.settings import LineSettings
from ordolex.core.protocols.modbus.pdu import Code
from ordolex.core.protocols.modbus.server import Refused, Unit
from ordolex.core.protocols.modbus.values import encode

__all__ = ["KINDS", "TEMPERS", "Bus"]
_SLOW_S = 0.18


class _Drive:
    """Holding 0 speed set point 0.1 Hz, 1 ramp s, 2 start, 3 unit ID, 4-5 power kW (float, low word first), 10 current
    limit 0.1 A (held only when stored by 99), 99 store; input 0 speed, 1 current, 2-3 hours (uint32)."""

    def __init__(self, number: int, name: str) -> None:
        unit = Unit(identity=("Brookmade", name, "2.03"))
        unit.holding = {0: 350, 1: 12, 2: 1, 3: number, 10: 124, 11: 0, 99: 0, 100: 0}
        unit.holding |= dict(zip((4, 5), encode(5.5, "float32", "CDAB"), strict=True))
        unit.coils = {0: True, 1: False}
        unit.discrete = {0: True, 1: False, 2: True}
        unit.may_write = self._may_write
        unit.written = self._written
        self.unit = unit
        self.slow_s = 0.0
        self._stored = dict(unit.holding)
        self._number = number

    def tick(self, now_s: float) -> None:
        speed = self.unit.holding[0] if self.unit.holding[2] else 0
        current = round(40 + speed * 0.21 + 3 * math.sin(now_s / 7 + self._number))
        hours = 18_204 + round(now_s) // 3600
        self.unit.input = {0: max(0, speed + round(2 * math.sin(now_s / 3))), 1: current}
        self.unit.input |= dict(zip((2, 3), encode(hours, "uint32", "CDAB"), strict=True))

    @staticmethod
    def _may_write(address: int, value: int) -> None:
        limits = {0: (0, 500), 1: (1, 120), 2: (0, 1), 3: (1, 247), 10: (20, 180), 11: (0, 3)}
        low, high = limits.get(address, (0, 0xFFFF))
        if not low <= value <= high:
            raise Refused(Code.ILLEGAL_VALUE)
        if address in (4, 5):
            raise Refused(Code.ILLEGAL_ADDRESS)

    def _written(self, address: int, value: int) -> None:
        if address == 99 and value == 1:
            self._stored = {**self.unit.holding, 99: 0, 100: 0}
        if address == 100 and value == 1:
            self.unit.holding = dict(self._stored)
        self.unit.holding[99] = self.unit.holding[100] = 0


class _Plc:
    """Holding 0 pump start level mm, 1 pump stop level mm, 2-3 pumped volume m³ (float, high word first), 20-27 name;
    input 0 level mm, 1 starts; coil 0 pump released, 1 siren."""

    def __init__(self, number: int) -> None:
        unit = Unit(identity=("Brookmade", "LS-2", "1.9"))
        unit.holding = {0: 900, 1: 350}
        unit.holding |= dict(zip((2, 3), encode(1834.25, "float32"), strict=True))
        unit.holding |= dict(zip(range(20, 28), encode("LIFT STATION", "string", length=8), strict=True))
        unit.coils = {0: True, 1: False}
        unit.discrete = {0: False, 1: True}
        unit.may_write = self._may_write
        self.unit = unit
        self.slow_s = _SLOW_S

    def tick(self, now_s: float) -> None:
        self.unit.input = {0: round(620 + 240 * math.sin(now_s / 41)), 1: 118 + round(now_s / 258)}

    def _may_write(self, address: int, value: int) -> None:
        if address == 0 and not self.unit.holding[1] < value <= 1500:
            raise Refused(Code.ILLEGAL_VALUE)
        if address == 1 and not 100 <= value < self.unit.holding[0]:
            raise Refused(Code.ILLEGAL_VALUE)


_DRIVES = {3: "VD-3 blower", 4: "VD-3 pump"}
_MAKE: dict[int, Callable[[int], _Drive | _Plc]] = {7: _Plc}


class Bus(ModbusLine):
    def __init__(self, line: LineSettings, units: list[int], mode: str) -> None:
        devices = [(n, _MAKE[n](n) if n in _MAKE else _Drive(n, _DRIVES.get(n, f"VD-3 drive {n}"))) for n in units]
        super().__init__(line, devices, mode)


KINDS: Kinds = {
    "bus": lambda plan, now_s: Bus(plan.settings, plan.units, "rtu"),
    "bus-ascii": lambda plan, now_s: Bus(plan.settings, plan.units, "ascii"),
    "bus-tcp": lambda plan, now_s: Bus(plan.settings, plan.units, "tcp"),
}
