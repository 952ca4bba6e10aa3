"""The link runner: the one owner of a link's transport, and the one tap on it.

Everything that passes goes to the recorder here, before anybody sees it. Talk, rounds and procedures ask the runner
for exchanges and wait for their turn. When the port is lost it is opened again as soon as it is back.
"""

from __future__ import annotations

import asyncio
import contextlib
from collections.abc import Callable, Iterator
from dataclasses import replace
from typing import Protocol

from ordolex.core.line.settings import Flow, LineSettings
from ordolex.core.link.exchange import Answer, Ended, Exchange
from ordolex.core.link.judge import LineErrors
from ordolex.core.link.ladder import Rung
from ordolex.core.link.owed import Late, Owed
from ordolex.core.link.question import Question, Verdict
from ordolex.core.link.secrets import HELD_S, Known, Piece, Withholder
from ordolex.core.link.signals import XOFF, Signals
from ordolex.core.link.state import LinkState
from ordolex.core.port.endpoint import Endpoint, read_endpoint
from ordolex.core.record.items import Event
from ordolex.io.link.feed import Feed, Passed
from ordolex.io.link.view import LinkView
from ordolex.io.ports.survey import identity_at, path_of
from ordolex.io.system import log
from ordolex.io.system.clock import mono_s, utc_us
from ordolex.io.system.faults import Fault, PortLost, PortMissing, PortStuck, Unreachable
from ordolex.io.transport.base import ModemLines, Transport
from ordolex.io.transport.open import transport_for

_RETRY_S = (0.5, 1.0, 1.0, 2.0, 3.0, 5.0)
_STUCK_AFTER_S = 3.0
_RESUME_CHECK_S = 0.02
_HELD_BACK_S = 0.5  # a queue that stands so long is held back


Hearer = Callable[[bytes, LineErrors | None, float], None]


class RecorderLike(Protocol):
    """Where the tap leads."""

    @property
    def full(self) -> bool: ...

    def record(self, link: int, direction: str, data: bytes, errors: LineErrors | None, at_s: float) -> None: ...

    def note(self, event: Event) -> None: ...


