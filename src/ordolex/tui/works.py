"""What all work on an open line shares, in Talk and in Set. One thing at a time goes on a link; Esc stops it."""

from __future__ import annotations

import asyncio
from collections.abc import Coroutine
from concurrent.futures import Future
from dataclasses import dataclass
from typing import Any

from rich.text import Text

from ordolex.core.record.items import LinkRecord
from ordolex.core.talk.echo import LEAST, echo_hint
from ordolex.core.text.visible import visible_text
from ordolex.io.link.runner import LinkRunner
from ordolex.io.system.faults import Fault
from ordolex.io.work.paced import Progress
from ordolex.tui.desks.base import Desk
from ordolex.tui.theme import Palette
from ordolex.tui.widgets.prompts import LinePrompt

_ECHO_ROWS = 60  # the last rows, in which the echo of what was typed is looked for
NO_LINK = "No link is chosen. F2 shows the ports; Enter there opens one."


@dataclass(slots=True)
class Sending:
    """Something under way on a link, that Esc stops; `progress` is set in the links' thread."""

    what: str
    future: Future[Any] | None = None
    progress: Progress | None = None
    now: str = ""

    def words(self, ink: Palette) -> Text:
        text = Text(self.what, ink.style("copper", bold=True), no_wrap=True)
        if self.progress is not None and self.progress.total:
            share = self.progress.sent / self.progress.total
            done = round(share * 20)
            text.append(f"   {'█' * done}{'░' * (20 - done)} {share:.0%}", ink.style("copper"))
            text.append(f"   {self.progress.left_s:.0f} s left", ink.style("ink"))
        if self.now:
            text.append(f"   {visible_text(self.now)}", ink.style("ink"))
        text.append("   Esc stops", ink.style("dim"))
        return text


class Works(Desk):
    """What the parts of a desk that work on a line are made of."""

    def __init__(self, *args: Any, **kwargs: Any) -> None:
        super().__init__(*args, **kwargs)
        self._sendings: dict[int, Sending] = self.session.works
        self._sought = ""
        self._last_rate_command = "rate {baud}\\r"

    def _open_link(self) -> tuple[LinkRecord, LinkRunner] | None:
        link = self.session.chosen
        runner = self.session.runner(link) if link is not None else None
        if link is None or runner is None or not runner.is_open:
            self.say("Open a port first: F2 shows the ports", "unsure")
            return None
        if link.id in self._sendings:
            self.say(f"{self._sendings[link.id].what} is under way; Esc stops it", "unsure")
            return None
        return link, runner

    def echo_hint(self, link: LinkRecord) -> str:
        """What the echo of what was typed tells, where the technician works with echoes at all."""
        talk = self.session.talk(link)
        if not (talk.by_key or talk.local_echo):
            return ""
        rows = talk.rows[-_ECHO_ROWS:]
        lines = [at for at, row in enumerate(rows) if row.direction == "tx" and len(row.data.strip()) >= LEAST]
        if lines:  # whole lines: the last of them; single keys are looked at together
            rows = rows[lines[-1] :]
        sent = b"".join(row.data for row in rows if row.direction == "tx")
        heard = b"".join(row.data for row in rows if row.direction == "rx") + talk.conversation.unfinished
        return echo_hint(sent, heard, local=talk.local_echo)

    def stop_work(self, link: LinkRecord) -> None:
        sending = self._sendings.pop(link.id, None)
        if sending is not None and sending.future is not None:
            sending.future.cancel()
            self.say(f"{sending.what}: stopped", "plain")

    async def _do(self, link: LinkRecord, sending: Sending, job: Coroutine[Any, Any, Any]) -> Any:
        """Runs it in the links' loop while the desk goes on; None if it was stopped or failed."""
        self._sendings[link.id] = sending
        sending.future = self.session.hub.call(job)
        try:
            return await asyncio.wrap_future(sending.future)
        except asyncio.CancelledError:
            return None
        except Fault as fault:
            self.say(str(fault), "bad")
            return None
        finally:
            self._sendings.pop(link.id, None)

    def _tell(self, link: LinkRecord, words: str, *, good: bool) -> None:
        self.session.drain(link)
        self.session.say(link, words)
        self.say(words, "good" if good else "unsure")

    async def _line(self, title: str, value: str, reading: Any, hint: str) -> str | None:
        typed: str | None = await self.app.push_screen_wait(LinePrompt(title, value, reading, hint))
        return typed
