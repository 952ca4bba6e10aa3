"""Set: what a change of one row would send."""

from __future__ import annotations

from ordolex.core.device.settings_table import SettingRow
from ordolex.session.device import device_of
from ordolex.session.session import Session


def preview_of(session: Session, row: SettingRow) -> bytes | str:
    """Exactly what a change of this row would send, or how to want one."""
    link = session.links.chosen
    table = session.devices.table_of(link) if link is not None else None
    runner = session.runner(link) if link is not None else None
    if not row.parameter.can_be_written:
        return ""
    if row.wanted is None:
        return "Enter says what it is to be" if row.now is not None else ""
    if runner is None or table is None:
        return "would be sent once the port is open"
    try:
        return device_of(runner, table, session.devices.patience.get(runner.link)).preview(row.parameter, row.wanted)
    except ValueError as error:
        return f"✗ {error}"
