"""Cables and adapters as data: faces, pin maps, and for those with electronics what they carry over.

A passive part only joins pins. An active one (converter, level shifter, USB adapter) has an end of its own on each
side; what one end hears the other sends.
"""

from __future__ import annotations

from collections.abc import Iterable, Mapping
from dataclasses import dataclass, replace

from ordolex.core.wiring.connectors import ENDS, PINS, End, Face, Gender

Joint = tuple[str, str]
"""Two pins that a wire joins, each written as side and pin: `a3`, `b2`."""


class PartError(ValueError):
    """A part that cannot be; the message names it and says what would be right."""


@dataclass(frozen=True, slots=True)
class Part:
    """faces     its two sides, `a` and `b`
    wires     what it joins, a passive part's whole nature
    inside    an active part's ends at `a` and `b`, else None
    cost      what the technician pays for it, in any one currency; it breaks ties between chains of equal length
    """

    name: str
    faces: tuple[Face, Face]
    wires: tuple[Joint, ...] = ()
    inside: tuple[End, End] | None = None
    cost: float = 1.0

    def __post_init__(self) -> None:
        for wire in self.wires:
            for place in wire:
                side, pin = place[:1], place[1:]
                if side not in ("a", "b"):
                    raise PartError(f"part {self.name!r}: {place!r} names no side; write a3-b2")
                connector = self.faces[side == "b"].connector
                if pin not in PINS[connector]:
                    raise PartError(f"part {self.name!r}: a {connector} has no pin {pin!r}")
            if wire[0] == wire[1]:
                raise PartError(f"part {self.name!r}: {wire[0]} is joined to itself")

    def turned(self) -> Part:
        """The same part the other way round."""
        swap = {"a": "b", "b": "a"}
        wires = tuple((swap[x[0]] + x[1:], swap[y[0]] + y[1:]) for x, y in self.wires)
        inside = None if self.inside is None else (self.inside[1], self.inside[0])
        return replace(self, faces=(self.faces[1], self.faces[0]), wires=wires, inside=inside)

    @property
    def text(self) -> str:
        return f"{self.name} ({self.faces[0].text}, {self.faces[1].text})"


def wires(text: str) -> tuple[Joint, ...]:
    """Pin maps as a person writes them: `2-3 3-2 5-5` joins a2 with b3; `a7-a8` is a bridge at one side."""
    joints: list[Joint] = []
    for word in text.replace(",", " ").split():
        left, dash, right = word.partition("-")
        if not dash or not left or not right:
            raise PartError(f"{word!r} is no wire; write 2-3, or a7-a8 for a bridge at one side")
        joints.append((left if left[0] in "ab" else f"a{left}", right if right[0] in "ab" else f"b{right}"))
    return tuple(joints)


def straight(pins: Iterable[str | int]) -> tuple[Joint, ...]:
    return tuple((f"a{pin}", f"b{pin}") for pin in pins)


_NINE_TO_25 = wires("1-8 2-3 3-2 4-20 5-7 6-6 7-4 8-5 9-22")
_NULL_FULL = wires("2-3 3-2 5-5 7-8 8-7 4-6 6-4 1-4 4-1")
_NULL_BRIDGED = wires("2-3 3-2 5-5 a7-a8 b7-b8 a4-a6 a4-a1 b4-b6 b4-b1")
_NULL_BARE = wires("2-3 3-2 5-5")
_DE9_TO_8P8C = wires("9-1 1-2 4-3 5-4 2-5 3-6 8-7 7-8")
_NULL_25 = wires("2-3 3-2 7-7 4-5 5-4 20-6 6-20 8-20 20-8")


def _active(name: str, a: End, b: End, cost: float, face_a: Face | None = None, face_b: Face | None = None) -> Part:
    return Part(name, (face_a or a.face, face_b or b.face), inside=(a, b), cost=cost)


