"""What can be done at a desk, as data. Keys, footer, palette, help page, the desk's menu, the page of keys and the
manual page are all made from the jobs of a desk."""

from __future__ import annotations

import asyncio
from collections.abc import Awaitable, Callable, Iterable
from dataclasses import dataclass
from typing import Any

from textual.binding import Binding, BindingType

from ordolex.io.own.fault_log import written_down
from ordolex.io.system.faults import Fault

NO_LINK = "No link is chosen. F2 shows the ports; Enter there opens one."
_NAMES = {
    "question_mark": "?",
    "slash": "/",
    "comma": ",",
    "full_stop": ".",
    "escape": "Esc",
    "pageup": "PgUp",
    "pagedown": "PgDn",
}


async def fault_said(work: Awaitable[Any], say: Callable[[str, Any], None]) -> None:
    """Awaits a job. What goes wrong outside, such as a port that is pulled meanwhile, is said and ends only the job; so
    does a fault of our own: ports, relays and the record do not end with it."""
    try:
        await work
    except Fault as fault:
        say(str(fault), "bad")
    except Exception as error:
        where = await asyncio.to_thread(written_down, error)
        say(own_fault(error, where), "bad")


def own_fault(error: Exception, where: str) -> str:
    return (
        f"A fault of this program ({type(error).__name__}) ended what was begun, maybe half way; all else goes on."
        f" It is written down in {where}"
    )


def nothing(at: Any) -> str:
    return ""


def a_link(at: Any) -> str:
    return "" if at.chosen is not None else NO_LINK


def an_open_link(at: Any) -> str:
    """An open port on which nothing is under way."""
    if at.chosen is None or not at.session.is_open(at.chosen):
        return "Open a port first: F2 shows the ports"
    under_way = at.session.works.on(at.chosen.id)
    return f"{under_way.what} is under way; Esc stops it" if under_way is not None else ""


@dataclass(frozen=True, slots=True)
class Job:
    """id        the desk and the job, such as "talk.dial"
    run       does it, with what the desk gives its jobs (an `At`); what it awaits goes on beside the desk
    key       a key of Textual's; none for what stands in the desk's menu only
    footer    its short form, empty for what the footer leaves out
    needs     why it cannot be done now; empty where it can
    priority  its key works also while a line is typed
    """

    id: str
    title: str
    run: Callable[[Any], Any]
    key: str = ""
    help: str = ""
    footer: str = ""
    needs: Callable[[Any], str] = nothing
    priority: bool = False

    @property
    def shown_key(self) -> str:
        """The key as it stands on the keyboard."""
        parts = [_NAMES.get(part, part.capitalize()) for part in self.key.split("+")]
        return self.key if len(self.key) == 1 else "+".join(parts)


def bindings(jobs: Iterable[Job]) -> list[BindingType]:
    """The keys of a desk, for its BINDINGS."""
    return [
        Binding(
            job.key, f"job('{job.id}')", job.title, show=bool(job.footer), priority=job.priority, tooltip=job.help,
            id=job.id,
        )
        for job in jobs
        if job.key
    ]  # fmt: skip


def menu(jobs: Iterable[Job]) -> list[tuple[str, str]]:
    """(id, words) of what stands in the desk's menu only."""
    return [(job.id, job.title) for job in jobs if not job.key]
