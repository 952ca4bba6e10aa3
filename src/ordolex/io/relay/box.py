"""A serial server as a device: its channels read by its console, and looked at from outside."""

from __future__ import annotations

from collections.abc import Collection

from ordolex.core.link.question import Question
from ordolex.core.relay.fit import UNSEEN, Channel, Fit, found_again
from ordolex.core.sheet import Lists, Sheet
from ordolex.core.tables.table import lines_of
from ordolex.core.text.charsets import text_of
from ordolex.core.text.counts import counted
from ordolex.core.text.escapes import to_bytes
from ordolex.core.text.patterns import search
from ordolex.io.link.pages import collect
from ordolex.io.link.runner import LinkRunner
from ordolex.io.net.ping import reach
from ordolex.io.net.survey import AGREE_S, KnownPort, Service, look_at
from ordolex.io.system.faults import Fault

_GIVES = {"RFC 2217": "rfc2217"}


async def read_channels(runner: LinkRunner, sheet: Sheet, ours: Collection[str] = ()) -> list[Channel]:
    """Asks its console. `ours` are calls of our own, just ended: they hold nothing.

    Raises a Fault where the sheet has no channels, no line of the answer is one, or the answer ended before the prompt
    behind the list: then there may be more of them, and who holds one is not known."""
    plan = sheet.channels
    if plan is None:
        raise Fault(f"the sheet {sheet.name} says nothing of channels", "docs/sheets.md says how they are written")
    for wake in sheet.wake:
        await runner.ask(Question(to_bytes(wake), timeout_s=1.0, harmless=True))
    listed = await collect(runner, Lists(command=plan.ask, end=plan.done))
    gives = {mode.name: mode.gives for mode in plan.mode}
    found = []
    for row in (search(plan.row, line) for line in lines_of(text_of(listed.text, runner.charset))):
        if row is None:
            continue
        parts = row.groupdict()
        held = parts.get("held") or plan.nobody
        found.append(
            Channel(
                int(parts["channel"]), int(parts["port"]), parts["mode"], gives.get(parts["mode"], ""),
                parts.get("line") or "", "" if held == plan.nobody or held in ours else held,
            )
        )  # fmt: skip
    if listed.words:
        told = f"{counted(len(found), 'channel')}, and not the prompt behind them" if found else "no channels"
        raise Fault(f"{runner.endpoint.text} told {told}", "look in Talk at what it answers, and ask again")
    if not found:
        raise Fault(f"{runner.endpoint.text} told no channels", "look in Talk at what it answers, and at its sheet")
    return found


async def look_at_channel(
    host: str, port: int, number: int, *, offer: bool = True, called_from: set[str] | None = None,
    agree_s: float = AGREE_S,
) -> Channel:  # fmt: skip
    """From outside: what is to be had at its port. Nobody holds it where it takes the call and stays. See `look_at`."""
    known = KnownPort(port, "channel", f"serial channel {number}")
    service: Service | None = await look_at(host, known, offer=offer, called_from=called_from, agree_s=agree_s)
    if service is None:
        return Channel(number, port, "", "nothing")
    if "hangs up" in service.proven:
        return Channel(number, port, "", "", holder=UNSEEN)
    gives = _GIVES.get(service.proven, "tcp" if not service.proven else "")
    return Channel(number, port, "", gives)


async def look_again(old: str, new: str, port: int) -> Fit:
    """Whether a box is where it was sent to."""
    was, now = await reach(old, port), await reach(new, port)
    return found_again(f"{old}:{port}", f"{new}:{port}", was.state, now.state)
