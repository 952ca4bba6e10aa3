"""Set: registers as they lie in a unit, the order of words, and the unit's counters."""

from __future__ import annotations

from ordolex.core.protocols.modbus import pdu
from ordolex.core.protocols.modbus.address import READ_BY, Place
from ordolex.core.protocols.modbus.values import find_layouts
from ordolex.core.text.counts import counted
from ordolex.core.text.visible import visible_text
from ordolex.io.device.base import Trouble
from ordolex.io.device.modbus import ModbusUnit
from ordolex.session.works import Sending
from ordolex.tui.desks.set.at import SetAt
from ordolex.tui.desks.set.readings import number_reading, range_reading, read_range
from ordolex.tui.job import an_open_link
from ordolex.tui.widgets.prompts import Picture

_COUNTERS = {
    11: "messages on the bus", 12: "of them with a wrong check", 13: "exceptions it gave", 14: "messages for it",
    15: "of them without an answer", 16: "answered with negative acknowledge", 17: "answered busy",
    18: "characters lost to overrun",
}  # fmt: skip


def an_open_unit(at: SetAt) -> str:
    """An open port with a unit that has registers behind it."""
    sheet = at.session.devices.sheet_of(at.chosen) if at.chosen is not None else None
    why_not = an_open_link(at)
    if why_not or (sheet is not None and sheet.family.framing):
        return why_not
    return "Only for units with registers: d chooses a sheet of that kind"


def _unit(at: SetAt) -> ModbusUnit:
    sheet = at.session.devices.sheet_of(at.link)
    assert sheet is not None, "a job that needs no unit asked for it"
    return ModbusUnit(at.runner, sheet.family.framing, at.session.devices.unit_of(at.link), sheet.bus)


async def _registers(at: SetAt, unit: ModbusUnit, place: Place, count: int) -> tuple[int, ...] | None:
    async def read() -> tuple[int, ...] | str:
        function = READ_BY[place.table]
        request = (pdu.read_bits if function < 3 else pdu.read_registers)(function, place.address, count)
        try:
            reply, _, _ = await unit.exchange(request, f"{count} from {place.text}")
        except Trouble as trouble:
            return f"{trouble.outcome.value}: {trouble.words}"
        return reply.words if reply.exception else reply.registers or tuple(int(bit) for bit in reply.bits)

    found: tuple[int, ...] | str | None = await at.do(Sending("reading registers"), read())
    if isinstance(found, str):
        at.tell(visible_text(found), good=False)
        return None
    return found


async def show_range(at: SetAt) -> None:
    unit = _unit(at)
    typed = await at.line(
        "Which registers?", "holding 0 10", range_reading, "table, first address, how many; or 40001 10"
    )
    if typed is None:
        return
    place, count = read_range(typed)
    values = await _registers(at, unit, place, count)
    if values is None:
        return
    rows = [f"{'counted from 0':16} {'from 1':>8}   {'decimal':>7} {'signed':>7}  hex   text"]
    for offset, value in enumerate(values):
        one = Place(place.table, place.address + offset)
        letters = "".join(chr(b) if 32 <= b < 127 else "·" for b in value.to_bytes(2))
        signed = value - 0x10000 if value & 0x8000 else value
        rows.append(f"{one.table} {one.address:<8} {one.numbered:>8}   {value:7} {signed:7}  {value:04x}  {letters}")
    await at.ask(Picture(f"Unit {unit.unit}: {count} from {place.text}", rows, "Esc goes back"))


async def word_order(at: SetAt) -> None:
    unit = _unit(at)
    typed = await at.line(
        "Which registers hold the value?", "holding 4 2", range_reading, "some more around do no harm"
    )
    if typed is None:
        return
    place, count = read_range(typed)
    panel = await at.line("What does the front panel show?", "", number_reading, "empty: by plausibility alone")
    if panel is None:
        return
    values = await _registers(at, unit, place, count)
    if values is None:
        return
    digits = max(3, len(panel.replace("-", "").replace(".", "").lstrip("0")))
    found = find_layouts(values, float(panel) if panel.strip() else None, digits)
    rows = [f"registers {' '.join(f'{value:04x}' for value in values)}", ""]
    rows += [f"from {Place(place.table, place.address + one.at).text:36} {one.words}" for one in found]
    title = f"{counted(len(found), 'way')} to read it" if found else "no type and order gives that value"
    await at.ask(Picture(title, rows, "the likeliest first; Esc goes back"))


async def counters(at: SetAt) -> None:
    unit = _unit(at)

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

    rows: list[str] | None = await at.do(Sending("reading counters"), ask())
    if rows is not None:
        await at.ask(Picture(f"Counters of unit {unit.unit}", rows, "Esc goes back"))
