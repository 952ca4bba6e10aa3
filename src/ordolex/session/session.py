"""What the interface works on: the book, the links and their runners, the survey, and which link is chosen.

It owns these facts; widgets hold only how they are looked at. It knows no widget.
"""

from __future__ import annotations

from collections.abc import Callable
from concurrent.futures import Future
from dataclasses import replace
from functools import cached_property
from typing import TYPE_CHECKING

from ordolex.core.advice.causes import Told
from ordolex.core.advice.next_step import ASK
from ordolex.core.line.notation import read_line
from ordolex.core.line.settings import LineSettings, SettingsError
from ordolex.core.link.ladder import Rung
from ordolex.core.link.question import Question
from ordolex.core.link.retry import Tries
from ordolex.core.link.signals import Signals
from ordolex.core.link.state import LinkState
from ordolex.core.port.came_and_left import Changes
from ordolex.core.port.endpoint import read_endpoint
from ordolex.core.port.remedies import Seen
from ordolex.core.record.items import Event, LinkRecord
from ordolex.core.text.visible import visible_text
from ordolex.io.book.book import Book
from ordolex.io.link.hub import Hub
from ordolex.io.link.view import LinkView
from ordolex.io.own import sheets
from ordolex.io.ports.survey import PortFacts
from ordolex.io.system.clock import mono_s, utc_us
from ordolex.session.told import ToldOfLinks
from ordolex.session.works import Works

if TYPE_CHECKING:  # what the first screen does not need is imported by the method that needs it
    from ordolex.core.device.settings_table import SettingsTable
    from ordolex.core.link.exchange import Answer
    from ordolex.core.sheet import Sheet
    from ordolex.io.link.everywhere import Try
    from ordolex.io.link.runner import LinkRunner
    from ordolex.session.talks import Talk, Talks

_NO_LINE = LineSettings(9600)
_AT_S = 5.0
_SHEETS_AGAIN_S = 5.0  # a sheet that is not there is looked for no oftener: reading all of them takes a while

LINE_ENDS = {"LF": b"\n", "CR": b"\r", "CR LF": b"\r\n", "none": b""}


