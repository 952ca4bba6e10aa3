"""A serial port that is shared over the network: the server's end of RFC 2217, for whoever comes."""

from __future__ import annotations

import asyncio

from ordolex.core.line.settings import LineSettings
from ordolex.core.link.judge import LineErrors
from ordolex.core.netserial.comport import Code, Control, LineState, Message, ModemState, Purge
from ordolex.core.netserial.ends import Command, ComPortServer, Data, Held
from ordolex.core.netserial.served import SETS_LINE, Outputs, concerns_flow, in_force, wanted
from ordolex.io.system.faults import Fault
from ordolex.io.transport.base import ModemLines
from ordolex.io.transport.com_port import modem_state
from ordolex.io.transport.company import Peer
from ordolex.io.transport.front import User
from ordolex.io.transport.listen import ListenTransport
from ordolex.io.transport.wire import Wire

_SIGNATURE = b"Ordolex relay"
_MANY = 64
"""Commands that wait for the far end; a peer that gives more is not read on until some are done."""


class Rfc2217Peer(Peer):
    def __init__(self, user: User, wire: Wire, home: ListenRfc2217Transport) -> None:
        super().__init__(user, wire)
        self._home = home
        self._end = ComPortServer()
        self._outputs = Outputs()
        self._line_mask, self._modem_mask = LineState(0), ModemState(0xFF)
        self._held = False
        self._given: asyncio.Queue[list[Message] | bytes] = asyncio.Queue()
        self._waiting = 0
        self._done = asyncio.Event()
        self._task = asyncio.get_running_loop().create_task(self._obey_on())
        self._end.start()
        self._flush()

    def _flush(self) -> None:
        self.wire.send(self._end.take_output())

    @property
    def holds_back(self) -> bool:
        return self._held

    def receive(self, data: bytes, at_s: float) -> bytes:
        """Bytes behind a command are not passed on before it was obeyed: they are for the line as it is then."""
        out = bytearray()
        for event in self._end.receive(data):
            match event:
                case Data(payload):
                    if self._waiting:
                        self._give(payload)
                    else:
                        out += payload
                case Command(message):
                    self._give([message])
                case Held(stop):
                    self._held = stop
                    self._home.company.room()
                case _:
                    pass
        self._flush()
        return bytes(out)

    def _give(self, what: list[Message] | bytes) -> None:
        self._waiting += 1
        self._done.clear()
        self._given.put_nowait(what)
        if self._waiting >= _MANY:
            self.wire.stop(True)

    async def _obey_on(self) -> None:
        while True:
            what = await self._given.get()
            done = 1
            if isinstance(what, bytes):
                self._home.deliver(self, what)
            else:
                while not self._given.empty():  # settings come one by one; those that wait together are set at once
                    further = self._given.get_nowait()
                    done += 1
                    if isinstance(further, bytes):
                        await self._obey(what)
                        self._home.deliver(self, further)
                        what = []
                    else:
                        what = what + further
                await self._obey(what)
            self._waiting -= done
            if self._waiting == 0:
                self._done.set()
                self.wire.stop(self._home.company.paused)

    async def _obey(self, messages: list[Message]) -> None:
        line = [message for message in messages if _sets_line(message)]
        if line:
            now = await self._home.settings_wanted(self, line)
            for message in line:
                self._end.answer(message, in_force(now, message.code))
        for message in messages:
            if not _sets_line(message):
                await self._obey_one(message)
        self._flush()

    async def _obey_one(self, message: Message) -> None:
        match message.code:
            case Code.SIGNATURE:
                if not message.text:
                    self._end.answer(message, text=_SIGNATURE)
            case Code.SET_LINESTATE_MASK:
                self._line_mask = LineState(message.value)
                self._end.answer(message)
            case Code.SET_MODEMSTATE_MASK:
                self._modem_mask = ModemState(message.value)
                self._end.answer(message)
                self._end.notify_modem(modem_state(self._home.lines) & self._modem_mask)
            case Code.PURGE_DATA:
                both = message.value == Purge.BOTH
                if self.user.writes:
                    self._home.front.discard(
                        to_user=both or message.value == Purge.RECEIVE,
                        from_user=both or message.value == Purge.TRANSMIT,
                    )
                self._end.answer(message)
            case Code.SET_CONTROL:
                await self._set_output(message)
            case _:
                pass

    async def _set_output(self, message: Message) -> None:
        before = (self._outputs.dtr, self._outputs.rts, self._outputs.breaking)
        answer = self._outputs.obey(message.value)
        after = (self._outputs.dtr, self._outputs.rts, self._outputs.breaking)
        try:
            if self.user.writes and after[:2] != before[:2]:
                await self._home.front.set_outputs(dtr=after[0], rts=after[1])
            if self.user.writes and after[2] != before[2]:
                await self._home.front.set_break(after[2])
        except Fault as fault:
            self._home.front.said(f"{self.user.name}: {Control(message.value).name} could not be done: {fault.what}")
        self._end.answer(message, answer)

    def encode(self, data: bytes) -> bytes:
        self._end.send(data)
        return self._end.take_output()

    def line_errors(self, errors: LineErrors) -> bytes:
        state = LineState(0)
        for count, bit in (
            (errors.framing, LineState.FRAMING), (errors.parity, LineState.PARITY),
            (errors.breaks, LineState.BREAK), (errors.overruns, LineState.OVERRUN),
        ):  # fmt: skip
            state |= bit if count else LineState(0)
        if state & self._line_mask:
            self._end.notify_line(state & self._line_mask)
        return self._end.take_output()

    def modem_lines(self, lines: ModemLines) -> bytes:
        state = modem_state(lines) & self._modem_mask
        self._end.notify_modem(state)
        return self._end.take_output()

    @property
    def is_busy(self) -> bool:
        return self._waiting > 0

    async def seen_off(self) -> None:
        await self._done.wait()

    def gone(self) -> None:
        self._task.cancel()


def _sets_line(message: Message) -> bool:
    return message.code in SETS_LINE or concerns_flow(message)


class ListenRfc2217Transport(ListenTransport):
    """`listen+rfc2217://host:port`. What the peer who writes sets is asked of the front."""

    scheme = "rfc2217"
    lines = ModemLines(cts=True, dsr=True, ri=False, dcd=True)
    """How the inputs of the line stand behind it."""

    def make_peer(self, user: User, wire: Wire) -> Peer:
        return Rfc2217Peer(user, wire, self)

    async def settings_wanted(self, peer: Peer, messages: list[Message]) -> LineSettings:
        """The settings in force after these commands, or questions; those of one who only hears change nothing."""
        line = self._line
        for message in messages:
            line = wanted(line, message)
        if line != self._line and peer.user.writes:
            try:
                self._line = await self.front.set_line(line)
            except Fault as fault:
                self.front.said(f"{peer.user.name} wanted {line.text}, which was refused: {fault}")
        return self._line

    def tell_modem_lines(self, lines: ModemLines) -> None:
        self.lines = lines
        super().tell_modem_lines(lines)
