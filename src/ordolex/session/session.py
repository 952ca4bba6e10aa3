"""What is worked on: the book, its links and who runs them, the ports, the devices, and what is under way.

It owns these facts; an interface holds only how they are looked at. It knows no widget.
"""

from __future__ import annotations

from collections.abc import Callable, Sequence
from concurrent.futures import Future
from dataclasses import replace
from functools import cached_property
from typing import TYPE_CHECKING

from ordolex.core.advice.causes import Told
from ordolex.core.advice.next_step import NOT_TRIED
from ordolex.core.line.settings import LineSettings
from ordolex.core.link.ladder import Rung
from ordolex.core.link.question import Question
from ordolex.core.link.signals import Signals
from ordolex.core.link.state import LinkState
from ordolex.core.port.endpoint import read_endpoint
from ordolex.core.record.items import Event, LinkRecord
from ordolex.io.book.book import Book
from ordolex.io.link.hub import Hub
from ordolex.io.link.view import LinkView
from ordolex.io.ports.survey import PortFacts
from ordolex.io.system.clock import mono_s, utc_us
from ordolex.io.system.faults import PortHeld
from ordolex.session.devices import Devices
from ordolex.session.elsewhere import by_address, made_here
from ordolex.session.links import Links, line_of
from ordolex.session.ports import Ports
from ordolex.session.told import ToldOfLinks
from ordolex.session.works import Works

if TYPE_CHECKING:  # what the first screen does not need is imported by the method that needs it
    from ordolex.core.link.exchange import Answer
    from ordolex.core.sheet import Sheet
    from ordolex.io.link.everywhere import Try
    from ordolex.io.link.runner import LinkRunner
    from ordolex.session.accepted import Accepted
    from ordolex.session.network import Network
    from ordolex.session.relays import Relays
    from ordolex.session.talks import Talks
    from ordolex.session.watches import Watches

_AT_S = 5.0

LINE_ENDS = {"LF": b"\n", "CR": b"\r", "CR LF": b"\r\n", "none": b""}


