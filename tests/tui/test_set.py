"""Set on a made-up drive that answers with the other half of the protocol: what is pressed, sent, kept and shown."""

from __future__ import annotations

import json
from collections.abc import AsyncIterator
from contextlib import asynccontextmanager
from dataclasses import replace
from pathlib import Path

import pytest
from textual.widgets import Static

from ordolex.bench.devices.bus import Bus
from ordolex.core.line.notation import read_line
from ordolex.core.uart.receiver import Character
from ordolex.io.transport.twins import MemoryTransport
from ordolex.tui.desks.set.desk import SetDesk
from ordolex.tui.widgets.frame import HeadLine
from ordolex.tui.widgets.prompts import Picture
from tests.tui.test_desks import Site, at_site
from tests.tui.test_line_work import prompt


class Drive:
    """A drive behind the port; `sent` is what it was asked, `temper` how it misbehaves."""

    def __init__(self) -> None:
        self.bus = Bus(read_line("19200 8E1").settings, [3, 4], "rtu")
        self.sent: list[bytes] = []

    def __call__(self, port: MemoryTransport, data: bytes) -> None:
        self.sent.append(data)
        for say in self.bus.receive([Character(0.0, byte) for byte in data], 0.0):
            port.say(say.data)

    @property
    def writes(self) -> list[bytes]:
        return [data for data in self.sent if data[1] in (5, 6, 16)]


@asynccontextmanager
async def at_drive(
    tmp_path: Path, monkeypatch: pytest.MonkeyPatch, sheet: str = "variable-speed-drive"
) -> AsyncIterator[tuple[Site, Drive]]:
    async with at_site(tmp_path, monkeypatch) as site:
        drive = Drive()
        site.device = drive
        await site.open_port()
        session = site.app.session
        session.links.change(replace(session.links[0], sheet=sheet))
        await site.pilot.press("f6")
        yield site, drive


def head(site: Site) -> str:
    return str(site.app.desk.query_one(HeadLine).text)


def row(site: Site, name: str) -> str:
    return next(line for line in site.rows().splitlines() if name in line)


async def read(site: Site) -> None:
    await site.pilot.press("r")
    await site.until(lambda: "11 of 11 read" in site.said())


async def want(site: Site, name: str, text: str) -> None:
    desk = site.app.desk
    assert isinstance(desk, SetDesk) and desk._shown is not None
    desk._view.go_to([r.parameter.name for r in desk._shown.rows].index(name))
    await site.pilot.press("enter")
    await prompt(site, text)


async def more(site: Site, what: str) -> None:
    await site.pilot.press("o")
    await site.pick(f"set.{what}")


async def picture(site: Site) -> str:
    await site.until(lambda: isinstance(site.app.screen, Picture) and site.app.screen.query("#lines"))
    lines = "\n".join(str(static.content) for static in site.app.screen.query(Static))
    await site.pilot.press("escape")
    await site.until(lambda: not isinstance(site.app.screen, Picture))
    return lines


