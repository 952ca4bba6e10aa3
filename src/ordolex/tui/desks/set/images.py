"""Set: the image of a device, saved, compared, and taken as what is wanted."""

from __future__ import annotations

import asyncio

from ordolex.core.device.image import Difference, Image, ImageTrouble, decode, differences
from ordolex.core.record.export import utc_text
from ordolex.core.text.counts import counted
from ordolex.core.text.visible import visible_text
from ordolex.io.system.clock import utc_us
from ordolex.io.system.faults import Fault
from ordolex.io.system.files import safe_name
from ordolex.tui.desks.set.at import SetAt
from ordolex.tui.desks.set.readings import image_reading, read_text, write_text
from ordolex.tui.readings import new_file_reading
from ordolex.tui.widgets.prompts import Picture


async def _image(at: SetAt) -> Image | None:
    link, table = at.link, at.table
    readings = await at.read_all("reading the image")
    if readings is None:
        return None
    at.took(readings)
    values = {row.parameter.name: row.now if row.good else None for row in table.rows}
    units = {row.parameter.name: row.parameter.unit for row in table.rows if row.parameter.unit}
    return Image(link.name, table.sheet.name, table.unit, utc_text(utc_us()), values, units)


async def save(at: SetAt) -> None:
    link, table = at.link, at.table
    image = await _image(at)
    if image is None:
        return
    proposal = f"{safe_name(link.name.lower())}-unit-{table.unit}.image.json"
    name = await at.line("device → PC: image into", proposal, new_file_reading, "Enter writes it")
    if name is None:
        return
    try:
        await asyncio.to_thread(write_text, name, image.encode())
    except Fault as fault:
        at.say(str(fault), "bad")
        return
    read = sum(value is not None for value in image.values.values())
    at.tell(f"image of {counted(read, 'value')} written to {name}", good=read == len(image.values))


async def _file_image(at: SetAt) -> Image | None:
    name = await at.line("Which image?", "", image_reading, "a file that was written with: o, image")
    if name is None:
        return None
    try:
        return decode(await asyncio.to_thread(read_text, name))
    except (Fault, ImageTrouble) as error:
        at.say(str(error) if isinstance(error, Fault) else f"{name}: {error}", "bad")
        return None


async def compare(at: SetAt) -> None:
    other = await _file_image(at)
    if other is None:
        return
    image = await _image(at)
    if image is None:
        return
    found = differences(other, image)
    rows = [f"{'':20} {'in the file':>18} {'in the device':>18}"]
    rows += [visible_text(_difference(one)) for one in found]
    title = (
        f"{counted(len(found), 'difference')} from the image of {other.device}, {other.when}"
        if found
        else "no difference"
    )
    await at.ask(Picture(visible_text(title), rows if found else ["all values are equal"], "Esc goes back"))


async def take(at: SetAt) -> None:
    table = at.table
    other = await _file_image(at)
    if other is None:
        return
    if other.sheet != table.sheet.name:
        at.say(f"the image is of a {other.sheet}, this is a {table.sheet.name}; nothing was taken", "bad")
        return
    image = await _image(at)
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
    at.show_anew()
    count = len(table.pending)
    words = (
        f"{counted(count, 'value')} wanted as in the image; a shows what would be sent"
        if count
        else "the device is like the image"
    )
    at.say(f"{faults[0]}; {words}" if faults else words, "bad" if faults else "good")


def _difference(one: Difference) -> str:
    first = "—" if one.first is None else f"{one.first}"
    second = "—" if one.second is None else f"{one.second}"
    return f"{one.name:20} {first:>18} {second:>18}   {one.kind}"
