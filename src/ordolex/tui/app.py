"""The application: the frame, the desks, and the timer that looks twenty times a second at what the links do."""

from __future__ import annotations

import asyncio
import os
import signal
import threading
import time
from collections.abc import Callable, Iterable
from functools import partial
from typing import TYPE_CHECKING, Any, ClassVar, cast

from rich.segment import Segments
from textual import work
from textual.app import App, ComposeResult, SystemCommand
from textual.binding import BindingType
from textual.containers import Horizontal, Vertical
from textual.events import Event, Key, Paste, Resize
from textual.screen import Screen
from textual.widgets import ContentSwitcher

from ordolex.core.advice.causes import NOTHING_TOLD
from ordolex.core.port.endpoint import Endpoint, read_endpoint
from ordolex.core.record.items import LinkRecord
from ordolex.core.text.visible import visible_text
from ordolex.io.book.book import Book
from ordolex.io.book.room import RoomWatch
from ordolex.io.link.hub import Hub
from ordolex.io.own.sheets import all_sheets
from ordolex.io.ports.survey import survey
from ordolex.io.system.faults import Fault, NotNetworkSerial
from ordolex.io.transport.base import Transport
from ordolex.io.transport.open import transport_for
from ordolex.tui.commands import COMMANDS, EVERYWHERE, bindings, of_context
from ordolex.tui.desks.base import Desk
from ordolex.tui.desks.find import FindDesk
from ordolex.tui.desks.later import other_desks
from ordolex.tui.help import PURPOSE, HelpScreen
from ordolex.tui.readings import remark_reading
from ordolex.tui.session import Session
from ordolex.tui.terminal import forgiving_driver
from ordolex.tui.theme import themes
from ordolex.tui.widgets.frame import KeyLine, Rail, StatusLine, TopBar
from ordolex.tui.widgets.key_pad import KeyPad
from ordolex.tui.widgets.lifeline import Lifeline
from ordolex.tui.widgets.prompts import LinePrompt, Palette, Pick, Picture, Prompt

if TYPE_CHECKING:
    from ordolex.tui.desks.set import SetDesk
    from ordolex.tui.desks.talk import TalkDesk

_TURN_S = 0.05
_RESCUE_S = 2.0
_DEVICE_KEYS = frozenset({"command_palette", "remark", "light", "next_link", "previous_link", "interrupt"})
_SECOND_TIME_S = 6.0  # a key that warned does what it says when it is pressed again within this
_ROOM_EVERY_S = 5.0  # how often the disk is looked at
_FRAME_TURNS = 5  # the frame's ages and counts are renewed four times a second
_SURVEY_S, _SURVEY_ELSEWHERE_S = 1.0, 1.5
_DESK_KEYS = {"Find": "F2", "Wire": "F3", "Match": "F4", "Talk": "F5", "Set": "F6", "Keep": "F8"}


