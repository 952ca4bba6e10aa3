"""The application: the frame, the desks, and the timer that looks twenty times a second at what the links do."""

from __future__ import annotations

import asyncio
from collections.abc import Callable, Iterable
from functools import partial
from inspect import isawaitable
from pathlib import Path
from typing import Any, ClassVar

from rich.segment import Segments
from textual import work
from textual.app import App, ComposeResult, SystemCommand
from textual.binding import BindingType
from textual.containers import Horizontal, Vertical
from textual.events import Event, InputEvent, Resize
from textual.screen import Screen
from textual.widgets import ContentSwitcher

from ordolex.core.port.endpoint import Endpoint
from ordolex.io.book.book import Book
from ordolex.io.link.hub import Hub
from ordolex.io.own.fault_log import written_down
from ordolex.io.transport.base import Transport
from ordolex.io.transport.open import transport_for
from ordolex.session.session import Session
from ordolex.tui.arriving import Arriving
from ordolex.tui.aside import aside
from ordolex.tui.conditions import tell_conditions
from ordolex.tui.desks.at import How
from ordolex.tui.desks.base import Desk, job_of
from ordolex.tui.everywhere import FrameAt, jobs
from ordolex.tui.frame import Frame
from ordolex.tui.job import Job, bindings, fault_said, own_fault
from ordolex.tui.leaving import remind_of_addresses, warnings
from ordolex.tui.opening import open_link, release_link
from ordolex.tui.palette import entries
from ordolex.tui.places import PLACES, Place, behind_the_first
from ordolex.tui.signals import stop_on_signals
from ordolex.tui.terminal.driver import forgiving_driver
from ordolex.tui.terminal.sparing import SparingApp
from ordolex.tui.theme import themes
from ordolex.tui.typed_ahead import TypedAhead
from ordolex.tui.watching import watch_ports
from ordolex.tui.widgets.key_pad import KeyPad
from ordolex.tui.widgets.prompt import Prompt
from ordolex.tui.widgets.prompts import LinePrompt, Palette, Pick, Picture

_TURN_S = 0.05
_DEVICE_KEYS = frozenset(f"app.{name}" for name in ("command_palette", "remark", "light", "next_link", "previous_link"))
_FRAME_TURNS = 5  # the frame's ages and counts are renewed four times a second


