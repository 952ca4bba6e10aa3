"""The first stages: power, port, cable, line settings."""

from __future__ import annotations

import asyncio
from collections.abc import Sequence
from dataclasses import replace

from ordolex.core.advice.by_hand import HAND_TESTS
from ordolex.core.line.notation import read_line
from ordolex.core.link.question import Question
from ordolex.core.match.verdict import inverted_advice
from ordolex.core.port.endpoint import read_endpoint
from ordolex.core.text.counts import counted
from ordolex.core.visit.bring_up import Outcome, Standing
from ordolex.core.wiring.connectors import ENDS
from ordolex.core.wiring.solve import Bag, Solution, solve
from ordolex.core.wiring.words import chain_line, end_title
from ordolex.io.match import asks
from ordolex.io.match.options import Options
from ordolex.io.match.trials import Match
from ordolex.io.ports.survey import PortFacts
from ordolex.io.system.faults import Fault
from ordolex.session.bringing.state import Bringing, until
from ordolex.session.links import line_of
from ordolex.session.matches import answered_in_book, remember, source_of, take_settings
from ordolex.session.matches import match as match_settings

_LINES_TOLD_S = 0.6
"""How long a port is waited for to tell its control lines."""
_MANY = 20
"""Questions in vain from which on a match speaks for something else than settings."""
LAMPS = HAND_TESTS["lamp"].outcomes
"""What somebody who looks at the device can say of it."""


def powered(b: Bringing, lamp: int | None) -> Outcome:
    """`lamp` is the number of one of LAMPS; None where nobody looked."""
    b.lamp = lamp
    tell_lamp(b)
    if lamp is None:
        return b.took("powered", Standing.UNSURE, "nobody looked at it; only an answer shows it then")
    words = LAMPS[lamp].words
    if lamp == 0:
        return b.took("powered", Standing.BAD, f"{words}: switch it on, or see what feeds it")
    return b.took("powered", Standing.SAID, words)


def tell_lamp(b: Bringing) -> None:
    if b.link is not None and b.lamp is not None:
        b.session.told.came_out(b.link.id, "lamp", b.lamp)


def likely_ports(b: Bringing) -> list[tuple[PortFacts, str]]:
    """Ports that can be taken, each with why it may be the one, the likeliest first."""
    session = b.session
    there = [port for port in session.ports.all if port.may_be_opened or port.holder == "us"]
    out = []
    for port in there:
        link = session.links.at(port.endpoint)
        why = ""
        if b.link is not None and link is not None and link.id == b.link.id:
            why = "it is the chosen link's"
        elif len(there) == 1:
            why = "it is the only one that is free"
        elif link is not None:
            why = f"the link {link.name} of this book"
        out.append((port, why))
    return sorted(out, key=lambda pair: not pair[1])


async def take_port(b: Bringing, endpoint: str, why: str) -> Outcome:
    """Opens it; the link is made where the book has none for it, without a sheet: what it is, is still to be
    seen."""
    session = b.session
    port = session.ports.of(endpoint)
    try:
        link = session.links.at(endpoint)
        if link is None:
            sticker = port.sticker if port is not None and port.sticker not in ("", "any") else ""
            has_line = read_endpoint(endpoint).has_line
            line = sticker or ("9600 8N1" if has_line else "")
            link = session.links.keep(endpoint, line, "sticker" if sticker else "not known yet")
            link = session.links.change(replace(link, sheet="", first_question="", line_end="LF"))
        b.link = link
        session.links.choose(link)
        tell_lamp(b)
        if not session.is_open(link):
            await asyncio.wrap_future(session.open(link))
        await b.do(until(lambda: b.inputs() is not None, _LINES_TOLD_S))
    except Fault as fault:
        return b.took("port", Standing.BAD, str(fault))
    what = f"{port.name}, {port.what}" if port is not None else endpoint
    serial = f", serial number {port.serial}" if port is not None and port.serial else ""
    return b.took("port", Standing.GOOD, f"{what}{serial}; {why}. It is held")


def chain(b: Bringing, far: str, bag: Bag) -> Solution:
    """The best chain of the bag from this port to an end, by its name in ENDS; takes milliseconds to a second."""
    return solve(ENDS[near_end(b)], ENDS[far], bag)


