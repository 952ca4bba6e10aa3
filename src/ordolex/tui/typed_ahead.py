"""Keys that are pressed before what an earlier key began is on the screen.

A technician who knows the way presses the key of a question and types the answer at once. The question comes a moment
later, and what was typed meanwhile must not go to the desk behind it: there it would be a line for the device. So keys
and pastes wait, in their order, while an earlier key is still being handled, while a job that it began neither asks nor
has ended, and while a desk that is wanted is not there yet. A job that takes longer than a moment does not keep them.
"""

from __future__ import annotations

import asyncio
from collections import deque
from collections.abc import Iterator
from contextlib import contextmanager, suppress
from dataclasses import dataclass
from typing import TYPE_CHECKING, Any

from textual.app import ScreenStackError
from textual.events import Event, Key, Paste
from textual.message_pump import MessagePump
from textual.screen import Screen
from textual.widgets import Input
from textual.worker import NoActiveWorker, Worker, get_current_worker

from ordolex.tui.job import fault_said
from ordolex.tui.widgets.entry_line import EntryLine
from ordolex.tui.widgets.key_pad import KeyPad, is_programs

if TYPE_CHECKING:
    from ordolex.session.works import Sending
    from ordolex.tui.app import OrdolexApp

_MOMENT_S = 1.0
_LOOK_S = 0.01
_ROUNDS = 3
"""A key becomes a message of a widget, that one of its desk's, and that one of the application's."""
_JOBS = "default"
"""The group of a worker that has no other: what goes on behind the desks is in one of its own."""
_MOVES = frozenset(("up", "down", "left", "right", "pageup", "pagedown", "home", "end"))


@dataclass(frozen=True, slots=True)
class _Before:
    """When a key was given: the work that waits for nobody's answer, with which it has nothing to do."""

    others: set[Worker[Any]]
    under_way: Sending | None


class TypedAhead:
    def __init__(self, app: OrdolexApp) -> None:
        self._app = app
        self._held: deque[Key | Paste] = deque()
        self._given: Key | Paste | None = None
        self._waits = False
        self._asking: dict[Worker[Any], Screen[Any]] = {}

    def holds(self, event: Event) -> bool:
        """Whether the event is held back. Where it is not, and may begin something, those after it are."""
        if not isinstance(event, Key | Paste) or event.is_forwarded:
            return False
        if event is self._given:
            self._given = None
            return False
        if self._waits:
            self._held.append(event)
            return True
        if self._may_begin(event):
            self._waits = True
            self._app.run_worker(fault_said(self._give_on(self._now()), self._app.say), group="keys")
        return False

    @contextmanager
    def asking(self, screen: Screen[Any]) -> Iterator[None]:
        """While the job at hand waits for an answer, which keys are to reach."""
        try:
            worker = get_current_worker()
        except NoActiveWorker:
            yield
            return
        self._asking[worker] = screen
        try:
            yield
        finally:
            del self._asking[worker]

    def refused(self) -> None:
        """What was asked for cannot be done now: a text that was typed for it, up to its Enter, is for nobody."""
        while self._held and _is_text(self._held[0]):
            last = self._held.popleft()
            if isinstance(last, Key) and last.key == "enter":
                break

    def _may_begin(self, event: Key | Paste) -> bool:
        focused = self._app.focused
        if isinstance(event, Paste):
            return not isinstance(focused, KeyPad)
        if isinstance(focused, KeyPad):
            return is_programs(event.key)
        if isinstance(focused, EntryLine):
            return not focused.keeps(event)
        return event.key not in _MOVES and not (event.is_printable and isinstance(focused, Input))

    @property
    def _under_way(self) -> Sending | None:
        """What is under way on the chosen link: it can be seen, and stopped."""
        session = self._app.session
        return session.works.on(session.links.chosen.id) if session.links.chosen is not None else None

    def _now(self) -> _Before:
        return _Before(set(self._app.workers) - set(self._asking), self._under_way)

    async def _give_on(self, before: _Before) -> None:
        try:
            await self._is_shown(before)
            while self._held:
                event = self._held.popleft()
                may_begin, before = self._may_begin(event), self._now()
                self._given = event
                self._app.post_message(event)
                if may_begin:
                    await self._is_shown(before)
                else:
                    await self._through(self._app)
        except ScreenStackError:
            pass  # the program ends
        finally:
            self._held.clear()
            self._waits, self._given = False, None

    async def _is_shown(self, before: _Before) -> None:
        """Waits until what a key began is on the screen, or has ended, or takes longer than a moment."""
        clock = asyncio.get_running_loop().time
        await self._handled()
        until = clock() + _MOMENT_S
        while True:
            if self._app.arriving.waiting:
                until = clock() + _MOMENT_S
            elif not self._begins(before) or clock() > until:
                break
            await asyncio.sleep(_LOOK_S)
        await self._handled()

    def _begins(self, before: _Before) -> bool:
        """Whether something that the key began, or answered, is neither at an end nor to be seen."""
        stack, under_way = self._app.screen_stack, self._under_way
        if under_way is not None and under_way is not before.under_way:
            return False
        begun = (one for one in set(self._app.workers) - before.others if one.group == _JOBS and not one.is_finished)
        return any(self._asking.get(one) not in stack for one in begun)

    async def _handled(self) -> None:
        """Waits until the messages that are under way to the application have come there, and what followed of them;
        a screen that is being put up stands then, with its cursor."""
        for _ in range(_ROUNDS):
            pump: MessagePump | None = self._app.focused or self._app.screen
            while pump is not None:
                await self._through(pump)
                pump = pump._parent  # it goes the way that a key goes

    async def _through(self, pump: MessagePump) -> None:
        """Waits until all that it has been sent so far is handled. One that goes away handles nothing more."""
        done = asyncio.Event()
        if not pump.call_later(done.set):
            return
        until = asyncio.get_running_loop().time() + _MOMENT_S
        while (
            not done.is_set() and (pump is self._app or pump.is_attached) and asyncio.get_running_loop().time() < until
        ):
            with suppress(TimeoutError):
                await asyncio.wait_for(done.wait(), _LOOK_S)


def _is_text(event: Key | Paste) -> bool:
    return isinstance(event, Paste) or event.is_printable or event.key == "enter"
