"""Opening a link's port and letting it go, as desks ask for it."""

from __future__ import annotations

import asyncio
from typing import TYPE_CHECKING

from ordolex.core.port.endpoint import read_endpoint
from ordolex.core.record.items import LinkRecord
from ordolex.io.system.faults import Fault, NotNetworkSerial
from ordolex.session.links import line_of
from ordolex.tui.watching import survey_changed
from ordolex.tui.widgets.prompts import Pick

if TYPE_CHECKING:
    from ordolex.tui.app import OrdolexApp


async def open_link(app: OrdolexApp, link: LinkRecord) -> None:
    """Opens its port, tells why where that fails, and turns to Talk where it does not."""
    session = app.session
    session.links.choose(link)
    if session.is_open(link) and session.view(link).evidence.line == line_of(link):
        app.show_desk("Talk")
        return
    app.say(f"opening {link.endpoint} …")
    await asyncio.to_thread(session.accepted.read, link)
    try:
        await asyncio.wrap_future(session.open(link))
    except NotNetworkSerial as fault:
        app.say(str(fault), "bad")
        await _offer_raw(app, link, fault)
    except Fault as fault:
        session.ports.tries.failed(link.endpoint)
        app.say(f"try {session.ports.tries.count(link.endpoint)}: {fault}", "bad")
        survey_changed(app)
    else:
        session.ports.tries.opened(link.endpoint)
        settings = session.view(link).evidence.settings
        app.say(f"{link.name} is open at {settings}. Enter sends what stands in the line below", "good")
        app.show_desk("Talk")


async def _offer_raw(app: OrdolexApp, link: LinkRecord, fault: NotNetworkSerial) -> None:
    endpoint = read_endpoint(link.endpoint)
    raw = f"tcp://{endpoint.host}:{endpoint.port}"
    choices = [("raw", f"Open its raw bytes at {raw}"), ("no", "Leave it")]
    question = Pick(fault.what, choices, "Raw TCP has no line settings and no line errors.")
    if await app.push_screen_wait(question) == "raw":
        try:
            await open_link(app, app.session.links.keep(raw, "", "typed"))
        except Fault as second:
            app.say(str(second), "bad")


async def release_link(app: OrdolexApp, link: LinkRecord) -> None:
    try:
        future = app.session.release(link)
    except Fault as fault:
        app.say(str(fault), "bad")
        return
    if future is not None:
        await asyncio.wrap_future(future)
        app.say(f"{link.name}: the port is free", "good")
