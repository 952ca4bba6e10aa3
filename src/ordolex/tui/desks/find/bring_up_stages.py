"""Find: what each stage of a bring-up asks, as little as it can, and then does."""

from __future__ import annotations

import asyncio
from collections.abc import Awaitable, Callable
from pathlib import Path
from typing import TYPE_CHECKING, TypeVar

from ordolex.core.line.notation import read_line
from ordolex.core.link.question import Question
from ordolex.core.link.wait import proposed_wait_ms
from ordolex.core.port.endpoint import read_endpoint
from ordolex.core.text.escapes import to_bytes
from ordolex.core.text.visible import visible_text
from ordolex.core.visit.bring_up import Standing
from ordolex.core.wiring.connectors import ENDS
from ordolex.core.wiring.parts import PartError
from ordolex.core.wiring.words import end_words, signal_lines
from ordolex.io.own.bag import load_bag
from ordolex.io.own.sheets import all_sheets
from ordolex.io.ports.survey import PortFacts
from ordolex.io.system.faults import Fault
from ordolex.io.system.files import path_of
from ordolex.session.bringing import device, line, proof, stands
from ordolex.session.bringing.line import LAMPS
from ordolex.session.bringing.state import Bringing
from ordolex.session.support import Story, support_bundle
from ordolex.tui.desks.at import How
from ordolex.tui.readings import bytes_reading, endpoint_reading, line_reading, new_file_reading
from ordolex.tui.widgets.prompt import Prompt
from ordolex.tui.widgets.prompts import LinePrompt, Pick

if TYPE_CHECKING:
    from ordolex.tui.desks.find.bring_up import BringUp

T = TypeVar("T")
_LONG_S, _SHORT_S = 120.0, 30.0


class AskedHere:
    """A bring-up's screen, as its stages ask and do."""

    def __init__(
        self, screen: BringUp, bringing: Bringing, under: PortFacts | None, say: Callable[[str, How], None]
    ) -> None:
        self._screen, self.bringing, self.under, self._say = screen, bringing, under, say

    async def ask(self, prompt: Prompt[T]) -> T | None:
        self._screen.busy(on=False)
        answer: T | None = await self._screen.app.push_screen_wait(prompt)
        return answer

    async def line(self, title: str, value: str, reading: Callable[[str], str], hint: str) -> str | None:
        return await self.ask(LinePrompt(title, value, reading, hint))

    def busy(self) -> None:
        self._screen.busy()

    def say(self, words: str, how: How) -> None:
        self._say(words, how)


async def _powered(at: AskedHere) -> bool:
    choices = [(str(number), outcome.words) for number, outcome in enumerate(LAMPS)]
    lit_first = [*choices[1:], choices[0], ("", "nobody can see it")]
    chosen = await at.ask(Pick("What does the device show?", lit_first))
    if chosen is None:
        return False
    line.powered(at.bringing, int(chosen) if chosen else None)
    return True


async def _port(at: AskedHere) -> bool:
    ports = line.likely_ports(at.bringing)
    if at.under is not None:
        under = at.under.endpoint
        ports.sort(key=lambda pair: pair[0].endpoint != under)
    names = [(port.endpoint, _port_words(port, why)) for port, why in ports]
    more = [
        ("unplug", "Unplug it: which one leaves, and comes back?"), ("all", "Ask all free ports"),
        ("type", "Type an address"),
    ]  # fmt: skip
    chosen = await at.ask(Pick("Which port?", [*names, *more]))
    why = next((why for port, why in ports if port.endpoint == chosen), "") or "it was chosen"
    if chosen == "unplug":
        chosen, why = await _unplugged(at), "it was pulled and plugged in again"
    elif chosen == "all":
        chosen, why = await _all_asked(at), "it alone answered when all were asked"
    elif chosen == "type":
        hint = "rfc2217://host:port, tcp://host:port, /dev/ttyUSB0 or COM3"
        chosen, why = await at.line("Address of the port", "", endpoint_reading, hint), "it was typed"
    if not chosen:
        return False
    at.busy()
    await line.take_port(at.bringing, read_endpoint(chosen).text, why)
    return True