class LinkRunner:
    """Use it from one event loop. `link` is the link's id in the book."""

    def __init__(
        self,
        link: int,
        endpoint: str,
        line: LineSettings,
        recorder: RecorderLike,
        make_transport: Callable[[Endpoint], Transport] = transport_for,
        secrets: Known | None = None,
    ) -> None:
        self.link = link
        self.endpoint = read_endpoint(endpoint)
        self.feed = Feed()
        self.opens_low = False
        """Whether the port is opened with DTR and RTS low."""
        self._recorder = recorder
        self._make_transport = make_transport
        self._state = LinkState(line, self.endpoint.has_line)
        self._transport: Transport | None = None
        self._turn = asyncio.Lock()
        self._opening = asyncio.Lock()
        self._tuning = asyncio.Lock()
        self._exchange: Exchange | None = None
        self._answer: asyncio.Future[Answer] | None = None
        self._owed = Owed()
        self._late: asyncio.Future[Answer] | None = None
        self._late_for: Question | None = None
        self._timer: asyncio.TimerHandle | None = None
        self._returner: asyncio.Task[None] | None = None
        self._returning = ""
        self._signals = Signals()
        self._named_xoff = False
        self._adapter = ""
        self._identity_at, self._path_of = identity_at, path_of
        self._queued: tuple[int, float] = (0, 0.0)
        self._stay_open = False
        self._proved_by: Question | None = None
        self._withholder = Withholder(secrets)
        self._hearers: list[Hearer] = []

    # ---- what others may know

    @property
    def is_open(self) -> bool:
        return self._transport is not None

    @property
    def places_errors(self) -> bool:
        """Whether line errors come with the byte that they belong to."""
        return self._transport is not None and self._transport.places_errors

    @property
    def line(self) -> LineSettings:
        return self._state.line

    @property
    def rung(self) -> Rung:
        return self._state.rung

    def view(self) -> LinkView:
        now = mono_s()
        before = self._state.rung
        self._state.tick(now)
        self._note_rung(before)
        self._look_at_queue(now)
        asking = self._exchange.question.text if self._exchange is not None else ""
        return LinkView(self.link, self.endpoint.text, self._state.evidence(), asking, self._returning, self._signals)

    def _look_at_queue(self, now: float) -> None:
        """Says when what was handed over does not go out: flow control of the port is not seen in any other way."""
        count = self._transport.waiting_out() if self._transport is not None else 0
        if not count or count != self._queued[0]:
            self._queued = (count, now)
        still = count if now - self._queued[1] >= _HELD_BACK_S else 0
        if still and not self._signals.waiting:
            self._note("note", f"held back by the far end: {still} bytes wait in the port")
        if still != self._signals.waiting:
            self._signals = replace(self._signals, waiting=still)

    # ---- opening and letting go

    async def open(self) -> None:
        """Opens the port at the link's line settings. Raises a Fault; the link then says why."""
        async with self._opening:
            if self._transport is not None:
                return
            self._stay_open = True
            self._stop_returning()
            try:
                await self._open_once()
            except Fault as fault:
                self._stay_open = False
                self._refused(fault)
                raise
            settings = self._state.evidence().settings
            facts: dict[str, object] = {"endpoint": self.endpoint.text, "line": self._state.line.text}
            self._note("opened", f"opened at {settings}", facts)

    def _refused(self, fault: Fault) -> None:
        before = self._state.rung
        if isinstance(fault, PortMissing | Unreachable):
            self._state.gone(fault.what, mono_s())
        else:
            self._state.seen(mono_s())
            self._state.released(mono_s(), fault.what)
        self._note("refused", str(fault))
        self._note_rung(before)

    async def _open_once(self) -> None:
        transport = self._make_transport(self.endpoint)
        transport.opens_low = self.opens_low
        await transport.open(self._state.line, self)
        before = self._state.rung
        self._transport = transport
        high = not self.opens_low
        self._signals = replace(self._signals, dtr=high, rts=high, xoff_s=None)
        self._state.opened(mono_s())
        self._owed.forget()
        self._note_rung(before)
        if self.endpoint.kind == "serial" and not self._adapter:
            self._adapter = await asyncio.to_thread(self._identity_at, self.endpoint.host)

    async def release(self, *, keep_dtr: bool = False) -> None:
        """Lets the port go. It is free at once; what was being asked ends. `keep_dtr` leaves DTR on, so that a modem
        does not hang up and the line can be handed to another program; only OS ports can."""
        self._stay_open = False
        self._stop_returning()
        async with self._opening:
            transport, self._transport = self._transport, None
            self._finish(Ended.STOPPED)
            self._pass_on(self._withholder.flush(mono_s() + HELD_S), None, mono_s())
            self._withholder.closed()
            if transport is None:
                return
            unsent = transport.waiting_out()
            await transport.close(keep_dtr=keep_dtr)
        before = self._state.rung
        self._state.released(mono_s())
        words = "port released, DTR kept on" if keep_dtr else "port released"
        if unsent:
            words += f"; {unsent} bytes were held back by the far end and did not go out"
        if before is not Rung.PROVEN:
            words += f"; the link stood at {before.word}, not proven"
        self._note("released", words)
        self._note_rung(before)

    async def retune(self, line: LineSettings, *, keep: bool = False) -> None:
        """Changes the line settings, in an open port at once. `keep` says that the protocol itself asks for it, in the
        middle of an exchange: what was proven stays. Whoever is stopped meanwhile leaves it to come to its end: a port
        that is set to one thing and said to be set to another is worse."""
        tuning = asyncio.ensure_future(self._retune(line, keep=keep))
        tuning.add_done_callback(lambda done: done.cancelled() or done.exception())  # it may be that nobody waits
        await asyncio.shield(tuning)

    async def settled(self) -> None:
        """Once no change of the line settings is under way."""
        async with self._tuning:
            pass

    async def _retune(self, line: LineSettings, *, keep: bool) -> None:
        async with self._tuning:
            old = self._state.line
            if self._transport is not None:
                await self._transport.configure(line)
            before = self._state.rung
            if keep:
                self._state.line = line
            else:
                self._state.retuned(line, mono_s())
                self._owed.forget()
            self._note("settings", f"line settings {old.text} → {line.text}", {"from": old.text, "to": line.text})
            self._note_rung(before)

    def move(self, endpoint: str) -> None:
        """The adapter has another number now; a link that waits for it looks there from now on."""
        if self._transport is None and endpoint != self.endpoint.text:
            self._note("note", f"the adapter is now at {endpoint}, it was at {self.endpoint.text}")
            self.endpoint = read_endpoint(endpoint)

    # ---- asking

    async def ask(self, question: Question, *, at_once: bool = False) -> Answer:
        """Sends a question and waits for its answer. Raises a Fault only where it could not be sent.

        Where answers of earlier questions may still come that could be taken for this one's, they are let run out
        first, unless it is to go out `at_once`; if this very question was asked before and its answer comes late, that
        is the answer, and nothing is sent."""
        async with self._turn:
            late = None if at_once else await self._let_run_out(question)
            if late is not None:
                return late
            self._exchange = Exchange(question, mono_s(), 1 / self._state.line.characters_per_s, self._owed)
            self._answer = asyncio.get_running_loop().create_future()
            asked_s = self._exchange.asked_s
            try:
                await self._write(question.data)
                self._wait_for_deadline()
                answer = await self._answer
            except BaseException:
                self._owed.unanswered(question, asked_s)
                raise
            finally:
                self._exchange = self._answer = None
                self._stop_timer()
            self._account_for(answer, asked_s)
            self._answered(answer)
            return answer

    def _account_for(self, answer: Answer, asked_s: float) -> None:
        """What is owed after this answer, or after none."""
        now, question = mono_s(), answer.question
        for other in self._owed.hear_beside(question, answer.data, now):
            self._said_late(other)
        if answer.ended is Ended.LOST:
            return
        if answer.ended is Ended.DOUBTFUL:
            self._owed.suspect(now)
        if answer.ended is not Ended.DOUBTFUL and question.judge(answer.data) is Verdict.RIGHT:
            self._owed.answered(question, answer.data, asked_s, now)
        else:
            self._owed.unanswered(question, asked_s)

    async def late_answer(self, question: Question) -> Answer | None:
        """Waits for the answer of a question whose time-out has passed, for as long as it may still come; None where it
        does not. Nothing is sent."""
        async with self._turn:
            return await self._let_run_out(question)

    async def _let_run_out(self, question: Question) -> Answer | None:
        while self._transport is not None and (wait := self._owed.wait_s(question, mono_s())) > 0:
            self._late, self._late_for = asyncio.get_running_loop().create_future(), question
            try:
                async with asyncio.timeout(wait):
                    return await self._late
            except TimeoutError:
                continue
            finally:
                self._late = self._late_for = None
        return None

    def _heard_unasked(self, data: bytes, at_s: float) -> None:
        """What comes while nothing is asked may be a late answer."""
        found = self._owed.hear(data, at_s)
        if found is None:
            return
        question, answered, took_s = found
        self._said_late(question)
        if self._late is not None and not self._late.done() and self._late_for is not None:
            if self._late_for.data != question.data:
                return
            answer = Answer(self._late_for, answered, Ended.LATE, took_s, took_s)
            self._answered(answer)
            self._late.set_result(answer)

    def _said_late(self, question: Question) -> None:
        late = self._owed.late
        self._note("note", f"the answer to {question.text!r} came late" + (f"; {late.words}" if late else ""))

    @property
    def late(self) -> Late | None:
        """How late answers come here, if any did."""
        return self._owed.late

    def recognise(self, said: str) -> None:
        """The device, which only talks, said what its sheet expects; counts only on a clear link."""
        before = self._state.rung
        self._state.recognised(said, mono_s())
        self._note_rung(before)

    def stop_asking(self) -> None:
        """Ends the wait for the present answer; what has come of it is kept."""
        self._finish(Ended.STOPPED)

    @contextlib.contextmanager
    def heard_by(self, hear: Hearer) -> Iterator[None]:
        """`hear` is called with everything that arrives, behind the recorder."""
        self._hearers.append(hear)
        try:
            yield
        finally:
            self._hearers.remove(hear)

    async def send_break(self, seconds: float) -> None:
        """Raises a Fault where it could not be sent."""
        if self._transport is None:
            raise PortLost("the port is not open", "open it in Find first")
        self._note("sent", f"break of {seconds * 1000:.0f} ms", {"break_s": seconds})
        await self._transport.send_break(seconds)

    async def set_outputs(self, *, dtr: bool | None = None, rts: bool | None = None) -> None:
        """Sets our control lines. Raises a Fault where the port has none."""
        if self._transport is None:
            raise PortLost("the port is not open", "open it in Find first")
        await self._transport.set_outputs(dtr=dtr, rts=rts)
        now = self._signals
        self._signals = replace(now, dtr=now.dtr if dtr is None else dtr, rts=now.rts if rts is None else rts)
        words = [f"{name} {'on' if on else 'off'}" for name, on in (("DTR", dtr), ("RTS", rts)) if on is not None]
        self._note("outputs", ", ".join(words), {"dtr": dtr, "rts": rts})

    async def send(self, data: bytes) -> None:
        """Sends without waiting for an answer. Raises a Fault where it could not be sent."""
        await self._write(data)

    async def send_secret(self, secret: bytes, behind: bytes = b"", *, whole: bool = True) -> None:
        """Sends what nobody is to see: it is neither shown nor kept, nor is its echo; only its length is. `behind`,
        such as a line end, is no secret. `whole` says that the secret ends here."""
        if self._transport is None:
            raise PortLost("the port is not open", "open it in Find first")
        self._withholder.typed(secret, mono_s(), whole=whole)
        if secret:
            self._withheld("tx", len(secret))
            self._state.sent(bytes(len(secret)), mono_s())
            await self._hand_over(secret)
        if behind:
            await self._write(behind)

    def _withheld(self, direction: str, count: int) -> None:
        text = f"{count} byte{'s' * (count > 1)} withheld"
        self._note("withheld", text, {"direction": direction, "bytes": count})

    async def _write(self, data: bytes) -> None:
        if self._transport is None:
            raise PortLost("the port is not open", "open it in Find first")
        now = mono_s()
        self._recorder.record(self.link, "tx", data, None, now)
        self._state.sent(data, now)
        self.feed.put(Passed("tx", data, utc_us(now)))
        await self._hand_over(data)

    async def _hand_over(self, data: bytes) -> None:
        assert self._transport is not None
        patience = _STUCK_AFTER_S + 2 * self._state.line.seconds_for(len(data))
        waits = self._state.line.flow is not Flow.NONE  # then waiting is what is wanted, for as long as it takes
        try:
            async with asyncio.timeout(None if waits else patience):
                await self._transport.write(data)
        except Fault as fault:
            self._note("note", f"the last {len(data)} bytes were not sent: {fault.what}")
            raise
        except TimeoutError:
            self._note("note", f"the last {len(data)} bytes were not all sent: the port took none")
            raise PortStuck(
                f"the port took no bytes for {patience:.0f} s, and flow control is off",
                "check the adapter; unplug it and plug it in again",
            ) from None

    # ---- the listener of the transport: the one tap

    def arrived(self, data: bytes, errors: LineErrors | None, at_s: float) -> None:
        if not self._withholder.active:
            self._arrived(data, errors, at_s)
            self._answer_with(data, errors, at_s)
            return
        self._answer_with(data, errors, at_s)  # frames need all their bytes; they are not shown as they are
        self._pass_on(self._withholder.receive(data, at_s), errors, at_s)
        if self._withholder.holding:
            asyncio.get_running_loop().call_later(2 * HELD_S, self._let_through)

    def _let_through(self) -> None:
        self._pass_on(self._withholder.flush(mono_s()), None, mono_s())

    def _pass_on(self, pieces: list[Piece], errors: LineErrors | None, at_s: float) -> None:
        for piece in pieces:
            if piece.withheld:
                self._withheld("rx", piece.withheld)
            if piece.data or errors is not None:
                self._arrived(piece.data, errors, at_s)
                errors = None

    def _arrived(self, data: bytes, errors: LineErrors | None, at_s: float) -> None:
        self._recorder.record(self.link, "rx", data, errors, at_s)
        if self._recorder.full and self._transport is not None:
            self._hold_back(self._transport)
        before = self._state.rung
        if self._state.line.flow is Flow.XON_XOFF:
            self._signals = self._signals.heard(data, at_s)
        elif XOFF in data and self._state.line.flow is Flow.NONE and not self._named_xoff:
            self._named_xoff = True
            self._note("note", "XOFF (13 hex) was heard, and flow control is off: the device may ask us to wait")
        asked = self._exchange.question if self._exchange is not None else None
        framed = asked.codec is not None if asked is not None else self._owed.frames
        self._state.heard(data, errors, at_s, framed=framed)
        self._note_rung(before)
        self.feed.put(Passed("rx", data, utc_us(at_s), errors))
        for hear in self._hearers:
            hear(data, errors, at_s)

    def _answer_with(self, data: bytes, errors: LineErrors | None, at_s: float) -> None:
        if self._exchange is not None:
            answer = self._exchange.receive(data, errors, at_s)
            if answer is not None:
                self._settle(answer)
            elif self._timer is None or self._exchange.next_deadline() < self._timer.when():
                self._wait_for_deadline()
        elif data:
            self._heard_unasked(data, at_s)

    def modem_lines(self, lines: ModemLines) -> None:
        inputs = frozenset(name.upper() for name in ModemLines.__slots__ if getattr(lines, name))
        self._signals = replace(self._signals, inputs=inputs)
        self._note("lines", f"control lines: {lines.words()}")

    def lost(self, fault: Fault) -> None:
        self._transport = None
        before = self._state.rung
        self._state.gone(fault.what, mono_s())
        self._note("lost", fault.what)
        self._note_rung(before)
        self._finish(Ended.LOST)
        if self._stay_open:
            self._returner = asyncio.get_running_loop().create_task(self._come_back())

    # ---- coming back

    async def _come_back(self) -> None:
        lost_s = mono_s()
        tries = 0
        while self._stay_open:
            await asyncio.sleep(_RETRY_S[min(tries, len(_RETRY_S) - 1)])
            tries += 1
            elsewhere = await self._follow_adapter()
            if elsewhere:
                self._returning = f"try {tries}: {elsewhere}"
                continue
            try:
                await self._open_once()
            except Fault as fault:
                self._returning = f"try {tries}: {fault.what}"
                continue
            self._returning = ""
            self._note("back", f"the port is back after {mono_s() - lost_s:.1f} s, try {tries}", {"tries": tries})
            await self._prove_again()
            return

    async def _follow_adapter(self) -> str:
        """Before a port is opened again: the adapter behind it must be the same, for its name may have gone to another.
        Goes where the adapter is now; why it is not to be opened, else empty."""
        if not self._adapter:
            return ""
        there = await asyncio.to_thread(self._identity_at, self.endpoint.host)
        if there == self._adapter:
            return ""
        path = await asyncio.to_thread(self._path_of, self._adapter)
        if path:
            self.move(path)
            return ""
        return f"another adapter is at {self.endpoint.text} now" if there else f"{self.endpoint.text} is not there"

    async def _prove_again(self) -> None:
        """Asks once more what proved the link before, where that is known to change nothing."""
        if self._proved_by is not None and not self._proved_by.may_repeat:
            words = f"{self._proved_by.text} proved the link before; it may act, so it is not asked again by itself"
            self._note("note", words)
        elif self._proved_by is not None:
            self._note("note", f"asking {self._proved_by.text} again, which proved the link before")
            with contextlib.suppress(Fault):
                await self.ask(self._proved_by)

    def _stop_returning(self) -> None:
        if self._returner is not None:
            self._returner.cancel()
        self._returner, self._returning = None, ""

    # ---- the answer's deadline

    def _wait_for_deadline(self) -> None:
        self._stop_timer()
        if self._exchange is not None:
            loop = asyncio.get_running_loop()
            delay = max(0.0, self._exchange.next_deadline() - mono_s())
            self._timer = loop.call_later(delay, self._deadline)

    def _deadline(self) -> None:
        self._timer = None
        if self._exchange is None:
            return
        answer = self._exchange.tick(mono_s())
        if answer is not None:
            self._settle(answer)
        else:
            self._wait_for_deadline()

    def _stop_timer(self) -> None:
        if self._timer is not None:
            self._timer.cancel()
            self._timer = None

    def _settle(self, answer: Answer) -> None:
        if self._answer is not None and not self._answer.done():
            self._answer.set_result(answer)

    def _finish(self, why: Ended) -> None:
        if self._late is not None and self._late_for is not None and not self._late.done():
            self._late.set_result(Answer(self._late_for, b"", why, None, None))
        if self._exchange is not None:
            self._settle(self._exchange.stop(why))

    def _answered(self, answer: Answer) -> None:
        now = mono_s()
        before = self._state.rung
        if answer.ended not in (Ended.LOST, Ended.STOPPED):
            self._state.answered(answer, now)
        if self._state.rung is Rung.PROVEN and answer.verdict is Verdict.RIGHT and answer.question.expected:
            self._proved_by = answer.question
        self._note_rung(before)
        text = f"asked {answer.question.text!r}: {answer.verdict.value}, {answer.ended.value}"
        self._note(
            "answer",
            text,
            {
                "question_hex": answer.question.data.hex(),
                "answer_hex": self._withholder.known.cut_from(answer.data)[:4096].hex(),
                "first_ms": None if answer.first_s is None else round(answer.first_s * 1000, 3),
                "last_ms": None if answer.last_s is None else round(answer.last_s * 1000, 3),
                "verdict": answer.verdict.value,
                "line_errors": answer.errors.total,
            },
        )

    # ---- the disk does not keep up

    def _hold_back(self, transport: Transport) -> None:
        transport.pause(True)
        asyncio.get_running_loop().call_later(_RESUME_CHECK_S, self._resume, transport)

    def _resume(self, transport: Transport) -> None:
        if transport is self._transport:
            if self._recorder.full:
                self._hold_back(transport)
            else:
                transport.pause(False)

    # ---- notes

    def _note_rung(self, before: Rung) -> None:
        now = self._state.rung
        if now is not before:
            self._note("rung", f"{before.word} → {now.word}", {"from": before.word, "to": now.word})

    def note(self, kind: str, text: str, detail: dict[str, object]) -> None:
        """A remark on the link for the record, of who works on it."""
        self._note(kind, text, detail)

    def _note(self, kind: str, text: str, detail: dict[str, object] | None = None) -> None:
        self._recorder.note(Event(self.link, utc_us(), round(mono_s() * 1e6), kind, text, detail or {}))
        log.happened(kind, self.link, f"{self.endpoint.text} {text}")
        if kind not in ("rung", "answer", "lines", "trial"):
            self.feed.put(Passed("note", b"", utc_us(), text=text))


async def closed(*runners: LinkRunner) -> None:
    """Releases all, whatever one of them says."""
    for runner in runners:
        with contextlib.suppress(Fault):
            await runner.release()
