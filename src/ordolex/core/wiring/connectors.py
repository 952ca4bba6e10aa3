"""Connectors, and the ends of devices: which pin carries which circuit, in which direction, at which level.

Pin numbers and circuits after TIA-574 (DE-9), TIA-232-F (DB-25), TIA-561 (8P8C), and for RS-485 on 8P8C the Modbus
serial line specification V1.02, section 3.5. Circuit numbers after ITU-T V.24.
"""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass
from enum import StrEnum


class Gender(StrEnum):
    """A terminal block is a socket, the loose wires that go into it are a plug."""

    PLUG = "plug"
    SOCKET = "socket"

    @property
    def mate(self) -> Gender:
        return Gender.SOCKET if self is Gender.PLUG else Gender.PLUG


class Level(StrEnum):
    RS232 = "RS-232"
    LOGIC5 = "logic 5 V"
    LOGIC33 = "logic 3.3 V"
    RS485 = "RS-485"
    RS422 = "RS-422"
    USB = "USB"
    LIGHT = "light"


class Way(StrEnum):
    """Seen from the device that has the pin."""

    OUT = "out"
    IN = "in"
    BOTH = "both"
    GROUND = "ground"


PINS: Mapping[str, tuple[str, ...]] = {
    "DE-9": tuple(map(str, range(1, 10))),
    "DB-25": tuple(map(str, range(1, 26))),
    "8P8C": tuple(map(str, range(1, 9))),
    "mini-DIN-8": tuple(map(str, range(1, 9))),
    "2-way block": ("1", "2"),
    "3-way block": ("1", "2", "3"),
    "5-way block": ("1", "2", "3", "4", "5"),
    "logic header": ("1", "2", "3", "4"),
    "USB-A": ("1", "2", "3", "4"),
    "fibre pair": ("1", "2"),
}
"""Every connector and its pins."""

CIRCUITS: Mapping[str, int] = {
    "GND": 102, "TXD": 103, "RXD": 104, "RTS": 105, "CTS": 106, "DSR": 107, "DTR": 108, "DCD": 109, "RI": 125,
}  # fmt: skip
"""ITU-T V.24 circuit numbers of the names that TIA-232-F circuits are called by."""


@dataclass(frozen=True, slots=True)
class Face:
    """One side of a cable, adapter or device: a connector of a gender."""

    connector: str
    gender: Gender

    def mates(self, other: Face) -> bool:
        return self.connector == other.connector and self.gender is other.gender.mate

    @property
    def text(self) -> str:
        return f"{self.connector} {self.gender.value}"


@dataclass(frozen=True, slots=True)
class Pin:
    signal: str
    way: Way


@dataclass(frozen=True, slots=True)
class End:
    """A device's port. `pins` are those that carry something; the groups name the pins that carry data and handshake.

    A group is one pin, or the two of a pair, the positive one first. `sends` and `hears` are the same group on a bus.
    """

    name: str
    face: Face
    level: Level
    pins: Mapping[str, Pin]
    sends: tuple[str, ...]
    hears: tuple[str, ...]
    ground: str | None
    asks: Mapping[str, str]
    """Handshake outputs: `ready to receive` and `equipment ready` → pin."""
    obeys: Mapping[str, str]
    """Handshake inputs, by the same names."""

    def signal(self, pin: str) -> str:
        return self.pins[pin].signal if pin in self.pins else ""


RECEIVE, READY = "ready to receive", "equipment ready"

_DE9 = {"1": "DCD", "2": "RXD", "3": "TXD", "4": "DTR", "5": "GND", "6": "DSR", "7": "RTS", "8": "CTS", "9": "RI"}
_DB25 = {"2": "TXD", "3": "RXD", "4": "RTS", "5": "CTS", "6": "DSR", "7": "GND", "8": "DCD", "20": "DTR", "22": "RI"}
_8P8C = {"1": "RI", "2": "DCD", "3": "DTR", "4": "GND", "5": "RXD", "6": "TXD", "7": "CTS", "8": "RTS"}
_DTE_SENDS = frozenset({"TXD", "RTS", "DTR"})


