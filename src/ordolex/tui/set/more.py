"""Set: images of a device, ratios, the order of words, counters, checks of frames, and measurements."""

from __future__ import annotations

import asyncio

from textual import work

from ordolex.core.export import utc_text
from ordolex.core.image import Difference, Image, ImageTrouble, decode, differences
from ordolex.core.link.question import Question
from ordolex.core.protocols.checks import find_checks
from ordolex.core.protocols.modbus import pdu
from ordolex.core.protocols.modbus.address import READ_BY, Place
from ordolex.core.protocols.modbus.values import find_layouts
from ordolex.core.ratios import compare, doubts
from ordolex.core.record import Chunk, Event, LinkRecord
from ordolex.core.runs import Run
from ordolex.core.runs import compare as compare_runs
from ordolex.core.settings_table import SettingsTable
from ordolex.core.text.visible import visible_text
from ordolex.io.clock import mono_s, utc_us
from ordolex.io.device.base import Trouble
from ordolex.io.device.modbus import ModbusUnit
from ordolex.io.runner import LinkRunner
from ordolex.io.work.measure import measure
from ordolex.tui.set.base import SetWork
from ordolex.tui.set.readings import (
    image_reading,
    new_file_reading,
    number_reading,
    range_reading,
    ratio_reading,
    read_range,
    read_ratio,
    read_text,
    times_reading,
    write_text,
)
from ordolex.tui.widgets.prompts import Pick, Picture
from ordolex.tui.works import Sending

_MORE = [
    ("save", "Image of the device: device → PC, into a file"),
    ("compare", "Compare the device with an image in a file"),
    ("write", "Take an image as wanted: file → wanted; a then applies it, PC → device"),
    ("range", "Read a range of registers, in both customs of counting"),
    ("order", "Which type and order of words? From what the front panel shows"),
    ("counters", "Counters of the unit: messages, checks that were wrong, exceptions"),
    ("ratio", "Current and voltage transformers: is the ratio sane, does it explain the reading?"),
    ("checks", "Which check do recorded frames carry?"),
    ("measure", "Measure: one question many times, kept with its conditions and compared"),
]
_COUNTERS = {
    11: "messages on the bus", 12: "of them with a wrong check", 13: "exceptions it gave", 14: "messages for it",
    15: "of them without an answer", 16: "answered with negative acknowledge", 17: "answered busy",
    18: "characters lost to overrun",
}  # fmt: skip


