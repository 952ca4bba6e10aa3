"""What goes out on a link: what everybody may see, and what nobody is to see."""

from __future__ import annotations

import asyncio

from ordolex.core.line.settings import Flow
from ordolex.core.link.question import Question
from ordolex.core.link.secrets import Withholder
from ordolex.core.link.state import LinkState
from ordolex.core.text.counts import counted
from ordolex.io.link.held import Held
from ordolex.io.link.journal import Journal
from ordolex.io.system.clock import mono_s
from ordolex.io.system.faults import Fault, PortStuck
from ordolex.io.transport.base import TakesAtOnce, Transport

_STUCK_AFTER_S = 3.0


class Outgoing:
    """`patient` waits for a far end that takes nothing, for as long as it takes."""

    def __init__(self, held: Held, state: LinkState, journal: Journal, withholder: Withholder) -> None:
        self._held, self._state, self._journal, self._withholder = held, state, journal, withholder
        self.patient = False

    async def send(self, data: bytes) -> None:
        """Raises a Fault where it could not be sent."""
        transport, now = self._held.required(), mono_s()
        self._journal.passed("tx", data, None, now)
        self._state.sent(data, now)
        self._journal.shown("tx", data, None, now)
        await self._hand_over(transport, data)

    async def ask(self, question: Question) -> None:
        """Sends a question, one that holds a secret as such. Raises a Fault where it could not be sent."""
        await (self.send_secret(question.data) if question.secret else self.send(question.data))

    def send_now(self, data: bytes) -> bytes | None:
        """Sends without waiting; what is left, which `send_rest` sends. None where it cannot: then nothing was done."""
        transport = self._held.transport
        if not isinstance(transport, TakesAtOnce):
            return None
        taken = transport.take_now(data)
        if not taken:
            return None
        now = mono_s()
        self._journal.passed("tx", data, None, now)
        self._state.sent(data, now)
        self._journal.shown("tx", data, None, now)
        return data[taken:]

    async def send_rest(self, data: bytes) -> None:
        """What `send_now` left over: it is in the record already. Raises a Fault where it could not be sent."""
        await self._hand_over(self._held.required(), data)

    async def send_secret(self, secret: bytes, behind: bytes = b"", *, whole: bool = True) -> None:
        """Sends what nobody is to see: it is neither shown nor kept, nor is its echo; only its length is. `behind`,
        such as a line end, is no secret. `whole` says that the secret ends here."""
        transport = self._held.required()
        self._withholder.typed(secret, mono_s(), whole=whole)
        if secret:
            self._journal.withheld("tx", len(secret))
            self._state.sent(bytes(len(secret)), mono_s())
            await self._hand_over(transport, secret)
        if behind:
            await self.send(behind)

    async def _hand_over(self, transport: Transport, data: bytes) -> None:
        patience = _STUCK_AFTER_S + 2 * self._state.line.seconds_for(len(data))
        waits = self.patient or self._state.line.flow is not Flow.NONE  # then waiting is what is wanted
        try:
            if waits:
                await transport.write(data)
                return
            async with asyncio.timeout(patience):
                await transport.write(data)
        except Fault as fault:
            self._journal.note(
                "note", f"the last {counted(len(data), 'byte')} did not all go out, perhaps none: {fault.what}"
            )
            raise
        except TimeoutError:
            words = f"the last {counted(len(data), 'byte')} did not all go out: the port took none for {patience:.0f} s"
            self._journal.note("note", words)
            raise PortStuck(
                f"the port took no bytes for {patience:.0f} s, and flow control is off",
                "check the adapter; unplug it and plug it in again",
            ) from None