class Session:
    """to_restore  jumpers and switches that were moved for the work, and where they go back to
    told        what is known of each link besides its bytes
    works       what is under way on each link
    """

    def __init__(self, book: Book, hub: Hub) -> None:
        self.book = book
        self.hub = hub
        self.site = book.reader.site()
        self.ports = Ports(book.reader.known.adapters())
        self.links = Links(book, self.ports.of)
        self.devices = Devices(book)
        self.works = Works(hub.call)
        self.told = ToldOfLinks()
        self.to_restore: list[str] = []
        self.jump_to: tuple[int, int] | None = None
        """A link and a time (UTC, microseconds) that the record is to be shown at, when it comes in front."""
        self._unopened: dict[int, tuple[tuple[LinkRecord, int], LinkView]] = {}
        """What the last survey says of links that were never opened."""

    @cached_property
    def relays(self) -> Relays:
        """Two ends joined: those that the book has, and those that run."""
        from ordolex.session.relays import Relays

        relays = Relays(self.book, self.hub, self.links.named)
        self.hub.before_stop.append(relays.stop_all)
        return relays

    @cached_property
    def watches(self) -> Watches:
        """Rounds: those that the book has, and the one that runs."""
        from ordolex.session.watches import Watches

        watches = Watches(self.book, self.hub, self.links.named, lambda link: self.works.on(link) is None)
        self.hub.before_stop.append(watches.leave)
        return watches

    @property
    def watches_made(self) -> Watches | None:
        """The same, if anybody has asked for them yet."""
        return self.__dict__.get("watches")

    @cached_property
    def network(self) -> Network:
        """Boxes on the network, and how far a device is reached."""
        from ordolex.session.network import Network

        return Network(self.hub)

    @cached_property
    def accepted(self) -> Accepted:
        """Answers that the technician took as right."""
        from ordolex.session.accepted import Accepted

        return Accepted(self.book)

    @cached_property
    def talks(self) -> Talks:
        """What was said on each link, as rows for the screen."""
        from ordolex.session.talks import Talks

        return Talks(self.book, self.runner)

    def keep_as_before(self) -> None:
        """How long bytes stay in the book goes on as it was wanted when it was closed. Not for the screen's loop."""
        from ordolex.session.keeping import as_before

        as_before(self.book)

    # ---- the survey

    def surveyed_now(self, ports: list[PortFacts]) -> list[str]:
        """Takes a new survey; sentences on links whose adapter has another endpoint now."""
        self.ports.take(ports, self._is_ours)
        self.look_elsewhere()
        said = []
        for link in self.links:
            moved = next((p for p in self.ports.all if p.identity and p.identity == link.adapter), None)
            if moved is not None and moved.endpoint != link.endpoint and not self.is_open(link):
                self.links.change(replace(link, endpoint=moved.endpoint))
                self.hub.move(link.id, moved.endpoint)
                said.append(f"{link.name} is now at {moved.endpoint}")
        return said

    def look_elsewhere(self) -> None:
        """At the places that no survey finds."""
        relays = self.relays if "relays" in self.__dict__ else None
        views = [view for name in relays.running if (view := relays.view(name)) is not None] if relays else []
        addressed = by_address(self.links, self.ports.all, lambda link: self.is_open(link) or bool(self.relay_of(link)))
        self.ports.elsewhere = addressed + made_here(views)

    def name_adapter(self, identity: str, name: str) -> None:
        """Raises a BookFault."""
        self.book.name_adapter(identity, name)
        self.ports.rename(identity, name)
        for link in self.links:
            if link.adapter == identity:
                self.links.change(replace(link, name=name))
        self.ports.mark(self._is_ours)

    def _is_ours(self, port: PortFacts) -> bool:
        return any(link.endpoint == port.endpoint and self.is_open(link) for link in self.links)

    # ---- what runs

    def runner(self, link: LinkRecord) -> LinkRunner | None:
        return self.hub.runner(link.id)

    def is_open(self, link: LinkRecord) -> bool:
        runner = self.runner(link)
        return runner is not None and runner.is_open

    def view(self, link: LinkRecord) -> LinkView:
        """The link's moment; for one that was never opened, what the survey says of its port."""
        view = self.hub.views.get(link.id)
        if view is not None and (view.evidence.rung >= Rung.HELD or view.evidence.trouble or view.returning):
            return view
        if view is None:
            known = self._unopened.get(link.id)
            if known is None or known[0] != (link, self.ports.surveys):
                known = self._unopened[link.id] = ((link, self.ports.surveys), self._view_by_survey(link, None))
            return known[1]
        return self._view_by_survey(link, view)

    def _view_by_survey(self, link: LinkRecord, view: LinkView | None) -> LinkView:
        endpoint = read_endpoint(link.endpoint)
        state = LinkState(line_of(link), endpoint.without, called=endpoint.is_called)
        if view is not None and self.ports.of(link.endpoint) is None and view.endpoint == link.endpoint:
            listed = read_endpoint(link.endpoint).kind != "serial" and not link.adapter
        else:
            listed = self.ports.is_listed(link.endpoint)
        if listed:
            state.seen(mono_s())
        elif self.ports.surveyed:
            is_there = read_endpoint(link.endpoint).kind == "serial" or link.adapter
            state.trouble = "its port is not there" if is_there else NOT_TRIED
        return LinkView(link.id, link.endpoint, state.evidence(), "", "", Signals())

    def open(self, link: LinkRecord) -> Future[LinkRunner]:
        sheet = self.devices.sheet_of(link)
        for what in sheet.restore if sheet is not None else ():
            if what not in self.to_restore:
                self.to_restore.append(what)
        low = link.outputs == "low"
        return self.hub.call(self.hub.open(link.id, link.endpoint, line_of(link), low=low, charset=link.charset))

    def read_in(self, link: LinkRecord) -> None:
        """The link's character set is the one that it has now, for its screen and for who judges what comes."""
        self.talks.of(link).screen.use(link.reads_in)
        runner = self.runner(link)
        if runner is not None:
            self.hub.soon(lambda: runner.reads_in(link.charset))

    def relay_of(self, link: LinkRecord) -> str:
        """The running relay that this link is an end of; empty for none."""
        return self.relays.of(link) if "relays" in self.__dict__ else ""

    def release(self, link: LinkRecord, *, keep_dtr: bool = False) -> Future[None] | None:
        """Raises PortHeld for the end of a relay: that would be opened again at once, or stand dead."""
        relay = self.relay_of(link)
        if relay:
            raise PortHeld(f"it is an end of the relay {relay}", "Enter in Relay (F9) stops that")
        runner = self.runner(link)
        return None if runner is None else self.hub.call(runner.release(keep_dtr=keep_dtr))

    def open_points(self) -> list[tuple[LinkRecord, str]]:
        """What is not settled on any device: not applied, not stored, not started anew."""
        links = {link.id: link for link in self.links}
        return [(links[id_], point) for id_, point in self.devices.open_points() if id_ in links]

    # ---- what goes out

    def ask(self, link: LinkRecord, data: bytes) -> Future[Answer] | None:
        runner = self.runner(link)
        if runner is None:
            return None
        from ordolex.core.protocols.at.call import State
        from ordolex.core.protocols.codecs import AtCodec

        sheet = self.devices.sheet_of(link)
        known = (entry.question() for entry in sheet.question) if sheet is not None else ()
        question = next((question for question in known if question.data == data), None)
        commands = sheet is not None and sheet.family.dials and self.talks.of(link).call.state is not State.DATA
        if question is None and commands and data.upper().startswith(b"AT"):
            question = Question(data, timeout_s=_AT_S, codec=AtCodec(data))
        if question is None:
            question = self.accepted.of(link).get(data) or Question(data)
        return self.hub.call(runner.ask(question, at_once=True))

    def send(self, link: LinkRecord, data: bytes) -> Future[None] | None:
        """Sends without waiting for an answer."""
        runner = self.runner(link)
        return None if runner is None else self.hub.call(runner.out.send(data))

    def send_secret(
        self, link: LinkRecord, secret: bytes, behind: bytes = b"", *, whole: bool = True
    ) -> Future[None] | None:
        """Sends what is neither shown nor kept; `behind` is no part of it."""
        runner = self.runner(link)
        return None if runner is None else self.hub.call(runner.out.send_secret(secret, behind, whole=whole))

    def wake(self, link: LinkRecord, sheet: Sheet) -> Future[tuple[str, Answer | None]] | None:
        from ordolex.io.link.wake import wake

        runner = self.runner(link)
        return None if runner is None else self.hub.call(wake(runner, sheet))

    def ask_everywhere(
        self, ports: list[PortFacts], line: LineSettings, question: Question, deliver: Callable[[Try], None],
        units: Sequence[str] = (),
    ) -> Future[list[Try]]:  # fmt: skip
        """Asks on all these ports at once, with `units` each of them; `deliver` is called in the links' thread."""
        return self.hub.call(self.hub.ask_everywhere(ports, line, question, deliver, units))

    # ---- what is known and kept

    def known_secrets(self) -> tuple[str, ...]:
        """What was typed hidden in this visit, for a search; it is kept nowhere. Bytes that are no UTF-8 stand as
        surrogateescape has them."""
        return tuple(secret.decode("utf-8", "surrogateescape") for secret in self.hub.secrets)

    def told_of(self, link: LinkRecord) -> Told:
        """What is known of a link besides its bytes, for the causes of what looks wrong."""
        sheet = self.devices.sheet_of(link)
        bus = sheet is not None and sheet.family.addressed
        return self.told.of(self.view(link), line_of(link), bus=bus)

    def keep_event(
        self, link: LinkRecord | None, kind: str, text: str, detail: dict[str, object] | None = None
    ) -> None:
        """Something that happened now, for the record."""
        at_us = round(mono_s() * 1e6)
        self.book.recorder.note(Event(link.id if link is not None else 0, utc_us(), at_us, kind, text, detail or {}))

    def note(self, text: str, link: LinkRecord | None = None) -> None:
        """A remark of the technician's, on a link or for the book as a whole."""
        self.keep_event(link, "note", text)
        if link is not None:
            self.talks.say(link, text)
