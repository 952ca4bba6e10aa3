"""What is asked in front of a desk, answered at awkward moments: before it stands, and while something covers it."""

from __future__ import annotations

from collections.abc import Callable
from typing import Any

import pytest
from textual.app import App

from ordolex.io.own.sheets import all_sheets
from ordolex.tui.desks.find.ready import ReadyList
from ordolex.tui.theme import themes
from ordolex.tui.widgets.prompts import LinePrompt, Pick, Picture, Prompt

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
