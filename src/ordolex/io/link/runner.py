"""The link runner: the one owner of a link's transport. Everything that passes goes through its tap to the record,
before anybody sees it. Talk, rounds and procedures ask the runner for exchanges and wait for their turn."""

from __future__ import annotations

import asyncio
import contextlib
from collections.abc import Callable

from ordolex.core.line.settings import LineSettings
from ordolex.core.link.exchange import Answer, Ended
from ordolex.core.link.ladder import Rung
from ordolex.core.link.owed import Late
from ordolex.core.link.question import Question
from ordolex.core.link.secrets import Known, Withholder
from ordolex.core.link.state import LinkState
from ordolex.core.port.endpoint import Endpoint, read_endpoint
from ordolex.core.text.counts import counted
from ordolex.io.link.comes_back import ComesBack
from ordolex.io.link.control_lines import ControlLines
from ordolex.io.link.feed import Feed
from ordolex.io.link.held import Held
from ordolex.io.link.journal import Journal, RecorderLike
from ordolex.io.link.outgoing import Outgoing
from ordolex.io.link.owner import in_its_thread
from ordolex.io.link.tap import Tap
from ordolex.io.link.turns import Turns
from ordolex.io.link.view import LinkView
from ordolex.io.system.clock import mono_s
from ordolex.io.system.faults import Fault, PortMissing, Unreachable
from ordolex.io.transport.base import Transport
from ordolex.io.transport.open import transport_for


