"""The comparison of this visit with the one before it, out of a book."""

from __future__ import annotations

from collections.abc import Mapping

from ordolex.core.device.settings_table import SettingsTable
from ordolex.core.record.items import Event, LinkRecord
from ordolex.core.sheet import Sheet
from ordolex.core.visit.since import NOT_YET, SHOWN, Since, When, in_order, of_lists, of_settings
from ordolex.io.book.reader import BookReader


def since_before(reader: BookReader, sheets: Mapping[str, Sheet], when: When) -> list[Since]:
    """Differences first. Of a book with one visit nothing. Raises a BookFault; not for the screen's loop."""
    visits = reader.visit_starts()
    if len(visits) < 2:
        return []
    links = reader.links()
    names = {link.id: link.name for link in links}
    rows = [
        row
        for link in links
        for table in _tables(reader, link, sheets, visits)
        for row in of_settings(link.name, table, when)
    ]  # fmt: skip
    rows += of_lists(reader.known.tables(), names, visits[-1], when)
    rows += _values(reader, names, visits, when)
    return in_order(rows)


def _tables(
    reader: BookReader, link: LinkRecord, sheets: Mapping[str, Sheet], visits: list[int]
) -> list[SettingsTable]:
    """The settings of each device that was ever behind a link."""
    events: list[Event] = reader.known.events_of("found", "set", link=link.id)
    devices = {
        (str(event.detail.get("sheet")), int(event.detail.get("unit", -1)))
        for event in events if str(event.detail.get("sheet")) in sheets
    }  # fmt: skip
    out = []
    for name, unit in sorted(devices):
        table = SettingsTable(sheets[name], unit)
        table.remember([(event.kind, event.detail, event.utc_us) for event in events], visits)
        out.append(table)
    return out


def _values(reader: BookReader, names: Mapping[int, str], visits: list[int], when: When) -> list[Since]:
    """Watched values: their mean and range in the visit before in which they came, and in this one."""
    out = []
    for item in reader.values.items():
        ends = reader.values.ends(item.id)
        if ends is None or ends[0] >= visits[-1]:
            continue
        last = min(ends[1], visits[-1] - 1)
        began = max(start for start in (0, *visits) if start <= last)
        then = _figures(reader, item.id, max(ends[0], began), last + 1, item.unit)
        if not then:
            continue
        now = _figures(reader, item.id, visits[-1], ends[1] + 1, item.unit) if ends[1] >= visits[-1] else ""
        words = f"{then}, in the visit of {when(began or ends[0])}"
        out.append(Since(names.get(item.link, ""), f"{item.round}: {item.name}", words, now, SHOWN if now else NOT_YET))
    return out


def _figures(reader: BookReader, item: int, first: int, last: int, unit: str) -> str:
    """Mean and range of a span; empty where no value is in it."""
    columns = [column for column in reader.values.columns(item, first, last, 200) if column.mean is not None]
    if not columns:
        return ""
    count = sum(column.count for column in columns)
    mean = sum((column.mean or 0.0) * column.count for column in columns) / max(1, count)
    low = min(column.low for column in columns if column.low is not None)
    high = max(column.high for column in columns if column.high is not None)
    return f"mean {mean:.5g}, {low:.5g} to {high:.5g} {unit}".rstrip()
