"""Keys that are pressed before the question stands which they are for."""

from __future__ import annotations

import asyncio
from collections.abc import Awaitable, Callable
from dataclasses import replace
from pathlib import Path
from typing import Any

import pytest
from textual.events import Key, Paste

from ordolex.session.works import Sending
from ordolex.tui import typed_ahead
from ordolex.tui.desks.at import At
from ordolex.tui.desks.talk.desk import TalkDesk
from ordolex.tui.widgets.entry_line import EntryLine
from tests.tui.terminal import IN_TMUX, Terminal, terminal
from tests.tui.test_desks import Site, at_site

__all__ = ["terminal"]


@pytest.fixture
def in_place(monkeypatch: pytest.MonkeyPatch) -> Callable[..., None]:
    """Puts another job under Ctrl+G in Talk."""

    def put(run: Callable[[Any], Awaitable[None]], needs: Callable[[Any], str] = lambda at: "") -> None:
        jobs = (replace(job, run=run, needs=needs) if job.key == "ctrl+g" else job for job in TalkDesk.JOBS)
        monkeypatch.setattr(TalkDesk, "JOBS", tuple(jobs))

    return put


def press(site: Site, *keys: str) -> None:
    """All at once, as a hand that knows the way, or a terminal that was slow."""
    for key in keys:
        site.app.simulate_key(key)


def line(site: Site) -> str:
    return site.app.query_one("#say", EntryLine).value


async def in_talk(site: Site) -> list[bytes]:
    """The port is open, the line is empty; what the device gets from now on."""
    got: list[bytes] = []
    site.device = lambda port, data: got.append(data)
    await site.open_port()
    site.app.query_one("#say", EntryLine).value = ""
    return got


async def test_a_question_that_comes_late_gets_what_was_typed_for_it_and_the_next_one_the_rest(
    tmp_path: Path, monkeypatch: pytest.MonkeyPatch, in_place: Callable[..., None]
) -> None:
    known = [asyncio.Event(), asyncio.Event()]
    given: list[str | None] = []

    async def late(at: At) -> None:
        for one in known:
            await one.wait()
            given.append(await at.line("Which?", "", str, ""))

    in_place(late)
    monkeypatch.setattr(typed_ahead, "_MOMENT_S", 1000.0)
    async with at_site(tmp_path, monkeypatch) as site:
        got = await in_talk(site)
        at = site.app.desk.at()
        other = asyncio.create_task(at.do(Sending("what was begun before"), asyncio.sleep(1000)))
        await site.until(lambda: site.app.session.works.on(at.link.id))
        press(site, "ctrl+g", "a", "b", "enter", "c")
        site.app.post_message(Paste("de"))
        press(site, "enter", "f", "g")
        await site.pilot.pause(0.1)
        assert not given and not line(site)
        known[0].set()
        await site.until(lambda: given == ["ab"])
        await site.pilot.pause(0.1)
        assert given == ["ab"] and not line(site)
        known[1].set()
        await site.until(lambda: given == ["ab", "cde"] and line(site) == "fg", 2)
        assert not got
        at.stop_work()
        await other


async def test_what_is_typed_for_what_cannot_be_done_now_is_for_nobody(
    tmp_path: Path, monkeypatch: pytest.MonkeyPatch, in_place: Callable[..., None]
) -> None:
    async def never(at: At) -> None:
        raise AssertionError("it was refused")

    in_place(never, lambda at: "not now: the moon is up")
    async with at_site(tmp_path, monkeypatch) as site:
        got = await in_talk(site)
        press(site, "ctrl+g", "R", "S", "T", "enter", "f8")
        await site.until(lambda: site.app.desk.word == "Keep")
        assert not line(site) and not got
        press(site, "f5", "ctrl+g", "R", "S", "T", "enter", "o", "k")  # what comes after it is not its text
        await site.until(lambda: line(site) == "ok")


@pytest.mark.parametrize("seen", [True, False])
async def test_what_takes_long_does_not_keep_the_keys(
    seen: bool, tmp_path: Path, monkeypatch: pytest.MonkeyPatch, in_place: Callable[..., None]
) -> None:
    """Neither what is under way for all to see, nor what can only be waited for."""
    ends = asyncio.Event()

    async def long(at: At) -> None:
        if seen:
            await at.do(Sending("something long"), asyncio.sleep(1000))
        await ends.wait()

    in_place(long)
    monkeypatch.setattr(typed_ahead, "_MOMENT_S", 1000.0 if seen else 0.1)
    async with at_site(tmp_path, monkeypatch) as site:
        await in_talk(site)
        press(site, "ctrl+g", "o", "k")
        await site.until(lambda: line(site) == "ok")
        at = site.app.desk.at()
        at.stop_work()
        ends.set()


@IN_TMUX[0]
@IN_TMUX[1]
def test_the_first_exercise_is_typed_in_one_go(terminal: Terminal, tmp_path: Path) -> None:
    """Each question comes a moment after its key; nothing is seen in between."""
    terminal.start("demo", "--book", str(tmp_path / "site.ordolex"))
    terminal.see("free +Raceway 1 oxygen")
    terminal.press("Enter", "Enter", "C-g", "4800 8N1", "Enter", "F8", "k")
    screen = terminal.see("line settings 19200 8N1 → 4800 8N1")
    assert "0 bytes" in screen, "nothing went to the device"
    terminal.press("F5", "C-p", "line settings", "Enter", "9600 8N1", "Enter", "C-u", "*IDN?", "F8")
    screen = terminal.see("line settings 4800 8N1 → 9600 8N1")
    assert "0 bytes" in screen
    terminal.press("F5")
    terminal.see(r"▸ \*IDN\? *\n")
    terminal.press("C-u")
    terminal.paste("MEAS:\tTEMP?")
    terminal.see(r"(?m)▸ MEAS:\\tTEMP\? *$")


async def test_a_key_that_comes_while_the_program_is_being_left_is_for_nobody(
    tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    async with at_site(tmp_path, monkeypatch) as site:
        pass
    await site.app.on_event(Key("q", "q"))
    assert not site.app.screen_stack
