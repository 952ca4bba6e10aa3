"""The interface without a terminal, on memory twins: what a technician presses and what then stands on the screen."""

import asyncio
import re
from collections.abc import AsyncIterator, Callable
from contextlib import asynccontextmanager, suppress
from dataclasses import replace
from datetime import datetime
from pathlib import Path

import pytest
from textual.css.query import NoMatches
from textual.events import Key
from textual.pilot import Pilot
from textual.widgets import DataTable, Input, OptionList, Static

from ordolex.core.line.notation import read_line
from ordolex.core.link.judge import LineErrors
from ordolex.core.port.endpoint import Endpoint
from ordolex.core.record.items import LinkRecord
from ordolex.core.uart.levels import Transmitter
from ordolex.core.uart.receiver import Receiver
from ordolex.core.wiring.connectors import ENDS
from ordolex.core.wiring.words import end_title
from ordolex.io.book.book import Book
from ordolex.io.book.reader import BookReader
from ordolex.io.own.bag import own_bag
from ordolex.io.ports.survey import PortFacts
from ordolex.io.system.clock import mono_s
from ordolex.io.system.faults import NotNetworkSerial, PortHeld
from ordolex.io.transport.base import ModemLines
from ordolex.io.transport.twins import MemoryTransport
from ordolex.tui.app import OrdolexApp
from ordolex.tui.desks.base import Desk
from ordolex.tui.desks.find.desk import FindDesk
from ordolex.tui.desks.find.port_list import PortList
from ordolex.tui.desks.keep.desk import KeepDesk
from ordolex.tui.desks.match.desk import MatchDesk
from ordolex.tui.job import Job
from ordolex.tui.widgets.entry_line import EntryLine
from ordolex.tui.widgets.frame import HeadLine, Rail, StatusLine, TopBar
from ordolex.tui.widgets.lifeline import Lifeline
from ordolex.tui.widgets.row_view import RowView

PORT = PortFacts(
    "/dev/made-up", "left adapter", "made-up adapter", "A7", "free", "", "usb A7", "19200 8N1", first_question="*IDN?"
)
HELD = PortFacts("/dev/other", "right adapter", "made-up adapter", "A8", "held", "logger (process 812)")


class Site:
    """An application on a fresh book, its ports, and the twins that it opened."""

    def __init__(self, path: Path) -> None:
        self.book = Book(path, "Alder Brook Hatchery")
        self.ports = [PORT, HELD]
        self.twins: dict[str, MemoryTransport] = {}
        self.device: Callable[[MemoryTransport, bytes], None] = lambda port, data: None
        self.app = OrdolexApp(self.book, self._make)
        self.pilot: Pilot[None]

    def _make(self, endpoint: Endpoint) -> MemoryTransport:
        twin = self.twins.get(endpoint.text) or MemoryTransport(lambda port, data: self.device(port, data))
        self.twins[endpoint.text] = twin
        return twin

    def said(self) -> str:
        return self.app.query_one(StatusLine).paint().plain

    def lifeline(self) -> str:
        return self.app.query_one(Lifeline).paint().plain

    def rows(self) -> str:
        if not self.app.desk.query(RowView):
            return ""
        view = self.app.desk.query_one(RowView)
        return "\n".join(view.render_line(y).text.rstrip() for y in range(view.size.height))

    async def until(self, condition: Callable[[], object], seconds: float = 30.0) -> None:
        for _ in range(int(seconds / 0.02)):
            with suppress(NoMatches):  # the desk that it asks about is not in front yet
                if condition():
                    return
            await self.pilot.pause(0.02)
        raise AssertionError(f"never came; status: {self.said()!r}\n{self.lifeline()}\n{self.rows()}")

    async def pick(self, answer: str) -> None:
        """Takes the choice with this answer from the list in front."""
        await self.until(lambda: self.app.screen.query(OptionList))
        choices = self.app.screen.query_one(OptionList)
        choices.highlighted = choices.get_option_index(answer)
        await self.pilot.press("enter")

    async def open_port(self) -> None:
        """Enter, Enter: the port under the cursor at the settings of its sticker."""
        await self.until(lambda: self.app.query_one(FindDesk).port is not None)
        await self.pilot.press("enter")
        await self.until(lambda: self.app.screen.query("#line"))
        await self.pilot.press("enter")
        await self.until(lambda: self.app.desk.word == "Talk")


@asynccontextmanager
async def at_site(
    tmp_path: Path, monkeypatch: pytest.MonkeyPatch, size: tuple[int, int] = (128, 40)
) -> AsyncIterator[Site]:
    site = Site(tmp_path / "site.ordolex")
    monkeypatch.setattr("ordolex.tui.watching.survey", lambda: list(site.ports))
    monkeypatch.setattr("ordolex.tui.watching._SURVEY_S", 0.05)
    try:
        async with site.app.run_test(size=size) as pilot:
            site.pilot = pilot
            yield site
            while site.app.is_running and len(site.app.desks) < 6:
                await pilot.pause(
                    0.02
                )  # the harness closes the application without its own leaving, which waits for them
    finally:
        site.book.close()


