"""What is asked in front of a desk, answered at awkward moments: before it stands, and while something covers it."""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path
from typing import Any

import pytest
from textual.app import App
from textual.widgets import OptionList

from ordolex.io.own.sheets import all_sheets
from ordolex.tui.desks.find.ready import ReadyList
from ordolex.tui.theme import themes
from ordolex.tui.widgets.prompts import LinePrompt, Palette, Pick, Picture, Prompt
from tests.tui.test_desks import at_site

MADE: dict[str, tuple[Callable[[], Prompt[Any]], object]] = {
    "a line": (lambda: LinePrompt("Rate", "9600 8N1", lambda text: text, "Enter takes it"), None),
    "a choice": (lambda: Pick("Which", [("a", "the first"), ("b", "the second")]), None),
    "a picture": (lambda: Picture("Bits", ["_-_-"], "Esc goes back"), False),
    "a list": (lambda: ReadyList(next(iter(all_sheets()[0].values()))), []),
}


def bare() -> App[None]:
    """An application with our colours and nothing else."""
    app: App[None] = App()
    for theme in themes():
        app.register_theme(theme)
    app.theme = "ordolex-dark"
    return app


@pytest.mark.parametrize("kind", MADE)
async def test_escape_before_it_stands_answers_it_once_it_stands(kind: str) -> None:
    make, left = MADE[kind]
    answers: list[object] = []
    app = bare()
    async with app.run_test() as pilot:
        prompt = make()
        app.push_screen(prompt, answers.append)
        assert not prompt.is_mounted
        app.simulate_key("escape")
        await pilot.pause()
        assert answers == [left] and app.screen is not prompt


async def test_what_is_covered_is_not_answered() -> None:
    app = bare()
    async with app.run_test() as pilot:
        below, above = Pick("Which", [("a", "the first")]), Pick("Sure", [("y", "yes")])
        app.push_screen(below)
        app.push_screen(above)
        await pilot.pause()
        below.dismiss("a")
        await pilot.pause()
        assert app.screen is above


@pytest.mark.parametrize("opening", ["ctrl+p", "w"])
async def test_a_key_for_a_list_that_is_not_laid_out_is_for_nothing(
    opening: str, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    async with at_site(tmp_path, monkeypatch) as site:
        await site.pilot.press("f2", opening)
        await site.until(lambda: len(site.app.screen_stack) == 2)
        choices = site.app.screen.query_one(OptionList)
        await site.until(lambda: choices.option_count)
        choices.highlighted = 0
        choices.display = False
        await site.until(lambda: not choices.size.width)
        choices._clear_caches()
        for key in ("page_up", "page_down"):
            if isinstance(site.app.screen, Palette):
                site.app.screen._action_command_list(key)
            else:
                getattr(choices, f"action_{key}")()
        await site.pilot.press("escape")
        await site.until(lambda: len(site.app.screen_stack) == 1)
