"""What passes on a line, in words: requests and answers of Modbus, frames between STX and ETX, what a meter says.

Nothing has to be known of the device: a frame is told by its own check. What is no whole frame stays as it is.
"""

from __future__ import annotations

import re

from ordolex.core.protocols.codecs import ModbusCodec
from ordolex.core.protocols.meter import MeterValue, bcc, read_identification
from ordolex.core.protocols.modbus.address import READ_BY, Place
from ordolex.core.protocols.modbus.crc import crc16, frames_in
from ordolex.core.protocols.modbus.frames import FRAMINGS, lrc
from ordolex.core.protocols.modbus.pdu import ModbusError, read_reply, reply_length, request_length

_LONGEST = 600
"""Bytes that are held for an answer to become whole; more than any frame has."""
_TABLE_OF = {function: table for table, function in READ_BY.items()}
_FUNCTIONS = frozenset((*range(1, 9), 11, 12, 15, 16, 17, 20, 21, 22, 23, 24, 43))
_METER_LINE = re.compile(rb"[\x02]?([^()/!\r\n\x02\x03]{1,16})\(([^()*/!]{0,32})(?:\*([^()/!]{0,16}))?\)\s*")
_SIGN_ON = re.compile(rb"/\?([0-9A-Za-z]{0,32})!\r\n")
_OPTION = re.compile(rb"\x06([0-2])([0-9A-I])([0-2])\r\n")
_TELLING = b"/\x06\x02"
_METER_DATA = re.compile(rb"^[\x02]?[0-9FCLP.*:&-]{3,16}\([^()\r\n]{0,40}\)", re.MULTILINE)
_METER_BAUD = {b"0": 300, b"1": 600, b"2": 1200, b"3": 2400, b"4": 4800, b"5": 9600, b"6": 19200}


class Passing:
    """One link, both directions, in order. `sent` and `heard` are told what passed; `holding` are bytes of an answer
    that is not whole yet."""

    def __init__(self) -> None:
        self._codec: ModbusCodec | None = None
        self.holding = bytearray()

    @property
    def waits(self) -> bool:
        """Whether an answer is due whose frame is known."""
        return self._codec is not None

    def sent(self, data: bytes) -> str:
        """What a request asks, in words; empty for what is none."""
        found = _request(data)
        if found is None:
            self._codec = None
            return words_of(data)
        framing, unit, pdu = found
        self._codec = ModbusCodec(FRAMINGS[framing](), unit, pdu, "")
        self._codec.sent = data  # of Modbus TCP it has a number of its own
        return f"unit {unit}: {request_words(pdu)}"

    def heard(self, data: bytes) -> tuple[bytes, str, bytes] | None:
        """The answer that was due, what it says, and what stands behind it; None while more of it is to come. Where it
        is none, all that was held stands behind, for somebody else."""
        assert self._codec is not None, "nothing is due"
        self.holding += data
        held = bytes(self.holding)
        codec = self._codec
        reply, _ = codec.reply(held)
        if reply is None:
            if len(held) < _LONGEST and _begins_an_answer(held, codec):
                return None
            return b"", "", self.give_up()
        rest = codec.after_first(held)
        self.holding.clear()
        self._codec = None
        unit = codec.name.removesuffix(": ")
        return held[: len(held) - len(rest)], f"{unit}: {reply.said}", rest

    @staticmethod
    def words_of(data: bytes) -> str:
        """What a line, or a frame that nobody here asked for, says in words."""
        return words_of(data)

    @staticmethod
    def frames_of(data: bytes) -> list[bytes]:
        return frames_of(data)

    @staticmethod
    def has_lines_with_words(data: bytes) -> bool:
        return has_meter_lines(data)

    def give_up(self) -> bytes:
        """No more of it comes: the bytes that were held."""
        held = bytes(self.holding)
        self.holding.clear()
        self._codec = None
        return held


def _begins_an_answer(held: bytes, codec: ModbusCodec) -> bool:
    """Whether it can still become one: it has the first byte of the answer, or of our own echo."""
    first = codec.sent[:1]
    return held[:1] == first or (codec.numbered and held[:2] == codec.sent[:2])


def _request(data: bytes) -> tuple[str, int, bytes] | None:
    """(framing, unit, PDU) of a whole request; None for anything else."""
    if len(data) >= 4 and data[1] in _FUNCTIONS and crc16(data[:-2]) == int.from_bytes(data[-2:], "little"):
        pdu = data[1:-2]
        return ("rtu", data[0], pdu) if request_length(pdu) == len(pdu) else None
    if data[:1] == b":" and data.endswith(b"\r\n") and len(data) % 2 and len(data) >= 9:
        try:
            raw = bytes.fromhex(data[1:-2].decode("ascii"))
        except ValueError:
            return None
        fits = lrc(raw[:-1]) == raw[-1] and raw[1] in _FUNCTIONS and request_length(raw[1:-1]) == len(raw) - 2
        return ("ascii", raw[0], raw[1:-1]) if fits else None
    if len(data) >= 8 and data[2:4] == b"\0\0" and int.from_bytes(data[4:6], "big") == len(data) - 6:
        pdu = data[7:]
        return ("tcp", data[6], pdu) if pdu[0] in _FUNCTIONS and request_length(pdu) == len(pdu) else None
    return None