class More(SetWork):
    """The part of the desk for what is needed less often."""

    @work
    async def action_more(self) -> None:
        what = await self.app.push_screen_wait(Pick("With this device", _MORE))
        if what == "ratio":
            await self._ratio()
        elif what == "checks":
            await self._checks()
        elif what in ("save", "compare", "write"):
            opened = self._open_table()
            if opened is not None:
                await {"save": self._save, "compare": self._compare, "write": self._take}[what](*opened)
        elif what is not None:
            link_opened = self._open_link()
            if link_opened is not None:
                jobs = {
                    "range": self._range,
                    "order": self._order,
                    "counters": self._counters,
                    "measure": self._measure,
                }
                await jobs[what](*link_opened)

    async def _asked(self, title: str, value: str, reading: object, hint: str) -> str | None:
        return await self._line(title, value, reading, hint)

    # ---- images

    async def _image(self, link: LinkRecord, runner: LinkRunner, table: SettingsTable) -> Image | None:
        readings = await self._read(link, runner, table, "reading the image")
        if readings is None:
            return None
        self._took(table, readings)
        values = {row.parameter.name: row.now if row.good else None for row in table.rows}
        units = {row.parameter.name: row.parameter.unit for row in table.rows if row.parameter.unit}
        return Image(link.name, table.sheet.name, table.unit, utc_text(utc_us()), values, units)

    async def _save(self, link: LinkRecord, runner: LinkRunner, table: SettingsTable) -> None:
        image = await self._image(link, runner, table)
        if image is None:
            return
        proposal = f"{'-'.join(link.name.lower().split())}-unit-{table.unit}.image.json"
        name = await self._asked("device → PC: image into", proposal, new_file_reading, "Enter writes it")
        if name is None:
            return
        try:
            await asyncio.to_thread(write_text, name, image.encode())
        except OSError as error:
            self.say(f"{name} was not written: {error.strerror}", "bad")
            return
        read = sum(value is not None for value in image.values.values())
        self._tell(link, f"image of {read} values written to {name}", good=read == len(image.values))

    async def _file_image(self) -> Image | None:
        name = await self._asked("Which image?", "", image_reading, "a file that was written with: o, image")
        if name is None:
            return None
        try:
            return decode(await asyncio.to_thread(read_text, name))
        except (OSError, ImageTrouble, UnicodeDecodeError) as error:
            self.say(f"{name}: {error}", "bad")
            return None

    async def _compare(self, link: LinkRecord, runner: LinkRunner, table: SettingsTable) -> None:
        other = await self._file_image()
        if other is None:
            return
        image = await self._image(link, runner, table)
        if image is None:
            return
        found = differences(other, image)
        rows = [f"{'':20} {'in the file':>18} {'in the device':>18}"]
        rows += [visible_text(_difference(one)) for one in found]
        title = f"{len(found)} differences from the image of {other.device}, {other.when}" if found else "no difference"
        await self.app.push_screen_wait(
            Picture(visible_text(title), rows if found else ["all values are equal"], "Esc goes back")
        )

    async def _take(self, link: LinkRecord, runner: LinkRunner, table: SettingsTable) -> None:
        other = await self._file_image()
        if other is None:
            return
        if other.sheet != table.sheet.name:
            self.say(f"the image is of a {other.sheet}, this is a {table.sheet.name}; nothing was taken", "bad")
            return
        image = await self._image(link, runner, table)
        if image is None:
            return
        faults = []
        for row in table.rows:
            value = other.values.get(row.parameter.name)
            if value is not None and row.parameter.can_be_written and not row.parameter.changes_line:
                try:
                    table.want(row.parameter.name, row.text(value))
                except ValueError as error:
                    faults.append(str(error))
        self.link_changed()
        count = len(table.pending)
        words = (
            f"{count} values wanted as in the image; a shows what would be sent"
            if count
            else "the device is like the image"
        )
        self.say(f"{faults[0]}; {words}" if faults else words, "bad" if faults else "good")

    # ---- registers

    def _unit(self, link: LinkRecord, runner: LinkRunner) -> ModbusUnit | None:
        sheet = self.session.sheet_of(link)
        if sheet is None or not sheet.speaks.startswith("modbus-"):
            self.say("Only for units with registers: d chooses a sheet of that kind", "unsure")
            return None
        return ModbusUnit(runner, sheet.speaks.removeprefix("modbus-"), self.session.unit_of(link), sheet.bus)

    async def _registers(self, link: LinkRecord, unit: ModbusUnit, place: Place, count: int) -> tuple[int, ...] | None:
        async def read() -> tuple[int, ...] | str:
            function = READ_BY[place.table]
            request = (pdu.read_bits if function < 3 else pdu.read_registers)(function, place.address, count)
            try:
                reply, _, _ = await unit.exchange(request, f"{count} from {place.text}")
            except Trouble as trouble:
                return f"{trouble.outcome.value}: {trouble.words}"
            return reply.words if reply.exception else reply.registers or tuple(int(bit) for bit in reply.bits)

        found: tuple[int, ...] | str | None = await self._do(link, Sending("reading registers"), read())
        if isinstance(found, str):
            self._tell(link, visible_text(found), good=False)
            return None
        return found

    async def _range(self, link: LinkRecord, runner: LinkRunner) -> None:
        unit = self._unit(link, runner)
        if unit is None:
            return
        typed = await self._asked(
            "Which registers?", "holding 0 10", range_reading, "table, first address, how many; or 40001 10"
        )
        if typed is None:
            return
        place, count = read_range(typed)
        values = await self._registers(link, unit, place, count)
        if values is None:
            return
        rows = [f"{'counted from 0':16} {'from 1':>8}   {'decimal':>7} {'signed':>7}  hex   text"]
        for at, value in enumerate(values):
            one = Place(place.table, place.address + at)
            letters = "".join(chr(b) if 32 <= b < 127 else "·" for b in value.to_bytes(2))
            signed = value - 0x10000 if value & 0x8000 else value
            rows.append(
                f"{one.table} {one.address:<8} {one.numbered:>8}   {value:7} {signed:7}  {value:04x}  {letters}"
            )
        await self.app.push_screen_wait(Picture(f"Unit {unit.unit}: {count} from {place.text}", rows, "Esc goes back"))

    async def _order(self, link: LinkRecord, runner: LinkRunner) -> None:
        unit = self._unit(link, runner)
        if unit is None:
            return
        typed = await self._asked(
            "Which registers hold the value?", "holding 4 2", range_reading, "some more around do no harm"
        )
        if typed is None:
            return
        place, count = read_range(typed)
        panel = await self._asked("What does the front panel show?", "", number_reading, "empty: by plausibility alone")
        if panel is None:
            return
        values = await self._registers(link, unit, place, count)
        if values is None:
            return
        digits = max(3, len(panel.replace("-", "").replace(".", "").lstrip("0")))
        found = find_layouts(values, float(panel) if panel.strip() else None, digits)
        rows = [f"registers {' '.join(f'{value:04x}' for value in values)}", ""]
        rows += [f"from {Place(place.table, place.address + one.at).text:36} {one.words}" for one in found]
        title = f"{len(found)} ways to read it" if found else "no type and order gives that value"
        await self.app.push_screen_wait(Picture(title, rows, "the likeliest first; Esc goes back"))

    async def _counters(self, link: LinkRecord, runner: LinkRunner) -> None:
        unit = self._unit(link, runner)
        if unit is None:
            return

        async def ask() -> list[str]:
            rows = []
            try:
                reply, _, _ = await unit.exchange(pdu.event_counter(), "events", 0)
                rows.append(f"{'messages answered well':40} {reply.words if reply.exception else reply.registers[1]}")
            except Trouble as trouble:
                rows.append(f"{'messages answered well':40} {trouble.outcome.value}")
            for sub, words in _COUNTERS.items():
                try:
                    reply, _, _ = await unit.exchange(pdu.diagnostics(sub), words, 0)
                    rows.append(f"{words:40} {reply.words if reply.exception else reply.registers[0]}")
                except Trouble as trouble:
                    rows.append(f"{words:40} {trouble.outcome.value}")
            return rows

        rows: list[str] | None = await self._do(link, Sending("reading counters"), ask())
        if rows is not None:
            await self.app.push_screen_wait(Picture(f"Counters of unit {unit.unit}", rows, "Esc goes back"))

    # ---- ratios

    async def _ratio(self) -> None:
        current = await self._asked(
            "Current transformer, primary/secondary", "300/5", ratio_reading("current"), "from its plate"
        )
        if current is None:
            return
        voltage = await self._asked(
            "Voltage transformer, primary/secondary", "1/1", ratio_reading("voltage"), "1/1 where there is none"
        )
        if voltage is None:
            return
        row = self.row_at_cursor()
        start = f"{row.now}" if row is not None and isinstance(row.now, int | float) else ""
        reading = await self._asked(
            "What the device says, on the secondary side", start, number_reading, "as it was read"
        )
        if reading is None or not reading.strip():
            return
        panel = await self._asked("What the front panel shows", "", number_reading, "in the same unit")
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
        conditions = await self._asked(
            "Under which conditions?", "", lambda text: "kept with the figures", "cable, load, time of day"
        )
        if conditions is None:
            return
        times = await self._asked(
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
        earlier = [Run.of(e.detail) for e in self.session.book.reader.events(link.id) if e.kind == "run"]
        self.session.book.recorder.note(
            Event(link.id, utc_us(), round(mono_s() * 1e6), "run", f"{run.conditions}: {run.words}", run.as_dict())
        )
        rows = [visible_text(f"{one.conditions or 'no conditions':30} {one.words}") for one in [*earlier[-12:], run]]
        if earlier:
            rows += ["", f"since the one before: {compare_runs(earlier[-1], run)}"]
        await self.app.push_screen_wait(Picture("Measurements of this link", rows, "kept in the book; Esc goes back"))


def _difference(one: Difference) -> str:
    first = "—" if one.first is None else f"{one.first}"
    second = "—" if one.second is None else f"{one.second}"
    return f"{one.name:20} {first:>18} {second:>18}   {one.kind}"