class LinkRunner:
    """Use it from one event loop, in the thread that opens it: see `owner`.

    link       the link's id in the book
    opens_low  whether the port is opened with DTR and RTS low
    lines      control lines and breaks
    tap        what arrives: `tap.heard_by` for who listens
    out        what goes out
    returning  how a port that was lost comes back
    """

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
        self.owner: int | None = None
        self.endpoint = read_endpoint(endpoint)
        self.opens_low = False
        self._make_transport = make_transport
        self._state = state = LinkState(line, self.endpoint.without, called=self.endpoint.is_called)
        self._held = held = Held()
        self._journal = journal = Journal(link, recorder, state, lambda: self.endpoint.text)
        withholder = Withholder(secrets)
        self.lines = ControlLines(held, journal)
        self.out = Outgoing(held, state, journal, withholder)
        self._turns = Turns(held, state, journal, self.out.ask, withholder.known.cut_from)
        self.tap = Tap(held, state, journal, self.lines, self._turns, withholder, self._lost)
        self.returning = ComesBack(journal, lambda: self.endpoint, self._open_once, self.move, self._prove_again)
        self.when_lost: Callable[[Fault], None] | None = None
        """Told of a lost port in place of opening it again by ourselves."""
        self._opening = asyncio.Lock()
        self._tuning = asyncio.Lock()
        self._stay_open = False

    # ---- what others may know

    @property
    def is_open(self) -> bool:
        return self._held.transport is not None

    @property
    def places_errors(self) -> bool:
        """Whether line errors come with the byte that they belong to."""
        return self._held.transport is not None and self._held.transport.places_errors

    @property
    def line(self) -> LineSettings:
        return self._state.line

    @property
    def charset(self) -> str:
        """The device's character set, a name of CHARSETS; empty where nobody chose one."""
        return self._state.charset

    @in_its_thread
    def reads_in(self, charset: str) -> None:
        """What comes is read, and judged, in this character set from now on."""
        self._state.reads_in(charset)

    @property
    def rung(self) -> Rung:
        return self._state.rung

    @property
    def late(self) -> Late | None:
        """How late answers come here, if any did."""
        return self._turns.late

    @property
    def feed(self) -> Feed:
        """What passed, for the screen."""
        return self._journal.feed

    @in_its_thread
    def view(self) -> LinkView:
        now, before = mono_s(), self._state.rung
        self._state.tick(now)
        self._journal.rung_after(before)
        self.lines.look_at_queue(now)
        evidence, words = self._state.evidence(), self.returning.words
        return LinkView(self.link, self.endpoint.text, evidence, self._turns.asking, words, self.lines.now)

    @in_its_thread
    def note(self, kind: str, text: str, detail: dict[str, object] | None = None) -> None:
        """A remark on the link for the record, of who works on it."""
        self._journal.note(kind, text, detail)

    # ---- opening and letting go

    @in_its_thread
    async def open(self, *, again: bool = False) -> None:
        """Opens the port at the link's line settings. Raises a Fault; the link then says why. `again` says that this
        was tried before, and why it did not do is in the record already."""
        async with self._opening:
            if self._held.transport is not None:
                return
            self._stay_open = True
            self.returning.stop()
            try:
                await self._open_once()
            except Fault as fault:
                self._stay_open = False
                self._refused(fault, kept=not again)
                raise
            settings = self._state.evidence().settings
            facts: dict[str, object] = {"endpoint": self.endpoint.text, "line": self._state.line.text}
            self._journal.note("opened", f"opened at {settings}", facts)

    def _refused(self, fault: Fault, *, kept: bool) -> None:
        before = self._state.rung
        if isinstance(fault, PortMissing | Unreachable):
            self._state.gone(fault.what, mono_s())
        else:
            self._state.seen(mono_s())
            self._state.released(mono_s(), fault.what)
        if kept:
            self._journal.note("refused", str(fault))
            self._journal.rung_after(before)

    async def _open_once(self) -> None:
        transport = self._make_transport(self.endpoint)
        transport.opens_low = self.opens_low
        await transport.open(self._state.line, self.tap)
        before = self._state.rung
        self._held.transport = transport
        self.lines.opened(low=self.opens_low)
        self.tap.opened()
        self._state.opened(mono_s())
        self._turns.forget()
        self._journal.rung_after(before)
        await self.returning.know_adapter()

    @in_its_thread
    async def release(self, *, keep_dtr: bool = False) -> None:
        """Lets the port go. It is free at once; what was being asked ends. `keep_dtr` leaves DTR on, so that a modem
        does not hang up and the line can be handed to another program; only OS ports can."""
        self._stay_open = False
        self.returning.stop()
        async with self._opening:
            transport, self._held.transport = self._held.transport, None
            self._turns.finish(Ended.STOPPED)
            self.tap.close()
            if transport is None:
                return
            unsent = transport.waiting_out()
            await transport.close(keep_dtr=keep_dtr)
        before = self._state.rung
        self._state.released(mono_s())
        words = "port released, DTR kept on" if keep_dtr else "port released"
        if unsent:
            words += f"; {counted(unsent, 'byte')} that the far end held back did not go out"
        if before is not Rung.PROVEN:
            words += f"; the link stood at {before.word}, not proven"
        self._journal.note("released", words)
        self._journal.rung_after(before)

    def _lost(self, fault: Fault) -> None:
        self._held.transport = None
        before = self._state.rung
        self._state.gone(fault.what, mono_s())
        self._journal.note("lost", fault.what)
        self._journal.rung_after(before)
        self._turns.finish(Ended.LOST)
        if self._stay_open and self.when_lost is None:
            self.returning.begin()
        elif self.when_lost is not None:
            self.when_lost(fault)

    async def _prove_again(self) -> None:
        """Asks once more what proved the link before, where that is known to change nothing."""
        question = self._turns.proved_by
        if question is not None and not question.may_repeat:
            words = f"{question.text} proved the link before; it may act, so it is not asked again by itself"
            self._journal.note("note", words)
        elif question is not None:
            self._journal.note("note", f"asking {question.text} again, which proved the link before")
            with contextlib.suppress(Fault):
                await self.ask(question)

    @in_its_thread
    def move(self, endpoint: str) -> None:
        """The adapter has another number now, or the link goes to another endpoint; one that waits looks there from now
        on."""
        if self._held.transport is None and endpoint != self.endpoint.text:
            what = "the adapter" if self.endpoint.kind == "serial" else "the link"
            self._journal.note("note", f"{what} is now at {endpoint}, it was at {self.endpoint.text}")
            self.endpoint = read_endpoint(endpoint)

    # ---- line settings

    @in_its_thread
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
            if self._held.transport is not None:
                await self._held.transport.configure(line)
            before = self._state.rung
            if keep:
                self._state.line = line
            else:
                self._state.retuned(line, mono_s())
                self._turns.forget()
            words = f"line settings {old.text} → {line.text}"
            self._journal.note("settings", words, {"from": old.text, "to": line.text})
            self._journal.rung_after(before)

    @in_its_thread
    def follows(self, line: LineSettings) -> None:
        """Whoever uses the port set it so; there is nothing for us to set."""
        old, self._state.line = self._state.line, line
        if old != line:
            self._journal.note(
                "settings", f"set by its user: {old.text} → {line.text}", {"from": old.text, "to": line.text}
            )

    # ---- asking

    @in_its_thread
    async def ask(self, question: Question, *, at_once: bool = False) -> Answer:
        """See `Turns.ask`. Raises a Fault only where it could not be sent."""
        return await self._turns.ask(question, at_once=at_once)

    def must_wait_s(self, question: Question) -> float:
        """See `Turns.must_wait_s`."""
        return self._turns.must_wait_s(question)

    @in_its_thread
    async def late_answer(self, question: Question) -> Answer | None:
        """See `Turns.late_answer`."""
        return await self._turns.late_answer(question)

    @in_its_thread
    def answered_through(self, answer: Answer) -> None:
        """Question and answer passed here, asked by somebody whose bytes this link carries on."""
        before = self._state.rung
        self._state.answered(answer, mono_s())
        self._journal.rung_after(before)

    @in_its_thread
    def shown_right(self, asked: str, said: str, ms: float, question: Question | None = None) -> None:
        """See `LinkState.shown_right`; a question that may be asked again proves the link again when it comes back."""
        before = self._state.rung
        self._state.shown_right(asked, said, ms, mono_s())
        if question is not None and self._state.rung is Rung.PROVEN:
            self._turns.proved_by = question
        self._journal.rung_after(before)

    @in_its_thread
    def stop_asking(self) -> None:
        """Ends the wait for the present answer; what has come of it is kept."""
        self._turns.finish(Ended.STOPPED)

    @in_its_thread
    def stop_asking_by_hand(self) -> None:
        """The same for a question by hand; another's has its answer first."""
        self._turns.finish_by_hand()

    @in_its_thread
    def recognise(self, said: str) -> None:
        """The device, which only talks, said what its sheet expects; counts only on a clear link."""
        before = self._state.rung
        self._state.recognised(said, mono_s())
        self._journal.rung_after(before)


async def closed(*runners: LinkRunner) -> None:
    """Releases all, whatever one of them says."""
    for runner in runners:
        with contextlib.suppress(Fault):
            await runner.release()