async def test_nothing_is_sent_before_it_was_read_checked_and_agreed_to(
    tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    async with at_drive(tmp_path, monkeypatch) as (site, drive):
        await site.until(lambda: "not read yet" in head(site))
        await site.pilot.press("enter")
        await site.until(lambda: "Read first" in site.said())
        assert drive.sent == []
        await read(site)
        assert "35 Hz" in row(site, "set-point") and "keypad" in row(site, "control")
        await site.pilot.press("enter")
        await site.until(lambda: site.app.screen.query("#line"))
        line = site.app.screen.query_one("#line")
        line.value = "62"  # type: ignore[attr-defined]
        await site.pilot.press("enter")
        await site.until(lambda: "more than 50 Hz" in str(site.app.screen.query_one("#reading", Static).content))
        await site.pilot.press("escape")
        await want(site, "set-point", "42.5")
        await site.until(lambda: "not applied: set-point" in head(site))
        assert drive.writes == []
        await site.pilot.press("a")
        await site.pick("stay")
        assert drive.writes == []
        await site.pilot.press("a")
        await site.pick("apply")
        await site.until(lambda: "held, not stored" in row(site, "set-point"))
        assert [data.hex() for data in drive.writes] == ["0306000001a949c6"]
        await site.pilot.press("s")
        await site.pick("store")
        await site.until(lambda: "not stored" not in head(site) and "stored in the device" in site.said())
        drive.bus._units[0][1].unit.holding[0] = 350  # a power cycle, and it was not kept after all
        await site.pilot.press("v")
        await site.pick("no")
        await site.until(lambda: "proves nothing" in site.said())
        await site.pilot.press("v")
        await site.pick("yes")
        await site.until(lambda: "set-point is 35, it was left at 42.5" in site.said())
        assert "did not last" in row(site, "set-point")


async def test_at_the_first_that_does_not_hold_the_rest_is_not_sent(
    tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    async with at_drive(tmp_path, monkeypatch) as (site, drive):
        await read(site)
        await want(site, "set-point", "20")
        await want(site, "ramp", "30")
        drive.bus.temper = "forget"
        await site.pilot.press("a")
        await site.pick("apply")
        await site.until(lambda: "1 more not sent" in site.said())
        assert len(drive.writes) == 1 and "not held" in row(site, "set-point")
        drive.bus.temper = ""
        await site.pilot.press("u")
        await site.until(lambda: "everything is as it was found" in site.said())
        assert "not applied" not in head(site)


async def test_an_image_is_saved_compared_and_taken_as_wanted(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    file = tmp_path / "drive.image.json"
    async with at_drive(tmp_path, monkeypatch) as (site, drive):
        await read(site)
        await more(site, "save")
        await prompt(site, str(file))
        await site.until(lambda: "image of 11 values" in site.said())
        assert json.loads(file.read_text())["values"]["set-point"] == {"value": 35.0, "unit": "Hz"}
        drive.bus._units[0][1].unit.holding |= {0: 200, 1: 5}
        await more(site, "compare")
        await prompt(site, str(file))
        shown = await picture(site)
        assert "differences" in shown and "no difference" not in shown
        assert all(name in shown for name in ("set-point", "ramp")) and "control" not in shown
        await more(site, "write")
        await prompt(site, str(file))
        await site.until(lambda: "2 values wanted as in the image" in site.said())
        assert drive.writes == [], "an image is wanted first, and not written by being read"
        file.write_text(file.read_text().replace("variable-speed-drive", "lift-station-plc"))
        await more(site, "write")
        await prompt(site, str(file))
        await site.until(lambda: "the image is of a lift-station-plc" in site.said())


async def test_registers_are_shown_in_both_customs_and_their_order_found(
    tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    async with at_drive(tmp_path, monkeypatch) as (site, _):
        await more(site, "range")
        await prompt(site, "40001 3")
        shown = await picture(site)
        assert "holding 0           40001       350     350  015e" in shown and "holding 2" in shown
        await more(site, "order")
        await prompt(site, "holding 4 2")
        await prompt(site, "5.5")
        ways = [line for line in (await picture(site)).splitlines() if line.startswith("from holding")]
        assert ways[0].endswith("float32 CDAB = 5.5")
        await more(site, "counters")
        shown = await picture(site)
        assert "messages for it" in shown and "with a wrong check" in shown


def called(site: Site) -> str:
    """The head of a unit scan; empty while there is none."""
    found = site.app.screen.query("#call-head")
    return str(found.first(Static).render()) if found else ""


async def test_units_are_asked_only_where_nobody_else_speaks(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    async with at_drive(tmp_path, monkeypatch) as (site, drive):
        monkeypatch.setattr("ordolex.session.units._LISTEN_S", 100)  # however late the other one speaks
        await site.pilot.press("n")
        await prompt(site, "3-5")
        await prompt(site, "")
        port = site.twins["/dev/made-up"]
        question, answer = bytes.fromhex("0903000000018542"), bytes.fromhex("0903020001")

        def another_master_speaks() -> bool:
            if "another master speaks" in called(site):
                return True
            site.app.session.hub.soon(lambda: port.say(question + answer))  # in the links' thread, as a port does
            return False

        await site.until(another_master_speaks)
        assert drive.sent == []
        await site.pilot.press("escape")
        monkeypatch.setattr("ordolex.session.units._LISTEN_S", 0.1)
        monkeypatch.setattr("ordolex.session.units._LATELY_S", 1000)  # however late this is looked at
        await site.pilot.press("n")
        await prompt(site, "3-5")
        await prompt(site, "")
        await site.until(lambda: "speaks on this line by itself" in called(site))  # a moment ago
        assert drive.sent == []
        await site.pilot.press("escape")
        monkeypatch.setattr("ordolex.session.units._LATELY_S", 0.0)
        await site.pilot.press("n")
        await prompt(site, "3-5")
        await prompt(site, "")
        await site.until(lambda: "2 of 3 answered rightly" in called(site))
        await site.pilot.press("down", "enter")
        await site.until(lambda: "unit 4 is Brookmade, VD-3 pump, 2.03" in site.said())
        link = site.app.session.links[0]
        assert (link.unit, link.identity) == (4, "Brookmade, VD-3 pump, 2.03")
        assert site.book.links()[0].unit == 4


async def test_ratio_measurement_and_checks_are_told(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    async with at_drive(tmp_path, monkeypatch) as (site, _):
        await read(site)
        await more(site, "ratio")
        for text in ("300/5", "1/1", "0.118", "35.4"):
            await prompt(site, text)
        assert "1 A taken for 5 A" in await picture(site)
        await more(site, "checks")
        assert "crc16-modbus, low first, over the bytes from 1 on" in await picture(site)
        for conditions in ("short cable", "long cable"):
            await more(site, "measure")
            await prompt(site, conditions)
            await prompt(site, "1")
            shown = await picture(site)
        assert "short cable" in shown and "long cable" in shown and "since the one before" in shown


async def test_a_broadcast_is_offered_with_a_warning_sent_once_and_never_called_set(
    tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    async with at_drive(tmp_path, monkeypatch) as (site, drive):
        await read(site)
        await more(site, "broadcast")
        await prompt(site, "17")
        await site.until(lambda: "To all units at once" in str(site.app.screen.query_one(".title").render()))
        before = len(drive.writes)
        await site.pilot.press("enter")  # the first choice sends nothing
        await site.until(lambda: "nothing was sent" in site.said())
        assert len(drive.writes) == before
        await more(site, "broadcast")
        await prompt(site, "17")
        await site.pick("send")
        await site.until(lambda: "sent to all units; nobody answers" in site.said())
        assert [data[0] for data in drive.writes[before:]] == [0], "one frame, to unit 0"
        assert [device.unit.holding[0] for _, device in drive.bus._units] == [170, 170]
        assert "17 Hz" not in row(site, "set-point"), "nothing was read back"
        await site.pilot.press("r")
        await site.until(lambda: "17 Hz" in row(site, "set-point"))