def instrument(port: MemoryTransport, data: bytes) -> None:
    if data == b"*IDN?\n":
        port.say(b"Brookmade,OX-2,unit 1,1.14\n")


async def test_three_keys_lead_to_a_proven_link(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    async with at_site(tmp_path, monkeypatch) as site:
        site.device = instrument
        await site.open_port()
        assert site.app.desk.query_one(Input).value == "*IDN?", "the first question is offered"
        await site.pilot.press("enter")
        await site.until(lambda: "*IDN? answered" in site.lifeline())
        await site.until(lambda: "right answer after" in site.said())
        assert "Brookmade,OX-2,unit 1,1.14" in site.rows() and "2a 49 44 4e 3f 0a" in site.rows()
        assert "● Proven" in site.lifeline()
        assert "Proven" in site.app.query_one(Rail).paint().plain
        assert site.app.query_one(TopBar).paint().plain.endswith("● kept ")


async def test_line_errors_keep_the_link_at_heard_and_say_what_to_do(
    tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    async with at_site(tmp_path, monkeypatch) as site:
        site.device = lambda port, data: port.say(b"\xf8\xfe\x80", LineErrors(framing=3))
        await site.open_port()
        await site.pilot.press("enter")
        await site.until(lambda: "3 framing errors" in site.lifeline())
        assert "◌ Clear" in site.lifeline() and "wrong baud" in site.lifeline().lower()
        await site.until(lambda: "line settings do not fit" in site.said())
        await site.pilot.press("ctrl+g")
        await site.until(lambda: site.app.screen.query("#line"))
        line = site.app.screen.query_one("#line", Input)
        box = site.app.screen.query_one("Vertical")
        assert box.region.x > 0 and box.region.y > 0 and box.size.height < 12, (
            "a prompt stands in the middle, no larger than need be"
        )
        line.value = "9600 9N1"
        await site.pilot.press("enter")
        assert site.app.screen.query("#line"), "settings that cannot be are not taken"
        line.value = "4800 7E1"
        await site.pilot.press("enter")
        await site.until(lambda: "now at 4800 7E1" in site.said())
        twin_line = site.twins["/dev/made-up"].line
        assert twin_line is not None and twin_line.text == "4800 7E1"


async def test_hostile_bytes_never_reach_the_screen_as_commands(
    tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    async with at_site(tmp_path, monkeypatch) as site:
        await site.open_port()
        twin = site.twins["/dev/made-up"]
        twin.say(b"[/red] [bold] \x1b]0;owned\x07\x9b2J\x00 \xff \xe2\x80\xae end\n")
        twin.say(b"z" * 1_000_000)
        twin.say(b"\nafter\n")
        await site.until(lambda: "after" in site.rows())
        assert all(c.isprintable() for c in site.rows().replace("\n", ""))
        assert "too fast to show" in site.rows()
        await site.pilot.press("f8")
        await site.until(lambda: "after" in site.rows())
        assert "owned" in "\n".join(row.shown for _, row in site.app.query_one(KeepDesk).timeline.entries)


async def test_a_port_that_is_pulled_is_gone_and_comes_back(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setattr("ordolex.io.link.comes_back._RETRY_S", (0.3,))
    async with at_site(tmp_path, monkeypatch) as site:
        await site.open_port()
        site.twins.pop("/dev/made-up").vanish()
        await site.until(lambda: "◌ Present" in site.lifeline())
        await site.until(lambda: "● Held" in site.lifeline())
        await site.until(lambda: "the port is back" in site.rows())


async def test_a_held_port_says_by_whom_and_nothing_is_lost(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    async with at_site(tmp_path, monkeypatch) as site:
        await site.until(lambda: site.app.query_one(FindDesk).port is not None)
        twin = MemoryTransport()
        twin.fault_at_open = PortHeld("/dev/other is held by logger (process 812)", "close it there, then try again")
        site.twins["/dev/other"] = twin
        await site.pilot.press("down", "enter")
        await site.until(lambda: site.app.screen.query("#line"))
        site.app.screen.query_one("#line", Input).value = "9600,n,8,1"
        await site.pilot.press("enter")
        await site.until(lambda: "held by logger (process 812); close it there" in site.said())
        assert site.app.desk.word == "Find"
        assert "try 1:" in site.said()
        site.app.desk.post_message(Desk.OpenWanted(site.book.links()[0]))
        await site.until(lambda: "try 2:" in site.said())
        await site.until(lambda: "held by logger" in site.lifeline())
        assert site.book.links()[0].line == "9600 8N1"


async def test_a_peer_without_rfc_2217_is_offered_as_raw_tcp(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    async with at_site(tmp_path, monkeypatch) as site:
        twin = MemoryTransport()
        twin.fault_at_open = NotNetworkSerial("rfc2217://host:4001 does not speak RFC 2217", "try tcp://host:4001")
        site.twins["rfc2217://host:4001"] = twin
        await site.until(lambda: site.app.query_one(FindDesk).port is not None)
        await site.pilot.press("a")
        for value in ("rfc2217://host:4001", "9600 8N1"):
            await site.until(lambda: site.app.screen.query("#line"))
            line = site.app.screen.query_one("#line", Input)
            line.value = value
            await site.pilot.press("enter")
            await site.until(lambda old=line: not old.is_attached)
        await site.until(lambda: site.app.screen.query(OptionList))
        await site.pilot.press("enter")
        await site.until(lambda: "tcp://host:4001" in site.twins and site.twins["tcp://host:4001"].is_open)
        assert "raw TCP" in site.lifeline()


async def test_history_line_ends_and_control_bytes_of_the_entry(
    tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    async with at_site(tmp_path, monkeypatch) as site:
        site.device = lambda port, data: port.say(b"heard\r")
        await site.open_port()
        entry = site.app.desk.query_one(Input)
        entry.value = r"\x02ab<ETX>"
        await site.pilot.press("ctrl+n", "enter")
        twin = site.twins["/dev/made-up"]
        await site.until(lambda: bytes(twin.written) == b"\x02ab\x03\r")
        await site.until(lambda: "heard" in site.rows() and " after " in site.said())  # nothing more will be said of it
        entry.value = r"bad \q"
        await site.pilot.press("enter")
        await site.until(lambda: "is no control byte" in site.said())
        assert entry.value == r"bad \q", "what was typed is still there"
        await site.pilot.press("up")
        assert entry.value == r"\x02ab<ETX>"
        assert site.book.links()[0].line_end == "CR"


async def test_keys_pressed_at_once_count_in_their_order(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    async with at_site(tmp_path, monkeypatch) as site:
        await site.open_port()
        entry = site.app.desk.query_one(Input)
        for key in [*["backspace"] * 8, "a", "b", "left", "x", "backspace", "y", "end", "enter", "c", "enter"]:
            entry.post_message(Key(key, key if len(key) == 1 else None))
        twin = site.twins["/dev/made-up"]
        await site.until(lambda: bytes(twin.written) == b"ayb\nc\n")


async def test_keep_filters_searches_and_exports(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    async with at_site(tmp_path, monkeypatch) as site:
        site.device = instrument
        await site.open_port()
        await site.pilot.press("enter")
        await site.until(lambda: "right answer" in site.said())
        await site.pilot.press("f8")
        await site.until(lambda: "Brookmade" in site.rows())
        await site.pilot.press("f")
        await site.until(lambda: site.app.screen.query("#line"))
        site.app.screen.query_one("#line", Input).value = "brookmade"
        await site.pilot.press("enter")
        await site.until(lambda: "opened" not in site.rows() and "Brookmade" in site.rows())
        await site.pilot.press("escape")
        await site.until(lambda: "opened at" in site.rows())
        await site.pilot.press("d")
        await site.until(lambda: "*IDN?" in site.rows() and "Brookmade" not in site.rows())
        await site.pilot.press("escape")
        await site.until(lambda: "Brookmade" in site.rows())
        await site.pilot.press("slash")
        await site.until(lambda: site.app.screen.query("#line"))
        site.app.screen.query_one("#line", Input).value = "opened"
        await site.pilot.press("enter")
        await site.until(lambda: "holds 'opened'" in site.said())
        await site.pilot.press("x")
        await site.until(lambda: site.app.screen.query(OptionList))
        await site.pilot.press("enter")
        await site.until(lambda: site.app.screen.query("#line"))
        await site.pilot.press("enter")
        await site.until(lambda: "wrote" in site.said())
        assert "Brookmade" in (tmp_path / "site.txt").read_text()


async def test_a_new_start_goes_on_where_the_last_ended(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    async with at_site(tmp_path, monkeypatch) as site:
        site.device = instrument
        await site.open_port()
        await site.pilot.press("enter")
        await site.until(lambda: "right answer" in site.said())
    async with at_site(tmp_path, monkeypatch) as site:
        await site.pilot.press("f5")
        await site.until(lambda: "Brookmade" in site.rows())
        assert "◌ Held" in site.lifeline(), "nothing is claimed that was not seen in this visit"
        await site.pilot.press("up")
        assert site.app.desk.query_one(Input).value == "*IDN?"
        await site.pilot.press("f2", "g")
        await site.until(lambda: site.app.desk.word == "Talk" and "● Held" in site.lifeline())
        assert "19200 8N1" in site.lifeline(), "the last good link is open again, as it was"


async def test_an_adapter_with_a_new_number_takes_its_link_along(
    tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    async with at_site(tmp_path, monkeypatch) as site:
        site.ports = []
        links = site.app.session.links
        links.change(replace(links.keep("/dev/old", "9600 8N1", "typed"), name="left", adapter="usb A7"))
        site.ports = [PORT]
        await site.until(lambda: site.book.links()[0].endpoint == "/dev/made-up")
        await site.until(lambda: "left is now at /dev/made-up" in site.said())


async def test_any_size_is_borne(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    async with at_site(tmp_path, monkeypatch) as site:
        site.device = instrument
        await site.open_port()
        await site.pilot.press("enter")
        await site.until(lambda: "right answer" in site.said())
        for size in ((80, 24), (40, 10), (20, 5), (200, 60), (128, 40)):
            await site.pilot.resize_terminal(*size)
            for key in ("f2", "f8", "f1", "escape", "f5"):
                await site.pilot.press(key)
        await site.until(lambda: "Brookmade" in site.rows())
        assert "● Proven" in site.lifeline()


async def test_a_book_that_cannot_be_written_is_said_loudly(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    async with at_site(tmp_path, monkeypatch) as site:
        await site.open_port()
        site.book.recorder.page_limit = 1
        for _ in range(50):
            site.twins["/dev/made-up"].say(b"x" * 10_000 + b"\n")
        await site.until(lambda: "NOT RECORDING: the disk is full" in site.said())
        assert "NOT KEPT" in site.app.query_one(TopBar).paint().plain
        site.twins["/dev/made-up"].say(b"the link goes on\n")
        await site.until(lambda: "the link goes on" in site.rows())
        site.book.recorder.page_limit = 1_000_000
        await site.until(lambda: "recording goes on" in site.said())


async def test_the_palette_and_the_light_theme_open(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    async with at_site(tmp_path, monkeypatch) as site:
        await site.pilot.press("ctrl+y")
        assert site.app.theme == "ordolex-light"
        titles = [command.title for command in site.app.get_system_commands(site.app.screen)]
        assert any("Open the port" in title for title in titles) and any("Keep: Search" in title for title in titles)
        await site.pilot.press("ctrl+c")
        await site.until(lambda: "F10, leaves" in site.said())


async def test_wire_solves_checks_mends_and_draws(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    async with at_site(tmp_path, monkeypatch) as site:
        await site.pilot.press("f3")
        await site.until(lambda: site.app.desk.query("#wire-text"))
        body = site.app.desk.query_one("#wire-text", Static)

        def text() -> str:
            return str(body.content)

        await site.until(lambda: "✓ works" in text() and "null modem adapter DE-9" in text())
        assert "TXD (103)" in text() and "3 ▸ 3 ▸ 3 ▸ 2" in text()
        assert "PC ── " in text() and "data device → PC" in text() and "dte-" not in text()
        await site.pilot.press("d")
        await site.pick("logic33")  # logic33: nothing in the bag makes RS-232 safe for it
        await site.until(lambda: "buy USB adapter, logic 3.3 V" in text())
        await site.pilot.press("d")
        await site.pick("dte-de9")
        await site.pilot.press("p")
        await site.until(lambda: site.app.screen.query(OptionList))
        await site.pilot.press("enter")
        await site.until(lambda: "does not work" in text() and "both are plugs" in text())
        await site.pilot.press("backspace")
        await site.until(lambda: "✓ works" in text())
        await site.pilot.press("x")
        await site.until(lambda: site.app.screen.query("#line"))
        await site.pilot.press("enter")
        await site.until(lambda: "drew it into" in site.said(), 30)
        assert "works" in (tmp_path / "chain.svg").read_text()
        (tmp_path / "bus.toml").write_text(
            "baud = 9600\n[[node]]\nname = 'PC'\nat_m = 0\n[[node]]\nname = 'pump'\nat_m = 9\n"
        )
        for key, line, words in (
            ("f", None, "looking into it (mating side)"),
            ("w", "U", "╰──────╯"),
            ("b", str(tmp_path / "bus.toml"), "one is missing at PC"),
        ):
            await site.pilot.press(key)
            if line is not None:
                await site.until(lambda: site.app.screen.query("#line"))
                site.app.screen.query_one("#line", Input).value = line
                await site.pilot.press("enter")
            await site.until(lambda: site.app.screen.query("#lines"))
            assert words in str(site.app.screen.query_one("#lines", Static).content)
            await site.pilot.press("escape")
            await site.until(lambda: not site.app.screen.query("#lines"))
        await site.pilot.press("i")
        await site.until(lambda: site.app.screen.query("#line"))
        site.app.screen.query_one("#line", Input).value = "-8.4"
        await site.pilot.press("enter")
        await site.until(lambda: "RS-232, idle" in site.said())


async def test_asking_everywhere_finds_the_one_that_answers_and_opens_it(
    tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    async with at_site(tmp_path, monkeypatch) as site:
        site.ports = [HELD, replace(PORT, endpoint="/dev/dumb", name="dumb"), PORT]
        site.twins["/dev/dumb"] = MemoryTransport()
        site.twins["/dev/made-up"] = MemoryTransport(instrument)
        await site.until(lambda: len(site.app.session.ports.all) == 3)
        await site.pilot.press("e")
        for _ in range(3):
            await site.until(lambda: site.app.screen.query("#line"))
            line = site.app.screen.query_one("#line", Input)
            await site.pilot.press("enter")
            await site.until(lambda old=line: not old.is_attached)

        def shown() -> str:
            return "\n".join(str(s.content) for s in site.app.screen.query(Static))

        await site.until(lambda: "Enter opens left adapter" in shown())
        assert "Brookmade,OX-2" in shown() and "no answer" in shown()
        assert "skipped: held by logger (process 812)" in shown()
        await site.pilot.press("enter")
        await site.until(lambda: site.app.desk.word == "Talk" and "● Held" in site.lifeline())
        assert site.book.links()[0].source == "answered when all were asked"


async def test_an_adapter_is_identified_by_unplugging_and_keeps_its_name(
    tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    def table(site: Site) -> str:
        rows = site.app.query_one(DataTable)
        return "\n".join(" ".join(str(c) for c in rows.get_row_at(n)) for n in range(rows.row_count))

    async with at_site(tmp_path, monkeypatch) as site:
        await site.until(lambda: "left adapter" in table(site))
        await site.pilot.press("u")
        await site.until(lambda: "Pull the adapter out" in str(site.app.screen.query_one("#step", Static).content))
        site.ports = [HELD]
        await site.until(lambda: "left adapter left." in str(site.app.screen.query_one("#step", Static).content))
        site.ports = [HELD, replace(PORT, endpoint="/dev/renumbered")]
        await site.until(lambda: site.app.screen.query_one("#line", Input).display)
        site.app.screen.query_one("#line", Input).value = "blue tape"
        await site.pilot.press("enter")
        await site.until(lambda: "blue tape" in table(site) and "just came" in table(site))
        site.ports = [HELD]
        await site.until(lambda: "just left" in table(site))
    async with at_site(tmp_path, monkeypatch) as site:
        await site.until(lambda: "blue tape" in table(site))


async def test_a_drawing_that_comes_before_the_table_has_measured_has_room_for_all_of_a_row(
    tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    async with at_site(tmp_path, monkeypatch) as site:
        await site.until(lambda: site.app.query_one(FindDesk).port is not None)
        ports, desk = site.app.query_one(PortList), site.app.query_one(FindDesk)
        for width in (40, 80, 128):
            ports.draw_anew()
            ports.look(width, desk.ink)
            drawn = [ports.render_line(y).text for y in range(1, 3)]  # at once, as a resize may ask for it
            assert "left adapter" in drawn[0] and ("free" in drawn[0] or "just came" in drawn[0]), (width, drawn)
            assert "right adapter" in drawn[1] and "held" in drawn[1], (width, drawn)
            await site.pilot.pause(0.02)


async def test_the_only_free_port_is_chosen_already_with_the_reason(
    tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    async with at_site(tmp_path, monkeypatch) as site:
        site.ports = [HELD, PORT]
        site.app.session.ports.all.clear()
        await site.until(lambda: site.app.query_one(FindDesk).port is not None)
        await site.until(lambda: "the only port that is not taken" in site.said())
        port = site.app.query_one(FindDesk).port
        assert port is not None and port.endpoint == PORT.endpoint


async def test_the_readiness_list_is_ticked_and_kept(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    now = [100.0]
    monkeypatch.setattr("ordolex.tui.desks.find.ready.mono_s", lambda: now[0])
    async with at_site(tmp_path, monkeypatch) as site:
        site.ports = [replace(PORT, kind="oxygen")]
        await site.until(lambda: site.app.query_one(FindDesk).port == site.ports[0])
        await site.pilot.press("k")
        await site.until(lambda: "24 V" in str(site.app.screen.query_one("#steps", Static).content))
        await site.pilot.press("space", "c")
        await site.until(lambda: "booting, 4 s left" in str(site.app.screen.query_one("#steps", Static).content))
        now[0] += 4.1
        await site.until(lambda: "it should be up now" in str(site.app.screen.query_one("#steps", Static).content))
        await site.pilot.press("escape")
        await site.until(lambda: "1 step ticked" in site.said())
        await site.pilot.press("f8")
        await site.until(lambda: "ready, oxygen-transmitter: Saved project: ask" in site.rows())


async def test_a_fault_of_our_own_ends_what_was_begun_and_nothing_else(
    tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    typed = "-".join(("trout", "4711"))

    def at_once(at: object) -> None:
        raise ZeroDivisionError(typed)

    async def later(at: object) -> None:
        await asyncio.sleep(0)
        raise KeyError(typed)

    log = tmp_path / ".local" / "state" / "ordolex" / "faults.log"
    async with at_site(tmp_path, monkeypatch) as site:
        site.device = instrument
        await site.open_port()
        desk = site.app.desk
        with monkeypatch.context() as odd:
            for faulty, kind in ((at_once, "ZeroDivisionError"), (later, "KeyError")):
                odd.setattr(desk, "JOBS", [Job("talk.odd", "Odd", faulty)])
                desk.start("talk.odd")
                await site.until(lambda kind=kind: f"A fault of this program ({kind})" in site.said())
            odd.setattr(site.app, "JOBS", [Job("app.odd", "Odd", at_once)])
            site.app.action_job("app.odd")
            await site.until(lambda: "A fault of this program (ZeroDivisionError)" in site.said())
        assert site.app.is_running and site.app.session.is_open(site.app.session.links[0])
    written = log.read_text()
    assert written.count("fault at") == 3 and "in at_once" in written and "KeyError" in written
    assert typed not in written, "a message could hold a secret"
    log.unlink()


async def test_a_survey_that_fails_is_said_once_and_tried_again(
    tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    async with at_site(tmp_path, monkeypatch) as site:
        await site.until(lambda: site.app.query_one(FindDesk).port is not None)
        looked = []

        def fails() -> list[PortFacts]:
            looked.append(True)
            raise PermissionError(13, "no")

        monkeypatch.setattr("ordolex.tui.watching.survey", fails)
        monkeypatch.setattr("ordolex.tui.watching._SURVEY_ELSEWHERE_S", 0.02)
        said: list[str] = []
        say = site.app.say
        monkeypatch.setattr(site.app, "say", lambda text, how="plain": (said.append(text), say(text, how)))
        await site.until(lambda: len(looked) > 2 and any("PermissionError" in text for text in said))
        monkeypatch.setattr("ordolex.tui.watching.survey", lambda: [HELD])
        await site.until(lambda: len(site.app.session.ports.listed) == 1)
    log = tmp_path / ".local" / "state" / "ordolex" / "faults.log"
    assert log.read_text().count("fault at") == 1
    log.unlink()


async def test_a_sheet_without_a_readiness_list_has_nothing_to_tick(
    tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    async with at_site(tmp_path, monkeypatch) as site:
        site.ports = [replace(PORT, kind="echo")]
        await site.until(lambda: site.app.query_one(FindDesk).port == site.ports[0])
        await site.pilot.press("k")
        await site.until(lambda: "no readiness list" in str(site.app.screen.query_one("#steps", Static).content))
        await site.pilot.press("space", "down", "space", "escape")
        await site.until(lambda: len(site.app.screen_stack) == 1)
        assert site.app.is_running and "ticked" not in site.said()


async def test_leaving_reminds_of_what_was_moved_for_the_work(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    async with at_site(tmp_path, monkeypatch) as site:
        site.ports = [replace(PORT, kind="temperature")]
        await site.until(lambda: site.app.query_one(FindDesk).port == site.ports[0])
        await site.pilot.press("k")
        await site.until(lambda: site.app.screen.query("#steps"))
        await site.pilot.press(*["down"] * 4, "space", "escape")
        await site.until(lambda: "1 step ticked" in site.said())
        await site.pilot.press("f10")
        await site.until(lambda: site.app.screen.query(OptionList))
        shown = "\n".join(str(s.content) for s in site.app.screen.query(Static))
        assert "switch S1 in the cabinet: position RUN" in shown
        await site.pilot.press("down", "down", "enter")
        await site.until(lambda: not site.app.is_running)
    reader = BookReader(tmp_path / "site.ordolex")
    assert any("NOT put back: switch S1" in event.text for event in reader.events())
    reader.close()


async def test_the_technicians_own_bag_is_taken_and_a_wrong_one_said(
    tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    own_bag().parent.mkdir(parents=True)
    own_bag().write_text("[[part]]\nname = 'a'\nlike = 'a'\n")
    async with at_site(tmp_path, monkeypatch) as site:
        await site.pilot.press("f3")
        await site.until(lambda: "the usual bag is taken: part 'a' is like itself" in site.said())
        own_bag().write_text("[[part]]\nname = 'three wires'\n")
        await site.pilot.press("f2", "f3")
        await site.until(lambda: "buy" in str(site.app.desk.query_one("#wire-text", Static).content)
                         or "missing" in str(site.app.desk.query_one("#wire-text", Static).content))  # fmt: skip


async def test_the_loop_test_says_what_came_back(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    async with at_site(tmp_path, monkeypatch) as site:
        site.device = lambda port, data: port.say(data)
        await site.open_port()
        await site.pilot.press("ctrl+l")
        await site.pick("stay")
        assert not site.twins[PORT.endpoint].written, "nothing is sent by habit"
        await site.pilot.press("ctrl+l")
        await site.pick("send")
        await site.until(lambda: "bytes came back as they were" in site.said())
        site.device = lambda port, data: port.say(data[:50] + data[60:])
        await site.pilot.press("ctrl+l")
        await site.pick("send")
        await site.until(lambda: "10 lost" in site.said())
        assert "Proven" not in site.app.query_one(Rail).paint().plain, "a loop proves the way, not a device"


async def test_what_is_not_as_wanted_is_explained_with_the_likeliest_first(
    tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    async with at_site(tmp_path, monkeypatch) as site:
        await site.until(lambda: site.app.query_one(FindDesk).port is not None)
        await site.pilot.press("w")
        await site.pick("taken")
        await site.until(lambda: site.app.screen.query("#lines"))
        lines = str(site.app.screen.query_one("#lines", Static).content)
        assert lines.startswith("1  another program on this PC holds the port\n   here   ") and HELD.name in lines


async def test_wake_follows_the_sheet_and_its_answer_proves(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    async with at_site(tmp_path, monkeypatch) as site:

        def device(port: MemoryTransport, data: bytes) -> None:
            if data == b"*IDN?\n":
                port.say(b"Brookmade,OX-2,unit 1,1.4\r\n")

        site.device = device
        await site.open_port()
        await site.until(lambda: site.app.desk.word == "Talk")
        await site.pilot.press("ctrl+s")
        await site.pick("oxygen-transmitter")
        await site.until(lambda: "*IDN? was answered as the sheet says" in site.said())
        assert "Proven" in site.lifeline()
        assert [link.sheet for link in site.book.links()] == ["oxygen-transmitter"]
        await site.pilot.press("ctrl+r")
        await site.pick("1")
        await site.until(lambda: "lamp steady: ready" in site.rows())
        await site.pilot.press("ctrl+r")
        await site.pick("own")
        await site.until(lambda: site.app.screen.query("#line"))
        await site.pilot.press(*"lid open", "enter")
        await site.until(lambda: "lid open" in site.rows())


def lines(*, dcd: bool) -> ModemLines:
    return ModemLines(cts=True, dsr=True, ri=False, dcd=dcd)


@pytest.mark.parametrize(
    ("lets_go", "words", "is_up"),
    [
        (lambda port: None, "nothing shows that a call ended", True),
        (lambda port: port.say(b"\r\nNO CARRIER\r\n"), "NO CARRIER came: the call ended", False),
        (lambda port: port.say_lines(lines(dcd=False)), "DCD went off: the call ended", False),
    ],
)
async def test_a_call_is_said_to_be_ended_where_that_shows(
    tmp_path: Path, monkeypatch: pytest.MonkeyPatch, lets_go: Callable[[MemoryTransport], None], words: str, is_up: bool
) -> None:
    async with at_site(tmp_path, monkeypatch) as site:
        site.device = lambda port, data: lets_go(port) if data == b"+++" else None
        await site.open_port()
        await site.until(lambda: site.app.desk.word == "Talk")
        port = site.twins[PORT.endpoint]
        port.say_lines(lines(dcd=True))
        port.say(b"\r\nCONNECT 9600\r\n")
        talk = site.app.session.talks.of(site.app.session.links.chosen)
        await site.until(lambda: talk.call.up)
        site.app.run_at("Talk", "talk.hang_up")
        await site.until(lambda: words in site.said())
        assert talk.call.up == is_up


async def test_sixty_four_ports_that_come_and_go_ten_times_a_second(
    tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    many = [replace(PORT, endpoint=f"/dev/ttyUSB{n}", name=f"port {n}", identity=f"usb {n}") for n in range(64)]
    async with at_site(tmp_path, monkeypatch) as site:
        find = site.app.query_one(FindDesk)
        await site.until(lambda: find.port is not None)
        for turn in range(30):
            site.app.session.surveyed_now(many[turn % 2 :: 2])
            find.survey_changed()
            await site.pilot.press("down")
            await site.pilot.pause(0.1)
        assert {row.name for row in find.query_one(PortList).listed} >= {
            port.name for port in many
        }  # those that left are still told of
        site.ports = [PORT]
        await site.until(
            lambda: any(
                port.endpoint == PORT.endpoint and port.state == "free" for port in find.query_one(PortList).listed
            )
        )
        await site.pilot.press("f1")
        await site.until(lambda: len(site.app.screen_stack) == 2)


async def test_match_works_on_the_record_and_the_map_rereads_it(
    tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    out, receiver = Transmitter(read_line("19200 7E1").settings), Receiver(read_line("19200 8N1").settings)
    receiver.receive(out.send(b"spring level 412 mm, lid closed\r\n" * 2, 0.0))
    garbage = bytes(c.byte for c in receiver.advance(9.0))
    async with at_site(tmp_path, monkeypatch) as site:
        site.device = lambda port, data: port.say(garbage)
        await site.open_port()
        await site.until(lambda: site.app.desk.word == "Talk")
        await site.pilot.press("enter")
        await site.until(lambda: "wrong answer" in site.rows())
        await site.pilot.press("f4")
        await site.until(lambda: site.app.desk.query("#match-body"))
        body = site.app.desk.query_one("#match-body", Static)

        def text() -> str:
            return str(body.content)

        await site.until(lambda: "m listens" in text())
        assert site.app.query_one(MatchDesk).board.settings.text == site.book.links()[0].line == "19200 8N1"
        await site.until(lambda: site.book.reader.totals()[1] >= len(garbage))
        await site.pilot.press("s")
        await site.until(lambda: "7E1" in text().split("\n")[0], 20)
        assert "lid closed" in text() and re.search(r"reads at 19200 7E[12]", text()) and "[" in text()
        desk = site.app.query_one(MatchDesk)
        desk.board.go_to(read_line("19200 7E1").settings, False)
        await site.pilot.press("left", "p")
        await site.until(lambda: "reads at 19200 8N1" in text())
        assert "inverted polarity" in str(site.app.desk.query_one(HeadLine).text)
        await site.pilot.press("enter")
        await site.until(lambda: "no line settings mend that" in site.said())
        await site.pilot.press("p", "right", "enter")
        await site.until(lambda: "19200 7E1 is taken into the link (chosen on the map" in site.said())
        assert site.book.links()[0].line == "19200 7E1"
        monkeypatch.chdir(tmp_path)
        for what, wish in (("wait", "900"), ("units", "1-4 17"), ("bits", "6 7")):
            await site.pilot.press("a")
            await site.pick(what)
            await site.until(lambda: site.app.screen.query("#line"))
            site.app.screen.query_one("#line", EntryLine).value = wish
            await site.pilot.press("enter")
        await site.until(lambda: "6N1" in text() and "8N1" not in text().split("  baud  ")[1].split("\n")[0])
        assert desk.wishes.options.wait_s == 0.9 and desk.wishes.units == [1, 2, 3, 4, 17]
        assert "reads at 19200 7E1" in text()
        for what in ("map", "bits"):
            await site.pilot.press("x")
            await site.pick(what)
            await site.until(lambda: site.app.screen.query("#line"))
            await site.pilot.press("enter")
            await site.until(lambda what=what: f"drew it into match-{what}.svg" in site.said(), 30)
            assert "19200" in (tmp_path / f"match-{what}.svg").read_text()


async def test_what_is_typed_takes_the_place_of_what_a_box_proposes(
    tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    async with at_site(tmp_path, monkeypatch) as site:
        await site.open_port()
        await site.pilot.press("ctrl+g")
        await site.until(lambda: site.app.screen.query("#line"))
        await site.pilot.press(*("space" if letter == " " else letter for letter in "9600 8N1"))
        assert site.app.screen.query_one("#line", EntryLine).value == "9600 8N1"
        await site.pilot.press("escape")
        for desk, keys in PREFILLED:
            await site.pilot.press(desk)
            for steps in keys:
                await site.pilot.press(*steps)
                await site.until(lambda: site.app.screen.query("#line"))
                line = site.app.screen.query_one("#line", EntryLine)
                assert line.value, (desk, steps)
                await site.pilot.press("7")
                assert line.value == "7", (desk, steps, line.value)
                await site.pilot.press("escape")
                await site.until(lambda: not site.app.screen.query("#line"))


PREFILLED = [
    ("f4", [("a", "down", "enter"), ("a", "down", "down", "enter"), ("a", "down", "down", "down", "enter")]),
    ("f5", [("ctrl+g",)]),
    ("f8", [("x", "enter")]),
]
"""Desk, and the keys that open each of its boxes with something in it."""


async def test_keep_reaches_the_whole_book(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    path = tmp_path / "site.ordolex"
    book = Book(path)
    link = book.add_link(LinkRecord(0, "a", "/dev/made-up", "9600 8N1"))
    begin = mono_s() - 7200
    for number in range(9000):
        book.recorder.record(link.id, "rx", b"line %05d\r\n" % number, None, begin + number * 0.5)
    book.close()
    async with at_site(tmp_path, monkeypatch) as site:
        await site.pilot.press("f8")
        await site.until(lambda: "line 08999" in site.rows())
        head = site.app.desk.query_one(HeadLine)
        assert "the newest" in head.text.plain and "in all" in head.text.plain
        await site.pilot.press("home")
        await site.until(lambda: "line 00000" in site.rows())
        view = site.app.desk.query_one(RowView)
        await site.pilot.press("pageup", "home")
        assert view.cursor == 0
        reader = BookReader(path)
        wanted = next(chunk for chunk in reader.chunks() if chunk.data == b"line 04000\r\n")
        reader.close()
        await site.pilot.press("g")
        await site.until(lambda: site.app.screen.query("#line"))
        time = f"{datetime.fromtimestamp(wanted.utc_us / 1e6 - 0.2):%Y-%m-%d %H:%M:%S.%f}"[:-3]
        site.app.screen.query_one("#line", EntryLine).value = time
        await site.pilot.press("enter")
        await site.until(lambda: "line 04000" in site.rows() and "row " in site.said())
        assert view._rows[view.cursor][1].data == b"line 04000\r\n"
        await site.pilot.press("up")
        await site.until(lambda: "line 03999" in site.rows())
        await site.pilot.press("end")
        await site.until(lambda: "line 08999" in site.rows())


async def test_wire_starts_from_the_ends_of_the_chosen_link(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    async with at_site(tmp_path, monkeypatch) as site:
        site.ports = [PORT, replace(HELD, state="free", identity="")]
        session = site.app.session
        await site.until(lambda: len(session.ports.all) == 2 and session.ports.all[1].state == "free")
        meter = session.links.keep(PORT.endpoint, "300 7E1", "typed")
        session.links.change(replace(meter, sheet="electricity-meter"))
        session.links.change(replace(session.links.keep(HELD.endpoint, "9600 8N1", "typed"), sheet="alarm-annunciator"))

        def body() -> str:
            return str(site.app.desk.query_one("#wire-text", Static).content)

        for link in session.links:
            session.links.choose(link)
            await site.pilot.press("f2", "f3")
            sheet = session.devices.sheet_of(link)
            assert sheet is not None and sheet.wiring_end
            far = end_title(ENDS[sheet.wiring_end])
            await site.until(lambda far=far: f"at the device  {far}" in body())
            near = end_title(ENDS["usb" if link.adapter else "dte-de9"])
            assert f"at the PC      {near}" in body(), "a port without an adapter is the machine's own"
            await site.until(lambda: "working it out" not in body())
            assert "│" in body(), "the chain is drawn"