class OrdolexApp(SparingApp):
    """A further desk is one more of PLACES, in a class of this that has its JOBS and BINDINGS from them."""

    TITLE = "Ordolex"
    ENABLE_COMMAND_PALETTE = False  # ours is opened by a job: its key is the device's while that is worked by key
    PLACES: ClassVar[tuple[Place, ...]] = PLACES
    JOBS: ClassVar[tuple[Job, ...]] = jobs(PLACES)
    BINDINGS: ClassVar[list[BindingType]] = [*bindings(JOBS), ("ctrl+c", "interrupt", "leave")]
    CSS = """
    #body { height: 1fr; }
    #right { width: 1fr; }
    Rail.away { display: none; }
    Lifeline.away, StatusLine.away { display: none; }
    .gone { display: none; }
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
        self.session = Session(book, Hub(book.recorder, make_transport))
        self.warned, self._interrupted = warnings()
        self._frame = Frame(self.session, book)
        self._turns = 0
        self._alone = False
        for theme in themes():
            self.register_theme(theme)
        self.set_reactive(App.theme, "ordolex-dark")  # not as a change: a change reads all style sheets again
        self.stylesheet.set_variables(self.get_css_variables())
        first = self.PLACES[0].kind()(self.session)
        self.desks: dict[str, Desk] = {first.word: first}
        self.arriving = Arriving()
        self.typed_ahead = TypedAhead(self)
        self.goes_on: list[str] = []
        """Relays that run on in a process of their own once this one has ended."""
        self.recent: list[Path] = []
        """Books to choose from at first; where there is but one, it is open already."""
        self.next_book: Path | None = None
        """The book that is wanted once this one is closed."""
        self._switcher = ContentSwitcher(first, initial=first.id)

    # ---- the frame

    def compose(self) -> ComposeResult:
        frame = self._frame
        yield frame.bar
        yield frame.keys
        with Horizontal(id="body"):
            yield frame.rail
            with Vertical(id="right"):
                yield frame.lifeline
                yield self._switcher
                yield frame.status

    def on_mount(self) -> None:
        self._frame.bar.site = self.session.site
        self._frame.bar.desks = [(place.key.upper(), place.word) for place in self.PLACES]
        stop_on_signals(self, self._close)
        self.show_desk(self.PLACES[0].word)
        self.say("Find: choose a port with the arrow keys, Enter opens it. F1 helps.")
        self.set_interval(_TURN_S, self._turn)
        self.call_after_refresh(self._bring_desks)
        if len(self.recent) > 1:
            self.call_after_refresh(self._choose_book)

    @work
    async def _choose_book(self) -> None:
        from ordolex.tui.books import choose_at_start

        await choose_at_start(self)

    def _close(self) -> None:
        self.session.hub.stop()
        self._book.close()

    async def on_unmount(self) -> None:
        await asyncio.to_thread(self.session.hub.stop)

    @work(group="desks")
    async def _bring_desks(self) -> None:
        """What the first screen stands without: the sheets and the survey, then the other desks. A desk that was
        turned to meanwhile comes in front, and gets the keys that were typed for it."""
        self.run_worker(watch_ports(self), group="ports")
        kinds = await aside("desks", partial(behind_the_first, self.PLACES))
        arriving = self.arriving
        arriving.building = True
        for kind in kinds:
            desk = kind(self.session)
            desk.set_class(self._is_tight, "tight")
            await self._switcher.add_content(desk)
            self.desks[desk.word] = desk
        arriving.building = False
        remind_of_addresses(self)
        await asyncio.to_thread(self.session.keep_as_before)
        if arriving.then is not None:
            arriving.then()
            return
        arriving.turn()

    async def on_event(self, event: Event) -> None:
        if isinstance(event, InputEvent) and not self.screen_stack:
            return  # it is being left: nothing is there that a key could be for
        if not self.typed_ahead.holds(event):
            await super().on_event(event)

    def exit(self, result: None = None, return_code: int = 0, message: Any = None) -> None:
        """Leaves; a desk that is being built is finished first, for it would find only half of itself."""
        if self.arriving.building:
            self.arriving.then = partial(self.exit, result, return_code, message)
        else:
            super().exit(result, return_code, message)

    @property
    def _is_tight(self) -> bool:
        return self.size.height < 20 or self.size.width < 60

    def on_desk_room_wanted(self, message: Desk.RoomWanted) -> None:
        self._alone = message.alone
        self._frame.fit(*self.size, alone=self._alone)

    def on_resize(self, event: Resize) -> None:
        self._frame.fit(*event.size, alone=self._alone)
        for desk in self.desks.values():
            desk.set_class(self._is_tight, "tight")
        self.show_frame()

    # ---- the desks

    @property
    def desk(self) -> Desk:
        """The desk in front."""
        return self.desks[self._frame.bar.desk or self.PLACES[0].word]

    @property
    def is_clear(self) -> bool:
        """Whether nothing stands over the desk in front."""
        return len(self.screen_stack) == 1

    def show_desk(self, word: str) -> None:
        """Puts a desk in front, once it is there; a prompt that is open is answered first."""
        if word not in self.desks:
            self.arriving.waiting.append(partial(self.show_desk, word))
            return
        if not self.is_clear:
            return
        # A widget that is hidden with the focus gives it up a moment later, and would take it from the new desk.
        self.screen.set_focus(None)
        self._switcher.current = word.lower()
        self._frame.bar.desk = word
        self._offer_keys()
        self.desk.entered()
        self.show_frame()

    def turn_to(self, word: str) -> None:
        """Turning to a desk by hand: it says what it is for."""
        if self.desk.word != word and self.is_clear:
            self.say(next(place.purpose for place in self.PLACES if place.word == word))
        self.show_desk(word)

    def run_at(self, word: str, id: str) -> None:
        """A job at its desk: that is turned to first, so that what it does is seen, and why it cannot be is said."""
        if word not in self.desks:
            self.arriving.waiting.append(partial(self.run_at, word, id))
            return
        self.turn_to(word)
        self.desks[word].start(id)

    def action_job(self, id: str) -> None:
        try:
            going_on = job_of(self.JOBS, id).run(FrameAt(self))
        except Exception as error:
            self.say(own_fault(error, written_down(error)), "bad")
            return
        if isawaitable(going_on):
            self.run_worker(fault_said(going_on, self.say))

    # ---- the turn

    def _turn(self) -> None:
        if not self._frame.bar.is_attached:
            return
        self._turns += 1
        with_frame = self._turns % _FRAME_TURNS == 0
        if with_frame or self._frame.is_old:
            self.show_frame()
        self.desk.with_frame = with_frame
        self.desk.turn()
        tell_conditions(self)

    def _offer_keys(self) -> None:
        """Those that work now: where every key goes to the device, function keys alone."""
        to_device = self.desk.keys_go_to_device
        jobs = [job for job in (*self.desk.JOBS, *self.JOBS) if job.footer]
        self._frame.keys.commands = [job for job in jobs if not to_device or job.key.startswith("f")]

    def show_frame(self) -> None:
        self._offer_keys()
        if self._frame.show():
            self.bell()

    # ---- what desks ask for

    def say(self, text: str, how: How = "plain") -> None:
        """In the status line."""
        self._frame.status.say(text, how)

    def on_desk_said(self, message: Desk.Said) -> None:
        self.say(message.text, message.how)

    def on_desk_refused(self, message: Desk.Refused) -> None:
        self.typed_ahead.refused()
        self.say(message.why_not, "unsure")

    def on_desk_open_wanted(self, message: Desk.OpenWanted) -> None:
        self.run_worker(fault_said(open_link(self, message.link), self.say))

    def on_desk_release_wanted(self, message: Desk.ReleaseWanted) -> None:
        self.run_worker(fault_said(release_link(self, message.link), self.say))

    def on_desk_go_wanted(self, message: Desk.GoWanted) -> None:
        self.show_desk(message.to)

    # ---- what Textual asks for

    def _fatal_error(self) -> None:
        """The report of a crash shows no values: one of them may be a secret that is being typed."""
        from rich.traceback import Traceback

        report = Traceback(show_locals=False, width=None)
        self._exit_renderables.append(Segments(self.console.render(report, self.console.options)))
        self._close_messages_no_wait()

    def check_action(self, action: str, parameters: tuple[object, ...]) -> bool | None:
        """While a device is worked key by key, all keys but the function keys are the device's."""
        by_key = isinstance(self.focused, KeyPad)
        return not (by_key and (action == "interrupt" or (action == "job" and parameters[0] in _DEVICE_KEYS)))

    def action_interrupt(self) -> None:
        """Ctrl+C is pressed by habit; once warns, twice leaves."""
        if self._interrupted.again():
            self.exit()
        self.say("Ctrl+C again, or F10, leaves", "unsure")

    async def push_screen_wait(self, screen: Any, *, mode: str | None = None) -> Any:
        """One prompt at a time: what two jobs ask at once does not stand one over the other."""
        if isinstance(screen, Prompt) and isinstance(self.screen, LinePrompt | Pick | Picture | Palette):
            return None
        with self.typed_ahead.asking(screen):
            return await super().push_screen_wait(screen, mode=mode)

    def get_system_commands(self, screen: Screen[object]) -> Iterable[SystemCommand]:
        return entries(self)
