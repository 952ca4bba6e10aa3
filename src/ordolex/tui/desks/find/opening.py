"""Find: opening a port at the settings on the device's sticker, and letting it go."""

from __future__ import annotations

from ordolex.core.line.notation import read_line
from ordolex.core.port.endpoint import read_endpoint
from ordolex.core.text.visible import visible_text
from ordolex.io.ports.survey import MADE_HERE
from ordolex.io.system.faults import Fault
from ordolex.tui.desks.find.at import FindAt
from ordolex.tui.desks.find.port_words import LISTED_EMPTY, next_step
from ordolex.tui.readings import endpoint_reading, line_reading


async def open_port(at: FindAt) -> None:
    port = at.port
    if port is None:
        at.say(LISTED_EMPTY, "unsure")
    elif port.holder == "us":
        link = at.session.links.at(port.endpoint)
        if link is not None:
            at.want_open(link)
    elif port.state in ("gone", "no-driver", MADE_HERE):
        at.say(next_step(port, at.session), "unsure" if port.state == MADE_HERE else "bad")
    else:
        await _open(at, port.endpoint, port.name, port.sticker)


async def _open(at: FindAt, endpoint: str, name: str, sticker: str) -> None:
    known = at.session.links.at(endpoint)
    line, source = "", "typed"
    if read_endpoint(endpoint).has_line:
        sticker = "9600 8N1" if sticker == "any" else sticker
        before = known.line if known is not None and known.line else sticker
        hint = (
            "as on the sticker or in the manual: 9600 8N1 · 9600,n,8,1 · 19.2 kbaud 7 even 1\n"
            "Enter opens the port, Esc goes back"
        )
        typed = await at.line(f"Line settings of {visible_text(name)}", before, line_reading, hint)
        if typed is None:
            return
        line = read_line(typed).settings.text
        source = "sticker" if sticker and line == read_line(sticker).settings.text else "typed"
    try:
        link = at.session.links.keep(endpoint, line, source)
    except Fault as fault:
        at.say(str(fault), "bad")
        return
    at.want_open(link)


async def type_address(at: FindAt) -> None:
    hint = (
        "rfc2217://host:port has line settings and line errors, tcp://host:port is bytes alone,\n"
        "/dev/ttyUSB0 or COM3 is a serial port of this machine. Enter goes on, Esc goes back"
    )
    typed = await at.line("Address of the port", "", endpoint_reading, hint)
    if typed is not None:
        endpoint = read_endpoint(typed).text
        await _open(at, endpoint, endpoint, "")


def release(at: FindAt) -> None:
    link = at.session.links.at(at.port.endpoint) if at.port is not None else None
    if link is None or not at.session.is_open(link):
        at.say("This port is not open, there is nothing to release", "unsure")
    else:
        at.want_release(link)


def last_link(at: FindAt) -> None:
    """The link that was proven last, at its settings, without a question: the usual start of a second visit."""
    link = at.session.links.last_good()
    if link is None:
        at.say("No link of this book was proven yet", "unsure")
    elif at.session.ports.of(link.endpoint) is None and link.adapter:
        at.say(f"{link.name} was the last good link; its adapter is not there. Plug it in", "bad")
    else:
        at.say(f"opening {link.name}, the last good link, at {link.line}")
        at.want_open(link)