def _rs232(name: str, face: Face, layout: Mapping[str, str], *, dce: bool) -> End:
    """An RS-232 end. The names of the circuits are the DTE's on both sides; a DCE sends on RXD and hears on TXD."""
    pin_of = {signal: pin for pin, signal in layout.items()}

    def way(signal: str) -> Way:
        if signal == "GND":
            return Way.GROUND
        return Way.OUT if (signal in _DTE_SENDS) != dce else Way.IN

    out, back = ("RXD", "TXD") if dce else ("TXD", "RXD")
    asks = {RECEIVE: "CTS", READY: "DSR"} if dce else {RECEIVE: "RTS", READY: "DTR"}
    obeys = {RECEIVE: "RTS", READY: "DTR"} if dce else {RECEIVE: "CTS", READY: "DSR"}
    return End(
        name,
        face,
        Level.RS232,
        {pin: Pin(signal, way(signal)) for pin, signal in layout.items()},
        (pin_of[out],),
        (pin_of[back],),
        pin_of["GND"],
        {what: pin_of[signal] for what, signal in asks.items() if signal in pin_of},
        {what: pin_of[signal] for what, signal in obeys.items() if signal in pin_of},
    )


def _logic(name: str, level: Level) -> End:
    pins = {"1": Pin("GND", Way.GROUND), "3": Pin("TXD", Way.OUT), "4": Pin("RXD", Way.IN)}
    return End(name, Face("logic header", Gender.PLUG), level, pins, ("3",), ("4",), "1", {}, {})


def _bus(name: str, face: Face, plus: str, minus: str, ground: str | None) -> End:
    """RS-485 after TIA-485-A: B is the positive line when idle. Makers label both ways round; see the bus check."""
    pins = {plus: Pin("B (+)", Way.BOTH), minus: Pin("A (-)", Way.BOTH)}
    if ground is not None:
        pins[ground] = Pin("GND", Way.GROUND)
    return End(name, face, Level.RS485, pins, (plus, minus), (plus, minus), ground, {}, {})


def _ends() -> dict[str, End]:
    plug, socket = Gender.PLUG, Gender.SOCKET
    rs422 = {"1": Pin("TX+", Way.OUT), "2": Pin("TX-", Way.OUT), "3": Pin("RX+", Way.IN), "4": Pin("RX-", Way.IN),
             "5": Pin("GND", Way.GROUND)}  # fmt: skip
    usb = {"2": Pin("D-", Way.BOTH), "3": Pin("D+", Way.BOTH), "4": Pin("GND", Way.GROUND)}
    over_usb = {RECEIVE: "3", READY: "3"}  # handshake travels as data there
    ends = [
        End("usb", Face("USB-A", socket), Level.USB, usb, ("3", "2"), ("3", "2"), "4", over_usb, over_usb),
        _rs232("dte-de9", Face("DE-9", plug), _DE9, dce=False),
        _rs232("dte-de9-socket", Face("DE-9", socket), _DE9, dce=False),
        _rs232("dce-de9", Face("DE-9", socket), _DE9, dce=True),
        _rs232("dce-de9-plug", Face("DE-9", plug), _DE9, dce=True),
        _rs232("dte-db25", Face("DB-25", plug), _DB25, dce=False),
        _rs232("dce-db25", Face("DB-25", socket), _DB25, dce=True),
        _rs232("dte-8p8c", Face("8P8C", socket), _8P8C, dce=False),
        _rs232("dce-8p8c", Face("8P8C", socket), _8P8C, dce=True),
        _rs232("dte-minidin8", Face("mini-DIN-8", socket), {"3": "TXD", "5": "RXD", "4": "GND", "1": "RTS", "2": "CTS"},
               dce=False),
        _rs232("dte-block3", Face("3-way block", socket), {"1": "TXD", "2": "RXD", "3": "GND"}, dce=False),
        _logic("logic5", Level.LOGIC5),
        _logic("logic33", Level.LOGIC33),
        _bus("rs485-block2", Face("2-way block", socket), "1", "2", None),
        _bus("rs485-block3", Face("3-way block", socket), "1", "2", "3"),
        _bus("rs485-8p8c", Face("8P8C", socket), "4", "5", "8"),
        End("rs422-block5", Face("5-way block", socket), Level.RS422, rs422, ("1", "2"), ("3", "4"), "5", {}, {}),
        End("fibre", Face("fibre pair", socket), Level.LIGHT, {"1": Pin("TX", Way.OUT), "2": Pin("RX", Way.IN)},
            ("1",), ("2",), None, {}, {}),
    ]  # fmt: skip
    return {end.name: end for end in ends}


ENDS: Mapping[str, End] = _ends()
"""The ends that can be named: role, connector, and gender where it is not the usual one."""
