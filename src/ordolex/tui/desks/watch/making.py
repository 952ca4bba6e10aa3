"""Watch: making a round. Of what the sheets offer, of a question that is typed and split, of a file, or the demo's."""

from __future__ import annotations

import asyncio

from ordolex.core.sheet.draft import Asked, asked_in
from ordolex.core.text.escapes import to_bytes
from ordolex.core.text.visible import visible_text
from ordolex.core.watch.round import Round, RoundError, RoundItem, RoundLink, read_round
from ordolex.io.ports.benches import running as benches
from ordolex.io.ports.benches import tell
from ordolex.io.system.faults import Fault
from ordolex.io.system.files import path_of, read_given_text
from ordolex.session.watches import link_of, offered
from ordolex.tui.desks.asking_round import name_of, of_question
from ordolex.tui.desks.drafting import save
from ordolex.tui.desks.watch import doing
from ordolex.tui.desks.watch.at import WatchAt
from ordolex.tui.readings import file_reading
from ordolex.tui.widgets.prompts import Pick

_DEMO = (
    # device, what is read, as what, seconds, low, high
    ("Raceway 1 oxygen", "oxygen", "raceway 1", 0.5, 7.0, 12.0),
    ("Raceway 2 oxygen", "oxygen", "raceway 2", 0.5, 7.0, 12.0),
    ("Raceway 3 oxygen", "oxygen", "raceway 3", 0.5, 7.0, 12.0),
    ("Raceway 4 oxygen", "oxygen", "raceway 4", 0.5, 7.0, 12.0),
    ("Pump house bus", "power", "blower power", 1.0, None, None),
    ("Pump house bus", "speed", "blower speed", 1.0, None, None),
    ("Water temperature string", "string/intake", "intake water", 2.0, None, 14.0),
    ("Lift station, network", "level", "sump level", 1.0, None, None),
    ("Lift station, ASCII port", "starts", "pump starts", 2.0, None, None),
    ("Intake weir oxygen", "temperature", "weir water", 2.0, None, None),
)


async def new(at: WatchAt) -> None:
    """Asks where the values come from, then runs the round."""
    links = [link for link in at.session.links if offered(link)]
    choices = [("sheet", "Values that the sheets of the links offer")] if links else []
    if at.chosen is not None and at.session.is_open(at.chosen):
        name = visible_text(at.chosen.name)
        choices.append(("ask", f"A question to {name}: its answer is split into columns, which you name"))
    choices.append(("file", "A round file (docs/watch.md); `ordolex watch --example` prints one"))
    if benches():
        choices.append(("demo", "The demo's: a day at the hatchery in fast time"))
    chosen = await at.ask(Pick("Which values?", choices))
    match chosen:
        case "sheet":
            round_ = await _of_sheets(at)
        case "ask":
            round_ = await of_question(at, at.link, at.runner)
        case "file":
            round_ = await _of_file(at)
        case "demo":
            await demo(at)
            return
        case _:
            return
    if round_ is not None:
        await _keep_and_start(at, round_)


async def _keep_and_start(at: WatchAt, round_: Round) -> None:
    try:
        at.session.watches.keep(round_)
    except Fault as fault:
        at.say(str(fault), "bad")
        return
    await doing.start(at, round_.name)


async def _of_sheets(at: WatchAt) -> Round | None:
    """Link by link, value by value, until the technician says that this is all."""
    links: list[RoundLink] = []
    items: list[RoundItem] = []
    known = [link for link in at.session.links if offered(link)]
    while True:
        taken = {(item.link, item.read) for item in items}
        rows = [("done", f"That is all: {len(items)} values")] if items else []
        for number, link in enumerate(known):
            for place, item in enumerate(offered(link)):
                if (link.name, item.read) not in taken:
                    unit = f" in {item.unit}" if item.unit else ""
                    rows.append((f"{number}.{place}", visible_text(f"{link.name:28} {item.read}{unit}")))
        if len(rows) == (1 if items else 0):
            break
        chosen = await at.ask(Pick("Which value? Again for each", rows[:300]))
        if chosen is None:
            return None
        if chosen == "done":
            break
        number, place = (int(part) for part in chosen.split("."))
        link, item = known[number], offered(known[number])[int(place)]
        if link.name not in {one.name for one in links}:
            links.append(link_of(link))
        names = {one.name for one in items}
        items.append(
            item.model_copy(update={"name": item.name if item.name not in names else f"{item.name} {link.name}"})
        )
    every = await at.line("Seconds between two readings", "1", _seconds_reading, "of each value; i changes one later")
    name = await name_of(at) if every is not None else None
    if every is None or name is None:
        return None
    items = [item.model_copy(update={"every_s": float(every)}) for item in items]
    return Round(name=name, site=at.session.site, link=links, item=items)


