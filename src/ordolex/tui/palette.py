"""The list of all commands: everywhere, every desk, and what stands in the menus of desks."""

from __future__ import annotations

from collections.abc import Iterator
from functools import partial
from typing import TYPE_CHECKING

from textual.app import SystemCommand

if TYPE_CHECKING:
    from ordolex.tui.app import OrdolexApp


def entries(app: OrdolexApp) -> Iterator[SystemCommand]:
    for job in app.JOBS:
        if job.id != "app.command_palette":
            yield SystemCommand(
                f"{job.title}  ({job.shown_key})" if job.key else job.title, job.help, partial(app.action_job, job.id)
            )
    for place in app.PLACES:
        offered = place.kind().JOBS
        menu_key = next((job.shown_key for job in offered if job.id.endswith(".more")), "")
        for job in offered:
            title = f"{place.word}: {job.title}  ({job.shown_key if job.key else menu_key})"
            yield SystemCommand(title, job.help, partial(app.run_at, place.word, job.id))
