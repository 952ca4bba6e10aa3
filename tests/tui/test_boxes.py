"""Relay's boxes, many of them, without a terminal."""

from concurrent.futures import Future
from pathlib import Path

import pytest
from textual.widgets import Input, Static

from ordolex.core.relay.fit import Channel
from ordolex.core.relay.plan import RelayPlan
from ordolex.io.net.survey import Host, Service
from ordolex.tui.desks.relay import boxes
from ordolex.tui.desks.relay.desk import RelayDesk
from ordolex.tui.widgets.frame import HeadLine
from ordolex.tui.widgets.prompts import Pick
from ordolex.tui.widgets.row_view import RowView
from tests.tui.test_desks import Site, at_site

BOXES = {
    f"10.9.8.{number}": Host(
        f"10.9.8.{number}",
        f"box-{number}",
        f"02:00:00:00:00:{number:02x}",
        tuple(Service(4001 + port, "plain bytes", "RFC 2217" if port == 31 else "") for port in range(32)),
        ms=0.7,
    )
    for number in range(1, 251)
}


async def searched(site: Site, text: str) -> str:
    await site.pilot.press("slash")
    await site.until(lambda: site.app.screen.query("#line"))
    site.app.screen.query_one("#line", Input).value = text
    await site.pilot.press("enter")
    await site.until(lambda: not site.app.screen.query("#line"))
    return site.rows()


async def test_of_250_boxes_of_32_ports_those_that_hold_a_text_are_shown(
    tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    async with at_site(tmp_path, monkeypatch) as site:
        await site.pilot.press("f9")
        await site.until(lambda: site.app.desk.word == "Relay")
        site.app.desk.session.network.hosts = dict(BOXES)
        rows = await searched(site, "")
        assert "10.9.8.1 " in rows and "10.9.8.13" in rows, "nothing asked for shows all of them, by address"
        view = site.app.query_one(RelayDesk).query_one(RowView)
        await site.pilot.press("end")
        await site.until(lambda: "10.9.8.250" in site.rows())
        assert view.cursor == 249
        rows = await searched(site, "BOX-17")  # in any case: 17 and 170 to 179
        assert "10.9.8.17 " in rows and "10.9.8.178" in rows and "10.9.8.18 " not in rows
        await site.until(
            lambda: "11 of 250 with 'BOX-17'" in site.app.query_one(RelayDesk).query_one(HeadLine).text.plain
        )
        assert "10.9.8.99" in await searched(site, "00:63")
        assert "None of 250 boxes holds 'nowhere'" in await searched(site, "nowhere")
        assert "10.9.8.249" in await searched(site, "10.9.8.249")


async def test_a_console_that_comes_back_while_a_box_is_looked_at_from_outside_is_asked_after_all(
    tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    seen: Future[list[Channel]] = Future()
    told: Future[list[Channel]] = Future()
    told.set_result([Channel(1, 4001, "raw", "tcp", "4800 8N1")])
    monkeypatch.setattr(boxes, "_asked_console", lambda *_: told if seen.done() else None)
    async with at_site(tmp_path, monkeypatch) as site:
        await site.pilot.press("f9")
        await site.until(lambda: site.app.desk.word == "Relay")
        network = site.app.desk.session.network
        network.hosts = dict(list(BOXES.items())[:1])
        monkeypatch.setattr(network, "look_at_channels", lambda *_, **__: seen)
        await searched(site, "")
        await site.pilot.press("t")
        await site.until(lambda: "from outside" in site.said())
        await site.pilot.press("t")  # it takes a while, and is pressed again
        await site.until(lambda: "looking at the channels of 10.9.8.1 already" in site.said())
        seen.set_result([Channel(1, 4001, "", "tcp")])
        await site.until(lambda: isinstance(site.app.screen, Pick))
        await site.until(lambda: site.app.screen.query(Static))
        prompt = " ".join(str(part.render()) for part in site.app.screen.query(Static))
        assert "the box keeps 4800 8N1" in prompt, "not what was seen from outside alone"
        await site.pilot.press("escape", "f5")
        await site.until(lambda: site.app.desk.word == "Talk")
        assert site.app.is_clear, "it is asked about once"


async def test_what_is_mapped_is_under_the_cursor_and_line_settings_that_the_box_did_not_tell_are_asked_for(
    tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    async def started(at: object, name: str) -> bool:
        return True

    async with at_site(tmp_path, monkeypatch) as site:
        await site.pilot.press("f9")
        await site.until(lambda: site.app.desk.word == "Relay")
        session = site.app.desk.session
        session.relays.keep(RelayPlan("feeder", "virtual:feeder", "tcp://10.1.1.1:9", line="9600 8N1"))
        session.network.hosts = dict(list(BOXES.items())[:1])
        told: Future[list[Channel]] = Future()
        told.set_result([Channel(1, 4001, "serial", "rfc2217"), Channel(2, 4002, "serial", "rfc2217", "4800 7E1")])
        monkeypatch.setattr(boxes, "_asked_console", lambda *_: told)
        monkeypatch.setattr(boxes.doing, "start", started)
        await searched(site, "")
        await site.pilot.press("t")
        await site.until(lambda: isinstance(site.app.screen, Pick))
        await site.pilot.press("enter")
        await site.until(lambda: site.app.screen.query("#line"))
        assert "rfc2217://10.9.8.1:4001" in " ".join(str(part.render()) for part in site.app.screen.query(Static))
        site.app.screen.query_one("#line", Input).value = "2400 8E1"
        await site.pilot.press("enter")
        await site.until(lambda: "2 of 2 virtual ports run" in site.said())
        plan = site.app.query_one(RelayDesk).relay
        assert plan is not None and plan.name == "box-1-1" and plan.line == "2400 8E1"
        assert session.relays["box-1-2"].line == "4800 7E1"
