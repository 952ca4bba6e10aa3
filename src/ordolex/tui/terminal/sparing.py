"""An application that sends its terminal what changed, in place of what was drawn."""

from __future__ import annotations

from collections.abc import Iterable
from functools import partial

from rich.color import ColorSystem
from rich.console import RenderableType
from textual._compositor import ChopsUpdate, LayoutUpdate
from textual.app import App
from textual.screen import Screen
from textual.strip import Strip

from ordolex.tui.terminal.cells import Pens, Wanted
from ordolex.tui.terminal.output import Output

Placed = list[tuple[int, int, list[Strip]]]
"""Where strips stand: column, line, and those that follow each other there."""


class SparingApp(App[None]):
    """Where the driver has an `Output`; elsewhere as the framework does."""

    _pens: Pens | None = None

    def drawn_anew(self) -> None:
        """Sends all of it, whatever the terminal shows: something else may have written there."""
        output = getattr(self._driver, "output", None)
        if isinstance(output, Output):
            output.anew()
        self.refresh(layout=True, repaint=True)

    def _display(self, screen: Screen[object], renderable: RenderableType | None) -> None:
        output = getattr(self._driver, "output", None)
        if not isinstance(output, Output) or not isinstance(renderable, LayoutUpdate | ChopsUpdate):
            super()._display(screen, renderable)
            if isinstance(output, Output) and renderable is not None:
                output.anew()
            return
        try:
            if self._batch_count or not self._running or self._closed:
                return
            if self._pens is None:
                plain = self.console.is_dumb_terminal
                self._pens = Pens(None if plain else self.console._color_system or ColorSystem.TRUECOLOR)
            placed = _of_layout(renderable) if isinstance(renderable, LayoutUpdate) else _of_chops(renderable)
            output.steady = self._sync_available
            size = screen.outer_size
            at = size.clamp_offset(self.cursor_position)
            output.show(partial(_changed, placed, self._pens, (size.width, size.height), (at.x, at.y)))
        except Exception as error:  # as the framework does with what a widget's picture raises
            self._handle_exception(error)
        finally:
            self.post_display_hook()


def _changed(
    placed: Placed, pens: Pens, size: tuple[int, int], cursor: tuple[int, int], wanted: Wanted | None
) -> Wanted:
    if wanted is None or (wanted.width, wanted.height) != size:
        wanted = Wanted(*size)
        wanted.touched.update(range(wanted.height))
    for x, y, strips in placed:
        wanted.put(x, y, strips, pens)
    wanted.cursor = cursor
    return wanted


def _of_layout(update: LayoutUpdate) -> Placed:
    region = update.region
    return [(region.x, y, list(strips)) for y, strips in enumerate(update.strips, region.y)]


def _of_chops(update: ChopsUpdate) -> Placed:
    """As the framework's own update does: whole strips, or cut where the span ends."""
    out: Placed = []
    for y, begin, end in update.spans:
        for strip_end, (x, strip) in zip(update.chop_ends[y], update.chops[y].items(), strict=False):
            if strip is None or x > end or strip_end <= begin:
                continue
            whole = end > x >= begin and strip_end <= end
            strips: Iterable[Strip] = [strip if whole else strip.crop(0, min(strip_end, end) - x)]
            out.append((x, y, list(strips)))
    return out
