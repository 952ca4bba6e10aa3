"""The relays of the book: those that are defined, those that run here, and those that run elsewhere."""

from __future__ import annotations

import asyncio
from collections.abc import Callable, Coroutine, Iterator
from concurrent.futures import Future
from dataclasses import replace
from typing import Any

from ordolex.core.link.question import Question
from ordolex.core.link.state import Proof
from ordolex.core.port.endpoint import Endpoint
from ordolex.core.record.items import LinkRecord
from ordolex.core.relay.path_runs import PathRun
from ordolex.core.relay.plan import RelayPlan, check
from ordolex.io.book.book import Book
from ordolex.io.link.hub import Hub
from ordolex.io.relay.measuring import measure_loop, measure_question, with_host_beside
from ordolex.io.relay.prove import prove, used
from ordolex.io.relay.relay import RelayView
from ordolex.io.relay.running import Running
from ordolex.io.system.clock import mono_s, utc_us
from ordolex.io.transport.base import Transport
from ordolex.io.transport.open import transport_for

_VIEW_S = 0.2


class Relays:
    """Use it from the interface's loop; relays run among the links."""

    def __init__(
        self, book: Book, hub: Hub, link_for: Callable[[str, str, str], LinkRecord],
        make_transport: Callable[[Endpoint], Transport] = transport_for,
    ) -> None:  # fmt: skip
        self._book, self._hub, self._link_for, self._make_transport = book, hub, link_for, make_transport
        self._plans = {plan.name: plan for plan in book.reader.known.relays()}
        self._running: dict[str, Running] = {}
        self._views: dict[str, RelayView] = {}
        self._viewing = False
        self._path_runs = book.reader.known.path_runs()

    def __iter__(self) -> Iterator[RelayPlan]:
        return iter(sorted(self._plans.values(), key=lambda plan: plan.name))

    def __getitem__(self, name: str) -> RelayPlan:
        return self._plans[name]

    def __contains__(self, name: str) -> bool:
        return name in self._plans

    def keep(self, plan: RelayPlan) -> RelayPlan:
        """Raises PlanError, EndpointError, SettingsError or a BookFault."""
        plan = check(plan)
        self._book.keep_relay(plan)
        self._plans[plan.name] = plan
        return plan

    def drop(self, name: str) -> None:
        """Raises a BookFault."""
        self._book.drop_relay(name)
        self._plans.pop(name, None)

    # ---- running

    def view(self, name: str) -> RelayView | None:
        """The relay's latest moment; None where it does not run here."""
        return self._views.get(name) if name in self._running else None

    @property
    def running(self) -> list[str]:
        return sorted(self._running)

    def start(self, name: str) -> Future[None]:
        """Raises, by the future, a Fault."""
        plan = self._plans[name]
        links = links_of(plan, self._link_for)
        running = Running(
            plan, self._book.recorder, (links[0].id, links[1].id), book=str(self._book.path),
            make_transport=self._make_transport, ended=lambda: self._hub.soon(lambda: self._end(name)),
        )  # fmt: skip
        for link, end in zip(links, running.relay.ends, strict=True):
            end.runner.reads_in(link.charset)
        self._running[name] = running
        return self._hub.call(self._start(name, running))

    async def _start(self, name: str, running: Running) -> None:
        try:
            await running.start()
        except BaseException:
            self._running.pop(name, None)
            raise
        for end in running.relay.ends:
            self._hub.adopt(end.runner)
        self._views[name] = running.relay.view()
        if not self._viewing:
            self._viewing = True
            self._hub.begin(self._view_on())

    async def _view_on(self) -> None:
        while self._running:
            self._views = {name: running.relay.view() for name, running in list(self._running.items())}
            await asyncio.sleep(_VIEW_S)
        self._viewing = False

    def _end(self, name: str) -> None:
        """Somebody else asked it to end; in the links' loop."""
        self._hub.begin(self._stop(name))

    def stop(self, name: str) -> Future[None]:
        return self._hub.call(self._stop(name))

    async def _stop(self, name: str) -> None:
        running = self._running.pop(name, None)
        if running is not None:
            await running.stop()
            for end in running.relay.ends:
                self._hub.dismiss(end.runner)

    async def stop_all(self) -> None:
        """In the links' loop."""
        await asyncio.gather(*(self._stop(name) for name in list(self._running)))

    def of(self, link: LinkRecord) -> str:
        """The running relay that this link is an end of; empty for none."""
        runners = ((name, end.runner.link) for name, running in self._running.items() for end in running.relay.ends)
        return next((name for name, number in runners if number == link.id), "")

    # ---- what is done with one that runs

    def do(self, name: str, work: Callable[[Running], Coroutine[Any, Any, Any]]) -> Future[Any]:
        """Runs something among the links on a relay that runs. Raises KeyError where it does not."""
        return self._hub.call(work(self._running[name]))

    def prove(self, name: str, question: Question) -> Future[tuple[Proof | None, str]]:
        return self.do(name, lambda running: prove(running.relay, question))

    def offer_again(self, name: str) -> Future[None]:
        self._plans[name] = replace(self._plans[name], shell_known=True)
        self._book.keep_relay(self._plans[name])
        return self.do(name, lambda running: running.relay.offer_again())

    def switch(self, name: str, endpoint: str) -> Future[None]:
        """The device's end goes to another endpoint while the program keeps its port. Raises PlanError or
        EndpointError."""
        plan = check(replace(self._plans[name], b=endpoint))
        self.keep(plan)
        return self.do(name, lambda running: running.relay.switch(plan.b))

    def hand_over(self, name: str, peer: str) -> Future[bool]:
        async def hand_over(running: Running) -> bool:
            return running.relay.hand_over(peer)

        return self.do(name, hand_over)

    def measure(
        self, name: str, run: str, conditions: dict[str, str], question: Question | None, times: int,
        changed: Callable[[int], None], beside: str = "",
    ) -> Future[PathRun]:  # fmt: skip
        """A measured run through the near end, kept in the book: of a question, or of a loop where there is none.
        `beside` is a second host, to which round trips are taken before, during and after."""

        async def measure(running: Running) -> PathRun:
            relay = running.relay
            known = {"path": f"{relay.plan.a} → {relay.plan.b}", "rate": relay.ends[1].runner.line.text}
            async with used(relay) as runner:
                if question is not None:
                    measuring = measure_question(runner, run, known | conditions, question, times, changed)
                else:
                    measuring = measure_loop(runner, run, known | conditions, times, flood=64 << 10, changed=changed)
                done = await with_host_beside(measuring, beside) if beside else await measuring
            keep_path_run(self._book, done, relay.ends[1].runner.link)
            self._path_runs = [*self.path_runs, done]
            return done

        return self.do(name, measure)

    @property
    def path_runs(self) -> list[PathRun]:
        """Of this visit and of earlier ones, in the order in which they were made."""
        return self._path_runs


def keep_path_run(book: Book, run: PathRun, link: int = 0) -> None:
    from ordolex.core.record.items import Event

    text = f"measured run {run.name}: {run.sent} sent, {run.lost} lost, {run.wrong} wrong, {run.doubled} doubled"
    book.recorder.note(Event(link, utc_us(), round(mono_s() * 1e6), "path", text, run.as_dict()))


def links_of(plan: RelayPlan, link_for: Callable[[str, str, str], LinkRecord]) -> tuple[LinkRecord, LinkRecord]:
    """The relay's two links, made where the book has none of these endpoints. `link_for` takes endpoint, name and line
    settings."""
    a, b = plan.ends
    return (
        link_for(a.text, f"{plan.name}, program's side", plan.line),
        link_for(b.text, f"{plan.name}, device's side", plan.line),
    )
