"""What is otherwise than the visit before left it: settings of devices, lists, watched values."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import dataclass
from typing import Any

from ordolex.core.device.setting import same
from ordolex.core.device.settings_table import SettingRow, SettingsTable
from ordolex.core.record.items import Event
from ordolex.core.sheet.parameters import Setting
from ordolex.core.tables.complete import changes
from ordolex.core.tables.table import Table
from ordolex.core.text.counts import counted

When = Callable[[int], str]
DIFFERS, SAME, NOT_YET, SHOWN = "differs", "as it was left", "not read yet", "measured"


@dataclass(frozen=True, slots=True)
class Since:
    """then  as the visit before left it, and `now` as it was found in this one; in words
    state  DIFFERS, SAME, NOT_YET, or SHOWN where values are measured and another one is no surprise
    """

    link: str
    what: str
    then: str
    now: str
    state: str

    def as_dict(self) -> dict[str, Any]:
        return {"link": self.link, "what": self.what, "then": self.then, "now": self.now, "state": self.state}


def in_order(rows: Sequence[Since]) -> list[Since]:
    """Differences first, then what was not read yet."""
    order = (DIFFERS, NOT_YET, SHOWN, SAME)
    return sorted(rows, key=lambda row: order.index(row.state))


def of_settings(link: str, table: SettingsTable, when: When) -> list[Since]:
    """Of the settings that can be set, and of texts such as a firmware; what is measured is none of them."""
    device = f"unit {table.unit}, " if table.sheet.family.addressed else ""
    out = []
    for row in table.rows:
        then = row.was_left
        if then is None or not (row.parameter.can_be_written or isinstance(then.end, str)):
            continue
        words = f"{_said(row, then.end)}, left in the visit of {when(then.utc_us)}"
        now = row.found if row.found is not None else None
        state = NOT_YET if now is None else SAME if same(row.parameter, now, then.end) else DIFFERS
        out.append(Since(link, f"{device}{row.parameter.name}", words, _said(row, now), state))
    return out


def _said(row: SettingRow, value: Setting | None) -> str:
    return f"{row.text(value)} {row.parameter.unit}".strip() if value is not None else ""


def of_lists(tables: Sequence[tuple[Event, Table]], names: dict[int, str], began_us: int, when: When) -> list[Since]:
    """Of each list, its last pull before this visit beside the last one in it; `tables` begins with the latest."""
    now: dict[tuple[int, str], tuple[Event, Table]] = {}
    before: dict[tuple[int, str], tuple[Event, Table]] = {}
    for event, table in tables:
        (now if event.utc_us >= began_us else before).setdefault((event.link, table.name), (event, table))
    out = []
    for key, (event, table) in before.items():
        link = names.get(key[0], "book")
        then = f"{counted(len(table.rows), 'row')}, pulled {when(event.utc_us)}"
        if key not in now:
            out.append(Since(link, f"list {table.name}", then, "", NOT_YET))
            continue
        found = changes(table, now[key][1])
        alike = not (found.new or found.gone or found.changed)
        words = f"{counted(len(now[key][1].rows), 'row')}; {found.words}"
        out.append(Since(link, f"list {table.name}", then, words, SAME if alike else DIFFERS))
    return out
