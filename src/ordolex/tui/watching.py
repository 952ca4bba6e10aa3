"""The survey of the ports, again and again, for the session and the desks."""

from __future__ import annotations

import asyncio
from typing import TYPE_CHECKING

from ordolex.io.own.fault_log import written_down
from ordolex.io.own.sheets import all_sheets
from ordolex.io.ports.survey import survey
from ordolex.tui.aside import aside
from ordolex.tui.job import own_fault

if TYPE_CHECKING:
    from ordolex.tui.app import OrdolexApp

_SURVEY_S, _SURVEY_ELSEWHERE_S = 1.0, 1.5


async def watch_ports(app: OrdolexApp) -> None:
    sheets = asyncio.create_task(aside("sheets", all_sheets))  # read before a port is opened, not while it is
    first, failed = app.desks[app.PLACES[0].word], False
    while True:
        try:
            ports = await aside("survey", survey)
        except Exception as error:  # a fault of our own in looking: what is open goes on, and the next look may do
            if not failed:
                app.say(own_fault(error, await asyncio.to_thread(written_down, error)), "bad")
            failed = True
            await asyncio.sleep(_SURVEY_ELSEWHERE_S)
            continue
        await sheets
        if not first.is_attached:
            return
        moved = app.session.surveyed_now(ports)
        for sentence in moved:
            app.say(sentence)
        # what another desk has just said must not be taken away by a survey
        survey_changed(app, said=bool(moved) or app.desk is not first)
        await asyncio.sleep(_SURVEY_S if app.desk is first else _SURVEY_ELSEWHERE_S)


def survey_changed(app: OrdolexApp, *, said: bool = False) -> None:
    """`said`: something weightier was said of this survey already."""
    for desk in app.desks.values():
        desk.survey_changed(said=said)
