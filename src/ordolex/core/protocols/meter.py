"""Reading a meter by IEC 62056-21, modes A, B and C: sign-on, identification, change of rate, data readout.

Clauses are of IEC 62056-21:2002. Both ends are here; the stand-in answers with the meter's half.
"""

from __future__ import annotations

import re
from dataclasses import dataclass
from functools import reduce
from operator import xor

from ordolex.core.link.question import Verdict

SOH, STX, ETX, ACK, NAK = b"\x01", b"\x02", b"\x03", b"\x06", b"\x15"
RATES_C = {"0": 300, "1": 600, "2": 1200, "3": 2400, "4": 4800, "5": 9600, "6": 19200}
RATES_B = {"A": 600, "B": 1200, "C": 2400, "D": 4800, "E": 9600, "F": 19200}
"""6.3.14 13): the character of the identification that tells the rate; any other is mode A, which stays at 300."""
SIGN_ON_BAUD = 300


class MeterTrouble(ValueError):
    """What came is not what the standard has at this point. The message says what came and what was expected."""


def sign_on(address: str = "") -> bytes:
    """The request message (6.3.1); without an address every meter answers, so only one may be on the line."""
    if not re.fullmatch(r"[0-9A-Za-z ]{0,32}", address):
        raise MeterTrouble(f"{address!r} is no device address; up to 32 digits, letters and spaces")
    return b"/?" + address.encode() + b"!\r\n"


@dataclass(frozen=True, slots=True)
class Identification:
    """`maker` is three letters; a small third one says that it answers within 20 ms."""

    maker: str
    rate_character: str
    name: str

    @property
    def mode(self) -> str:
        return "C" if self.rate_character in RATES_C else "B" if self.rate_character in RATES_B else "A"

    @property
    def baud(self) -> int:
        return RATES_C.get(self.rate_character) or RATES_B.get(self.rate_character) or SIGN_ON_BAUD

    @property
    def text(self) -> str:
        return f"{self.maker} {self.name}, mode {self.mode}, {self.baud} baud"


_IDENTIFICATION = re.compile(rb"/([A-Z]{2}[A-Za-z])(.)(?:\\(.))?([^/!\r\n]{0,16})\r\n")


def read_identification(data: bytes) -> Identification | None:
    """The identification message (6.3.2) in what came; None while it is not whole."""
    found = _IDENTIFICATION.search(data)
    if found is None:
        return None
    maker, rate, _, name = (part.decode("latin-1") if part is not None else "" for part in found.groups())
    return Identification(maker, rate, name.strip())


def behind_identification(data: bytes) -> bytes:
    """What came behind the identification message: in mode A the data follow at once, at the same rate."""
    found = _IDENTIFICATION.search(data)
    return data[found.end() :] if found is not None else b""


class SignOnCodec:
    """The answer to a sign-on: whole with the end of the identification; in mode B the meter changes its rate then."""

    name, expected = "sign-on", "an identification message (IEC 62056-21, 6.3.2)"
    patient = reads = True
    without_check = True
    numbered = False
    answers_from = "meter"

    def whole(self, data: bytes) -> bool:
        return read_identification(data) is not None

    def answers(self, data: bytes) -> list[bytes]:
        return [data] if self.whole(data) else []

    def after_first(self, data: bytes) -> bytes:
        return behind_identification(data)

    def judge(self, data: bytes) -> Verdict:
        if self.whole(data):
            return Verdict.RIGHT
        return Verdict.ECHO if data.startswith(b"/?") and data.endswith(b"!\r\n") else Verdict.WRONG

    def refused(self, data: bytes) -> bool:
        return False

    def words(self, data: bytes) -> str:
        found = read_identification(data)
        return found.text if found is not None else "no identification"


def identify(identification: Identification) -> bytes:
    """The meter's half of it."""
    return f"/{identification.maker}{identification.rate_character}{identification.name}\r\n".encode()


def acknowledge(rate_character: str, mode: int = 0) -> bytes:
    """The option select message of mode C (6.3.3): normal procedure, the rate, and 0 for data readout."""
    if rate_character not in RATES_C or mode not in (0, 1):
        raise MeterTrouble(f"rate {rate_character!r} and mode {mode} cannot be asked for")
    return ACK + f"0{rate_character}{mode}".encode() + b"\r\n"


BREAK = SOH + b"B0" + ETX + b"q"
"""Ends programming mode; its block check is 71 hex (6.3.6, 6.5)."""


def bcc(data: bytes) -> int:
    """Exclusive or from the character after SOH or STX up to and with ETX (6.3.6, block check after ISO/IEC 1155)."""
    return reduce(xor, data, 0)


def block(text: bytes) -> bytes:
    """A data message (6.3.4): the meter's half."""
    body = text + b"!\r\n" + ETX
    return STX + body + bytes([bcc(body)])


