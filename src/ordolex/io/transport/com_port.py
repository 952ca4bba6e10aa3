"""What an RFC 2217 server is told and what it tells, while bytes pass: commands with their answers, and notices."""

from __future__ import annotations

import asyncio
from collections import Counter
from collections.abc import Awaitable, Callable
from typing import Any

from ordolex.core.link.judge import LineErrors
from ordolex.core.netserial.comport import Code, LineState, Message, ModemState
from ordolex.io.system.faults import SettingsRefused
from ordolex.io.transport.base import ModemLines

ANSWER_S = 3.0
_NOTICE_ALONE_S = 0.05  # a line-state notice whose byte has not come by then stands for itself


class Commands:
    """An answer carries no number. So one command waits for the other's end, also where whoever gave that one was
    stopped meanwhile; and what is still owed after a time-out is not taken for the next one's. `flush` sends what was
    given."""

    def __init__(self, flush: Callable[[], Awaitable[None]]) -> None:
        self._flush = flush
        self._asking = asyncio.Lock()
        self._answers: dict[Code, asyncio.Future[int]] = {}
        self._wanted: dict[Code, int] = {}
        self._owed = Counter[Code]()
        """Answers that did not come in time, and may come yet."""

    async def ask(self, give: Callable[[], list[Message]]) -> tuple[list[Message], dict[Code, int]]:
        """What was asked and what the server set. Raises SettingsRefused where it does not answer."""
        asked = asyncio.ensure_future(self._ask(give))
        asked.add_done_callback(lambda done: done.cancelled() or done.exception())  # it may be that nobody waits for it
        return await asyncio.shield(asked)

    async def _ask(self, give: Callable[[], list[Message]]) -> tuple[list[Message], dict[Code, int]]:
        async with self._asking:
            wanted = give()
            loop = asyncio.get_running_loop()
            self._wanted = {message.code: message.value for message in wanted}
            self._answers = {message.code: loop.create_future() for message in wanted}
            await self._flush()
            try:
                async with asyncio.timeout(ANSWER_S):
                    return wanted, {code: await future for code, future in self._answers.items()}
            except TimeoutError:
                silent = [code for code, future in self._answers.items() if not future.done()]
                self._owed.update(silent)
                names = ", ".join(code.name for code in silent)
                raise SettingsRefused(f"the server did not answer {names}", "its port may be in use or dead") from None
            finally:
                self._answers = {}

    def answered(self, message: Message) -> None:
        if self._owed[message.code] and message.value != self._wanted.get(message.code):
            self._owed[message.code] -= 1  # the answer to an earlier command, which was given up
            return
        future = self._answers.get(message.code)
        if future is not None and not future.done():
            future.set_result(message.value)

    def fail(self, fault: Exception) -> None:
        """No answer comes any more."""
        for future in self._answers.values():
            fail(future, fault)


class LineNotices:
    """Line errors come as a notice right before their byte, or alone. `deliver` hands bytes on with theirs."""

    def __init__(self, deliver: Callable[[bytes, LineErrors | None, float], None]) -> None:
        self._deliver = deliver
        self._errors: LineErrors | None = None

    def data(self, data: bytes, at_s: float) -> None:
        errors, self._errors = self._errors, None
        self._deliver(data, errors, at_s)

    def noticed(self, state: LineState, at_s: float) -> None:
        if self._errors is not None:
            self.data(b"", at_s)  # two notices in a row: the first had no byte
        errors = LineErrors(
            framing=int(LineState.FRAMING in state),
            parity=int(LineState.PARITY in state),
            breaks=int(LineState.BREAK in state),
            overruns=int(LineState.OVERRUN in state),
        )
        if errors.total:
            self._errors = errors
            asyncio.get_running_loop().call_later(_NOTICE_ALONE_S, self._alone, errors, at_s)

    def _alone(self, errors: LineErrors, at_s: float) -> None:
        if self._errors is errors:
            self.data(b"", at_s)


def modem_lines(state: ModemState) -> ModemLines:
    return ModemLines(
        cts=bool(state & ModemState.CTS),
        dsr=bool(state & ModemState.DSR),
        ri=bool(state & ModemState.RI),
        dcd=bool(state & ModemState.DCD),
    )


def modem_state(lines: ModemLines) -> ModemState:
    """The other way round, for a notice to a client."""
    bits = {"cts": ModemState.CTS, "dsr": ModemState.DSR, "ri": ModemState.RI, "dcd": ModemState.DCD}
    return ModemState(sum(bit for name, bit in bits.items() if getattr(lines, name)))


def fail(future: asyncio.Future[Any] | None, fault: Exception) -> None:
    if future is not None and not future.done():
        future.set_exception(fault)
        future.exception()  # marks it as seen: not every future is waited for
