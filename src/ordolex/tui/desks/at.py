"""What a job works with: the session, the link it is for, and the ways to ask and to tell the technician."""

from __future__ import annotations

import asyncio
from collections.abc import Callable, Coroutine
from typing import TYPE_CHECKING, Any, Literal, TypeVar

from ordolex.core.record.items import LinkRecord
from ordolex.io.system.faults import Fault
from ordolex.session.session import Session
from ordolex.session.works import Sending
from ordolex.tui.job import menu
from ordolex.tui.widgets.prompt import Prompt
from ordolex.tui.widgets.prompts import LinePrompt

if TYPE_CHECKING:
    from ordolex.io.link.runner import LinkRunner
    from ordolex.tui.desks.base import Desk

How = Literal["good", "bad", "unsure", "plain"]
T = TypeVar("T")


class At:
    """`chosen` is the link that was chosen when the job began; `link` is the same for a job that needs one."""

    def __init__(self, desk: Desk) -> None:
        self._desk = desk
        self.session: Session = desk.session
        self.chosen: LinkRecord | None = desk.session.links.chosen

    @property
    def link(self) -> LinkRecord:
        assert self.chosen is not None, "a job that needs no link asked for it"
        return self.chosen

    @property
    def width(self) -> int:
        """Columns of the window."""
        return self._desk.app.size.width

    @property
    def runner(self) -> LinkRunner:
        """Who runs the link, for a job that needs an open one."""
        runner = self.session.runner(self.link)
        assert runner is not None, "a job that needs no open link asked who runs it"
        return runner

    def say(self, text: str, how: How = "plain") -> None:
        """In the status line."""
        self._desk.say(text, how)

    async def ask(self, prompt: Prompt[T]) -> T | None:
        """Puts a question before the technician. None where it is left, or another one stands already."""
        answer: T | None = await self._desk.app.push_screen_wait(prompt)
        return answer

    async def ask_beside(self, prompt: Prompt[T]) -> T | None:
        """The same for work that runs beside the desk, and not for it."""
        given: asyncio.Future[T | None] = asyncio.get_running_loop().create_future()

        def take(answer: T | None) -> None:
            if not given.done():
                given.set_result(answer)

        self._desk.app.push_screen(prompt, take)
        return await given

    async def line(self, title: str, value: str, reading: Callable[[str], str], hint: str) -> str | None:
        """One line to type; `reading` says how it is understood, or raises ValueError."""
        return await self.ask(LinePrompt(title, value, reading, hint))

    async def do(self, sending: Sending, job: Coroutine[Any, Any, T]) -> T | None:
        """Runs it in the links' loop while the desk goes on; None if it was stopped or failed, which is said then."""
        try:
            return await self.session.works.do(self.link.id, sending, job)
        except Fault as fault:
            self.say(str(fault), "bad")
            return None

    async def on_links(self, job: Coroutine[Any, Any, T]) -> T:
        """Runs something short in the links' loop. Raises a Fault."""
        return await asyncio.wrap_future(self.session.hub.call(job))

    def tell(self, words: str, *, good: bool) -> None:
        """In the status line, and among the rows of the link's conversation."""
        self.session.talks.drain(self.link)
        self.session.talks.say(self.link, words)
        self.say(words, "good" if good else "unsure")

    def change_link(self, link: LinkRecord) -> bool:
        """Keeps the link as it is now; whether that could be done. Where not, it is said."""
        try:
            self.chosen = self.session.links.change(link)
        except Fault as fault:
            self.say(str(fault), "bad")
            return False
        return True

    def want_open(self, link: LinkRecord) -> None:
        self._desk.post_message(self._desk.OpenWanted(link))

    def want_release(self, link: LinkRecord) -> None:
        self._desk.post_message(self._desk.ReleaseWanted(link))

    def go_to(self, word: str) -> None:
        """Puts another desk in front, once the prompt that stands is gone."""
        self._desk.post_message(self._desk.GoWanted(word))

    @property
    def menu(self) -> list[tuple[str, str]]:
        """(id, words) of the jobs without a key."""
        return menu(self._desk.JOBS)

    def run(self, id: str) -> None:
        """Another job of the desk."""
        self._desk.start(id)

    def run_everywhere(self, id: str) -> None:
        """A job that every desk has."""
        self._desk.call_later(self._desk.app.run_action, f"app.job({id!r})")

    def stop_work(self) -> None:
        """Stops what is under way on the chosen link."""
        works, link = self.session.works, self.chosen
        stopped = works.stop(link.id) if link is not None else ""
        if stopped and link is not None:
            self.say(f"{stopped}: stopped" if works.on(link.id) is None else f"{stopped}: it is brought back first …")