def _seconds_reading(text: str) -> str:
    try:
        value = float(text)
    except ValueError:
        value = 0.0
    if not 0.02 <= value <= 604_800:
        raise ValueError("a number of seconds from 0.02 to 604800, which is 7 days")
    return f"every {value:g} s"


async def _of_file(at: WatchAt) -> Round | None:
    path = await at.line("Round file", "", file_reading, "TOML, as docs/watch.md says")
    if path is None:
        return None
    try:
        text = await asyncio.to_thread(read_given_text, path_of(path), "a round file")
        return read_round(text, path.rpartition("/")[2])
    except (Fault, RoundError) as error:
        at.say(str(error), "bad")
        return None


async def demo(at: WatchAt) -> None:
    """The demo's round over nine links of a running bench, which begins its day."""
    notice = next(iter(benches()), None)
    if notice is None:
        at.say("No bench runs: `ordolex demo` starts one", "unsure")
        return
    by_name = {device.name: device for device in notice.devices}
    links: dict[str, RoundLink] = {}
    items: list[RoundItem] = []
    for device, read, name, every, low, high in _DEMO:
        found = by_name.get(device)
        if found is None:
            continue
        known = at.session.links.at(found.endpoint)
        sheet = known.sheet if known is not None and known.sheet else _sheet_of(found.kind)
        line = found.line
        links[device] = RoundLink(name=device, endpoint=found.endpoint, line=line, sheet=sheet)
        values: dict[str, object] = {"name": name, "link": device, "every_s": every, "low": low, "high": high}
        values["read"] = read
        if name == "raceway 4":  # its sensor sticks
            values["stuck_after_s"] = 5.0
        items.append(RoundItem.model_validate(values | ({"hysteresis": 0.3} if low else {})))
    raceways = [item.name for item in items if item.name.startswith("raceway")]
    if len(raceways) >= 2:
        items.append(RoundItem(name="raceway 1 less 2", derive="difference", of=raceways[:2], unit="mg/l"))
    round_ = Round(name="demo", site=notice.site, link=list(links.values()), item=items)
    try:
        await asyncio.to_thread(tell, notice, "day 600")
    except Fault as fault:
        at.say(str(fault), "bad")
        return
    await _keep_and_start(at, round_)
    watch = at.session.watches.watch
    if watch is not None:
        at.view.charted[:] = [watch.states[name].id for name in raceways[:4] if name in watch.states]
    at.show()


def _sheet_of(kind: str) -> str:
    from ordolex.io.own import sheets

    return next((s.name for s in sheets.all_sheets()[0].values() if s.bench_kind and s.bench_kind == kind), "")


async def offer_sheet(at: WatchAt) -> None:
    """The questions to the link of the item, with the columns that were named in their answers, as a sheet."""
    name = at.item.item.link
    record = next((link for link in at.session.links if link.name == name), None)
    questions: dict[str, list[RoundItem]] = {}
    for state in at.watch.states.values():
        if state.item.link == name and state.item.ask:
            questions.setdefault(state.item.ask, []).append(state.item)
    if record is None or not questions:
        at.say("Its values come by a sheet, by registers, or by themselves: there is no question to keep", "unsure")
        return
    events = await asyncio.to_thread(at.session.book.reader.known.events_of, "answer", link=record.id)
    said = {one.send: one.answers for one in asked_in(event.detail for event in events[-2000:])}
    asked = []
    for ask, items in questions.items():
        send = to_bytes(ask)
        fields = tuple(item.value for item in items if item.value is not None)
        asked.append(
            Asked(send, said.get(send, ()), fields, items[0].timeout_s, harmless=True, between=items[0].between)
        )
    await save(at, record, asked)