def _catalogue() -> dict[str, Part]:
    plug, socket = Gender.PLUG, Gender.SOCKET
    de9p, de9s = Face("DE-9", plug), Face("DE-9", socket)
    db25p, db25s = Face("DB-25", plug), Face("DB-25", socket)
    mod_p, mod_s = Face("8P8C", plug), Face("8P8C", socket)
    nine, all25 = straight(range(1, 10)), straight(range(1, 26))
    eight = straight(range(1, 9))
    wires3, wires2, wires5 = Face("3-way block", plug), Face("2-way block", plug), Face("5-way block", plug)
    usb = Face("USB-A", plug)
    dce, dte = ENDS["dce-de9"], ENDS["dte-de9"]
    host = replace(ENDS["usb"], name="usb device")
    pins, leads = Face("logic header", plug), Face("logic header", socket)
    parts = [
        Part("straight cable DE-9", (de9s, de9p), nine, cost=4),
        Part("null modem cable DE-9, full handshake", (de9s, de9s), _NULL_FULL, cost=6),
        Part("null modem cable DE-9, handshake bridged", (de9s, de9s), _NULL_BRIDGED, cost=5),
        Part("null modem cable DE-9, three wires", (de9s, de9s), _NULL_BARE, cost=3),
        Part("null modem adapter DE-9", (de9s, de9p), _NULL_FULL, cost=5),
        Part("gender changer DE-9, sockets", (de9s, de9s), nine, cost=3),
        Part("gender changer DE-9, plugs", (de9p, de9p), nine, cost=3),
        Part("adapter DE-9 socket to DB-25 plug", (de9s, db25p), _NINE_TO_25, cost=4),
        Part("adapter DE-9 plug to DB-25 socket", (de9p, db25s), _NINE_TO_25, cost=4),
        Part("adapter DE-9 socket to DB-25 socket", (de9s, db25s), _NINE_TO_25, cost=4),
        Part("straight cable DB-25", (db25s, db25p), all25, cost=8),
        Part("null modem adapter DB-25", (db25s, db25p), _NULL_25, cost=7),
        Part("gender changer DB-25, sockets", (db25s, db25s), all25, cost=4),
        Part("gender changer DB-25, plugs", (db25p, db25p), all25, cost=4),
        Part("modular adapter DE-9 socket to 8P8C", (de9s, mod_s), _DE9_TO_8P8C, cost=4),
        Part("modular adapter DE-9 plug to 8P8C", (de9p, mod_s), _DE9_TO_8P8C, cost=4),
        Part("patch cable 8P8C, straight", (mod_p, mod_p), eight, cost=2),
        Part("rolled cable 8P8C", (mod_p, mod_p), wires("1-8 2-7 3-6 4-5 5-4 6-3 7-2 8-1"), cost=3),
        Part("8P8C plug to three loose wires, bus", (mod_p, wires3), wires("4-1 5-2 8-3"), cost=3),
        Part("DE-9 socket to three loose wires", (de9s, wires3), wires("2-1 3-2 5-3"), cost=3),
        Part("mini-DIN-8 cable to DE-9 socket", (Face("mini-DIN-8", plug), de9s), wires("3-2 5-3 4-5 1-8 2-7"), cost=9),
        Part("three wires", (wires3, wires3), straight((1, 2, 3)), cost=1),
        Part("pair of wires, 3-way to 2-way block", (wires3, wires2), straight((1, 2)), cost=1),
        Part("five wires, crossed pairs", (wires5, wires5), wires("1-3 2-4 3-1 4-2 5-5"), cost=2),
        Part("jumper leads, crossed", (leads, leads), wires("1-1 3-4 4-3"), cost=1),
        _active("USB adapter, RS-232", host, dte, 12, usb),
        _active("USB adapter, RS-485", host, ENDS["rs485-block3"], 15, usb),
        _active("USB adapter, logic 3.3 V", host, ENDS["logic33"], 9, usb, pins),
        _active("USB adapter, logic 5 V", host, ENDS["logic5"], 9, usb, pins),
        _active("converter RS-232 to RS-485", dce, ENDS["rs485-block3"], 25, de9s),
        _active("converter RS-232 to RS-422", dce, ENDS["rs422-block5"], 25, de9s),
        _active("converter RS-232 to fibre", dce, ENDS["fibre"], 60, de9s),
        _active("converter RS-485 to fibre", ENDS["rs485-block3"], ENDS["fibre"], 60),
        Part("fibre lead, two strands, crossed", (Face("fibre pair", plug), Face("fibre pair", plug)), wires("1-2 2-1"),
             cost=10),
        _active("level shifter RS-232 to logic 3.3 V", dce, ENDS["logic33"], 8, de9s, pins),
        _active("level shifter RS-232 to logic 5 V", dce, ENDS["logic5"], 8, de9s, pins),
    ]  # fmt: skip
    return {part.name: part for part in parts}


CATALOGUE: Mapping[str, Part] = _catalogue()
"""All parts that the program knows; a bag names those at hand, and what is missing is bought from here."""

USUAL_BAG = (
    "USB adapter, RS-232",
    "USB adapter, RS-485",
    "straight cable DE-9",
    "null modem adapter DE-9",
    "gender changer DE-9, sockets",
    "gender changer DE-9, plugs",
    "adapter DE-9 socket to DB-25 plug",
    "modular adapter DE-9 socket to 8P8C",
    "patch cable 8P8C, straight",
    "DE-9 socket to three loose wires",
    "three wires",
    "pair of wires, 3-way to 2-way block",
    "five wires, crossed pairs",
    "jumper leads, crossed",
    "converter RS-232 to RS-485",
)
"""The bag where no file names another."""
