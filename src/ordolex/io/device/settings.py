"""Reading and changing a device by its sheet: read first, write, read back, and what became of it."""

from __future__ import annotations

from collections.abc import Callable, Sequence

from ordolex.core.setting import Outcome, Reading, Written, same
from ordolex.core.sheet import Sheet
from ordolex.core.sheet.parameters import Parameter, Setting
from ordolex.io.device.base import Device, Trouble
from ordolex.io.device.framed import FramedDevice
from ordolex.io.device.meter import MeterDevice
from ordolex.io.device.modbus import ModbusUnit
from ordolex.io.device.text import TextDevice
from ordolex.io.runner import LinkRunner


def device_for(runner: LinkRunner, sheet: Sheet, unit: int | None = None, address: str = "") -> Device:
    """What reads and sets a device of this sheet."""
    number = sheet.bus.unit if unit is None else unit
    if sheet.speaks.startswith("modbus-"):
        return ModbusUnit(runner, sheet.speaks.removeprefix("modbus-"), number, sheet.bus)
    if sheet.speaks == "meter":
        return MeterDevice(runner, address)
    if sheet.frame is not None and sheet.speaks == "framed":
        return FramedDevice(runner, sheet.frame.plan(), number, sheet.bus)
    return TextDevice(runner, sheet.bus, at=sheet.speaks == "at")


async def apply(
    device: Device,
    wanted: Sequence[tuple[Parameter, Setting]],
    runner: LinkRunner | None = None,
    changed: Callable[[Written], None] = lambda written: None,
) -> list[Written]:
    """Writes in the order of the parameters' ranks, each read before and read back. It stops at the first that does not
    hold: what follows may depend on it."""
    out = []
    for parameter, value in sorted(wanted, key=lambda pair: pair[0].rank):
        written = await set_one(device, parameter, value)
        if runner is not None:
            detail: dict[str, object] = {
                "name": written.name, "before": written.before, "wanted": written.wanted, "after": written.after,
                "verdict": written.verdict,
            }  # fmt: skip
            words = f"set {written.name}: {written.before} → {written.wanted}, {written.verdict} {written.words}"
            runner.note("set", words.strip(), detail)
        out.append(written)
        changed(written)
        if not written.good:
            break
    return out


async def set_one(device: Device, parameter: Parameter, value: Setting) -> Written:
    """Raises a Fault where the port is gone."""
    (before,) = await device.read([parameter])
    if before.outcome is Outcome.SILENT:
        return Written(parameter.name, None, value, None, "no answer", before.words)
    if same(parameter, before.value, value):
        return Written(parameter.name, before.value, value, before.value, "unchanged", "it was so before")
    try:
        said = await device.write(parameter, value)
    except Trouble as trouble:
        after = (await device.read([parameter]))[0].value if trouble.outcome is not Outcome.SILENT else None
        return Written(parameter.name, before.value, value, after, trouble.outcome.value, trouble.words)
    (after_reading,) = await device.read([parameter])
    if after_reading.outcome is not Outcome.READ:
        return Written(parameter.name, before.value, value, None, "not read back", after_reading.words)
    if same(parameter, after_reading.value, value):
        return Written(parameter.name, before.value, value, after_reading.value, "held", said)
    words = f"it said {said!r}, and reads {after_reading.value}"
    return Written(parameter.name, before.value, value, after_reading.value, "not held", words)


def words_of(reading: Reading) -> str:
    """What a reading without a value says."""
    return "" if reading.outcome is Outcome.READ else f"{reading.outcome.value}: {reading.words}"
