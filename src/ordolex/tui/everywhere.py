"""What can be done at every desk."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import replace
from functools import partial
from typing import TYPE_CHECKING

from ordolex.core.text.visible import visible_text
from ordolex.io.system.faults import Fault
from ordolex.tui.desks.at import At, How
from ordolex.tui.job import Job
from ordolex.tui.leaving import leave
from ordolex.tui.places import Place
from ordolex.tui.readings import name_reading, remark_reading
from ordolex.tui.widgets.prompts import Palette, Pick

if TYPE_CHECKING:
    from ordolex.tui.app import OrdolexApp


class FrameAt(At):
    """What the frame gives its jobs: the desk in front, and the application with all its desks."""

    def __init__(self, app: OrdolexApp) -> None:
        super().__init__(app.desk)
        self.app = app

    def say(self, text: str, how: How = "plain") -> None:
        for desk in self.app.desks.values():
            desk.overtaken()
        super().say(text, how)


def jobs(places: Sequence[Place]) -> tuple[Job, ...]:
    """With a key for each desk."""
    turning = [
        Job(
            f"app.desk_{place.word.lower()}", place.word, partial(_turn_to, word=place.word), key=place.key,
            help=place.asks, priority=True,
        )
        for place in places
    ]  # fmt: skip
    return (
        Job(
            "app.help",
            "Help",
            _help,
            key="f1",
            help="Keys of this desk, and what to do when it does not work.",
            footer="help",
            priority=True,
        ),
        *turning,
        Job(
            "app.leave",
            "Leave",
            leave,
            key="f10",
            help="Releases every port, closes the book and ends.",
            footer="leave",
            priority=True,
        ),
        Job(
            "app.command_palette",
            "All commands",
            _palette,
            key="ctrl+p",
            help="Every command by name, with its key.",
            priority=True,
        ),
        Job(
            "app.next_link",
            "Next link",
            partial(_step, by=1),
            key="ctrl+down",
            help="Chooses the next link of the rail.",
            priority=True,
        ),
        Job(
            "app.previous_link",
            "Previous link",
            partial(_step, by=-1),
            key="ctrl+up",
            help="Chooses the link above.",
            priority=True,
        ),
        Job(
            "app.remark",
            "Note",
            _remark,
            key="ctrl+r",
            help="A remark for the record: a lamp, a display, who said what.",
            priority=True,
        ),
        Job(
            "app.why",
            "Why?",
            _why,
            key="f12",
            help="What may be wrong, weighed; you tell how tests came out.",
            footer="why",
            priority=True,
        ),
        Job(
            "app.facts",
            "What is known",
            _facts,
            key="f11",
            help="Facts of this link, with source and proof; note one, search all links.",
            priority=True,
        ),
        Job("app.name_link", "Name the chosen link, or its adapter", _name_link),
        Job("app.books", "Books: open another one, or make one", _books),
        Job("app.prepare", "Prepare a visit: parts, files, credentials, addresses; ticked, and printed", _prepare),
        Job("app.since", "Since the visit before: what was found otherwise than it was left", _since),
        Job("app.closing", "Close the visit: what is still open, settled from there; then hand over", _close_visit),
        Job("app.redraw", "Draw the screen anew: something else has written on it", _redraw),
        Job(
            "app.light",
            "Light or dark",
            _light,
            key="ctrl+y",
            help="Turns the colours over, for bright surroundings.",
            priority=True,
        ),
    )


async def _facts(at: FrameAt) -> None:
    from ordolex.tui.visit import facts

    await facts(at)


async def _books(at: FrameAt) -> None:
    from ordolex.tui.books import books

    await books(at)


async def _prepare(at: FrameAt) -> None:
    from ordolex.tui.visit import prepare

    await prepare(at)


async def _since(at: FrameAt) -> None:
    from ordolex.tui.visit import since

    await since(at)


async def _close_visit(at: FrameAt) -> None:
    from ordolex.tui.visit import close_visit

    await close_visit(at)


def _turn_to(at: FrameAt, *, word: str) -> None:
    at.app.turn_to(word)


def _help(at: FrameAt) -> None:
    from ordolex.tui.help import HelpScreen

    if isinstance(at.app.screen, HelpScreen):
        at.app.pop_screen()
    else:
        place = next(place for place in at.app.PLACES if place.word == at.app.desk.word)
        at.app.push_screen(HelpScreen(place, at.app.desk.JOBS, at.app.JOBS))


def _palette(at: FrameAt) -> None:
    """One at a time, and not over a prompt, which is answered first."""
    if at.app.is_clear:
        at.app.push_screen(Palette(id="--command-palette"))


def _step(at: FrameAt, *, by: int) -> None:
    at.session.links.step(by)
    at.app.desk.link_changed()
    at.app.show_frame()


def _light(at: FrameAt) -> None:
    at.app.theme = "ordolex-light" if at.app.theme == "ordolex-dark" else "ordolex-dark"
    for desk in at.app.desks.values():
        desk.restyled()
    at.app.refresh(layout=True, repaint=True)


def _redraw(at: FrameAt) -> None:
    at.app.drawn_anew()


def _why(at: FrameAt) -> None:
    """The causes for what the chosen link shows, weighed."""
    if not at.app.is_clear:
        return
    if at.chosen is None:
        at.say("No link is chosen. F2 shows the ports; Enter there opens one", "unsure")
        return
    from ordolex.tui.why import Why

    at.app.push_screen(Why(at.session, at.chosen))


async def _name_link(at: FrameAt) -> None:
    """A link on an adapter is called as that is."""
    link = at.chosen
    if link is None:
        at.say("No link is chosen. Open a port first: F2", "unsure")
        return
    typed = await at.line(f"What is {visible_text(link.endpoint)} called?", link.name, name_reading, "as on its label")
    if typed is None:
        return
    try:
        if link.adapter:
            at.session.name_adapter(link.adapter, typed.strip())
        else:
            at.session.links.change(replace(link, name=typed.strip()))
    except Fault as fault:
        at.say(str(fault), "bad")
    else:
        at.say(f"it is called {visible_text(typed.strip())} from now on", "good")


async def _remark(at: FrameAt) -> None:
    """A remark for the record; where the link has a sheet, what its lamps and display mean is offered."""
    if not at.app.is_clear:
        return
    sheet = at.session.devices.sheet_of(at.chosen) if at.chosen is not None else None
    text: str | None = "own"
    if sheet is not None and sheet.lamp:
        choices = [(str(number), visible_text(f"{lamp.shows}: {lamp.means}")) for number, lamp in enumerate(sheet.lamp)]
        text = await at.ask(Pick("What do you see?", [*choices, ("own", "something else …")]))
        if text is not None and text != "own":
            lamp = sheet.lamp[int(text)]
            text = f"{lamp.shows}: {lamp.means}"
    if text == "own":
        hint = "lamp, display, who said what; it is kept in the book with its time. Esc goes back"
        text = await at.line("Note for the record", "", remark_reading, hint)
    if text is not None:
        at.session.note(text, at.chosen)
        at.say("noted, with the time", "good")
