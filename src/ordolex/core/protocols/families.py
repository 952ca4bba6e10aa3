"""What the program knows of each protocol that a sheet may name, in one record: whoever needs to know asks it here.

A new protocol is its codec in this folder, a record here, its device in io/device, its sheet and its stand-in.
"""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import dataclass

from ordolex.core.link.question import Question
from ordolex.core.protocols import in_words
from ordolex.core.protocols.codecs import AtCodec, ModbusCodec
from ordolex.core.protocols.modbus.frames import Ascii, Framing, Rtu

_READ_HOLDING = 3  # Modbus application protocol V1.1b3, 6.3
_SIGN_ON_LIKE = r"(?s).*/[A-Z]{2}[A-Za-z][0-9].{0,30}"
_SIGN_ON_MEANS = "an identification (IEC 62056-21, 6.3.2)"


def _nothing(units: Sequence[int]) -> list[Question]:
    return []


@dataclass(frozen=True, slots=True)
class Family:
    """name       the word of a sheet's `speaks`
    words      for people
    read_by    the keys of a sheet's parameter, one of which says how it is read
    addressed  several devices stand on one line, each with an address
    to_all     address 0 is all of them, and none answers
    framed     it is asked in frames: Set asks it, nobody types them
    framing    of Modbus: rtu, ascii or tcp
    dials      it takes AT commands, and can be in a call
    in_words   (question, answer) → sentences on what the answer means
    harmless   units → questions that change nothing, for who does not know the device
    """

    name: str
    words: str
    read_by: tuple[str, ...] = ("read", "hear")
    addressed: bool = False
    to_all: bool = False
    framed: bool = False
    framing: str = ""
    dials: bool = False
    in_words: Callable[[bytes, bytes], list[str]] = in_words.of_instrument
    harmless: Callable[[Sequence[int]], list[Question]] = _nothing


def _register(framing: Framing, unit: int) -> Question:
    codec = ModbusCodec(framing, unit, bytes([_READ_HOLDING, 0, 0, 0, 1]), "register 0")
    return Question(codec.sent, codec=codec)


def _modbus(framing: str, words: str, harmless: Framing | None) -> Family:
    def registers(units: Sequence[int]) -> list[Question]:
        return [_register(harmless, unit) for unit in units] if harmless is not None else []

    return Family(
        f"modbus-{framing}", words, ("modbus",), addressed=True, to_all=framing != "tcp", framed=True, framing=framing,
        harmless=registers,
    )  # fmt: skip


_ALL = (
    Family("text", "text"),
    _modbus("rtu", "Modbus RTU", Rtu()),
    _modbus("ascii", "Modbus ASCII", Ascii()),
    _modbus("tcp", "Modbus/TCP", None),
    Family("at", "AT commands", dials=True, in_words=in_words.of_modem,
           harmless=lambda units: [Question(b"AT\r", codec=AtCodec(b"AT\r"))]),
    Family("meter", "meter with sign-on (IEC 62056-21)", ("code",), framed=True,
           harmless=lambda units: [Question(b"/?!\r\n", like=_SIGN_ON_LIKE, means=_SIGN_ON_MEANS, harmless=True)]),
    Family("framed", "frames of its own", ("payload",), addressed=True, framed=True),
)  # fmt: skip
FAMILIES = {family.name: family for family in _ALL}
"""By name, as a sheet's `speaks` has it."""
