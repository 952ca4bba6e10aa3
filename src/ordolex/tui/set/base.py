"""Set: what its parts share. Which table is worked on, and the device behind the link."""

from __future__ import annotations

from ordolex.core.device.setting import Reading
from ordolex.core.device.settings_table import SettingRow, SettingsTable
from ordolex.core.record.items import LinkRecord
from ordolex.io.device.base import Device
from ordolex.io.device.settings import device_for
from ordolex.io.link.runner import LinkRunner
from ordolex.io.system.clock import mono_s
from ordolex.tui.works import Sending, Works


class SetWork(Works):
    """The parts of the desk Set are made of this."""

    def row_at_cursor(self) -> SettingRow | None:
        raise NotImplementedError

    def show_all(self) -> None:
        """Draws the desk anew."""
        raise NotImplementedError

    def _open_table(self) -> tuple[LinkRecord, LinkRunner, SettingsTable] | None:
        """The chosen link, where it is open and has a sheet with settings; else it is said why not."""
        link = self.session.chosen
        table = self.session.settings(link) if link is not None else None
        if link is not None and table is None:
            self.say("The link has no sheet with settings; d chooses one", "unsure")
            return None
        opened = self._open_link()
        return None if opened is None or table is None else (*opened, table)

    def _device(self, runner: LinkRunner, table: SettingsTable) -> Device:
        wait_s = self.session.patience.get(runner.link)
        return device_for(runner, table.sheet if wait_s is None else table.sheet.waiting(wait_s), table.unit)

    @staticmethod
    def _of(table: SettingsTable) -> dict[str, object]:
        """Which device a remark of the record is about: several can be behind one link."""
        return {"sheet": table.sheet.name, "unit": table.unit}

    async def _read(
        self, link: LinkRecord, runner: LinkRunner, table: SettingsTable, what: str
    ) -> list[Reading] | None:
        """All settings; the table shows them as they come. None if it was stopped or failed."""
        sending = Sending(what)
        count = len(table.rows)
        done = 0

        def changed(reading: Reading) -> None:
            nonlocal done
            done += 1
            sending.now = f"{done} of {count}: {reading.name}"

        device = self._device(runner, table)
        readings: list[Reading] | None = await self._do(
            link, sending, device.read([r.parameter for r in table.rows], changed)
        )
        return readings

    def _took(self, table: SettingsTable, readings: list[Reading]) -> None:
        table.read(readings, mono_s())
        self.link_changed()