def _port_words(port: PortFacts, why: str) -> str:
    return visible_text(f"{port.name:28} {port.what}" + (f"   {why}" if why else ""))


async def _unplugged(at: AskedHere) -> str | None:
    from ordolex.tui.desks.find.identify import Identify

    session = at.bringing.session
    answer = await at.ask(Identify(session))
    if answer is None:
        return None
    session.name_adapter(*answer)
    return next((port.endpoint for port in session.ports.all if port.identity == answer[0]), None)


async def _all_asked(at: AskedHere) -> str | None:
    from ordolex.tui.desks.find.ask_everywhere import AskEverywhere

    session = at.bringing.session
    question = await at.line(
        "One harmless question on all free ports", "*IDN?\\n", bytes_reading, "its line end is part of it"
    )
    settings = (
        await at.line("Line settings for all of them", "9600 8N1", line_reading, "as on the sticker")
        if question
        else None
    )
    if not question or settings is None:
        return None
    wait_ms = proposed_wait_ms(session.book.reader.known.answer_ms())
    asked = Question(to_bytes(question), timeout_s=wait_ms / 1000)
    return await at.ask(AskEverywhere(session, session.ports.places, read_line(settings).settings, asked, []))


async def _cable(at: AskedHere) -> bool:
    bringing = at.bringing
    link = bringing.link
    sheet = bringing.session.devices.sheet_of(link) if link is not None else None
    ends = [(name, end_words(name)) for name in ENDS]
    known = sheet.wiring_end if sheet is not None else ""
    if known:
        ends.sort(key=lambda pair: pair[0] != known)
    title = "Which connector has the device?" + (f" By its sheet {known}" if known else "")
    end = await at.ask(Pick(title, [("", "I do not know"), *ends] if not known else [*ends, ("", "I do not know")]))
    if end is None:
        return False
    if not end:
        line.cable_not_known(bringing)
        return True
    try:
        bag = await asyncio.to_thread(load_bag)
    except PartError as error:
        raise Fault(f"the bag cannot be read: {error}", "Wire (F3) has the bags") from error
    solution = await asyncio.to_thread(line.chain, bringing, end, bag)
    if solution.finding is None:
        line.take_chain(bringing, end, solution)
        return True
    near, far = ENDS[line.near_end(bringing)], ENDS[end]
    parts = [f"  {part.text}" for part in solution.finding.chain] or ["  they go together as they are"]
    pins = [line for _, line in signal_lines(near, far, solution.finding, ("PC", "device"))]
    choices = [("so", "It is so plugged"), ("not", "It is otherwise, or I do not know: Wire (F3) checks it")]
    answer = await at.ask(Pick("The bag joins them so", choices, "\n".join([*parts, "", *pins])))
    if answer is None:
        return False
    if answer == "so":
        line.take_chain(bringing, end, solution)
    else:
        bringing.took("cable", Standing.UNSURE, f"plugged otherwise; {line.cable_not_known(bringing).words}")
    return True


async def _settings(at: AskedHere) -> bool:
    bringing = at.bringing
    link = bringing.link
    if link is None or not read_endpoint(link.endpoint).has_line:
        bringing.took("settings", Standing.SKIPPED, "raw TCP has no line settings; the box at the far end has them")
        return True
    known = link.line if link.source not in ("", "not known yet") else ""
    choices = [("known", f"{known}, {link.source}")] if known else []
    choices += [
        ("match", "They are not known: Match listens, then asks (at most 2 min)"),
        ("short", "Match, the usual settings only (at most 30 s)"),
        ("typed", "Type what the sticker or the manual says"),
    ]
    chosen = await at.ask(Pick("Its line settings?", choices))
    if chosen is None:
        return False
    if chosen in ("match", "short"):
        at.busy()
        await line.by_match(bringing, give_up_s=_LONG_S if chosen == "match" else _SHORT_S)
        return True
    text, source = known, link.source
    if chosen == "typed":
        typed = await at.line("Line settings", link.line, line_reading, "9600 8N1 · 9600,n,8,1 · 19.2 kbaud 7 even 1")
        if typed is None:
            return False
        text, source = typed, "typed"
    at.busy()
    await line.settings_as(bringing, text, source)
    return True


