"""Find: faults of bench devices, to see and to practise what each looks like."""

from __future__ import annotations

import asyncio

from ordolex.io.ports import benches
from ordolex.io.system.faults import Fault
from ordolex.tui.desks.find.at import FindAt
from ordolex.tui.widgets.prompts import Pick

_FAULTS = [
    ("silent {} on", "falls silent"),
    ("silent {} off", "speaks again"),
    ("late {} 600", "answers 600 ms late"),
    ("late {} 0", "answers in time"),
    ("noise {} 0.02", "noise turns over one bit in fifty"),
    ("noise {} 0", "quiet line"),
    ("inverted {} on", "has its levels swapped"),
    ("inverted {} off", "has its levels right again"),
    ("rival {} on", "has a second device talking on its wire"),
    ("rival {} off", "is alone on its wire again"),
    ("low {} on", "has its line held low"),
    ("low {} off", "has its line let go"),
    ("crossed {} on", "has a cable with the wrong crossing"),
    ("crossed {} off", "has the right cable again"),
    ("format {} 7E1", "is set to seven data bits and even parity"),
    ("format {} 8N1", "is set to 8N1"),
    ("clock {} 1.02", "has a clock that is 2 % fast"),
    ("garble {} doubled", "is echoed twice"),
    ("garble {} escapes", "sends screen codes"),
    ("garble {} two", "is interrupted by a second sender"),
    ("garble {} overrun", "loses bytes at this end"),
    ("garble {} off", "sends what it should"),
    ("vanish {} 5", "is pulled, and comes back after 5 s"),
    ("replug {} 2", "is pulled, and comes back under another number"),
    ("hold {} on", "is held by another process"),
    ("hold {} off", "is let go by it"),
    ("rights {} off", "may not be used: no rights"),
    ("rights {} on", "may be used again"),
    ("driver {} off", "has no driver"),
    ("driver {} on", "has its driver again"),
]


async def set_fault(at: FindAt) -> None:
    port = at.port
    if port is None or not port.bench:
        at.say("Faults can be set on bench devices only; this is a port of its own", "unsure")
        return
    name = port.name.removesuffix(", as a serial port")
    order = await at.ask(Pick(f"{name} …", [(order.format(name), words) for order, words in _FAULTS]))
    if order is None:
        return
    for notice in await asyncio.to_thread(benches.running):
        try:
            said = await asyncio.to_thread(benches.tell, notice, order)
        except Fault as fault:
            at.say(str(fault), "bad")
            continue
        at.say(said.removeprefix("ok: "), "good")
        return