def request_words(pdu: bytes) -> str:
    """What a request of Modbus asks (V1.1b3, 6)."""

    def word(at: int) -> int:
        return int.from_bytes(pdu[at : at + 2], "big")

    function = pdu[0]
    if function in _TABLE_OF:
        return f"read {word(3)} from {Place(_TABLE_OF[function], word(1)).text}"
    if function == 5:
        return f"set {Place('coil', word(1)).text} {'on' if word(3) == 0xFF00 else 'off'}"
    if function == 6:
        return f"write {word(3)} to {Place('holding', word(1)).text}"
    if function == 15:
        return f"set {word(3)} coils from {Place('coil', word(1)).text} on: {_bits(pdu[6:], word(3))}"
    if function == 16:
        values = " ".join(str(word(at)) for at in range(6, len(pdu) - 1, 2))
        return f"write {values} from {Place('holding', word(1)).text} on"
    if function == 22:
        return f"change bits of {Place('holding', word(1)).text}: and {pdu[3:5].hex()}, or {pdu[5:7].hex()}"
    if function == 23:
        written, read = (Place("holding", word(at)).text for at in (5, 1))
        return f"write {word(7)} from {written} on, read {word(3)} from {read}"
    return {8: "diagnostics", 11: "event counter?", 17: "what are you?", 43: "what are you?"}.get(
        function, f"function {function}"
    )


def _bits(data: bytes, count: int) -> str:
    return "".join(str(data[at // 8] >> at % 8 & 1) for at in range(min(count, 8 * len(data))))


def words_of(data: bytes) -> str:
    """What one line or frame says by itself, in words; empty where nothing is known of it."""
    if not 3 <= len(data) <= _LONGEST or (
        data[0] not in _TELLING and b"(" not in data and data.isascii() and data[1] > 43
    ):
        return ""
    if found := _SIGN_ON.fullmatch(data):
        return f"sign-on to meter {found[1].decode()}" if found[1] else "sign-on to any meter"
    if found := _OPTION.fullmatch(data):
        baud = _METER_BAUD.get(found[2])
        mode = {b"0": "readout", b"1": "programming"}.get(found[3], "the maker's own")
        return f"{mode} at {baud} baud, please" if baud else f"{mode}, please"
    if data[:1] == b"/" and (identity := read_identification(data)) is not None:
        return f"it is {identity.text}"
    if found := _METER_LINE.fullmatch(data.rstrip(b"\r\n")):
        return _meter_words(*(part.decode("latin-1") if part is not None else "" for part in found.groups()))
    if data[:1] == b"\x02" and data[-2:-1] == b"\x03":
        right = bcc(data[1:-1]) == data[-1]
        return f"a frame of {len(data) - 3} bytes, its block check is {'right' if right else 'wrong'}"
    return _overheard(data)


def _meter_words(code: str, value: str, unit: str) -> str:
    means = MeterValue(code, value, unit).means
    number = value.lstrip("0") if unit and re.fullmatch(r"0*\d+(\.\d+)?", value) else value
    number = f"0{number}" if number.startswith(".") or not number else number
    return f"{means} {number} {unit}".rstrip() if means else ""


def frames_of(data: bytes) -> list[bytes]:
    """Frames of Modbus RTU that fill all of the data, one behind the other; none where anything else is in it."""
    if data.isascii() and (len(data) < 2 or data[1] > 43):
        return []
    found = frames_in(data)
    ends = [0, *(end for _, end in found)]
    whole = bool(found) and [begin for begin, _ in found] == ends[:-1] and ends[-1] == len(data)
    return [data[begin:end] for begin, end in found] if whole else []


def has_meter_lines(data: bytes) -> bool:
    """Whether some line of it is a meter's data set, which there are words for."""
    return b"(" in data and _METER_DATA.search(data) is not None


def _overheard(data: bytes) -> str:
    """A frame of Modbus RTU that somebody else sent: it may be a request or an answer."""
    if len(data) < 5 or not 1 <= data[0] <= 247 or data[1] & 0x7F not in _FUNCTIONS:
        return ""
    if crc16(data[:-2]) != int.from_bytes(data[-2:], "little"):
        return ""
    unit, pdu = data[0], data[1:-2]
    if pdu[0] & 0x80:
        try:
            return f"unit {unit}: {read_reply(bytes([pdu[0] & 0x7F]), pdu).words}"
        except ModbusError:
            return ""
    asks, answers = request_length(pdu) == len(pdu), reply_length(pdu) == len(pdu)
    if asks and answers:
        return f"unit {unit}: {request_words(pdu)}, asked or answered"
    if asks:
        return f"unit {unit}: {request_words(pdu)}"
    if answers and pdu[0] in (3, 4):
        values = " ".join(str(int.from_bytes(pdu[at : at + 2], "big")) for at in range(2, len(pdu), 2))
        return f"unit {unit}: answers {values}"
    return f"unit {unit}: answers function {pdu[0]}" if answers else ""
