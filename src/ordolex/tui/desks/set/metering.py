"""Set: power meters and their kin. What the panel shows, what the meter logs by itself, its code before writes."""

from __future__ import annotations

from collections.abc import Sequence

from ordolex.core.device.logged import slots_for
from ordolex.core.device.panel import PanelValue, panel_value
from ordolex.core.sheet.parameters import Parameter
from ordolex.core.text.counts import counted
from ordolex.core.text.visible import visible_text
from ordolex.io.device.base import Trouble
from ordolex.io.device.modbus import ModbusUnit
from ordolex.session.metering import log_name, pull_log
from ordolex.session.works import Sending
from ordolex.tui.desks.set.at import SetAt, an_open_table
from ordolex.tui.desks.set.readings import number_reading
from ordolex.tui.widgets.prompts import LinePrompt, Pick, Picture
from ordolex.tui.widgets.ticks import Ticks


def a_meter_with_a_panel(at: SetAt) -> str:
    """An open table, and a sheet that says what the front panel makes of it."""
    why_not = an_open_table(at)
    if why_not or (at.known_table is not None and at.known_table.sheet.panel):
        return why_not
    return "Its sheet says nothing of a front panel; docs/sheets.md: [[panel]]"


def a_meter_with_a_log(at: SetAt) -> str:
    """An open table, and a sheet that says where the device's log is."""
    why_not = an_open_table(at)
    if why_not or (at.known_table is not None and at.known_table.sheet.log is not None):
        return why_not
    return "Its sheet says nothing of a log; docs/sheets.md: [log]"


async def panel(at: SetAt) -> None:
    """Reads what is measured and the ratios, computes, and compares with what the technician sees."""
    readings = await at.read_all("reading")
    if readings is None:
        return
    at.took(readings)
    table = at.table
    values = {row.parameter.name: row.now if row.good else None for row in table.rows}
    shown = [panel_value(one, values) for one in table.sheet.panel]
    choices = [(str(n), visible_text(one.words)) for n, one in enumerate(shown)]
    words = "computed from what was just read; Enter on one compares it with what you see there"
    chosen = await at.ask(Pick("What the front panel would show now", choices, words))
    if chosen is not None:
        await _compare(at, shown[int(chosen)])


async def _compare(at: SetAt, one: PanelValue) -> None:
    if one.trouble:
        at.say(visible_text(one.words), "bad")
        return
    name = visible_text(one.panel.name)
    unit = f" in {one.panel.unit}" if one.panel.unit else ""
    typed = await at.line(f"{name}: what does the front panel show{unit}?", "", number_reading, visible_text(one.words))
    if typed is None or not typed.strip():
        return
    result = one.beside(float(typed))
    at.session.note(f"front panel, {one.panel.name}: {result.words}", at.link)
    at.tell(f"{name}: {result.words}", good=result.fits)
    title = "they fit" if result.fits else "they do not fit"
    rows = [visible_text(one.words), "", *(visible_text(part) for part in result.words.split("; "))]
    await at.ask(Picture(f"Front panel and device: {title}", rows, "kept as a note; Esc goes back"))


async def choose_log(at: SetAt) -> None:
    """Ticks what the device logs; it is wanted then, and applied like everything else."""
    table = at.table
    log = table.sheet.log
    assert log is not None, "a device without a log"
    rows = [table.row(slot) for slot in log.slots]
    if any(row.now is None for row in rows):
        at.say("Read first (r): what it logs now is kept as found before", "unsure")
        return
    now = {row.parameter.name: row.now for row in rows}
    choices = [(key, visible_text(words)) for key, words in rows[0].parameter.choices.items() if key != log.nothing]
    ticked = [str(row.wanted if row.wanted is not None else row.now) for row in rows]
    chosen = await at.ask(Ticks("What does it log by itself?", choices, ticked, len(log.slots)))
    if chosen is None:
        return
    for slot, quantity in slots_for(log, now, chosen).items():
        table.want(slot, quantity)
    at.show()
    changes = sum(table.row(slot).wanted is not None for slot in log.slots)
    interval = f"; {log.interval} says how often" if log.interval else ""
    words = f"{changes} of its {len(log.slots)} places change; a shows what is sent{interval}"
    at.say(words if changes else "it logs just that already; nothing to apply")


async def log_table(at: SetAt) -> None:
    """The device's log, as a table that is kept."""
    table, device, link = at.table, at.device(), at.link
    if not isinstance(device, ModbusUnit):
        return
    sending = Sending("reading its log")

    def changed(done: int, of: int) -> None:
        sending.now = f"{done} of {counted(of, 'row')}"

    before = at.session.book.reader.known.table(link.id, log_name(table.unit))
    job = pull_log(at.runner, at.session.book.recorder, table.sheet, device, before, changed)
    try:
        kept = await at.do(sending, job)
    except Trouble as trouble:
        at.tell(visible_text(f"its log: {trouble.outcome.value}, {trouble.words}"), good=False)
        return
    if kept is None:
        return
    at.tell(visible_text(kept.words), good=not kept.table.odd)
    widths = [max(len(column), *(len(row[n]) for row in kept.table.rows), 1) for n, column in
              enumerate(kept.table.columns)]  # fmt: skip
    shown = [kept.table.columns, *kept.table.rows]
    rows = ["  ".join(f"{cell:>{width}}" for cell, width in zip(row, widths, strict=True)) for row in shown]
    rows += [f"odd row {number}: {text}" for number, text in kept.table.odd]
    hint = "kept in the record, and as CSV in the handover; Esc goes back"
    await at.ask(Picture(visible_text(kept.words), [visible_text(row) for row in rows], hint))


async def opened(at: SetAt, pending: Sequence[Parameter]) -> bool:
    """Where something is protected: whether the device is open to writes, by its code if it is not yet."""
    unlock, device = at.table.sheet.unlock, at.device()
    if unlock is None or not isinstance(device, ModbusUnit) or not any(one.protected for one in pending):
        return True
    try:
        is_open = await at.do(Sending("is it open to writes?"), device.is_open(unlock))
        if is_open is None or is_open:
            return bool(is_open)
        title = f"{unlock.means.capitalize()} is needed before it takes a write"
        typed = await at.ask(LinePrompt(title, "", _code, "Enter alone writes none; Esc goes back", hidden=True))
        if typed is None:
            at.say("nothing was sent; what is wanted is still there", "unsure")
            return False
        if not typed.strip():
            return True
        return bool(await at.do(Sending("opening it"), _unlocked(device, at, int(typed))))
    except Trouble as trouble:
        at.tell(visible_text(f"{trouble.words}; nothing was set"), good=False)
        return False


async def _unlocked(device: ModbusUnit, at: SetAt, code: int) -> bool:
    unlock = at.table.sheet.unlock
    assert unlock is not None, "a device without a code"
    await device.unlock(unlock, code)
    return True


def _code(text: str) -> str:
    if not text.strip():
        return "it is open, or takes writes without one"
    if not text.strip().isdecimal() or int(text) > 0xFFFF:
        raise ValueError("a number from 0 to 65535")
    return f"{counted(len(text.strip()), 'digit')}, not shown and not kept"
