"""What the desk Set gives its jobs, besides what every desk gives."""

from __future__ import annotations

from collections.abc import Callable

from ordolex.core.device.setting import Reading
from ordolex.core.device.settings_table import SettingRow, SettingsTable
from ordolex.io.device.base import Device
from ordolex.session.device import Read, device_of, took
from ordolex.session.works import Sending
from ordolex.tui.desks.at import At
from ordolex.tui.desks.base import Desk
from ordolex.tui.job import an_open_link


def an_open_table(at: SetAt) -> str:
    """An open port on which nothing is under way, and a sheet with settings."""
    if at.chosen is not None and at.session.devices.table_of(at.chosen) is None:
        return "The link has no sheet with settings; d chooses one"
    return an_open_link(at)


class SetAt(At):
    """row        the one under the cursor
    show       draws the desk anew
    show_anew  the same, with the chosen link's table from the beginning
    """

    def __init__(
        self, desk: Desk, row: Callable[[], SettingRow | None], show: Callable[[], None], show_anew: Callable[[], None]
    ) -> None:
        super().__init__(desk)
        self._row = row
        self.show, self.show_anew = show, show_anew

    @property
    def row(self) -> SettingRow | None:
        return self._row()

    @property
    def known_table(self) -> SettingsTable | None:
        return self.session.devices.table_of(self.chosen) if self.chosen is not None else None

    @property
    def table(self) -> SettingsTable:
        """For a job that needs one."""
        table = self.known_table
        assert table is not None, "a job that needs no table asked for it"
        return table

    def device(self) -> Device:
        return device_of(self.runner, self.table, self.session.devices.patience.get(self.link.id))

    async def read_all(self, what: str) -> list[Reading] | None:
        """All settings, not yet taken into the table; None if it was stopped or failed."""
        sending, count, done = Sending(what), len(self.table.rows), 0

        def changed(reading: Reading) -> None:
            nonlocal done
            done += 1
            sending.now = f"{done} of {count}: {reading.name}"

        return await self.do(sending, self.device().read([row.parameter for row in self.table.rows], changed))

    def took(self, readings: list[Reading]) -> Read:
        """Into the table, and what was read first into the record as found."""
        read = took(self.runner, self.table, readings, self.session.hub.soon)
        self.show_anew()
        return read
