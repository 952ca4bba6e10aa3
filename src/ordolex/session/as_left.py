"""Devices and links as a visit left them, in files that are read back: images of devices, links as TOML."""

from __future__ import annotations

from collections.abc import Iterable, Mapping, Sequence
from datetime import UTC, datetime
from typing import Any

import tomlkit

from ordolex.core.device.image import Image
from ordolex.core.device.settings_table import SettingsTable
from ordolex.core.record.items import LinkRecord
from ordolex.core.sheet import Sheet


def images_of(events: Sequence[tuple[str, Mapping[str, Any], int]], sheets: Mapping[str, Sheet]) -> Iterable[Image]:
    """Of each device that was read or set: as left, else as found. Events are of one link, as (kind, detail, time)."""
    devices = {(str(detail.get("sheet")), int(detail.get("unit", -1))) for _, detail, _ in events}
    for name, unit in sorted(device for device in devices if device[0] in sheets):
        table = SettingsTable(sheets[name], unit)
        table.remember(events)
        rows = [row for row in table.rows if row.found is not None or row.left is not None]
        if rows:
            last = max(at for _, detail, at in events if (detail.get("sheet"), detail.get("unit")) == (name, unit))
            when = datetime.fromtimestamp(last / 1e6, UTC).isoformat(timespec="seconds")
            values = {row.parameter.name: row.left if row.left is not None else row.found for row in rows}
            units = {row.parameter.name: row.parameter.unit for row in rows}
            yield Image(table.sheet.device, name, unit, when, values, units)


def links_toml(links: Sequence[LinkRecord]) -> str:
    """An array of tables `link`, a key for each thing that is known."""
    rows = tomlkit.aot()
    for link in links:
        table = tomlkit.table()
        for key in (
            "name",
            "endpoint",
            "line",
            "source",
            "line_end",
            "sheet",
            "unit",
            "identity",
            "adapter",
            "outputs",
            "charset",
        ):
            value = getattr(link, key)
            if value not in ("", -1):
                table.add(key, value)
        rows.append(table)
    document = tomlkit.document()
    document.add("link", rows)
    return tomlkit.dumps(document)
