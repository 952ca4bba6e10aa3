"""Set: the image of a device, saved, compared, and taken as what is wanted."""

from __future__ import annotations

import asyncio

from ordolex.core.device.image import Difference, Image, ImageTrouble, decode, differences
from ordolex.core.device.settings_table import SettingsTable
from ordolex.core.record.export import utc_text
from ordolex.core.record.items import LinkRecord
from ordolex.core.text.visible import visible_text
from ordolex.io.link.runner import LinkRunner
from ordolex.io.system.clock import utc_us
from ordolex.io.system.faults import Fault
from ordolex.io.system.files import safe_name
from ordolex.tui.set.base import SetWork
from ordolex.tui.set.readings import (
    image_reading,
    new_file_reading,
    read_text,
    write_text,
)
from ordolex.tui.widgets.prompts import Picture


class Images(SetWork):
    """The part of the desk that works with images."""

    async def _image(self, link: LinkRecord, runner: LinkRunner, table: SettingsTable) -> Image | None:
        readings = await self._read(link, runner, table, "reading the image")
        if readings is None:
            return None
        self._took(table, readings)
        values = {row.parameter.name: row.now if row.good else None for row in table.rows}
        units = {row.parameter.name: row.parameter.unit for row in table.rows if row.parameter.unit}
        return Image(link.name, table.sheet.name, table.unit, utc_text(utc_us()), values, units)

    async def _save(self, link: LinkRecord, runner: LinkRunner, table: SettingsTable) -> None:
        image = await self._image(link, runner, table)
        if image is None:
            return
        proposal = f"{safe_name(link.name.lower())}-unit-{table.unit}.image.json"
        name = await self._line("device → PC: image into", proposal, new_file_reading, "Enter writes it")
        if name is None:
            return
        try:
            await asyncio.to_thread(write_text, name, image.encode())
        except Fault as fault:
            self.say(str(fault), "bad")
            return
        read = sum(value is not None for value in image.values.values())
        self._tell(link, f"image of {read} values written to {name}", good=read == len(image.values))

    async def _file_image(self) -> Image | None:
        name = await self._line("Which image?", "", image_reading, "a file that was written with: o, image")
        if name is None:
            return None
        try:
            return decode(await asyncio.to_thread(read_text, name))
        except (OSError, ImageTrouble, UnicodeDecodeError) as error:
            self.say(f"{name}: {error}", "bad")
            return None

    async def _compare(self, link: LinkRecord, runner: LinkRunner, table: SettingsTable) -> None:
        other = await self._file_image()
        if other is None:
            return
        image = await self._image(link, runner, table)
        if image is None:
            return
        found = differences(other, image)
        rows = [f"{'':20} {'in the file':>18} {'in the device':>18}"]
        rows += [visible_text(_difference(one)) for one in found]
        title = f"{len(found)} differences from the image of {other.device}, {other.when}" if found else "no difference"
        await self.app.push_screen_wait(
            Picture(visible_text(title), rows if found else ["all values are equal"], "Esc goes back")
        )

    async def _take(self, link: LinkRecord, runner: LinkRunner, table: SettingsTable) -> None:
        other = await self._file_image()
        if other is None:
            return
        if other.sheet != table.sheet.name:
            self.say(f"the image is of a {other.sheet}, this is a {table.sheet.name}; nothing was taken", "bad")
            return
        image = await self._image(link, runner, table)
        if image is None:
            return
        faults = []
        for row in table.rows:
            value = other.values.get(row.parameter.name)
            if value is not None and row.parameter.can_be_written and not row.parameter.changes_line:
                try:
                    table.want(row.parameter.name, row.text(value))
                except ValueError as error:
                    faults.append(str(error))
        self.link_changed()
        count = len(table.pending)
        words = (
            f"{count} values wanted as in the image; a shows what would be sent"
            if count
            else "the device is like the image"
        )
        self.say(f"{faults[0]}; {words}" if faults else words, "bad" if faults else "good")


def _difference(one: Difference) -> str:
    first = "—" if one.first is None else f"{one.first}"
    second = "—" if one.second is None else f"{one.second}"
    return f"{one.name:20} {first:>18} {second:>18}   {one.kind}"
