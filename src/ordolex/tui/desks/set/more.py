"""Set: what is needed less often. Ratios, checks of frames, measurements; images and registers are beside it."""

from __future__ import annotations

from ordolex.core.device.ratios import compare, doubts
from ordolex.core.link.question import Question
from ordolex.core.protocols.checks import find_checks
from ordolex.core.record.items import Chunk
from ordolex.core.record.runs import Run
from ordolex.core.record.runs import compare as compare_runs
from ordolex.core.text.visible import visible_text
from ordolex.io.system.clock import utc_us
from ordolex.io.work.measure import measure as measured
from ordolex.session.works import Sending
from ordolex.tui.desks.set.at import SetAt
from ordolex.tui.desks.set.readings import number_reading, ratio_reading, read_ratio, times_reading
from ordolex.tui.widgets.prompts import Pick, Picture


def stop(at: SetAt) -> None:
    at.stop_work()


def begin_anew(at: SetAt) -> None:
    table = at.known_table
    if table is not None:
        table.begin_anew(utc_us())
        at.show()
        at.say("r reads it: that is as found then")


async def more(at: SetAt) -> None:
    link = at.chosen
    runner = at.session.runner(link) if link is not None else None
    late = runner.late if runner is not None else None
    offered = [("wait", f"Wait {late.enough_s:g} s for each answer: {late.words}")] if late is not None else []
    what = await at.ask(Pick("With this device", offered + at.menu))
    if what == "wait" and link is not None and late is not None:
        at.session.devices.patience[link.id] = late.enough_s
        at.say(f"{late.enough_s:g} s are waited for each answer on this link from now on", "good")
    elif what is not None:
        at.run(what)


async def ratio(at: SetAt) -> None:
    current = await at.line(
        "Current transformer, primary/secondary", "300/5", ratio_reading("current"), "from its plate"
    )
    if current is None:
        return
    voltage = await at.line(
        "Voltage transformer, primary/secondary", "1/1", ratio_reading("voltage"), "1/1 where there is none"
    )
    if voltage is None:
        return
    row = at.row
    start = f"{row.now}" if row is not None and isinstance(row.now, int | float) else ""
    reading = await at.line("What the device says, on the secondary side", start, number_reading, "as it was read")
    if reading is None or not reading.strip():
        return
    panel = await at.line("What the front panel shows", "", number_reading, "in the same unit")
    if panel is None or not panel.strip():
        return
    ratios = [read_ratio(current), read_ratio(voltage)]
    result = compare(float(reading), float(panel), *ratios)
    rows = [result.words, ""]
    rows += [f"current transformer {ratios[0].text}: × {ratios[0].factor:g}", *doubts(ratios[0], "current")]
    rows += [f"voltage transformer {ratios[1].text}: × {ratios[1].factor:g}", *doubts(ratios[1], "voltage")]
    if at.chosen is not None:
        at.session.note(f"ratio: {result.words}", at.chosen)
    title = "they fit" if result.fits else "they do not fit"
    await at.ask(Picture(f"Front panel and device: {title}", rows, "kept as a note; Esc goes back"))


async def checks(at: SetAt) -> None:
    link = at.link
    chunks = [item for item in at.session.book.reader.latest(400, link.id) if isinstance(item, Chunk)]
    sent = list(dict.fromkeys(chunk.data for chunk in chunks if chunk.direction == "tx" and len(chunk.data) >= 4))
    heard = list(dict.fromkeys(chunk.data for chunk in chunks if chunk.direction == "rx" and len(chunk.data) >= 4))
    lines = []
    for name, frames in (("sent", sent[-40:]), ("heard", heard[-40:])):
        found = find_checks(frames) if len(frames) >= 2 else []
        lines.append(f"{len(frames)} different frames {name}" + ("" if found else ": no check that all of them carry"))
        lines += [f"  {one.words}" for one in found[:5]]
    await at.ask(Picture("Which check do they carry?", lines, "of what was recorded last on this link; Esc goes back"))


async def measure(at: SetAt) -> None:
    link, runner = at.link, at.runner
    sheet = at.session.devices.sheet_of(link)
    known = [q for q in sheet.harmless if q.like] if sheet is not None else []
    question = known[0].question() if known else Question(b"*IDN?\n")
    conditions = await at.line(
        "Under which conditions?", "", lambda text: "kept with the figures", "cable, load, time of day"
    )
    if conditions is None:
        return
    times = await at.line(f"How often is {visible_text(question.text)} asked?", "20", times_reading, "Esc goes back")
    if times is None:
        return
    sending = Sending("measuring")

    def changed(done: int) -> None:
        sending.now = f"{done} of {times}"

    run: Run | None = await at.do(
        sending, measured(runner, link.name, conditions.strip(), question, int(times), changed)
    )
    if run is None:
        return
    earlier = [Run.of(event.detail) for event in at.session.book.reader.known.events_of("run", link=link.id)]
    at.session.keep_event(link, "run", f"{run.conditions}: {run.words}", run.as_dict())
    rows = [visible_text(f"{one.conditions or 'no conditions':30} {one.words}") for one in [*earlier[-12:], run]]
    if earlier:
        rows += ["", f"since the one before: {compare_runs(earlier[-1], run)}"]
    await at.ask(Picture("Measurements of this link", rows, "kept in the book; Esc goes back"))
