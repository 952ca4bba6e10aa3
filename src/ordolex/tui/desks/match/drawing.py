"""Match: the map or the bits, drawn into a file."""

from __future__ import annotations

import asyncio
from pathlib import Path
from typing import Any

from ordolex.core.text.visible import visible_text
from ordolex.io.system.faults import Fault
from ordolex.io.system.files import path_of, write_new
from ordolex.tui.desks.match.at import MatchAt
from ordolex.tui.desks.match.board import Board, Seen
from ordolex.tui.readings import drawing_reading
from ordolex.tui.widgets.prompts import Pick


async def draw(at: MatchAt) -> None:
    seen = at.seen.get(at.chosen.id) if at.chosen is not None else None
    if seen is None:
        at.say("Nothing to draw yet: m matches", "unsure")
        return
    choices = [("map", "The map of settings"), ("bits", "The bits and where they were sampled")]
    what = await at.ask(Pick("Draw what?", choices))
    if what is None:
        return
    if what == "bits" and at.board.capture(seen) is None:
        at.say("Nothing was heard, so there are no bits to draw", "unsure")
        return
    hint = "Enter writes it, Esc goes back"
    typed = await at.line("Write the drawing into", f"match-{what}.svg", drawing_reading, hint)
    if typed is None:
        return
    try:
        path = await asyncio.to_thread(_write, what, typed, visible_text(at.link.name), at.board, seen)
    except (Fault, ValueError) as error:  # ValueError: it cannot be drawn
        at.say(str(error), "bad")
    else:
        at.say(f"drew it into {path}", "good")


def _write(what: str, typed: str, name: str, board: Board, seen: Seen) -> Path:
    from ordolex.draw.sheet import drawn

    path = path_of(typed)
    write_new(path, [drawn(_map(name, board, seen) if what == "map" else _bits(board, seen), path)])
    return path


def _map(name: str, board: Board, seen: Seen) -> Any:
    from ordolex.draw.bits import draw_map

    cells = board.cells(seen)
    bauds = sorted({baud for baud, _ in cells} | {board.settings.baud})
    side = "inverted" if board.inverted else "normal"
    return draw_map(bauds, [f.text for f in board.formats], cells, f"{name}: line settings, {side} polarity")


def _bits(board: Board, seen: Seen) -> Any:
    from ordolex.draw.bits import draw_bits

    capture = board.capture(seen)
    assert capture is not None, "there is something to draw"
    return draw_bits(board.reading(capture)[1], board.settings, capture.heard_at)