@dataclass(frozen=True, slots=True)
class MeterValue:
    """One data set: `code` as the meter writes it, after IEC 62056-61 (OBIS) where it is such."""

    code: str
    value: str
    unit: str

    @property
    def means(self) -> str:
        """In words what the code stands for; empty for codes of the maker's own."""
        for pattern, words in _OBIS.items():
            if re.fullmatch(pattern, _without_billing(self.code)):
                return words
        return ""

    def is_for(self, code: str) -> bool:
        """Whether this is the value of a code, written in full (`1-0:16.7.0*255`) or short (`16.7.0`)."""
        mine, wanted = _without_billing(self.code), _without_billing(code)
        return (
            mine == wanted
            or (":" not in wanted and mine.partition(":")[2] == wanted)
            or (":" not in mine and wanted.partition(":")[2] == mine)
        )


def _without_billing(code: str) -> str:
    """The value group F, 255, says that a value is the present one, as does its absence (IEC 62056-61, 5.6)."""
    return code.removesuffix("*255").removesuffix("&255")


_OBIS = {
    r"(?:1-\d:)?0\.0\.0|C\.1\.0": "device address", r"F\.F|(?:\d-\d:)?97\.97\.0": "faults",
    r"(?:1-\d:)?0\.9\.1": "time", r"(?:1-\d:)?0\.9\.2": "date",
    r"(?:1-\d:)?0\.4\.2": "current transformer ratio", r"(?:1-\d:)?0\.4\.3": "voltage transformer ratio",
    r"(?:1-\d:)?1\.8\.0": "active energy, imported", r"(?:1-\d:)?1\.8\.1": "active energy, imported, tariff 1",
    r"(?:1-\d:)?1\.8\.2": "active energy, imported, tariff 2", r"(?:1-\d:)?2\.8\.0": "active energy, exported",
    r"(?:1-\d:)?3\.8\.0": "reactive energy, imported", r"(?:1-\d:)?1\.6\.0": "largest demand",
    r"(?:1-\d:)?1\.7\.0": "active power", r"(?:1-\d:)?32\.7\.0": "voltage, phase 1",
    r"(?:1-\d:)?16\.7\.0": "active power, imported less exported",
    r"(?:1-\d:)?52\.7\.0": "voltage, phase 2", r"(?:1-\d:)?72\.7\.0": "voltage, phase 3",
    r"(?:1-\d:)?31\.7\.0": "current, phase 1", r"(?:1-\d:)?51\.7\.0": "current, phase 2",
    r"(?:1-\d:)?71\.7\.0": "current, phase 3", r"(?:1-\d:)?13\.7\.0": "power factor",
    r"(?:1-\d:)?14\.7\.0": "frequency",
}  # fmt: skip
_DATA_SET = re.compile(r"([^()/!\r\n]{0,16})\(([^()*/!]{0,32})(?:\*([^()/!]{0,16}))?\)")


@dataclass(frozen=True, slots=True)
class Readout:
    values: tuple[MeterValue, ...]
    odd: tuple[str, ...]
    """Lines that hold no data set."""


def whole_block(data: bytes) -> bool:
    """Whether a data message has come to its end, block check and all."""
    start = data.find(STX)
    end = data.find(ETX, start + 1) if start >= 0 else -1
    return end >= 0 and len(data) > end + 1


def whole_plain(data: bytes) -> bool:
    """Whether a readout without block check has come to its end: in mode A a meter may send its data without."""
    return STX not in data and re.search(rb"\)\s*!\r\n", data) is not None


def read_block(data: bytes) -> Readout:
    """The data sets of a data message. Raises MeterTrouble where it is cut or its block check is wrong."""
    start = data.find(STX)
    end = data.find(ETX, start + 1) if start >= 0 else -1
    if start < 0 and whole_plain(data):
        return read_lines(data)
    if start < 0:
        raise MeterTrouble(f"no data message came, but {data[:24]!r}" if data else "no data message came")
    if end < 0 or len(data) <= end + 1:
        raise MeterTrouble(f"the data message breaks off after {len(data)} characters")
    found, wanted = data[end + 1], bcc(data[start + 1 : end + 1])
    if found != wanted:
        raise MeterTrouble(
            f"the block check is {found:02X}, it should be {wanted:02X}: the readout is not to be trusted"
        )
    return read_lines(data[start + 1 : end])


def read_lines(text: bytes) -> Readout:
    """The data sets of a readout's text, up to the exclamation mark; one without a code belongs to the one before."""
    values: list[MeterValue] = []
    odd = []
    for line in text.decode("latin-1").split("!")[0].splitlines():
        sets = _DATA_SET.findall(line)
        if line.strip() and "".join(f"{c}({v}{'*' + u if u else ''})" for c, v, u in sets) != line.strip():
            odd.append(line.strip())
        for code, value, unit in sets:
            values.append(MeterValue(code or (values[-1].code if values else ""), value, unit))
    return Readout(tuple(values), tuple(odd))
