"""Power meters: the front panel computed from ratios, what the log is to hold, its registers as a table."""

from __future__ import annotations

import pytest

from ordolex.core.device.logged import columns_of, log_blocks, log_table, slots_for
from ordolex.core.device.panel import panel_value
from ordolex.core.protocols.modbus.values import encode
from ordolex.core.sheet import Sheet, SheetError, read_sheet
from ordolex.core.sheet.metering import DeviceLog, Panel
from ordolex.io.own.sheets import all_sheets

METER = all_sheets()[0]["panel-meter"]
POWER = next(one for one in METER.panel if one.name == "power")
READ = {"ct-primary": 400, "ct-secondary": 5, "vt-primary": 20_000, "vt-secondary": 100, "power": 812.5}


def a_log(sheet: Sheet = METER) -> DeviceLog:
    assert sheet.log is not None
    return sheet.log


def test_the_panel_is_the_secondary_value_times_all_ratios() -> None:
    one = panel_value(POWER, READ)
    assert one.computed == pytest.approx(812.5 * 80 * 200 / 1000)
    assert one.words == "power: 812.5 × 20000/100 × 400/5 × 0.001 = 13000 kW"
    assert one.beside(12_950).fits
    wrong = one.beside(65_000)  # as it would be with a secondary of 1 A
    assert not wrong.fits and "1 A taken for 5 A" in wrong.words


@pytest.mark.parametrize("lost", ["power", "vt-primary"])
def test_a_value_that_was_not_read_makes_no_number(lost: str) -> None:
    one = panel_value(POWER, {**READ, lost: None})
    assert one.trouble == f"{lost} was not read" and one.words.startswith("power: ")
    assert panel_value(POWER, {**READ, "ct-secondary": 0}).trouble == "a side of a ratio is 0"


def test_what_is_logged_already_keeps_its_place_and_nothing_stands_twice() -> None:
    log = a_log()
    now = dict(zip(log.slots, [1, 2, 2, 4, 0, 0, 0, 0], strict=True))
    slots = slots_for(log, now, ["2", "4", "7", "9"])
    assert [slots[name] for name in log.slots] == ["7", "2", "9", "4", "0", "0", "0", "0"]
    assert set(slots_for(log, now, []).values()) == {"0"}
    everything = [str(n) for n in range(1, 10)]
    assert sorted(slots_for(log, now, everything[:8]).values()) == everything[:8]
    with pytest.raises(ValueError, match="9 quantities are ticked; the device logs 8"):
        slots_for(log, now, everything)


@pytest.mark.parametrize("count", [0, 1, 6, 7, 60])
def test_a_log_is_read_in_whole_rows_and_none_twice(count: int) -> None:
    log = a_log()
    found = log_blocks(log, count)
    assert all(block.count % log.row == 0 and 0 < block.count <= 125 for block in found)
    at = [block.place.address for block in found]
    assert sum(block.count for block in found) == count * log.row
    assert all(b - a == block.count for a, b, block in zip(at, at[1:], found, strict=False))


def test_rows_carry_the_devices_time_and_only_the_columns_that_are_logged() -> None:
    log = a_log()
    now = dict(zip(log.slots, [3, 0, 8, 0, 0, 0, 0, 0], strict=True))
    columns = columns_of(METER, log, now)
    assert columns == [(0, "voltage L3"), (2, "frequency")]
    row = [*encode(1_777_000_000, "uint32"), *encode(63.25, "float32"), 0, 0, *encode(49.98, "float32"), *[0] * 10]
    table = log_table("log of unit 5", log, columns, row * 2)
    assert table.columns == ("time, by the device's clock", "voltage L3", "frequency")
    assert table.rows == (("2026-04-24 03:06:40", "63.25", "49.98"),) * 2
    swapped = log.model_copy(update={"time_order": "CDAB", "order": "CDAB"})
    assert log_table("x", swapped, columns, row).rows != table.rows[:1]


@pytest.mark.parametrize(
    ("more", "says"),
    [
        ("[[panel]]\nname = 'a'\nof = 'nothing'\n", "panel 'a': 'nothing' is no parameter"),
        ("[[panel]]\nname = 'a'\nof = 'p'\nratios = [['p', 'q']]\n", "'q' is no parameter"),
        ("[log]\nslots = ['p']\ncount_at = 'input 1'\nfirst_at = 'input 2'\nrow = 9\n", "no parameter with choices"),
        ("[log]\nslots = ['c']\ncount_at = 'input 1'\nfirst_at = 'input 2'\nrow = 3\n", "too short, its values need 4"),
        ("[log]\nslots = ['c']\ncount_at = 'coil 1'\nfirst_at = 'input 2'\nrow = 9\n", "lies in input or holding"),
        ("[[parameter]]\nname = 'r'\nprotected = true\nmodbus = { at = 'holding 3' }\n", "the sheet has no .unlock."),
        ("[unlock]\nregister_at = 'somewhere'\n", "'somewhere' is no address"),
    ],
)
def test_what_cannot_be_is_said_with_its_name(more: str, says: str) -> None:
    text = (
        "name = 'm'\ndevice = 'm'\nspeaks = 'modbus-rtu'\n[line]\nsettings = '9600 8N1'\nsource = 'label'\n"
        "[[parameter]]\nname = 'p'\nmodbus = { at = 'input 0' }\n"
        "[[parameter]]\nname = 'c'\nkind = 'choice'\nchoices = { 0 = 'none' }\nmodbus = { at = 'holding 1' }\n"
    )
    assert read_sheet(text, "m.toml").name == "m"
    with pytest.raises(SheetError, match=says):
        read_sheet(text + more, "m.toml")


def test_a_scale_stands_in_the_words_only_where_there_is_one() -> None:
    plain = panel_value(Panel(name="u", of="u", unit="V"), {"u": 230.5})
    assert plain.words == "u: 230.5 = 230.5 V"
