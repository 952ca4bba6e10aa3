"""The first screen stands before the rest of the program is there; what is typed for the rest waits for it."""

from __future__ import annotations

import asyncio
import subprocess
import sys
import threading
from collections.abc import Sequence
from dataclasses import replace
from pathlib import Path

import pytest
from textual.widgets import Input

from ordolex.core.line.settings import LineSettings
from ordolex.core.link.question import Question
from ordolex.io.link.everywhere import Try
from ordolex.tui.app import OrdolexApp
from ordolex.tui.desks.base import Desk
from ordolex.tui.desks.find.desk import FindDesk
from ordolex.tui.desks.watch.doing import read_limits
from ordolex.tui.places import PLACES, Place, behind_the_first
from ordolex.tui.widgets.row_view import RowView
from tests.tui.test_desks import PORT, at_site


def test_the_first_screen_imports_neither_numbers_nor_sheets_nor_what_runs_a_link() -> None:
    heavy = (
        "numpy",
        "pydantic",
        "pyte",
        "regex",
        "typer",
        "serial",
        "ordolex.io.link.runner",
        "ordolex.tui.desks.talk.desk",
    )
    code = (
        "import sys, ordolex.cli.start, ordolex.cli.interface, ordolex.io.book.book, ordolex.tui.app\n"
        f"print([name for name in {heavy} if name in sys.modules])"
    )
    done = subprocess.run([sys.executable, "-c", code], capture_output=True, text=True, timeout=60)
    assert done.stdout.strip() == "[]", done.stdout + done.stderr


async def test_keys_for_a_desk_that_is_not_there_yet_wait_for_it(
    tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    brought = threading.Event()

    def late(places: Sequence[Place]) -> object:
        brought.wait(30)
        return behind_the_first(places)

    monkeypatch.setattr("ordolex.tui.app.behind_the_first", late)
    async with at_site(tmp_path, monkeypatch) as site:
        app: OrdolexApp = site.app
        await site.until(lambda: "free" in "".join(strip.text for strip in app.screen._compositor.render_strips()))
        for key in ("f5", "a", "f2", "f5", "b", "enter"):
            app.simulate_key(key)
        await site.pilot.pause()
        assert app.desk.word == "Find" and len(app.screen_stack) == 1, "Enter was not taken for the port in front"
        brought.set()
        await site.until(lambda: app.desk.word == "Talk" and app.desk.query_one("#say", Input).value == "ab")
        assert not site.twins, "nothing was opened"


async def test_links_that_were_never_opened_are_worked_out_once_a_survey(
    tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    async with at_site(tmp_path, monkeypatch) as site:
        session = site.app.session
        link = session.links.keep("/dev/away", "9600 8N1", "typed")
        session.surveyed_now([])
        view = session.view(link)
        assert view.evidence.trouble == "its port is not there" and session.view(link) is view
        session.surveyed_now([replace(PORT, endpoint="/dev/away")])
        assert not session.view(link).evidence.trouble


async def test_leaving_while_the_desks_are_being_built_is_quiet(
    tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    async with at_site(tmp_path, monkeypatch) as site:
        app = site.app
        build = app._switcher.add_content
        built: list[str] = []

        def leaving_meanwhile(desk: Desk) -> object:
            built.append(desk.word)
            building = build(desk)
            app.exit()
            return building

        monkeypatch.setattr(app._switcher, "add_content", leaving_meanwhile)
        while app.is_running:
            await asyncio.sleep(0.01)
    assert len(built) == len(PLACES) - 1 and app.return_code == 0


async def test_a_survey_that_ends_while_the_desk_is_taken_down_is_quiet(
    tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    async with at_site(tmp_path, monkeypatch) as site:
        find = site.app.query_one(FindDesk)
        await site.until(lambda: find.port is not None)
        await find.remove_children()
        find.survey_changed()


async def test_find_lists_what_was_opened_by_its_address_and_asks_there_too(
    tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    async with at_site(tmp_path, monkeypatch) as site:
        session = site.app.session
        site.ports = [replace(PORT, state="held", holder="logger (process 812)")]
        link = session.links.keep("rfc2217://10.8.0.4:4001", "9600 8N1", "typed")
        session.links.keep("/dev/away", "9600 8N1", "typed")
        await site.until(lambda: [port.name for port in session.ports.places] == ["left adapter", "10.8.0.4:4001"])
        places = session.ports.elsewhere
        assert places[0].state == "by-address" and places[0].may_be_opened and places[0].sticker == "9600 8N1"
        site.device = lambda port, data: port.say(b"made, up, 1, 2\r\n")
        deliver: list[Try] = []
        session.ask_everywhere(session.ports.places, LineSettings(9600), Question(b"*IDN?\n"), deliver.append).result(
            30
        )
        assert {(one.port.name, one.answered) for one in deliver} == {("left adapter", False), ("10.8.0.4:4001", True)}
        await site.pilot.press("end", "enter")
        await site.until(lambda: site.app.screen.query("#line"))
        await site.pilot.press("enter")
        await site.until(lambda: site.app.desk.word == "Talk" and session.is_open(link))
        await site.pilot.press("f2")
        await site.until(lambda: session.ports.places[-1].holder == "us")
        for one in deliver:
            skipped = one.why if one.answer is None else ""
            session.ports.was_asked(one.port.endpoint, "*IDN?", "9600 8N1", "", answered=False, skipped=skipped)
        asked = session.ports.asked(PORT.endpoint)
        assert asked and asked[0] == "not asked *IDN? at 9600 8N1: skipped: held by logger (process 812)"


async def test_keys_of_watch_go_on_whichever_of_table_and_chart_a_small_screen_shows(
    tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    async with at_site(tmp_path, monkeypatch, (80, 24)) as site:
        await site.pilot.press("f7")
        await site.until(lambda: site.app.desk.word == "Watch")
        table = site.app.focused
        for turn in range(4):
            site.app.desk.query_one(RowView)  # it is there, shown or not
            site.app.desk.turn_over()
            await site.pilot.pause()
            assert site.app.focused is not None and (site.app.focused is table) == bool(turn % 2)
            assert site.app.focused.display


@pytest.mark.parametrize(
    "text", ["6 .. 14 hysteresis 0.2 delay 5", "6 .. 14, hysteresis 0.2, delay 5", "6..14; hysteresis 0.2; delay 5,"]
)
def test_limits_are_read_with_or_without_marks_between(text: str) -> None:
    found = read_limits(text)
    assert (found["low"], found["high"], found["hysteresis"], found["delay_s"]) == (6, 14, 0.2, 5)
