"""A meter's own log as a table that is kept, and the code that opens it to writes."""

from __future__ import annotations

from collections.abc import Callable, Mapping

from ordolex.core.device.logged import columns_of, log_table
from ordolex.core.device.setting import Outcome
from ordolex.core.sheet import Sheet
from ordolex.core.sheet.parameters import Setting
from ordolex.core.tables.table import Table
from ordolex.core.text.counts import counted
from ordolex.io.device.base import Trouble
from ordolex.io.device.modbus import ModbusUnit
from ordolex.io.link.journal import RecorderLike
from ordolex.io.link.runner import LinkRunner
from ordolex.io.system.clock import mono_s
from ordolex.io.work.lists import Pulled, table_event
from ordolex.session.lists import KeptList


def log_name(unit: int) -> str:
    return f"log of unit {unit}"


async def pull_log(
    runner: LinkRunner,
    recorder: RecorderLike,
    sheet: Sheet,
    unit: ModbusUnit,
    before: Table | None = None,
    changed: Callable[[int, int], None] = lambda done, of: None,
) -> KeptList:
    """Reads which quantities it logs, then all rows; keeps them as a table. `before` is what was read last time,
    `changed` is told how many of how many rows have come. Raises Trouble, or a Fault of the port."""
    assert sheet.log is not None, "a device without a log"
    began_s = mono_s()
    slots = [parameter for parameter in sheet.parameter if parameter.name in sheet.log.slots]
    readings = await unit.read(slots)
    bad = next((one for one in readings if one.outcome is not Outcome.READ), None)
    if bad is not None:
        raise Trouble(bad.outcome, f"{bad.name}: {bad.words}")
    now: Mapping[str, Setting | None] = {one.name: one.value for one in readings}
    registers = await unit.read_log(sheet.log, changed)
    table = log_table(log_name(unit.unit), sheet.log, columns_of(sheet, sheet.log, now), registers)
    words, event = table_event(runner.link, Pulled(table, 0, ""), before)
    recorder.note(event)
    runner.shown_right(table.name, counted(len(table.rows), "row"), (mono_s() - began_s) * 1000)
    return KeptList(table, words, "")