class Session:
    def __init__(self, book: Book, hub: Hub) -> None:
        self.book = book
        self.hub = hub
        self.site = book.reader.site()
        self.links: list[LinkRecord] = book.links()
        self.chosen: LinkRecord | None = self.links[-1] if self.links else None
        self.ports: list[PortFacts] = []
        self.surveyed = False
        self.surveys = 0
        self.changes = Changes()
        self.tries = Tries()
        self.to_restore: list[str] = []
        """Jumpers and switches that were moved for the work, and where they go back to."""
        self._adapters = book.reader.adapters()
        self._last_seen: dict[str, PortFacts] = {}
        self._unopened: dict[int, tuple[tuple[LinkRecord, int], LinkView]] = {}
        """What the last survey says of links that were never opened."""
        self._sheets: dict[str, Sheet] = {}
        self._sheets_read_s = float("-inf")
        self.works = Works(hub.call)
        self.matched: dict[int, tuple[LineSettings, str]] = {}
        """What the last match of a link found that is no matter of settings, and the link's settings then."""
        self.told = ToldOfLinks()
        self.patience: dict[int, float] = {}
        """How long to wait for answers on a link, where the technician took another time than the sheet's."""
        self.plans: dict[tuple[int, str], dict[str, str]] = {}
        """What was typed into the form of a link's procedure."""
        self._settings: dict[tuple[int, str, int], SettingsTable] = {}

    # ---- links

    def choose(self, link: LinkRecord) -> None:
        self.chosen = link

    def step(self, by: int) -> None:
        """Chooses the next or previous link of the rail."""
        if self.links:
            ids = [link.id for link in self.links]
            at = ids.index(self.chosen.id) if self.chosen and self.chosen.id in ids else 0
            self.chosen = self.links[(at + by) % len(self.links)]

    def link_for(self, endpoint: str) -> LinkRecord | None:
        port = self.port_of(endpoint)
        for link in self.links:
            if link.endpoint == endpoint or (port is not None and port.identity and link.adapter == port.identity):
                return link
        return None

    def keep_link(self, endpoint: str, line: str, source: str) -> LinkRecord:
        """The link of this endpoint with these settings, made if the book has none. Raises a BookFault."""
        port = self.port_of(endpoint)
        known = self.link_for(endpoint)
        if known is None:
            name = port.name if port is not None else endpoint
            sheet = sheets.all_sheets()[0].get(self._sheet_for(port))
            link = self.book.add_link(
                LinkRecord(
                    0, name, endpoint, line, source,
                    adapter=port.identity if port is not None else "",
                    first_question=port.first_question if port is not None else "",
                    line_end=sheet.line_end if sheet is not None else "LF",
                    sheet=self._sheet_for(port),
                )
            )  # fmt: skip
            self.links.append(link)
            return link
        return self.change_link(replace(known, endpoint=endpoint, line=line, source=source))

    @staticmethod
    def _sheet_for(port: PortFacts | None) -> str:
        """The sheet of a stand-in; what a real device is, only the technician knows."""
        kind = port.kind if port is not None else ""
        return next((s.name for s in sheets.all_sheets()[0].values() if s.bench_kind and s.bench_kind == kind), "")

    def last_good(self) -> LinkRecord | None:
        """The link that was proven last, in this visit or an earlier one."""
        proven = self.book.reader.last_proven_link()
        return next((link for link in self.links if link.id == proven), None)

    def change_link(self, link: LinkRecord) -> LinkRecord:
        old = next((entry for entry in self.links if entry.id == link.id), None)
        if old != link:
            self.book.keep_link(link)
            self.links = [link if entry.id == link.id else entry for entry in self.links]
        if self.chosen is not None and self.chosen.id == link.id:
            self.chosen = link
        return link

    def port_of(self, endpoint: str) -> PortFacts | None:
        return next((port for port in self.ports if port.endpoint == endpoint), None)

    def line_of(self, link: LinkRecord) -> LineSettings:
        try:
            return read_line(link.line).settings
        except SettingsError:
            return _NO_LINE

    # ---- the survey

    def surveyed_now(self, ports: list[PortFacts]) -> list[str]:
        """Takes a new survey; sentences on links whose adapter has another endpoint now."""
        said = []
        self.surveyed = True
        self.surveys += 1
        self.changes.surveyed((port.identity or port.endpoint for port in ports if port.state != "gone"), mono_s())
        self._last_seen |= {port.identity or port.endpoint: port for port in ports}
        self.ports = [self._marked(port) for port in ports]
        there = {port.identity or port.endpoint for port in ports}
        left = [self._last_seen[identity] for identity in self.changes.left if identity not in there]
        self.ports += [replace(self._marked(port), state="gone", holder="") for port in left]
        for link in list(self.links):
            moved = next((p for p in self.ports if p.identity and p.identity == link.adapter), None)
            if moved is not None and moved.endpoint != link.endpoint and not self.is_open(link):
                self.change_link(replace(link, endpoint=moved.endpoint))
                self.hub.move(link.id, moved.endpoint)
                said.append(f"{link.name} is now at {moved.endpoint}")
        return said

    def seen(self) -> Seen:
        """What the survey says, for the causes of a port that is not as wanted."""
        left = self.changes.left

        def named(state: str) -> tuple[str, ...]:
            return tuple(port.name for port in self.ports if port.state == state and port.holder != "us")

        return Seen(
            named("no-driver"),
            tuple(port.name for port in self.ports if port.state == "gone" and port.identity in left),
            named("held"),
            named("no-rights"),
            sum(port.state != "gone" for port in self.ports),
        )

    def name_of(self, identity: str) -> str:
        """What an adapter is called: by the technician, else by the survey."""
        port = self._last_seen.get(identity)
        return self._adapters.get(identity) or (port.name if port is not None else identity)

    def name_adapter(self, identity: str, name: str) -> None:
        """Raises a BookFault."""
        self.book.name_adapter(identity, name)
        self._adapters[identity] = name
        for link in self.links:
            if link.adapter == identity:
                self.change_link(replace(link, name=name))
        self.ports = [self._marked(port) for port in self.ports]

    def _marked(self, port: PortFacts) -> PortFacts:
        """With the technician's name. A port that we hold ourselves is not held by somebody else."""
        port = replace(port, name=self._adapters.get(port.identity, port.name))
        ours = [link for link in self.links if link.endpoint == port.endpoint and self.is_open(link)]
        return replace(port, state="held", holder="us") if ours else port

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
            if known is None or known[0] != (link, self.surveys):
                known = self._unopened[link.id] = ((link, self.surveys), self._view_by_survey(link, None))
            return known[1]
        return self._view_by_survey(link, view)

    def _view_by_survey(self, link: LinkRecord, view: LinkView | None) -> LinkView:
        state = LinkState(self.line_of(link), read_endpoint(link.endpoint).has_line)
        if view is not None and self.port_of(link.endpoint) is None and view.endpoint == link.endpoint:
            listed = read_endpoint(link.endpoint).kind != "serial" and not link.adapter
        else:
            listed = self._is_listed(link)
        if listed:
            state.seen(mono_s())
        elif self.surveyed:
            state.trouble = "its port is not there"
        return LinkView(link.id, link.endpoint, state.evidence(), "", "", Signals())

    def _is_listed(self, link: LinkRecord) -> bool:
        port = self.port_of(link.endpoint)
        return port is not None and port.state != "gone"

    def open(self, link: LinkRecord) -> Future[LinkRunner]:
        sheet = self.sheet_of(link)
        for what in sheet.restore if sheet is not None else ():
            if what not in self.to_restore:
                self.to_restore.append(what)
        return self.hub.call(self.hub.open(link.id, link.endpoint, self.line_of(link), low=link.outputs == "low"))

    def release(self, link: LinkRecord, *, keep_dtr: bool = False) -> Future[None] | None:
        runner = self.runner(link)
        return None if runner is None else self.hub.call(runner.release(keep_dtr=keep_dtr))

    def ask(self, link: LinkRecord, data: bytes) -> Future[Answer] | None:
        runner = self.runner(link)
        if runner is None:
            return None
        from ordolex.core.protocols.at.call import State
        from ordolex.core.protocols.codecs import AtCodec

        sheet = self.sheet_of(link)
        known = (entry.question() for entry in sheet.question) if sheet is not None else ()
        question = next((question for question in known if question.data == data), None)
        commands = sheet is not None and sheet.family.dials and self.talk(link).call.state is not State.DATA
        if question is None and commands and data.upper().startswith(b"AT"):
            question = Question(data, timeout_s=_AT_S, codec=AtCodec(data))
        if question is None:
            question = Question(data)
        return self.hub.call(runner.ask(question, at_once=True))

    def send(self, link: LinkRecord, data: bytes) -> Future[None] | None:
        """Sends without waiting for an answer."""
        runner = self.runner(link)
        return None if runner is None else self.hub.call(runner.send(data))

    def send_secret(
        self, link: LinkRecord, secret: bytes, behind: bytes = b"", *, whole: bool = True
    ) -> Future[None] | None:
        """Sends what is neither shown nor kept; `behind` is no part of it."""
        runner = self.runner(link)
        return None if runner is None else self.hub.call(runner.send_secret(secret, behind, whole=whole))

    def sheet_of(self, link: LinkRecord) -> Sheet | None:
        """The device's sheet, where the link carries one that can be read."""
        if not link.sheet:
            return None
        if link.sheet not in self._sheets and mono_s() - self._sheets_read_s > _SHEETS_AGAIN_S:
            self._sheets, self._sheets_read_s = sheets.all_sheets()[0], mono_s()
        return self._sheets.get(link.sheet)

    def question_for(self, link: LinkRecord | None) -> tuple[str, str]:
        """A question that would prove the link, of its sheet, else one that every instrument of IEEE 488.2 knows; and
        how the device is asked. Nothing of either while the sheets are still to be read: the frame does not wait."""
        if link is not None and link.sheet and not sheets.are_read():
            return "", ""
        sheet = self.sheet_of(link) if link is not None else None
        if sheet is None:
            return "*IDN?", ASK
        if sheet.family.framed:
            return "r in Set", "Set (F6) asks it: r reads" + (", n scans for units." if sheet.family.framing else ".")
        known = next((question for question in sheet.harmless if question.like), None)
        return (visible_text(known.question().text) if known is not None else ""), ASK

    def settings(self, link: LinkRecord) -> SettingsTable | None:
        """The link's settings as they are worked on; None where it has no sheet with parameters."""
        sheet = self.sheet_of(link)
        if sheet is None or not sheet.parameter:
            return None
        from ordolex.session.device import table_of

        key = (link.id, link.sheet, self.unit_of(link))
        if key not in self._settings:
            self._settings[key] = table_of(sheet, self.unit_of(link), self.book.reader, link.id)
        return self._settings[key]

    def follow_line(self, link: LinkRecord, line: LineSettings, source: str) -> None:
        """The link's settings are these now."""
        self.change_link(replace(link, line=line.text, source=source))

    def matched_words(self, link: LinkRecord) -> str:
        """What a match found on this link besides settings, while the port is still as it was then."""
        line, words = self.matched.get(link.id, (None, ""))
        return words if line == self.line_of(link) else ""

    def told_of(self, link: LinkRecord) -> Told:
        """What is known of a link besides its bytes, for the causes of what looks wrong."""
        sheet = self.sheet_of(link)
        bus = sheet is not None and sheet.family.addressed
        return self.told.of(self.view(link), self.line_of(link), bus=bus)

    def unit_of(self, link: LinkRecord) -> int:
        sheet = self.sheet_of(link)
        return link.unit if link.unit >= 0 else sheet.bus.unit if sheet is not None else 1

    def open_points(self) -> list[tuple[LinkRecord, str]]:
        """What is not settled on any device: not applied, not stored, not started anew."""
        links = {link.id: link for link in self.links}
        return [
            (links[id_], point) for (id_, _, _), table in self._settings.items() for point in table.open_points
            if id_ in links
        ]  # fmt: skip

    def wake(self, link: LinkRecord, sheet: Sheet) -> Future[tuple[str, Answer | None]] | None:
        from ordolex.io.link.wake import wake

        runner = self.runner(link)
        return None if runner is None else self.hub.call(wake(runner, sheet))

    def ask_everywhere(
        self, ports: list[PortFacts], line: LineSettings, question: Question, deliver: Callable[[Try], None]
    ) -> Future[list[Try]]:
        """Asks on all these ports at once; `deliver` is called in the links' thread."""
        return self.hub.call(self.hub.ask_everywhere(ports, line, question, deliver))

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
            self.say(link, text)

    # ---- the conversation on the screen

    @cached_property
    def talks(self) -> Talks:
        from ordolex.session.talks import Talks

        return Talks(self.book, self.runner)

    def talk(self, link: LinkRecord) -> Talk:
        """The link's rows; at first those of the book's end, so that a new start goes on where the last one ended."""
        return self.talks.of(link)

    def drain(self, link: LinkRecord) -> bool:
        """Takes what came since the last turn into the link's rows; whether there was anything."""
        return self.talks.drain(link)

    def say(self, link: LinkRecord, text: str) -> None:
        """A remark of the program's among the link's rows, below what it speaks of."""
        self.talks.say(link, text)
