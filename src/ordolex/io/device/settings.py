"""Reading and changing a device by its sheet: read first, write, read back, and what became of it."""

from __future__ import annotations

from collections.abc import Callable, Mapping, Sequence

from ordolex.core.device.setting import Outcome, Reading, Written, same, shown
from ordolex.core.sheet import Sheet
from ordolex.core.sheet.parameters import Parameter, Setting
from ordolex.io.device.base import Device, Trouble
from ordolex.io.device.framed import FramedDevice
from ordolex.io.device.meter import MeterDevice
from ordolex.io.device.modbus import ModbusUnit
from ordolex.io.device.text import TextDevice
from ordolex.io.link.runner import LinkRunner


def device_for(runner: LinkRunner, sheet: Sheet, unit: int | None = None, address: str = "") -> Device:
    """What reads and sets a device of this sheet."""
    return DEVICES[sheet.speaks](runner, sheet, sheet.bus.unit if unit is None else unit, address)


def _modbus(runner: LinkRunner, sheet: Sheet, unit: int, address: str) -> Device:
    return ModbusUnit(runner, sheet.family.framing, unit, sheet.bus)


def _framed(runner: LinkRunner, sheet: Sheet, unit: int, address: str) -> Device:
    assert sheet.frame is not None, "a sheet of that kind has one"
    return FramedDevice(runner, sheet.frame.plan(), unit, sheet.bus)


def _text(runner: LinkRunner, sheet: Sheet, unit: int, address: str) -> Device:
    return TextDevice(runner, sheet.bus, at=sheet.family.dials, check=sheet.line_check)


DEVICES: dict[str, Callable[[LinkRunner, Sheet, int, str], Device]] = {
    "text": _text, "at": _text, "framed": _framed, "meter": lambda runner, sheet, unit, address: MeterDevice(
        runner, address
    ),
    "modbus-rtu": _modbus, "modbus-ascii": _modbus, "modbus-tcp": _modbus,
}  # fmt: skip
"""Protocol, as in FAMILIES → what reads and sets a device that speaks it."""


async def apply(
    device: Device,
    wanted: Sequence[tuple[Parameter, Setting]],
    runner: LinkRunner | None = None,
    changed: Callable[[Written], None] = lambda written: None,
    of: Mapping[str, object] | None = None,
) -> list[Written]:
    """Writes in the order of the parameters' ranks, each read before and read back. It stops at the first that does not
    hold: what follows may depend on it. `of` says in the record which device it is: its sheet and its unit."""
    out = []
    for parameter, value in sorted(wanted, key=lambda pair: pair[0].rank):
        written = await set_one(device, parameter, value)
        if runner is not None:
            detail: dict[str, object] = {
                "name": written.name, "before": written.before, "wanted": written.wanted, "after": written.after,
                "verdict": written.verdict,
            } | dict(of or {})  # fmt: skip
            runner.note("set", set_words(parameter, written), detail)
        out.append(written)
        changed(written)
        if not written.good:
            break
    return out


def set_words(parameter: Parameter, written: Written) -> str:
    """What became of a change, for the record."""

    def said(value: Setting | None) -> str:
        return f"{shown(parameter, value)} {parameter.unit}".strip() if value is not None else "not known"

    if written.verdict == "unchanged":
        return f"{written.name} is {said(written.before)} already; no write was sent"
    change = f"set {written.name}: {said(written.before)} → {said(written.wanted)}"
    if written.verdict == "held":
        return f"{change}, read back as set" + (f"; {written.words}" if written.words not in ("", "taken") else "")
    return f"{change}, {written.verdict}: {written.words}".removesuffix(": ")


async def set_one(device: Device, parameter: Parameter, value: Setting) -> Written:
    """Raises a Fault where the port is gone."""
    (before,) = await device.read([parameter])
    if before.outcome is Outcome.SILENT:
        return Written(parameter.name, None, value, None, "no answer", before.words)
    if before.outcome is Outcome.WRONG and not before.stands:
        words = f"no write was sent: what it is now could not be read, {before.words}"
        return Written(parameter.name, None, value, None, before.outcome.value, words)
    if before.outcome is Outcome.READ and same(parameter, before.value, value):
        return Written(parameter.name, before.value, value, before.value, "unchanged", "it was so before")
    trouble = None
    try:
        said = await device.write(parameter, value)
    except Trouble as error:
        trouble, said = error, error.words
    # Read back in any case: a write whose answer was lost may have been done.
    (after,) = await device.read([parameter])
    changed = (before.outcome is Outcome.READ or before.stands) and after.outcome is Outcome.READ
    done = changed and same(parameter, after.value, value)
    if trouble is not None and trouble.outcome is Outcome.REFUSED and not done:
        return Written(parameter.name, before.value, value, after.value, trouble.outcome.value, said)
    if after.outcome is not Outcome.READ:
        if trouble is not None:
            words = f"{said}; whether it was set is not known: it could not be read back, {after.words}"
            return Written(parameter.name, before.value, value, None, trouble.outcome.value, words)
        return Written(parameter.name, before.value, value, None, "not read back", after.words)
    if same(parameter, after.value, value):
        words = f"{said}, and yet it reads back right" if trouble is not None else said
        words += f"; before, it held no value: {before.words}" if before.stands else ""
        return Written(parameter.name, before.value, value, after.value, "held", words)
    if trouble is not None:
        return Written(parameter.name, before.value, value, after.value, trouble.outcome.value, said)
    words = f"it said {said!r}, and reads {after.value}"
    if before.value is not None:
        stayed = same(parameter, after.value, before.value)
        words += ", as before" if stayed else ": the device limits or rounds what it is given"
    return Written(parameter.name, before.value, value, after.value, "not held", words)


def words_of(reading: Reading) -> str:
    """What a reading without a value says."""
    return "" if reading.outcome is Outcome.READ else f"{reading.outcome.value}: {reading.words}"
