"""Wire: what is looked at and drawn into files. The chain, a connector's face, characters on the wire, a bus."""

from __future__ import annotations

import asyncio
from collections.abc import Callable
from pathlib import Path
from typing import Any

from ordolex.core.line.notation import read_line
from ordolex.core.text.escapes import to_bytes
from ordolex.core.text.visible import hex_pairs
from ordolex.core.uart.shape import MAX_CHARACTERS
from ordolex.core.wiring.bus import Node, check_bus, read_bus
from ordolex.core.wiring.pictures import bus_lines, face_lines, wave_lines
from ordolex.io.system.faults import Fault
from ordolex.io.system.files import path_of, read_given_text, write_new
from ordolex.session.links import line_of
from ordolex.tui.desks.wire.at import WireAt
from ordolex.tui.readings import drawing_reading
from ordolex.tui.widgets.prompts import Picture


async def draw(at: WireAt) -> None:
    near, far, finding = at.wiring.near, at.wiring.far, at.wiring.finding
    if finding is None:
        at.say("There is no chain to draw", "unsure")
        return

    def figure() -> Any:
        from ordolex.draw.chain import draw_chain

        return draw_chain(near, far, finding)

    await _ask_and_draw(at, "chain.svg", figure)


async def waveform(at: WireAt) -> None:
    settings = line_of(at.chosen) if at.chosen is not None else read_line("9600 8N1").settings
    title = f"Characters on the wire at {settings.text}"
    typed = await at.line(title, "OK\\r", _wave_words, "1 to 8; Enter goes on")
    if typed is None:
        return
    data = to_bytes(typed)

    def figure() -> Any:
        from ordolex.draw.waveform import draw_waveform

        return draw_waveform(data, settings)

    await _look(at, f"{typed} at {settings.text}", wave_lines(data, settings), "waveform.svg", figure)


async def face(at: WireAt) -> None:
    end = at.wiring.far

    def figure() -> Any:
        from ordolex.draw.faces import draw_faces

        return draw_faces(end)

    await _look(at, f"{end.name}: {end.face.text}", face_lines(end), f"{end.name}.svg", figure)


async def bus(at: WireAt) -> None:
    hint = "TOML: baud, and a [[node]] each; see docs/wiring.md"
    typed = await at.line("RS-485 bus from the file", "", _bus_words, hint)
    if typed is None:
        return
    nodes, baud = await asyncio.to_thread(_bus_of, typed)
    verdicts = check_bus(nodes, baud)

    def figure() -> Any:
        from ordolex.draw.bus import draw_bus

        return draw_bus(nodes, baud, verdicts)

    await _look(at, "RS-485 bus", bus_lines(nodes, baud, verdicts), "bus.svg", figure)


async def _look(at: WireAt, title: str, lines: list[str], file: str, figure: Callable[[], Any]) -> None:
    """Shows a picture in text, and writes it as a drawing where that is wanted."""
    if await at.ask(Picture(title, lines, "x draws it into a file, Esc goes back")):
        await _ask_and_draw(at, file, figure)


async def _ask_and_draw(at: WireAt, file: str, figure: Callable[[], Any]) -> None:
    proposal = str(at.session.book.path.with_name(file))
    typed = await at.line("Draw it into", proposal, drawing_reading, "an .svg or a .pdf; Enter writes it")
    if typed is None:
        return
    try:
        path = await asyncio.to_thread(_write, figure, typed)
    except Fault as fault:
        at.say(str(fault), "bad")
    else:
        at.say(f"drew it into {path}", "good")


def _write(figure: Callable[[], Any], typed: str) -> Path:
    from ordolex.draw.sheet import drawn  # matplotlib takes a second to import

    path = path_of(typed)
    write_new(path, [drawn(figure(), path)])
    return path


def _bus_of(text: str) -> tuple[list[Node], int]:
    """Raises ValueError for a file that is no bus."""
    try:
        return read_bus(read_given_text(path_of(text), "a bus file"))
    except Fault as error:
        raise ValueError(str(error)) from error


def _bus_words(text: str) -> str:
    nodes, baud = _bus_of(text)
    check_bus(nodes, baud)
    return f"{len(nodes)} nodes at {baud} baud"


def _wave_words(text: str) -> str:
    data = to_bytes(text)
    if not 1 <= len(data) <= MAX_CHARACTERS:
        raise ValueError(f"give 1 to {MAX_CHARACTERS} characters; these are {len(data)}")
    return f"{len(data)} characters: {hex_pairs(data)}"
