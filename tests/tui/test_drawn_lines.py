"""What is drawn line by line leaves on the terminal what drawing everything would."""

from __future__ import annotations

import random

import pyte
import pytest
from rich.segment import Segment
from textual._compositor import CompositorUpdate
from textual.app import App, ComposeResult
from textual.screen import Screen

from ordolex.core.talk.screen import DeviceScreen
from ordolex.tui.theme import themes
from ordolex.tui.widgets.row_view import RowView
from ordolex.tui.widgets.screen_view import ScreenView

WIDTH, HEIGHT = 40, 12


class Two(App[None]):
    """A view of rows above a device's screen, and a terminal that shows what was sent to it."""

    CSS = "RowView, ScreenView { height: 6; }"

    def __init__(self) -> None:
        super().__init__()
        for theme in themes():
            self.register_theme(theme)
        self.theme = "ordolex-dark"
        self.rows: list[str] = []
        self.view: RowView[str] = RowView(lambda row, width: [Segment(row)], "nothing yet")
        self.device = DeviceScreen()
        self.lower = ScreenView()
        self.lower.screen_shown = self.device
        self.terminal = pyte.Screen(WIDTH, HEIGHT)
        self._to_terminal = pyte.Stream(self.terminal)

    def compose(self) -> ComposeResult:
        yield self.view
        yield self.lower

    def on_mount(self) -> None:
        self.view.show_rows(self.rows)

    def _display(self, screen: Screen[object], renderable: object) -> None:
        if isinstance(renderable, CompositorUpdate) and not self._batch_count:
            codes = renderable.render_segments(self.console)
            self._to_terminal.feed(codes)

    def shown(self) -> list[str]:
        return [line[: WIDTH - 1].rstrip() for line in self.terminal.display]


@pytest.mark.parametrize("seed", [3, 14, 15])
async def test_rows_that_come_and_go_at_random(seed: int) -> None:
    rng, app, number = random.Random(seed), Two(), 0
    async with app.run_test(size=(WIDTH, HEIGHT)) as pilot:
        for _ in range(40):
            new = [f"row {number + at}" for at in range(rng.choice([0, 1, 1, 2, 9]))]
            number += len(new)
            gone = min(len(app.rows), rng.choice([0, 0, 0, 1, 4]))
            app.rows[:] = app.rows[gone:] + new
            app.view.rows_added(gone)
            if rng.random() < 0.2:
                app.view.page(rng.choice([-1, 1]))
            await pilot.pause()
            top = round(app.view.scroll_y)
            wanted = (app.rows[top : top + 6] + [""] * 6)[:6]
            assert app.shown()[:6] == wanted or not app.rows
            assert app.view.following == (top >= app.view.max_scroll_y)
            assert app.view.vertical_scrollbar.window_virtual_size == len(app.rows)


@pytest.mark.parametrize("seed", [9, 26])
async def test_a_device_that_paints_its_screen_at_random(seed: int) -> None:
    rng, app = random.Random(seed), Two()
    async with app.run_test(size=(WIDTH, HEIGHT)) as pilot:
        for _ in range(40):
            match rng.randrange(4):
                case 0:
                    app.device.feed(b"\x1b[%d;%dHat %d" % (rng.randint(1, 24), rng.randint(1, 30), rng.randint(0, 99)))
                case 1:
                    app.device.feed(b"\r\nline %d" % rng.randint(0, 99))
                case 2:
                    app.device.feed(b"\x1b[2K")
                case _:
                    app.device.feed(b"\x1b[H" if rng.random() < 0.7 else b"\x1b[2J")
            app.lower.fed()
            await pilot.pause()
            wanted = [app.lower.render_line(y).text[: WIDTH - 1].rstrip() for y in range(6)]
            assert app.shown()[6:] == wanted


async def test_one_new_row_does_not_draw_the_others() -> None:
    app = Two()
    async with app.run_test(size=(WIDTH, HEIGHT)) as pilot:
        app.rows += ["first", "second"]
        app.view.rows_added()
        await pilot.pause()
        drawn: list[str] = []
        app.view._draw_row = lambda row, width: drawn.append(row) or [Segment(row)]  # type: ignore[func-returns-value]
        app.rows.append("third")
        app.view.rows_added()
        await pilot.pause()
        assert set(drawn) <= {"second", "third"} and "third" in drawn
