"""Set: reading, wanting, applying, undoing."""

from __future__ import annotations

from ordolex.core.device.setting import Written, read_setting
from ordolex.core.device.settings_table import SettingRow, SettingsTable
from ordolex.core.sheet.parameters import Parameter, Setting
from ordolex.core.text.visible import hex_pairs, visible_text
from ordolex.io.device.base import Device
from ordolex.io.device.modbus import ModbusUnit
from ordolex.io.system.clock import mono_s
from ordolex.io.work.rate import change_rate
from ordolex.session.device import set_values
from ordolex.session.works import Sending
from ordolex.tui.desks.set.at import SetAt
from ordolex.tui.desks.set.metering import opened
from ordolex.tui.widgets.prompts import LinePrompt, Pick
from ordolex.tui.widgets.wording import clock_time, cut, day


async def read(at: SetAt) -> None:
    runner = at.runner
    readings = await at.read_all("reading")
    if readings is None:
        return
    read = at.took(readings)
    bad = read.bad
    words = f"{len(readings) - len(bad)} of {len(readings)} read"
    if runner.late is not None:
        words += f"; {runner.late.words}. o sets {runner.late.enough_s:g} s"
    if bad:
        at.say(f"{words}; {bad[0].name}: {bad[0].outcome.value}, {visible_text(bad[0].words)}", "unsure")
    elif at.table.found_otherwise:
        row = at.table.found_otherwise[0]
        left = row.was_left
        assert left is not None, "what was found otherwise was left before"
        others = f" and {len(at.table.found_otherwise) - 1} more" if len(at.table.found_otherwise) > 1 else ""
        was = f"{row.parameter.name}{others}: left at {row.text(left.end)} {row.parameter.unit}".rstrip()
        at.say(f"{words}; not as it was left on {day(left.utc_us)}: {was}, found {row.text(row.found)}", "unsure")
    else:
        at.say(f"{words}, as found" if read.first else words, "good")


async def want(at: SetAt) -> None:
    row, table = at.row, at.known_table
    if row is None or table is None:
        sheet = at.session.devices.sheet_of(at.chosen) if at.chosen is not None else None
        own_menu = sheet is not None and bool(sheet.procedure)
        words = (
            "p leads through its own menu; there is no table of settings"
            if own_menu
            else "Choose a device with d first"
        )
        at.say(words, "unsure")
        return
    parameter = row.parameter
    if not parameter.can_be_written:
        at.say(f"{parameter.name} is only read; its sheet says no way to write it", "unsure")
        return
    if row.now is None:
        at.say("Read first (r): what is changed is kept as found before", "unsure")
        return
    typed = await _wanted_text(at, row)
    if typed is None:
        return
    try:
        table.want(parameter.name, typed)
    except ValueError as error:
        at.say(str(error), "bad")
        return
    at.show()
    at.say("a applies it" if row.wanted is not None else "it is so already; nothing to apply", "plain")


async def _wanted_text(at: SetAt, row: SettingRow) -> str | None:
    parameter = row.parameter
    if parameter.kind in ("choice", "switch"):
        keys = parameter.choices or {"on": "on", "off": "off"}
        choices = [(key, f"{words} ({key})" if words != key else words) for key, words in keys.items()]
        title = f"{parameter.name}, now {row.text(row.now)}"
        return await at.ask(Pick(visible_text(title), choices, visible_text(parameter.means)))

    def reading(text: str) -> str:
        if not text.strip():
            return "no change is wanted"
        return f"{read_setting(parameter, text)} {parameter.unit}".strip()

    now = row.wanted if row.wanted is not None else row.now
    hint = f"now {row.text(row.now)} {parameter.unit}   may be {parameter.limits or 'anything'}"
    title = f"{parameter.name}: {parameter.means}" if parameter.means else parameter.name
    return await at.ask(LinePrompt(visible_text(title), row.text(now), reading, visible_text(hint)))


async def undo(at: SetAt) -> None:
    """To this visit's own as found; where there were earlier ones, to one of theirs by choice."""
    table = at.known_table
    if table is None:
        return
    to, words = None, "as found"
    if table.earlier_visits:
        visits = [(when, how) for when in table.earlier_visits[:20] for how in ("left", "found")]
        choices = [("", "As found in this visit")]
        choices += [(f"{when} {how}", f"As {how}, visit of {_moment(when)}") for when, how in visits]
        chosen = await at.ask(Pick("What is wanted back?", choices))
        if chosen is None:
            return
        if chosen:
            when, _, how = chosen.partition(" ")
            to, words = (int(when), how), f"as {how}, visit of {_moment(int(when))}"
    count = table.undo(to)
    at.show()
    none = f"everything is {words}" if to is not None else "everything is as it was found"
    at.say(f"{count} wanted back {words}; a applies it" if count else none, "plain")


def _moment(utc_us: int) -> str:
    return f"{day(utc_us)} {clock_time(utc_us)[:5]}"