class OrdolexApp(App[None]):
    TITLE = "Ordolex"
    ENABLE_COMMAND_PALETTE = True
    COMMAND_PALETTE_BINDING = "ctrl+p"
    BINDINGS: ClassVar[list[BindingType]] = [*bindings(EVERYWHERE), ("ctrl+c", "interrupt", "leave")]
    CSS = """
    #body { height: 1fr; }
    #right { width: 1fr; }
    Rail.away { display: none; }
    Lifeline.away, StatusLine.away { display: none; }
    ContentSwitcher { height: 1fr; }
    CommandPalette { background: $background 60%; }
    CommandPalette > Vertical { width: 92; max-width: 96%; background: $bar; }
    CommandPalette #--input { background: $bar; border: none; height: 3; padding: 1 1 0 1; }
    CommandPalette SearchIcon { display: none; }
    CommandPalette Input, CommandPalette Input:focus { border: none; background: $background; height: 1; }
    CommandPalette CommandList { background: $bar; border: none; scrollbar-size: 1 1; }
    CommandPalette CommandList > .option-list--option-highlighted { background: $background; }
    """

    def __init__(self, book: Book, make_transport: Callable[[Endpoint], Transport] = transport_for) -> None:
        super().__init__(driver_class=forgiving_driver())
        self._book = book
        self._session = Session(book, Hub(book.recorder, make_transport))
        self._interrupted_s = self._warned_s = 0.0
        self._kept_well = True
        self._moved = ""
        self._said_held = False
        self._room, self._room_s = RoomWatch(book.path), 0.0
        self._turns = 0
        self._rungs_shown: list[tuple[int, str]] = []
        for theme in themes():
            self.register_theme(theme)
        self.set_reactive(App.theme, "ordolex-dark")  # not as a change: a change reads all style sheets again
        self.stylesheet.set_variables(self.get_css_variables())
        # Kept by name: a query would look at the screen in front, and that may be a prompt.
        self._bar, self._keys, self._rail = TopBar(), KeyLine(), Rail()
        self._lifeline, self._status = Lifeline(), StatusLine()
        self._find = FindDesk(self._session)
        self._desks: dict[str, Desk] = {"Find": self._find}
        self._for_desks: list[Callable[[], None]] = []
        self._held_keys: list[Event] = []
        self._mounting = False
        self._left_meanwhile: Callable[[], None] | None = None
        self._switcher = ContentSwitcher(self._find, initial="find")

    # ---- the frame

    def compose(self) -> ComposeResult:
        yield self._bar
        yield self._keys
        with Horizontal(id="body"):
            yield self._rail
            with Vertical(id="right"):
                yield self._lifeline
                yield self._switcher
                yield self._status

    def on_mount(self) -> None:
        self._bar.site = self._session.site
        self._bar.desks = [(key, word) for word, key in _DESK_KEYS.items()]
        self._stop_on_signals()
        self._show_desk("Find")
        self._status.say("Find: choose a port with the arrow keys, Enter opens it. F1 helps.")
        self.set_interval(_TURN_S, self._turn)
        self.call_after_refresh(self._bring_desks)

    @work
    async def _bring_desks(self) -> None:
        """What the first screen stands without: the sheets and the survey, then the other desks. A desk that was
        turned to meanwhile comes in front, and gets the keys that were typed for it."""
        self._watch_ports()
        kinds = await asyncio.to_thread(other_desks)
        self._mounting = True
        for kind in kinds:
            desk = kind(self._session)
            desk.set_class(self._is_tight, "tight")
            await self._switcher.add_content(desk)
            self._desks[desk.word] = desk
        self._mounting = False
        if self._left_meanwhile is not None:
            self._left_meanwhile()
            return
        for turn in self._for_desks:
            turn()
        self.call_after_refresh(self._give_held_key)

    def exit(self, result: None = None, return_code: int = 0, message: Any = None) -> None:
        """Leaves; a desk that is being built is finished first, for it would find only half of itself."""
        if self._mounting:
            self._left_meanwhile = partial(self.exit, result, return_code, message)
        else:
            super().exit(result, return_code, message)

    async def _give_held_key(self) -> None:
        """One at a time: where the next one goes can depend on what this one did."""
        if self._held_keys:
            await super().on_event(self._held_keys.pop(0))
            self.call_after_refresh(self._give_held_key)
        else:
            self._for_desks.clear()

    async def on_event(self, event: Event) -> None:
        if self._for_desks and isinstance(event, Key | Paste):
            self._held_keys.append(event)
        else:
            await super().on_event(event)

    @property
    def _is_tight(self) -> bool:
        return self.size.height < 20 or self.size.width < 60

    def on_resize(self, event: Resize) -> None:
        width, height = event.size
        rail, lifeline = self._rail, self._lifeline
        rail.set_class(width < 100, "away")
        lifeline.set_class(width < 120 or height < 28, "folded")
        lifeline.set_class(width < 60 or height < 16, "flat")
        self._status.set_class(height < 12, "away")
        for desk in self._desks.values():
            desk.set_class(self._is_tight, "tight")
        self._show_frame()

    def _stop_on_signals(self) -> None:
        """A hang-up or a termination leaves as F10 does: the terminal is restored and the book closed."""
        loop = asyncio.get_running_loop()
        for name in ("SIGTERM", "SIGHUP", "SIGINT"):
            number = getattr(signal, name, None)
            if number is not None:
                try:
                    loop.add_signal_handler(number, self._leave_for_good)
                except (NotImplementedError, RuntimeError):  # Windows; not the main thread
                    return

    def _leave_for_good(self) -> None:
        self.exit()
        rescue = threading.Timer(_RESCUE_S, self._close_book_and_end)
        rescue.daemon = True
        rescue.start()

    def _close_book_and_end(self) -> None:
        """A terminal that is gone can hold up the leaving for ever; the ports and the book do not wait for it."""
        self._session.hub.stop()
        self._book.close()
        os._exit(0)

    async def on_unmount(self) -> None:
        await asyncio.to_thread(self._session.hub.stop)

    @property
    def desk(self) -> Desk:
        """The desk in front."""
        return self._desks[self._bar.desk or "Find"]

    def _show_desk(self, word: str) -> None:
        if word not in self._desks:
            self._for_desks.append(partial(self._show_desk, word))
            return
        if len(self.screen_stack) > 1:
            return  # a prompt is open: it is answered first
        # A widget that is hidden with the focus gives it up a moment later, and would take it from the new desk.
        self.screen.set_focus(None)
        self._switcher.current = word.lower()
        self._bar.desk = word
        self._keys.commands = [c for c in (*of_context(word), *of_context(EVERYWHERE)) if c.footer]
        self.desk.entered()
        self._show_frame()

    # ---- the turn

    def _turn(self) -> None:
        if not self._bar.is_attached:
            return
        self._turns += 1
        if self._turns % _FRAME_TURNS == 0 or self._rungs() != self._rungs_shown:
            self._show_frame()
        self.desk.turn()

    def _rungs(self) -> list[tuple[int, str]]:
        """What of the frame must show at once when it changes; ages and counts can wait a quarter of a second."""
        views = self._session.hub.views.values()
        return [(view.evidence.rung, view.evidence.trouble + view.asking) for view in views]

    def _show_frame(self) -> None:
        self._rungs_shown = self._rungs()
        session = self._session
        bar = self._bar
        bar.status = self._book.recorder.status
        if time.monotonic() - self._room_s > _ROOM_EVERY_S:
            self._room_s = time.monotonic()
            bar.room = self._room.look()
        self._say_of_record(bar.status.keeping, bar.status.why)
        rail, lifeline = self._rail, self._lifeline
        rail.entries = [(link, session.view(link)) for link in session.links]
        rail.chosen = session.chosen.id if session.chosen is not None else 0
        lifeline.link = session.chosen
        lifeline.question, lifeline.ask = session.question_for(session.chosen)
        lifeline.matched = session.matched_words(session.chosen) if session.chosen is not None else ""
        lifeline.view = session.view(session.chosen) if session.chosen is not None else None
        lifeline.told = session.told_of(session.chosen) if session.chosen is not None else NOTHING_TOLD
        for widget in (bar, rail, lifeline, self._keys):
            if widget.display:
                widget.show()

    def _say_of_record(self, keeping: bool, why: str) -> None:
        if self._book.held and not self._said_held:
            words = f"{self._book.held}. What you choose holds until you leave, and is kept once it can be"
            self._status.say(words, "bad")
        self._said_held = bool(self._book.held)
        moved = self._book.recorder.status.moved
        if moved and moved != self._moved:
            self._moved = moved
            self._status.say(f"The book is no longer where it was; everything is kept in {moved} now", "bad")
            self.bell()
        if keeping != self._kept_well:
            self._kept_well = keeping
            if keeping:
                self._status.say("The book can be written again; recording goes on", "good")
            else:
                text = f"NOT RECORDING: {why}. The links go on. Make room; I try again every few seconds"
                self._status.say(text, "bad")
                self.bell()

    @work
    async def _watch_ports(self) -> None:
        sheets = asyncio.create_task(asyncio.to_thread(all_sheets))  # read before a port is opened, not while it is
        while True:
            ports = await asyncio.to_thread(survey)
            await sheets
            if not self._find.is_attached:
                return
            moved = self._session.surveyed_now(ports)
            for sentence in moved:
                self._status.say(sentence)
            # what another desk has just said must not be taken away by a survey
            self._find.survey_changed(said=bool(moved) or self.desk is not self._find)
            await asyncio.sleep(_SURVEY_S if self.desk.word == "Find" else _SURVEY_ELSEWHERE_S)

    # ---- what desks ask for

    def on_desk_said(self, message: Desk.Said) -> None:
        self._status.say(message.text, message.how)

    def on_desk_open_wanted(self, message: Desk.OpenWanted) -> None:
        self._open(message.link)

    def on_desk_release_wanted(self, message: Desk.ReleaseWanted) -> None:
        self._release(message.link)

    @work
    async def _open(self, link: LinkRecord) -> None:
        session, status = self._session, self._status
        session.choose(link)
        if session.is_open(link) and session.view(link).evidence.line == session.line_of(link):
            self._show_desk("Talk")
            return
        status.say(f"opening {link.endpoint} …")
        try:
            await asyncio.wrap_future(session.open(link))
        except NotNetworkSerial as fault:
            status.say(str(fault), "bad")
            await self._offer_raw(link, fault)
        except Fault as fault:
            session.tries.failed(link.endpoint)
            status.say(f"try {session.tries.count(link.endpoint)}: {fault}", "bad")
            self._find.survey_changed()
        else:
            session.tries.opened(link.endpoint)
            settings = session.view(link).evidence.settings
            status.say(f"{link.name} is open at {settings}. Enter sends what stands in the line below", "good")
            self._show_desk("Talk")

    async def _offer_raw(self, link: LinkRecord, fault: NotNetworkSerial) -> None:
        endpoint = read_endpoint(link.endpoint)
        raw = f"tcp://{endpoint.host}:{endpoint.port}"
        choices = [("raw", f"Open its raw bytes at {raw}"), ("no", "Leave it")]
        answer = await self.push_screen_wait(
            Pick(fault.what, choices, "Raw TCP has no line settings and no line errors.")
        )
        if answer == "raw":
            try:
                self._open(self._session.keep_link(raw, "", "typed"))
            except Fault as second:
                self._status.say(str(second), "bad")

    @work
    async def _release(self, link: LinkRecord) -> None:
        future = self._session.release(link)
        if future is not None:
            await asyncio.wrap_future(future)
            self._status.say(f"{link.name}: the port is free", "good")

    # ---- commands everywhere

    def action_help(self) -> None:
        if isinstance(self.screen, HelpScreen):
            self.pop_screen()
        else:
            self.push_screen(HelpScreen(self.desk.word))

    def action_desk_find(self) -> None:
        self._turn_to("Find")

    def action_desk_wire(self) -> None:
        self._turn_to("Wire")

    def action_desk_match(self) -> None:
        self._turn_to("Match")

    def action_desk_talk(self) -> None:
        self._turn_to("Talk")

    def action_desk_set(self) -> None:
        self._turn_to("Set")

    def action_desk_keep(self) -> None:
        self._turn_to("Keep")

    def _turn_to(self, word: str) -> None:
        """Turning to a desk by hand: it says what it is for."""
        if self.desk.word != word and len(self.screen_stack) == 1:
            self._status.say(PURPOSE[word])
        self._show_desk(word)

    def action_leave(self) -> None:
        """Leaves at once, unless something was moved for the work that must be put back, or a device's menu is open."""
        standing = [(link, prompt) for link in self._session.links if (prompt := self._still_open(link))]
        if standing and time.monotonic() - self._warned_s > _SECOND_TIME_S:
            self._warned_s = time.monotonic()
            link, prompt = standing[0]
            self._session.choose(link)
            self._show_desk("Talk")
            words = f"{visible_text(link.name)} stands at {prompt} Ctrl+O asks how to leave it. F10 again leaves it so"
            self._status.say(words, "unsure")
        elif self._session.open_points() and time.monotonic() - self._warned_s > _SECOND_TIME_S:
            self._warned_s = time.monotonic()
            link, point = self._session.open_points()[0]
            self._session.choose(link)
            self._show_desk("Set")
            self._status.say(f"{visible_text(link.name)}, {point}. F10 again leaves it as it is", "unsure")
        elif self._session.to_restore:
            self._remind()
        else:
            self.exit()

    def _still_open(self, link: LinkRecord) -> str:
        """The prompt that the device was left at."""
        talk = cast("TalkDesk | None", self._desks.get("Talk"))
        return talk.still_open(link) if talk is not None else ""

    @work
    async def _remind(self) -> None:
        things = list(self._session.to_restore)
        choices = [
            ("done", "It is put back: leave"),
            ("open", "It stays as it is: leave, and note it"),
            ("stay", "Stay"),
        ]
        answer = await self.push_screen_wait(Pick("Put back before you go", choices, "\n".join(things)))
        if answer in ("done", "open"):
            word = "put back" if answer == "done" else "NOT put back"
            self._session.note(f"at the end, {word}: {'; '.join(things)}")
            self.exit()

    def action_why(self) -> None:
        """The causes for what the chosen link shows, weighed."""
        if len(self.screen_stack) > 1:
            return
        link = self._session.chosen
        if link is None:
            self._status.say("No link is chosen. F2 shows the ports; Enter there opens one", "unsure")
            return
        from ordolex.tui.why import Why

        self.push_screen(Why(self._session, link))

    @work
    async def action_remark(self) -> None:
        """A remark for the record; where the link has a sheet, what its lamps and display mean is offered."""
        if len(self.screen_stack) > 1:
            return
        link = self._session.chosen
        sheet = self._session.sheet_of(link) if link is not None else None
        text: str | None = "own"
        if sheet is not None and sheet.lamp:
            choices = [(f"{lamp.shows}: {lamp.means}", f"{lamp.shows}: {lamp.means}") for lamp in sheet.lamp]
            choices = [(str(number), visible_text(words)) for number, (_, words) in enumerate(choices)]
            text = await self.push_screen_wait(Pick("What do you see?", [*choices, ("own", "something else …")]))
            if text is not None and text != "own":
                lamp = sheet.lamp[int(text)]
                text = f"{lamp.shows}: {lamp.means}"
        if text == "own":
            hint = "lamp, display, who said what; it is kept in the book with its time. Esc goes back"
            text = await self.push_screen_wait(LinePrompt("Note for the record", "", remark_reading, hint))
        if text is not None:
            self._session.note(text, link)
            self._status.say("noted, with the time", "good")

    def action_next_link(self) -> None:
        self._step(1)

    def action_previous_link(self) -> None:
        self._step(-1)

    def _step(self, by: int) -> None:
        self._session.step(by)
        self.desk.link_changed()
        self._show_frame()

    def action_light(self) -> None:
        self.theme = "ordolex-light" if self.theme == "ordolex-dark" else "ordolex-dark"
        for desk in self._desks.values():
            desk.restyled()
        self.refresh(layout=True, repaint=True)

    def _fatal_error(self) -> None:
        """The report of a crash shows no values: one of them may be a secret that is being typed."""
        from rich.traceback import Traceback

        report = Traceback(show_locals=False, width=None)
        self._exit_renderables.append(Segments(self.console.render(report, self.console.options)))
        self._close_messages_no_wait()

    def check_action(self, action: str, parameters: tuple[object, ...]) -> bool | None:
        """While a device is worked key by key, all keys but the function keys are the device's."""
        return not (isinstance(self.focused, KeyPad) and action in _DEVICE_KEYS)

    def action_interrupt(self) -> None:
        """Ctrl+C is pressed by habit; once warns, twice leaves."""
        now = time.monotonic()
        if now - self._interrupted_s < 2.0:
            self.exit()
        self._interrupted_s = now
        self._status.say("Ctrl+C again, or F10, leaves", "unsure")

    async def push_screen_wait(self, screen: Any, *, mode: str | None = None) -> Any:
        """One prompt at a time: a key that was pressed twice before its prompt stood does not put a second over it."""
        if isinstance(screen, Prompt) and isinstance(self.screen, LinePrompt | Pick | Picture | Palette):
            return None
        return await super().push_screen_wait(screen, mode=mode)

    def action_command_palette(self) -> None:
        """One at a time, and not over a prompt, which is answered first."""
        if len(self.screen_stack) == 1:
            self.push_screen(Palette(id="--command-palette"))

    def get_system_commands(self, screen: Screen[object]) -> Iterable[SystemCommand]:
        """The palette holds our whole table: everywhere, every desk, and the menus of Talk and Set."""
        from ordolex.tui.set.more import WITH_THIS_DEVICE
        from ordolex.tui.talk.line_work import WITH_THIS_LINE

        for command in COMMANDS:
            title = f"{command.title}  ({command.shown_key})"
            if command.context == EVERYWHERE:
                if command.id != "app.command_palette":
                    yield SystemCommand(title, command.help, partial(self._run, command.action))
                continue
            yield SystemCommand(
                f"{command.context}: {title}", command.help, partial(self._run_at, command.context, command.action)
            )
        for word, key, menu in (("Talk", "Ctrl+B", WITH_THIS_LINE), ("Set", "o", WITH_THIS_DEVICE)):
            for what, words in menu:
                yield SystemCommand(f"{word}: {words}  ({key})", "", partial(self._run_from_menu, word, what))

    def _run_at(self, word: str, action: str) -> None:
        """At its desk: that is turned to first, so that what it does is seen, and why it cannot be is said there."""
        if word not in self._desks:
            self._for_desks.append(partial(self._run_at, word, action))
            return
        self._turn_to(word)
        self._run_in(self._desks[word], action)

    def _run_from_menu(self, word: str, what: str) -> None:
        if word not in self._desks:
            self._for_desks.append(partial(self._run_from_menu, word, what))
            return
        self._turn_to(word)
        cast("TalkDesk | SetDesk", self._desks[word]).do_from_menu(what)

    def _run(self, action: str) -> None:
        getattr(self, f"action_{action}")()

    def _run_in(self, desk: Desk, action: str) -> None:
        getattr(desk, f"action_{action}")()
