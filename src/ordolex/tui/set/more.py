"""Set: what is needed less often. Ratios, checks of frames, measurements; images and registers are beside it."""

from __future__ import annotations

from textual import work

from ordolex.core.device.ratios import compare, doubts
from ordolex.core.link.question import Question
from ordolex.core.protocols.checks import find_checks
from ordolex.core.record.items import Chunk, Event, LinkRecord
from ordolex.core.record.runs import Run
from ordolex.core.record.runs import compare as compare_runs
from ordolex.core.text.visible import visible_text
from ordolex.io.link.runner import LinkRunner
from ordolex.io.system.clock import mono_s, utc_us
from ordolex.io.work.measure import measure
from ordolex.tui.set.images import Images
from ordolex.tui.set.readings import (
    number_reading,
    ratio_reading,
    read_ratio,
    times_reading,
)
from ordolex.tui.set.registers import Registers
from ordolex.tui.widgets.prompts import Pick, Picture
from ordolex.tui.works import Sending

WITH_THIS_DEVICE = [
    ("save", "Image of the device: device → PC, into a file"),
    ("compare", "Compare the device with an image in a file"),
    ("write", "Take an image as wanted: file → wanted; a then applies it, PC → device"),
    ("range", "Read a range of registers, in both customs of counting"),
    ("order", "Which type and order of words? From what the front panel shows"),
    ("anew", "As found begins anew: what is read next is as found, as at the beginning of a visit"),
    ("counters", "Counters of the unit: messages, checks that were wrong, exceptions"),
    ("ratio", "Current and voltage transformers: is the ratio sane, does it explain the reading?"),
    ("checks", "Which check do recorded frames carry?"),
    ("measure", "Measure: one question many times, kept with its conditions and compared"),
]


class More(Images, Registers):
    """The part of the desk for what is needed less often."""

    @work
    async def action_more(self) -> None:
        link = self.session.chosen
        runner = self.session.runner(link) if link is not None else None
        late = runner.late if runner is not None else None
        offered = [("wait", f"Wait {late.enough_s:g} s for each answer: {late.words}")] if late is not None else []
        what = await self.app.push_screen_wait(Pick("With this device", offered + WITH_THIS_DEVICE))
        if what == "wait" and link is not None and late is not None:
            self.session.patience[link.id] = late.enough_s
            self.say(f"{late.enough_s:g} s are waited for each answer on this link from now on", "good")
        elif what is not None:
            await self._with_this_device(what)

    @work
    async def do_from_menu(self, what: str) -> None:
        """One entry of the menu, chosen elsewhere."""
        await self._with_this_device(what)

    async def _with_this_device(self, what: str) -> None:
        link = self.session.chosen
        if what == "ratio":
            await self._ratio()
        elif what == "checks":
            await self._checks()
        elif what == "anew":
            table = self.session.settings(link) if link is not None else None
            if table is not None:
                table.begin_anew()
                self.show_all()
                self.say("r reads it: that is as found then", "plain")
        elif what in ("save", "compare", "write"):
            opened = self._open_table()
            if opened is not None:
                await {"save": self._save, "compare": self._compare, "write": self._take}[what](*opened)
        else:
            link_opened = self._open_link()
            if link_opened is not None:
                jobs = {
                    "range": self._range,
                    "order": self._order,
                    "counters": self._counters,
                    "measure": self._measure,
                }
                await jobs[what](*link_opened)

    # ---- ratios

    async def _ratio(self) -> None:
        current = await self._line(
            "Current transformer, primary/secondary", "300/5", ratio_reading("current"), "from its plate"
        )
        if current is None:
            return
        voltage = await self._line(
            "Voltage transformer, primary/secondary", "1/1", ratio_reading("voltage"), "1/1 where there is none"
        )
        if voltage is None:
            return
        row = self.row_at_cursor()
        start = f"{row.now}" if row is not None and isinstance(row.now, int | float) else ""
        reading = await self._line(
            "What the device says, on the secondary side", start, number_reading, "as it was read"
        )
        if reading is None or not reading.strip():
            return
        panel = await self._line("What the front panel shows", "", number_reading, "in the same unit")
        if panel is None or not panel.strip():
            return
        ratios = [read_ratio(current), read_ratio(voltage)]
        result = compare(float(reading), float(panel), *ratios)
        rows = [result.words, ""]
        rows += [f"current transformer {ratios[0].text}: × {ratios[0].factor:g}", *doubts(ratios[0], "current")]
        rows += [f"voltage transformer {ratios[1].text}: × {ratios[1].factor:g}", *doubts(ratios[1], "voltage")]
        if self.session.chosen is not None:
            self.session.note(f"ratio: {result.words}", self.session.chosen)
        title = "they fit" if result.fits else "they do not fit"
        await self.app.push_screen_wait(
            Picture(f"Front panel and device: {title}", rows, "kept as a note; Esc goes back")
        )

    # ---- checks of frames

    async def _checks(self) -> None:
        link = self.session.chosen
        if link is None:
            return
        chunks = [item for item in self.session.book.reader.latest(400, link.id) if isinstance(item, Chunk)]
        sent = list(dict.fromkeys(chunk.data for chunk in chunks if chunk.direction == "tx" and len(chunk.data) >= 4))
        heard = list(dict.fromkeys(chunk.data for chunk in chunks if chunk.direction == "rx" and len(chunk.data) >= 4))
        lines = []
        for name, frames in (("sent", sent[-40:]), ("heard", heard[-40:])):
            found = find_checks(frames) if len(frames) >= 2 else []
            lines.append(
                f"{len(frames)} different frames {name}" + ("" if found else ": no check that all of them carry")
            )
            lines += [f"  {one.words}" for one in found[:5]]
        await self.app.push_screen_wait(
            Picture("Which check do they carry?", lines, "of what was recorded last on this link; Esc goes back")
        )

    # ---- measuring

    async def _measure(self, link: LinkRecord, runner: LinkRunner) -> None:
        sheet = self.session.sheet_of(link)
        known = [q for q in sheet.harmless if q.like] if sheet is not None else []
        question = known[0].question() if known else Question(b"*IDN?\n")
        conditions = await self._line(
            "Under which conditions?", "", lambda text: "kept with the figures", "cable, load, time of day"
        )
        if conditions is None:
            return
        times = await self._line(
            f"How often is {visible_text(question.text)} asked?", "20", times_reading, "Esc goes back"
        )
        if times is None:
            return
        sending = Sending("measuring")

        def changed(done: int) -> None:
            sending.now = f"{done} of {times}"

        run: Run | None = await self._do(
            link, sending, measure(runner, link.name, conditions.strip(), question, int(times), changed)
        )
        if run is None:
            return
        earlier = [Run.of(event.detail) for event in self.session.book.reader.events_of("run", link=link.id)]
        self.session.book.recorder.note(
            Event(link.id, utc_us(), round(mono_s() * 1e6), "run", f"{run.conditions}: {run.words}", run.as_dict())
        )
        rows = [visible_text(f"{one.conditions or 'no conditions':30} {one.words}") for one in [*earlier[-12:], run]]
        if earlier:
            rows += ["", f"since the one before: {compare_runs(earlier[-1], run)}"]
        await self.app.push_screen_wait(Picture("Measurements of this link", rows, "kept in the book; Esc goes back"))
