"""A device's settings by its sheet, as desk and command line read and set them: what was read first is kept as found,
every change is kept with what was there before, and which of several devices of a line it was."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import dataclass
from typing import TYPE_CHECKING

from ordolex.core.device.setting import Outcome, Reading, Written, shown
from ordolex.core.device.settings_table import SettingsTable
from ordolex.core.sheet import Sheet
from ordolex.core.sheet.parameters import Action, Parameter, Setting
from ordolex.core.text.counts import counted
from ordolex.io.device.base import Device
from ordolex.io.device.settings import apply, device_for
from ordolex.io.link.runner import LinkRunner
from ordolex.io.system.clock import mono_s

if TYPE_CHECKING:
    from ordolex.io.book.reader import BookReader


@dataclass(frozen=True, slots=True)
class Read:
    """first  nothing was known of the device before
    bad    what was not read
    """

    readings: list[Reading]
    first: bool

    @property
    def bad(self) -> list[Reading]:
        return [reading for reading in self.readings if reading.outcome is not Outcome.READ]


def table_of(sheet: Sheet, unit: int, reader: BookReader | None, link: int) -> SettingsTable:
    """The device's settings, with what the book knows of them."""
    table = SettingsTable(sheet, unit)
    if reader is not None:
        events = reader.known.events_of("found", "set", link=link)
        table.remember([(event.kind, event.detail, event.utc_us) for event in events], reader.visit_starts())
    return table


def device_of(runner: LinkRunner, table: SettingsTable, wait_s: float | None = None, address: str = "") -> Device:
    """What reads and sets it; `wait_s` for each answer, where not the sheet's."""
    sheet = table.sheet if wait_s is None else table.sheet.waiting(wait_s)
    return device_for(runner, sheet, table.unit, address)


def took(
    runner: LinkRunner, table: SettingsTable, readings: Sequence[Reading],
    soon: Callable[[Callable[[], object]], object] = lambda work: work(),
) -> Read:  # fmt: skip
    """Readings into the table; what was read for the first time goes into the record as found. `soon` does what
    concerns the link, in the thread that runs it."""
    before = {row.parameter.name for row in table.rows if row.found is not None}
    table.read(readings, mono_s())
    found = {
        row.parameter.name: row.found for row in table.rows
        if row.found is not None and row.parameter.name not in before
    }  # fmt: skip
    if found:
        values = ", ".join(f"{name} {value}" for name, value in found.items())
        detail = {"values": found, "anew": not before, **named(table)}
        words = f"as found, {table.sheet.name}, unit {table.unit}: {values}"
        soon(lambda: runner.note("found", words, detail))
    soon(lambda: _prove(runner, table, readings))
    table.differences_first()
    return Read(list(readings), not before)


def _prove(runner: LinkRunner, table: SettingsTable, readings: Sequence[Reading]) -> None:
    """Values that came as the sheet expects them prove the link."""
    right = [one for one in readings if one.outcome is Outcome.READ]
    if right:
        slowest = max((one.ms for one in right if one.ms is not None), default=0.0)
        count = counted(len(right), "value")
        runner.shown_right(f"reading {count}", ", ".join(_said(table, one) for one in right[:5]), slowest)


def _said(table: SettingsTable, reading: Reading) -> str:
    parameter = table.sheet.parameter_named(reading.name)
    if parameter is None:
        return f"{reading.name} {reading.value}"
    return f"{reading.name} {shown(parameter, reading.value)} {parameter.unit}".rstrip()


async def set_values(
    runner: LinkRunner,
    table: SettingsTable,
    device: Device,
    wanted: Sequence[tuple[Parameter, Setting]],
    changed: Callable[[Written], None] = lambda written: None,
) -> list[Written]:
    """Each is read before, written, read back and kept in the record; it stops at the first that does not hold. Raises
    a Fault where the port is gone."""
    return await apply(device, wanted, runner, changed, named(table))


async def act(runner: LinkRunner, table: SettingsTable, device: Device, action: Action) -> str:
    """What the device said to an action of its sheet, which is kept in the record. Raises Trouble."""
    said = await device.act(action)
    detail = {"stored": action is table.sheet.store, **named(table)}
    runner.note("set", f"{action.means or 'action'}: {said}", detail)
    return said


def named(table: SettingsTable) -> dict[str, object]:
    """Which device an event is about: several can be behind one link."""
    return {"sheet": table.sheet.name, "unit": table.unit}
