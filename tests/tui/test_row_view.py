"""A view of rows draws anew what has become other, and nothing else."""

from __future__ import annotations

from rich.segment import Segment
from textual.app import App, ComposeResult

from ordolex.tui.widgets.row_view import RowView


class _OneView(App[None]):
    def __init__(self) -> None:
        super().__init__()
        self.texts = {number: f"row {number}" for number in range(50)}
        self.drawn: list[int] = []
        self.view: RowView[int] = RowView(self._draw)

    def _draw(self, row: int, width: int) -> list[Segment]:
        self.drawn.append(row)
        return [Segment(self.texts[row])]

    def compose(self) -> ComposeResult:
        yield self.view


async def test_only_lines_that_are_others_are_drawn_anew() -> None:
    app = _OneView()
    async with app.run_test(size=(40, 10)) as pilot:
        app.view.show_rows_here(list(range(50)))
        app.view.show_at(5)
        await pilot.pause()
        regions: list[tuple[int, int]] = []
        refresh = app.view.refresh

        def noted(*given, **more):
            regions.extend((region.y, region.height) for region in given)
            return refresh(*given, **more)

        app.view.refresh = noted  # type: ignore[method-assign]
        app.view.look_again()
        assert not regions
        app.texts[7] = "row 7 is another one"
        app.texts[40] = "so is this, which nobody sees"
        app.view.look_again()
        assert regions == [(2, 1)]
        await pilot.pause()
        assert "row 7 is another one" in app.view.render_line(2).text
        regions.clear()
        app.view.look_again()
        assert not regions
