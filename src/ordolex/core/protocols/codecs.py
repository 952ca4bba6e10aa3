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
from ordolex.core.protocols.modbus.pdu import ModbusError, Reply, read_reply


class ModbusCodec:
    patient = False

    def __init__(self, framing: Framing, unit: int, pdu: bytes, name: str) -> None:
        self._framing, self._unit, self._pdu = framing, unit, pdu
        self.sent = framing.wrap(unit, pdu)
        self.name = f"unit {unit}: {name}"
        self.expected = f"an answer of unit {unit} with its check ({framing.name})"

    def whole(self, data: bytes) -> bool:
        return bool(self._framing.find(self.sent, data).pdu)

    def reply(self, data: bytes) -> tuple[Reply | None, str]:
        """The answer, or why there is none."""
        found = self._framing.find(self.sent, data)
        if not found.pdu:
            return None, found.trouble or "no answer"
        try:
            return read_reply(self._pdu, found.pdu), ""
        except ModbusError as error:
            return None, str(error)

    def judge(self, data: bytes) -> Verdict:
        if self.reply(data)[0] is not None:
            return Verdict.RIGHT
        return Verdict.ECHO if data == self.sent else Verdict.WRONG

    def refused(self, data: bytes) -> bool:
        reply, _ = self.reply(data)
        return reply is not None and reply.exception != 0

    def words(self, data: bytes) -> str:
        reply, why = self.reply(data)
        return why if reply is None else reply.words


class AtCodec:
    patient = True
    expected = "a result code (ITU-T V.250, 5.7)"

    def __init__(self, command: bytes) -> None:
        self._command = command
        self.name = command.decode("latin-1").strip()

    def whole(self, data: bytes) -> bool:
        return bool(read_at(self._command, data).result)

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
    patient = False

    def __init__(self, plan: framed.FramePlan, sent: bytes, name: str) -> None:
        self._plan, self.sent, self.name = plan, sent, name
        self.expected = "a frame" + (f" whose {plan.check} is right" if plan.check else "")

    def frame(self, data: bytes) -> tuple[framed.Frame | None, str]:
        return framed.find(self._plan, self.sent, data)

    def whole(self, data: bytes) -> bool:
        return self.frame(data)[0] is not None

    def judge(self, data: bytes) -> Verdict:
        if self.whole(data):
            return Verdict.RIGHT
        return Verdict.ECHO if data == self.sent else Verdict.WRONG

    def refused(self, data: bytes) -> bool:
        return False

    def words(self, data: bytes) -> str:
        frame, why = self.frame(data)
        return why if frame is None else frame.payload.hex(" ")