async def apply(at: SetAt) -> None:
    table = at.table
    pending = table.pending
    if not pending:
        at.say("Nothing is wanted; Enter on a row says what it is to be", "unsure")
        return
    device = at.device()
    try:
        rows = [_plan_row(table, device, parameter, value) for parameter, value in pending]
    except ValueError as error:
        at.say(str(error), "bad")
        return
    what = "these, and read each back" if len(rows) > 1 else "this, and read it back"
    choices = [("apply", f"Send {what}"), ("stay", "Not yet")]
    answer = await at.ask(Pick("PC → device, in this order", choices, "\n".join(rows)))
    if answer == "apply" and await opened(at, [parameter for parameter, _ in pending]):
        await _apply(at, table, device)


async def broadcast(at: SetAt) -> None:
    """One value to every unit of the line at once: offered with a warning, for nobody answers."""
    row, table = at.row, at.table
    if row is None or row.parameter.modbus is None or not row.parameter.can_be_written:
        at.say("Choose a register that can be written; it is written to all units then", "unsure")
        return
    parameter = row.parameter
    typed = await _wanted_text(at, row)
    if typed is None or not typed.strip():
        return
    everybody = ModbusUnit(at.runner, table.sheet.family.framing, 0, table.sheet.bus)
    try:
        value = read_setting(parameter, typed)
        sends = hex_pairs(everybody.preview(parameter, value))
    except ValueError as error:
        at.say(str(error), "bad")
        return
    text = (
        f"{parameter.name} {row.text(value)} {parameter.unit}   sends {sends}\n"
        "Nobody answers, and nothing is read back; a unit of another kind takes it too, as whatever lies there."
    )
    choices = [("stay", "Send nothing"), ("send", "Send it to every unit of the line")]
    if await at.ask(Pick("To all units at once", choices, _lines(text))) != "send":
        at.say("nothing was sent", "plain")
        return
    said = await at.do(Sending("to all units"), everybody.write_to_all(parameter, value))
    if said is not None:
        at.session.note(f"{parameter.name} {row.text(value)} {parameter.unit} {said}".replace("  ", " "), at.link)
        at.tell(visible_text(f"{parameter.name}: {said}; r reads each unit"), good=False)


def _lines(text: str) -> str:
    return "\n".join(visible_text(line) for line in text.split("\n"))


def _plan_row(table: SettingsTable, device: Device, parameter: Parameter, value: Setting) -> str:
    row = table.row(parameter.name)
    change = f"{row.text(row.now)} → {row.text(value)} {parameter.unit}".strip()
    sends = hex_pairs(device.preview(parameter, value))
    return visible_text(f"{parameter.name:16} {change:24}") + f" sends {cut(sends, 44)}"


async def _apply(at: SetAt, table: SettingsTable, device: Device) -> None:
    runner = at.runner
    sending = Sending("applying")

    def changed(written: Written) -> None:
        sending.now = f"{written.name}: {written.verdict}"

    plain = [(p, v) for p, v in table.pending if not p.changes_line]
    done: list[Written] | None = await at.do(sending, set_values(runner, table, device, plain, changed))
    if done is None:
        return
    for written in done:
        table.written(written, mono_s())
    bad = [written for written in done if not written.good]
    at.show_anew()
    if bad:
        words = f"{bad[0].name}: {bad[0].verdict}, {bad[0].words}"
        left = len(plain) - len(done)
        after = f"; {left} more not sent" if left else ""
        at.tell(visible_text(words + after), good=False)
        return
    if done:
        stored = "; s makes it last" if any(row.unstored for row in table.rows) else ""
        at.tell(f"{len(done)} set and read back: {', '.join(w.name for w in done)}{stored}", good=True)
    for parameter, value in [(p, v) for p, v in table.pending if p.changes_line]:
        await _change_line(at, table, device, parameter, value)


async def _change_line(at: SetAt, table: SettingsTable, device: Device, parameter: Parameter, value: Setting) -> None:
    """The device's own rate: both ends change in lock step, or return."""
    question = next((q.question() for q in table.sheet.harmless), None)
    link, runner = at.link, at.runner
    if question is None:
        at.say(f"{parameter.name} changes the line; the sheet has no harmless question to prove it with", "bad")
        return
    to = runner.line.changed(baud=int(value))
    sending = Sending(f"both to {to.baud}")

    def changed(words: str) -> None:
        sending.now = words

    before = table.row(parameter.name).now
    done = await at.do(sending, change_rate(runner, device.preview(parameter, value), to, question, changed))
    if done is None:
        return
    verdict = "held" if done.proven else "not held"
    after = value if done.proven else before
    table.written(Written(parameter.name, before, value, after, verdict, done.words), mono_s())
    at.session.links.follow_line(link, runner.line, "changed in lock step")
    at.tell(done.words, good=done.proven)
    at.show_anew()