def near_end(b: Bringing) -> str:
    port = b.session.ports.of(b.link.endpoint) if b.link is not None else None
    native = b.link is not None and read_endpoint(b.link.endpoint).kind == "serial"
    return "dte-de9" if native and port is not None and not port.identity else "usb"


def take_chain(b: Bringing, far: str, solution: Solution) -> Outcome:
    """That it is so plugged is what somebody says; what the control lines show stands beside it."""
    seen = lines_seen(b)
    if solution.finding is None:
        return b.took("cable", Standing.BAD, f"{solution.why or 'no chain from the bag works'}; {seen}")
    names = "PC", end_title(ENDS[far])
    line = chain_line(ENDS[near_end(b)], ENDS[far], solution.finding, names)
    return b.took("cable", Standing.SAID, f"{line}; {seen}")


def cable_not_known(b: Bringing) -> Outcome:
    return b.took("cable", Standing.UNSURE, f"nobody said which connector it has; {lines_seen(b)}")


def lines_seen(b: Bringing) -> str:
    inputs = b.inputs()
    if inputs is None:
        return "this port told no control lines so far"
    on = sorted(inputs & {"CTS", "DSR", "DCD"})
    if on:
        return f"{', '.join(on)} on: something at the far end is powered and joined"
    return "CTS, DSR and DCD are off: nothing drives them, as with three wires, a wrong crossing or no power"


async def settings_as(b: Bringing, text: str, source: str) -> Outcome:
    """Raises SettingsError for settings that are none."""
    line = read_line(text).settings
    link = b.the_link()
    try:
        b.link = b.session.links.change(replace(link, line=line.text, source=source))
        await b.do(b.runner().retune(line))
    except Fault as fault:
        return b.took("settings", Standing.BAD, str(fault))
    return b.took("settings", Standing.SAID, f"{line.text}, {source}; only what comes shows whether it is so")


async def by_match(b: Bringing, questions: Sequence[Question] = (), give_up_s: float = 120.0) -> Outcome:
    """Listens first, then asks what is harmless; of one that is named by its sheet, what that says."""
    link, session = b.the_link(), b.session
    sheet = session.devices.sheet_of(link)
    if not read_endpoint(link.endpoint).has_line:
        return b.took("settings", Standing.UNSURE, "raw TCP has no line settings; the box at the far end has")
    before = await asyncio.to_thread(answered_in_book, session, link)
    options = Options(questions or asks.chosen(sheet), give_up_s=give_up_s, answered=before)
    usual = [line_of(other) for other in session.links if other.id != link.id and other.line][:3]
    if link.source not in ("", "not known yet"):
        usual = [line_of(link), *usual]  # what somebody has read somewhere is asked at first

    def changed(match: Match) -> None:
        b.match, b.now = match, match.now

    try:
        match = await b.do(match_settings(b.runner(), options, sheet, usual, (), changed))
    except Fault as fault:
        return b.took("settings", Standing.BAD, str(fault))
    finally:
        b.now = ""
    b.match = match
    remember(session, link, match)
    tries = f"{counted(len(match.trials), 'trial')}, {match.seconds:.0f} s"
    if match.found is not None and match.inverted:
        return b.took("settings", Standing.BAD, f"{match.found.text}, but {_lower(inverted_advice())}")
    if match.found is not None:
        take_settings(session, link, match.found, source_of(match), match)
        b.link = next(one for one in session.links if one.id == link.id)
        if match.answered and match.trials:
            b.answered = match.trials[-1].sent
        return b.took("settings", Standing.GOOD, f"{match.found.text}: {match.evidence}; {tries}")
    if match.captures:
        words = match.verdict.words if match.verdict is not None else match.now
        return b.took("settings", Standing.BAD, f"not found: {words}; {tries}")
    asked = sum(bool(trial.sent) for trial in match.trials)
    if not asked:
        return b.took("settings", Standing.BAD, f"nothing came in {match.seconds:.0f} s, and nothing was asked yet")
    if asked >= _MANY:
        session.told.came_out(link.id, "match", 1)
    return b.took("settings", Standing.BAD, f"nothing was heard at any setting that was tried; {tries}")


def _lower(text: str) -> str:
    return text[:1].lower() + text[1:]
