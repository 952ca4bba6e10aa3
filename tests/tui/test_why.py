"""Why?: the causes for what a link shows, weighed while the technician tells how tests came out."""

from pathlib import Path

import pytest
from textual.widgets import OptionList, Static

from ordolex.core.line.notation import read_line
from ordolex.core.uart.levels import Transmitter
from ordolex.core.uart.receiver import Receiver
from tests.tui.test_desks import Site, at_site


def order(site: Site) -> list[str]:
    causes = site.app.screen.query_one(OptionList)
    return [str(causes.get_option_at_index(at).id) for at in range(causes.option_count)]


def about(site: Site) -> str:
    return " ".join(str(site.app.screen.query_one("#about", Static).content).split())


async def tells(site: Site, cause: str, outcome: int) -> None:
    await site.pick(cause)
    await site.until(lambda: "0" in order(site))
    await site.pick(str(outcome))
    await site.until(lambda: "0" not in order(site))


async def test_the_outcome_of_a_test_ranks_the_causes_anew_and_the_lifeline_says_the_same(
    tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    async with at_site(tmp_path, monkeypatch) as site:
        site.device = lambda port, data: None
        await site.open_port()
        await site.pilot.press("enter")
        await site.until(lambda: "not answered" in site.lifeline())
        await site.pilot.press("f12")
        await site.until(lambda: site.app.screen.query("#about") and order(site))
        assert order(site)[0] == "rate" and "asked" not in order(site)
        await tells(site, "off", 0)
        assert order(site)[0] == "off"
        await site.until(lambda: "for its lamps: no lamp, no display" in about(site))
        await site.pilot.press("escape")
        await site.until(lambda: "No answer: the device has no power" in site.lifeline())
        await site.until(
            lambda: any("test by hand, its lamps: no lamp" in event.text for event in site.book.reader.events())
        )
        await site.pilot.press("f12")
        await site.until(lambda: site.app.screen.query("#about") and order(site))
        await site.pilot.press("delete")
        await site.until(lambda: order(site)[0] == "rate")


async def test_what_match_infers_ranks_the_causes_too(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    out, receiver = Transmitter(read_line("19200 7E1").settings), Receiver(read_line("19200 8N1").settings)
    receiver.receive(out.send(b"spring level 412 mm, lid closed\r\n" * 2, 0.0))
    heard = bytes(c.byte for c in receiver.advance(9.0))
    async with at_site(tmp_path, monkeypatch) as site:
        site.device = lambda port, data: port.say(heard)
        await site.open_port()
        await site.pilot.press("enter")
        await site.until(lambda: site.book.reader.totals()[1] >= len(heard))
        await site.pilot.press("f4")
        await site.until(lambda: site.app.desk.word == "Match")
        await site.pilot.press("s")
        await site.until(lambda: "bytes of the record" in site.said(), 60)
        await site.pilot.press("f12")
        await site.until(lambda: site.app.screen.query("#about") and order(site))
        assert order(site)[0] == "parity"
        await site.until(lambda: "what Match heard speaks for 19200 7E" in about(site))