async def _wake(at: AskedHere) -> bool:
    at.busy()
    await proof.wake(at.bringing)
    return True


async def _proof(at: AskedHere) -> bool:
    """The known question first; where that was not answered rightly, one that is typed."""
    tried = [one for one in at.bringing.steps.tried if one.stage == "proof" and one.standing is Standing.BAD]
    typed: str | None = None
    if tried:
        hint = "with its line end; as the manual has it. Nothing: what is known is asked again"
        typed = await at.line("Which question proves it?", "*IDN?\\n", _or_nothing, hint)
        if typed is None:
            return False
    at.busy()
    await proof.prove(at.bringing, to_bytes(typed) if typed else None)
    return True


def _or_nothing(text: str) -> str:
    return bytes_reading(text) if text else "what is known is asked again"


async def _identity(at: AskedHere) -> bool:
    at.busy()
    await device.ask_who(at.bringing)
    return True


async def _sheet(at: AskedHere) -> bool:
    bringing = at.bringing
    at.busy()
    rows = await device.look_for_sheets(bringing)
    link = bringing.link
    now = link.sheet if link is not None else ""
    choices = [(one.sheet.name, visible_text(f"{one.sheet.name:24} {one.words}")) for one in rows]
    if now and now not in [name for name, _ in choices]:
        choices.insert(0, (now, f"{now:24} chosen before"))
    choices += [("more", "Another sheet"), ("", "None")]
    chosen = await at.ask(Pick("Which sheet? What speaks for each stands beside it", choices))
    if chosen == "more":
        every = [(one.name, f"{one.name:24} {visible_text(one.device)}") for one in all_sheets()[0].values()]
        chosen = await at.ask(Pick("Which sheet?", every))
    if chosen is None:
        return False
    if not chosen:
        device.no_sheet(bringing)
        return True
    why = next((one.words for one in rows if one.sheet.name == chosen), "chosen by hand")
    device.take_sheet(bringing, chosen, why)
    if not bringing.steps.proven:
        at.busy()
        await proof.recognise(bringing)
    return True


async def _found(at: AskedHere) -> bool:
    at.busy()
    await device.read_found(at.bringing)
    return True


DOES: dict[str, Callable[[AskedHere], Awaitable[bool]]] = {
    "powered": _powered, "port": _port, "cable": _cable, "settings": _settings, "wake": _wake, "proof": _proof,
    "identity": _identity, "sheet": _sheet, "found": _found,
}  # fmt: skip
"""Stage → what it asks and does; whether it came to an outcome."""


async def offer_bundle(at: AskedHere) -> None:
    """For whoever is asked next: what is known, what was tried, every byte."""
    bringing = at.bringing
    link, session = bringing.link, bringing.session
    if link is None:
        return
    choices = [("write", "Write a bundle for whoever is asked next"), ("no", "No bundle")]
    words = "Settings, tries, causes, the bytes and what this computer is; secrets are searched for and left out."
    title = "This is not proved" if not bringing.steps.proven else "A bundle of this link"
    if await at.ask(Pick(title, choices, words)) != "write":
        return
    book = session.book.path
    hint = "a new folder, its zip beside it; or a name that ends in .zip"
    into = await at.line("Write it into", f"{book.with_suffix('')}-support", new_file_reading, hint)
    if into is None:
        return
    await asyncio.wrap_future(session.book.recorder.call(lambda connection: None))
    rung, causes = await stands.stands_now(bringing)
    story = Story(bringing.steps.verdict, rung, causes, list(bringing.steps.tried))
    secrets = session.known_secrets()
    ports = list(session.ports.all)

    def write() -> tuple[int, Path]:
        path = path_of(into)
        return len(support_bundle(book, link, path, story, ports, secrets)), path

    try:
        count, path = await asyncio.to_thread(write)
    except Fault as fault:
        at.say(str(fault), "bad")
    else:
        at.say(f"{count} files in {path}, and as a zip beside it", "good")
