"""How the answers of each protocol are found and judged, for the link runner.

An exception or an error report is a right answer: it proves that the device heard us. What it means
for the work is said by whoever asked.
"""

from __future__ import annotations

from ordolex.core.link.question import Verdict
from ordolex.core.protocols import framed
from ordolex.core.protocols.at.results import is_error
from ordolex.core.protocols.at.results import read_reply as read_at
from ordolex.core.protocols.modbus.frames import Framing
from ordolex.core.protocols.modbus.pdu import READS, ModbusError, Reply, read_reply
from ordolex.core.text.charsets import text_of


class ModbusCodec:
    patient = False

    def __init__(self, framing: Framing, unit: int, pdu: bytes, name: str) -> None:
        self._framing, self._unit, self._pdu = framing, unit, pdu
        self.sent = framing.wrap(unit, pdu)
        self.name = f"unit {unit}: {name}"
        self.expected = f"an answer of unit {unit} with its check ({framing.name})"

        self._read: tuple[bytes, bool, tuple[Reply | None, str, bytes, int]] | None = None
        self.numbered = framing.name == "TCP"
        self.without_check = framing.name == "TCP"  # TCP's own checks are none of the protocol's
        self.answers_from = ("modbus", framing.name, unit)
        self.reads = pdu[0] in READS

    def whole(self, data: bytes) -> bool:
        return self._first(data)[0] is not None

    def answers(self, data: bytes) -> list[bytes]:
        out: list[bytes] = []
        while True:
            reply, _, pdu, end = self._first(data, fresh=not out)
            if reply is None:
                return out
            out.append(pdu)
            data = data[end:]

    def after_first(self, data: bytes) -> bytes:
        return data[self._first(data)[3] :]

    def reply(self, data: bytes) -> tuple[Reply | None, str]:
        """The answer, or why there is none."""
        return self._first(data)[:2]

    def _first(self, data: bytes, *, fresh: bool = True) -> tuple[Reply | None, str, bytes, int]:
        """As `_found`; the same bytes are looked at by many in turn, and read once."""
        if self._read is None or self._read[:2] != (data, fresh):
            self._read = (data, fresh, self._found(data, fresh=fresh))
        return self._read[2]

    def _found(self, data: bytes, *, fresh: bool) -> tuple[Reply | None, str, bytes, int]:
        """The first answer that fits the question: what it holds, why there is none, its bytes, and where it ends. A
        right frame that does not fit, such as another question's, is passed over. `fresh` data begin with the echo of
        our own bytes, where the adapter gives them back."""
        why, at, echoes = "", 0, self._framing.echoes
        while True:
            found = self._framing.find(self.sent, data[at:])
            if at or not fresh:
                self._framing.echoes = echoes
            echoes = self._framing.echoes
            if not found.pdu:
                return None, why or found.trouble or "no answer", b"", at
            at += found.end
            try:
                return read_reply(self._pdu, found.pdu), "", found.pdu, at
            except ModbusError as error:
                why = str(error)

    def judge(self, data: bytes) -> Verdict:
        if self.reply(data)[0] is not None:
            return Verdict.RIGHT
        return Verdict.ECHO if data == self.sent else Verdict.WRONG

    def refused(self, data: bytes) -> bool:
        reply, _ = self.reply(data)
        return reply is not None and reply.exception != 0

    def words(self, data: bytes) -> str:
        reply, why = self.reply(data)
        return why if reply is None else reply.said


class AtCodec:
    patient = True
    without_check = True
    numbered = False
    answers_from = "at"
    reads = False
    expected = "a result code (ITU-T V.250, 5.7)"

    def __init__(self, command: bytes) -> None:
        self._command = command
        self.name = text_of(command).strip()

    def whole(self, data: bytes) -> bool:
        return bool(read_at(self._command, data).result)

    def answers(self, data: bytes) -> list[bytes]:
        return [data] if self.whole(data) else []

    def after_first(self, data: bytes) -> bytes:
        return b""

    def judge(self, data: bytes) -> Verdict:
        if read_at(self._command, data).result:
            return Verdict.RIGHT
        return Verdict.ECHO if data.strip() == self._command.strip() else Verdict.WRONG

    def refused(self, data: bytes) -> bool:
        return is_error(read_at(self._command, data).result)

    def words(self, data: bytes) -> str:
        reply = read_at(self._command, data)
        return "  ".join([*reply.lines, reply.words]) if reply.result else "no result code"


class FramedCodec:
    """`unit` is who is to answer, where frames carry an address; a frame of anybody else is none."""

    patient = False
    numbered = False
    reads = False

    def __init__(self, plan: framed.FramePlan, sent: bytes, name: str, unit: int = 0) -> None:
        self._plan, self.sent, self.name, self._unit = plan, sent, name, unit
        self.answers_from = ("framed", unit)
        self.expected = "a frame" + (f" whose {plan.check} is right" if plan.check else "")

    def frame(self, data: bytes) -> tuple[framed.Frame | None, str]:
        frame, why, _ = framed.find_of(self._plan, self.sent, data, self._unit)
        return frame, why

    def whole(self, data: bytes) -> bool:
        return self.frame(data)[0] is not None

    def answers(self, data: bytes) -> list[bytes]:
        out: list[bytes] = []
        while True:
            frame, _, end = framed.find_of(self._plan, self.sent, data, self._unit)
            if frame is None:
                return out
            out.append(frame.payload)
            data = data[end:]

    def after_first(self, data: bytes) -> bytes:
        return data[framed.find_of(self._plan, self.sent, data, self._unit)[2] :]

    def judge(self, data: bytes) -> Verdict:
        if self.whole(data):
            return Verdict.RIGHT
        return Verdict.ECHO if data == self.sent else Verdict.WRONG

    def refused(self, data: bytes) -> bool:
        return False

    def words(self, data: bytes) -> str:
        frame, why = self.frame(data)
        return why if frame is None else frame.payload.hex(" ")
