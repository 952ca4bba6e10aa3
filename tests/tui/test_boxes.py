"""Relay's boxes, many of them, without a terminal."""

from pathlib import Path

import pytest
from textual.widgets import Input

from ordolex.io.net.survey import Host, Service
from ordolex.tui.desks.relay.desk import RelayDesk
from ordolex.tui.widgets.frame import HeadLine
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
