"""The log that a device keeps by itself: what it is to hold, and its registers as a table."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from datetime import UTC, datetime, timedelta

from ordolex.core.protocols.modbus.address import Block, Place
from ordolex.core.protocols.modbus.pdu import MOST_REGISTERS
from ordolex.core.protocols.modbus.values import TYPES, ValueTrouble, decode
from ordolex.core.sheet import Sheet
from ordolex.core.sheet.metering import DeviceLog
from ordolex.core.sheet.parameters import Setting
from ordolex.core.tables.table import Table
from ordolex.core.text.digits import exact

_EPOCH = datetime(1970, 1, 1, tzinfo=UTC)


def slots_for(log: DeviceLog, now: Mapping[str, Setting | None], chosen: Sequence[str]) -> dict[str, str]:
    """Slot → the quantity that it is to hold, so that as few slots change as can be: what is logged already stays where
    it is. Raises ValueError for more quantities than there are slots."""
    if len(chosen) > len(log.slots):
        raise ValueError(f"{len(chosen)} quantities are ticked; the device logs {len(log.slots)} at the most")
    out = {slot: str(now.get(slot)) for slot in log.slots if str(now.get(slot)) in chosen}
    seen: set[str] = set()
    for slot in list(out):
        if out[slot] in seen:
            del out[slot]
        else:
            seen.add(out[slot])
    missing = [quantity for quantity in chosen if quantity not in seen]
    for slot in log.slots:
        if slot not in out:
            out[slot] = missing.pop(0) if missing else log.nothing
    return out


def columns_of(sheet: Sheet, log: DeviceLog, now: Mapping[str, Setting | None]) -> list[tuple[int, str]]:
    """(place among the slots, heading) of those that hold something."""
    out = []
    for place, slot in enumerate(log.slots):
        parameter, key = sheet.parameter_named(slot), str(now.get(slot))
        if key not in ("None", log.nothing) and parameter is not None:
            out.append((place, parameter.choices.get(key, f"quantity {key}")))
    return out


def log_blocks(log: DeviceLog, count: int) -> list[Block]:
    """Reads of whole rows, as many at once as the protocol allows."""
    at_once = max(1, MOST_REGISTERS // log.row)
    out = []
    for first in range(0, count, at_once):
        rows = min(at_once, count - first)
        out.append(Block(Place(log.first.table, log.first.address + first * log.row), rows * log.row))
    return out


def log_table(name: str, log: DeviceLog, columns: Sequence[tuple[int, str]], registers: Sequence[int]) -> Table:
    """Rows out of the registers of whole rows; a row whose time cannot be one is odd."""
    rows: list[tuple[str, ...]] = []
    odd: list[tuple[int, str]] = []
    size = TYPES[log.type]
    for number in range(len(registers) // log.row):
        row = registers[number * log.row : (number + 1) * log.row]
        try:
            when = _EPOCH + timedelta(seconds=int(decode(row[:2], "uint32", log.time_order)))
            values = [decode(row[2 + at * size : 2 + (at + 1) * size], log.type, log.order) for at, _ in columns]
        except (ValueTrouble, OverflowError) as error:
            odd.append((number + 1, f"{' '.join(f'{register:04x}' for register in row)}: {error}"))
            continue
        shown = [exact(value) if isinstance(value, float) else str(value) for value in values]
        rows.append((f"{when:%Y-%m-%d %H:%M:%S}", *shown))
    return Table(name, ("time, by the device's clock", *(heading for _, heading in columns)), tuple(rows), tuple(odd))
