"""Wire: the two ends, the handshake, and the chain in hand."""

from __future__ import annotations

from ordolex.core.line.settings import Flow
from ordolex.core.wiring.connectors import ENDS
from ordolex.core.wiring.idle import idle
from ordolex.core.wiring.words import end_words
from ordolex.io.own.sheets import all_sheets
from ordolex.tui.desks.wire.at import WireAt
from ordolex.tui.widgets.prompts import LinePrompt, Pick

_FLOWS = (Flow.NONE, Flow.RTS_CTS, Flow.DTR_DSR)


async def near_end(at: WireAt) -> None:
    name = await at.ask(Pick("The end at the PC", [(n, end_words(n)) for n in ENDS]))
    if name is not None:
        at.wiring.near = ENDS[name]
        at.wiring.remember(at.session)
        at.work_out()


async def device_end(at: WireAt) -> None:
    known = [(end, f"{device}: {end_words(end)}") for device, end in _ends_of_sheets(at)]
    choices = [(f"{number} {end}", words) for number, (end, words) in enumerate(known)]
    choices += [(n, end_words(n)) for n in ENDS]
    name = await at.ask(Pick("The end at the device", choices))
    if name is not None:
        at.wiring.far = ENDS[name.rpartition(" ")[2]]
        at.wiring.remember(at.session)
        at.work_out()


def _ends_of_sheets(at: WireAt) -> list[tuple[str, str]]:
    """(device or model, end) as the sheets say; the chosen link's own sheet first."""
    link = at.chosen
    sheets = sorted(all_sheets()[0].values(), key=lambda s: link is None or s.name != link.sheet)
    ends = [(sheet.model or sheet.name, sheet.wiring_end) for sheet in sheets if sheet.wiring_end]
    ends += [(entry.model, entry.wiring_end) for sheet in sheets for entry in sheet.revision]
    return ends


def next_flow(at: WireAt) -> None:
    at.wiring.flow = _FLOWS[(_FLOWS.index(at.wiring.flow) + 1) % len(_FLOWS)]
    at.work_out()


async def put_in(at: WireAt) -> None:
    known = at.wiring.parts
    choices = [(part.name, part.text) for part in known.values()]
    name = await at.ask(Pick("Put a part behind the others; the bag's come first", choices))
    if name is not None:
        at.wiring.in_hand.append(known[name])
        at.work_out()


def take_out(at: WireAt) -> None:
    if not at.wiring.in_hand:
        at.say("There is no chain in hand; p puts a part in", "unsure")
        return
    part = at.wiring.in_hand.pop()
    at.say(f"took out {part.name}")
    at.work_out()


def best(at: WireAt) -> None:
    at.wiring.in_hand.clear()
    at.work_out()


async def idle_voltage(at: WireAt) -> None:
    hint = "one reading, or several with spaces: -8.4 or 0 3.3\nEnter or Esc goes back"
    typed = await at.ask(LinePrompt("Idle voltage on a pin, against ground", "", idle_words, hint))
    if typed:
        at.say(idle_words(typed), "good")


def idle_words(text: str) -> str:
    """The verdict on typed readings. Raises ValueError for what is no reading or cannot be."""
    words = text.replace(",", " ").split()
    try:
        readings = [float(word) for word in words]
    except ValueError:
        raise ValueError("give readings in volts, such as -8.4") from None
    verdict = idle(readings)
    return f"{verdict.level}: {verdict.means}"
