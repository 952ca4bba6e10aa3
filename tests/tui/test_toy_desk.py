"""A further desk is one class with its jobs, and one place: key, bar, footer, palette, help follow from that."""

from __future__ import annotations

import asyncio
from pathlib import Path
from typing import ClassVar

import pytest
from textual.app import ComposeResult
from textual.binding import BindingType
from textual.widgets import Static

from ordolex.io.book.book import Book
from ordolex.io.system.faults import Fault
from ordolex.tui.app import OrdolexApp
from ordolex.tui.desks.at import At
from ordolex.tui.desks.base import Desk
from ordolex.tui.everywhere import jobs
from ordolex.tui.job import Job, a_link, bindings
from ordolex.tui.places import PLACES, Place
from ordolex.tui.widgets.frame import KeyLine, StatusLine, TopBar


async def _greet(at: At) -> None:
    name = await at.line("Who is it?", "", lambda text: "a name", "Enter says hello")
    at.say(f"hello, {name}", "good")


async def _fail(at: At) -> None:
    raise Fault("the port went away", "plug it in")


class ToyDesk(Desk):
    word = "Toy"
    JOBS = (
        Job("toy.greet", "Greet", _greet, key="h", help="Says hello.", footer="greet"),
        Job("toy.needy", "Needs a link", lambda at: at.say("done"), key="l", help="Of a link.", needs=a_link),
        Job("toy.fail", "Fails", _fail, key="g", help="Cannot be done."),
    )
    BINDINGS = bindings(JOBS)

    def compose(self) -> ComposeResult:
        ground = Static("toy")
        ground.can_focus = True
        yield ground

    def entered(self) -> None:
        self.query_one(Static).focus()


class WithToy(OrdolexApp):
    PLACES = (*PLACES, Place("Toy", "f11", "A toy.", "Toy: for this test.", f"{__name__}:ToyDesk"))
    JOBS = jobs(PLACES)
    BINDINGS: ClassVar[list[BindingType]] = bindings(JOBS)


async def test_a_desk_of_forty_lines_stands_in_bar_footer_palette_and_help(
    tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    monkeypatch.setattr("ordolex.tui.watching.survey", lambda: [])
    book = Book(tmp_path / "b.ordolex")
    app = WithToy(book)

    def status() -> str:
        return app.query_one(StatusLine).paint().plain

    async with app.run_test(size=(120, 40)) as pilot:

        async def until(done: object) -> None:
            async with asyncio.timeout(20):
                while not done():  # type: ignore[operator]
                    await pilot.pause()

        await pilot.press("f11")
        await until(lambda: app.desk.word == "Toy")
        assert "Toy: for this test." in status() and "Toy" in app.query_one(TopBar).paint().plain
        assert "h greet" in app.query_one(KeyLine).paint().plain
        await pilot.press("l")
        await until(lambda: "No link is chosen" in status())
        await pilot.press("g")
        await until(lambda: "the port went away" in status())
        titles = {command.title: command.callback for command in app.get_system_commands(app.screen)}
        assert {"Toy  (F11)", "Toy: Greet  (h)", "Toy: Needs a link  (l)"} <= set(titles)
        await pilot.press("f1")
        await until(lambda: len(app.screen_stack) == 2)
        page = "\n".join(str(static.content) for static in app.screen.query(Static))
        assert "Toy: for this test." in page and "Greet. Says hello." in page and "A toy." in page
        await pilot.press("escape")
        await until(lambda: app.is_clear)
        titles["Toy: Greet  (h)"]()
        await until(lambda: not app.is_clear)
        await pilot.press("a", "n", "n", "enter")
        await until(lambda: "hello, ann" in status())
    book.close()
