"""The three ways in which a unit's requests and answers travel: RTU and ASCII on a serial line, and TCP.

Sources: MODBUS over Serial Line V1.02, 2.5.1 (RTU) and 2.5.2 (ASCII); MODBUS Messaging on TCP/IP V1.0b, 3.1.3.
An answer is found by its length and its check, wherever it begins: our own bytes that a two-wire adapter gives back,
and noise before it, are passed over.
"""

from __future__ import annotations

from dataclasses import dataclass
from typing import Protocol

from ordolex.core.protocols.modbus.crc import crc16
from ordolex.core.protocols.modbus.pdu import reply_length


@dataclass(frozen=True, slots=True)
class Found:
    """What was found in the bytes that came so far.

    pdu      the answer; empty while there is none
    unit     who gave it; another than was asked is a fault of the bus
    trouble  why what came is no answer, for when no more comes
    echoed   whether our own bytes came back before it
    end      where the answer ends in the bytes
    """

    pdu: bytes = b""
    unit: int = 0
    trouble: str = ""
    echoed: bool = False
    end: int = 0


class Framing(Protocol):
    name: str
    echoes: bool
    """Whether our own bytes come back before each answer, as far as is known."""

    def wrap(self, unit: int, pdu: bytes) -> bytes:
        """The bytes of one request."""

    def find(self, sent: bytes, data: bytes) -> Found:
        """The answer to a frame that was sent, in what came so far."""


def lrc(data: bytes) -> int:
    """Two's complement of the sum of all bytes (2.5.2.2)."""
    return -sum(data) & 0xFF


class _Serial:
    """What both ways on a serial line share: a two-wire adapter may give our own bytes back.

    Some answers are the request again (functions 5, 6, 8 and 22). There only what was seen before tells an echo from an
    answer; whoever writes has read before.
    """

    def __init__(self) -> None:
        self.echoes = False

    def _without_echo(self, sent: bytes, function: int, data: bytes) -> tuple[bytes, bool]:
        echoed = data.startswith(sent) and (self.echoes or function not in _GIVEN_BACK)
        return (data[len(sent) :] if echoed else data), echoed


_GIVEN_BACK = (5, 6, 8, 22)


class Rtu(_Serial):
    name = "RTU"

    def wrap(self, unit: int, pdu: bytes) -> bytes:
        body = bytes([unit]) + pdu
        return body + crc16(body).to_bytes(2, "little")

    def find(self, sent: bytes, data: bytes) -> Found:
        rest, echoed = self._without_echo(sent, sent[1], data)
        other = Found(trouble=self._trouble(rest), echoed=echoed)
        for start in range(len(rest)):
            pdu = self._frame_at(rest, start, sent[1])
            if pdu and rest[start] == sent[0]:
                self.echoes = echoed
                end = len(data) - len(rest) + start + len(pdu) + 3
                return Found(pdu, sent[0], echoed=echoed, end=end)
            if pdu and start == 0:
                words = f"unit {rest[0]} answered for unit {sent[0]}"
                other = Found(trouble=words, unit=rest[0], echoed=echoed)
        return other

    @staticmethod
    def _frame_at(data: bytes, start: int, function: int) -> bytes:
        if len(data) - start < 5 or data[start + 1] & 0x7F != function:
            return b""
        size = reply_length(data[start + 1 :])
        if not size or start + size + 3 > len(data):
            return b""
        body, check = data[start : start + 1 + size], data[start + 1 + size : start + 3 + size]
        return body[1:] if crc16(body).to_bytes(2, "little") == check else b""

    @staticmethod
    def _trouble(rest: bytes) -> str:
        if not rest:
            return ""
        size = reply_length(rest[1:])
        if size and len(rest) < size + 3:
            return f"the answer breaks off: {len(rest)} of {size + 3} bytes"
        if size and len(rest) >= size + 3:
            return "its check (CRC) is wrong"
        return f"{len(rest)} bytes that are no answer"


class Ascii(_Serial):
    name = "ASCII"

    def wrap(self, unit: int, pdu: bytes) -> bytes:
        body = bytes([unit]) + pdu
        return b":" + (body + bytes([lrc(body)])).hex().upper().encode() + b"\r\n"

    def find(self, sent: bytes, data: bytes) -> Found:
        asked = bytes.fromhex(sent[1:-2].decode())
        rest, echoed = self._without_echo(sent, asked[1], data)
        found = Found(trouble=f"{len(rest)} characters that are no answer" if rest else "", echoed=echoed)
        at = len(data) - len(rest) + len(rest.partition(b":")[0])
        for piece in rest.split(b":")[1:]:
            text, end, _ = piece.partition(b"\r\n")
            behind, at = at + 1 + len(text) + 2, at + 1 + len(piece)
            try:
                body = bytes.fromhex(text.decode("ascii"))
            except ValueError:
                found = Found(trouble="an answer with characters that are no hex digits", echoed=echoed)
                continue
            if not end:
                found = Found(trouble=f"the answer breaks off after {len(text)} characters", echoed=echoed)
            elif len(body) < 3 or lrc(body[:-1]) != body[-1]:
                found = Found(trouble="its check (LRC) is wrong", echoed=echoed)
            elif body[0] != asked[0]:
                found = Found(trouble=f"unit {body[0]} answered for unit {asked[0]}", unit=body[0], echoed=echoed)
            else:
                self.echoes = echoed
                return Found(body[1:-1], body[0], echoed=echoed, end=behind)
        return found


class Tcp:
    """Transactions are numbered; an answer to another number is an old one and is passed over."""

    name = "TCP"
    echoes = False

    def __init__(self) -> None:
        self._number = 0

    def wrap(self, unit: int, pdu: bytes) -> bytes:
        self._number = self._number % 0xFFFF + 1
        return self._number.to_bytes(2) + b"\0\0" + (len(pdu) + 1).to_bytes(2) + bytes([unit]) + pdu

    def find(self, sent: bytes, data: bytes) -> Found:
        at = 0
        trouble = ""
        while len(data) - at >= 8:
            size = int.from_bytes(data[at + 4 : at + 6])
            if data[at + 2 : at + 4] != b"\0\0" or not 2 <= size <= 254:
                return Found(trouble="what came is no Modbus/TCP: protocol and length do not fit")
            if len(data) < at + 6 + size:
                break
            if data[at : at + 2] == sent[:2]:
                if data[at + 6] != sent[6]:
                    words = f"unit {data[at + 6]} answered for unit {sent[6]}"
                    return Found(trouble=words, unit=data[at + 6])
                return Found(data[at + 7 : at + 6 + size], data[at + 6], end=at + 6 + size)
            trouble = "an answer to an earlier request"
            at += 6 + size
        if at < len(data):
            trouble = f"the answer breaks off after {len(data) - at} bytes"
        return Found(trouble=trouble)


FRAMINGS: dict[str, type[Rtu] | type[Ascii] | type[Tcp]] = {"rtu": Rtu, "ascii": Ascii, "tcp": Tcp}


def quiet_s(characters_per_s: float, baud: int) -> float:
    """The silence between RTU frames: 3.5 characters, 1.75 ms above 19200 baud (2.5.1.1)."""
    return 0.00175 if baud > 19200 else 3.5 / characters_per_s
