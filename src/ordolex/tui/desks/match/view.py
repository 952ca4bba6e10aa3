"""The Match desk as text: the verdict, the map of rates and formats, what was heard and how it reads, the trials."""

from __future__ import annotations

import textwrap

from rich.text import Text

from ordolex.core.match.explain import rows
from ordolex.core.match.verdict import Kind
from ordolex.core.text.counts import counted
from ordolex.core.text.escapes import named
from ordolex.core.text.visible import visible_text
from ordolex.tui.desks.match.board import RATES, Board, Seen
from ordolex.tui.theme import GOOD, UNSURE, Palette
from ordolex.tui.widgets.wording import cut

_CELL, _MAP_ROWS = 5, 11
_SENTENCE = 3  # lines of the verdict at the most


def match_view(ink: Palette, board: Board, seen: Seen | None, next_: str, width: int, height: int) -> Text:
    """All of it in `height` rows; `next_` is what to do next."""
    text = Text(no_wrap=True)
    text.append_text(_sentence(ink, seen, next_, width))
    more = text.plain.count("\n") - 2
    airy = "\n" if height >= 22 else ""
    text.append(airy)
    text.append_text(_map(ink, board, seen, width, max(3, min(_MAP_ROWS, height - 9 - more - 2 * len(airy)))))
    text.append(airy)
    text.append_text(_reading(ink, board, seen, width))
    left = height - text.plain.count("\n") - 2 - len(airy)
    if seen is not None and seen.trials and left > 1:
        text.append(f"{airy}tried, the latest last\n", ink.style("faint"))
        for trial in seen.trials[-left:]:
            sent = f"sent {named(trial.sent)}   " if trial.sent else ""
            line = f"{trial.seconds:5.1f} s  {trial.line.text:13} {sent}{trial.words}"
            text.append(cut(visible_text(line), width) + "\n", ink.style("dim"))
    return text


def _sentence(ink: Palette, seen: Seen | None, next_: str, width: int) -> Text:
    """The verdict, and what to do next, in two lines."""
    if seen is None or seen.verdict is None:
        return Text(cut(next_, width) + "\n\n", ink.style("straw"))
    sure = seen.verdict.kind is Kind.CERTAIN
    text = Text(f"{GOOD if sure else UNSURE} ", ink.style("moss" if sure else "straw"))
    words = textwrap.wrap(seen.verdict.words, width - 2, max_lines=_SENTENCE, placeholder=" …")
    text.append("\n  ".join(words) + "\n", ink.style("moss" if sure else "straw", bold=True))
    text.append("Next  ", ink.style("straw"))
    text.append("\n      ".join(textwrap.wrap(next_, width - 6)[:4]) + "\n", ink.style("ink"))
    return text


def _map(ink: Palette, board: Board, seen: Seen | None, width: int, lines: int) -> Text:
    text = Text(no_wrap=True)
    cells = board.cells(seen)
    columns = min(len(board.formats), (width - 8) // _CELL)
    first = max(0, min(board.cell[0] - columns + 1, len(board.formats) - columns))
    top = max(0, min(board.cell[1] - lines // 2, len(RATES) - lines))
    text.append("  baud  ", ink.style("dim"))
    for column in range(first, first + columns):
        chosen = column == board.cell[0]
        text.append(f"{board.formats[column].text:^{_CELL}}", ink.style("copper" if chosen else "dim", bold=chosen))
    text.append("\n")
    for row in range(top, top + lines):
        chosen_row = row == board.cell[1]
        text.append(f"{RATES[row]:>6}  ", ink.style("copper" if chosen_row else "dim", bold=chosen_row))
        for column in range(first, first + columns):
            value = cells.get((RATES[row], board.formats[column].text), 0.0)
            figure = f"{min(99, round(value * 100))}" if value >= 0.005 else "·"
            if seen is not None and seen.found == (RATES[row], board.formats[column].text) and not cells:
                figure = GOOD  # heard clean there, and nothing had to be weighed
            chosen = chosen_row and column == board.cell[0]
            shown = f"[{figure:^3}]" if chosen else f"{figure:^{_CELL}}"
            text.append(shown, ink.style("copper", bold=True) if chosen else ink.shade(value))
        text.append("\n")
    return text


def _reading(ink: Palette, board: Board, seen: Seen | None, width: int) -> Text:
    """What was heard, how it reads at the chosen cell, and the bits with where they were sampled."""
    text = Text(no_wrap=True)
    capture = board.capture(seen)
    if capture is None:
        return text
    settings = board.settings
    characters, picture = board.reading(capture)
    errors = f", {counted(capture.errors, 'error')}" if capture.flags is not None else ""
    label = f"heard at {capture.heard_at.text}{errors}"
    reads = f"reads at {settings.text}" + (f", {characters.gaps} not whole" if characters.gaps else "")
    side = max(len(label), len(reads)) + 2
    text.append(f"{label:{side}}", ink.style("dim"))
    text.append(cut(visible_text(capture.data.decode("latin-1")), width - side) + "\n", ink.style("faint"))
    text.append(f"{reads:{side}}", ink.style("dim"))
    text.append(cut(visible_text(characters.data.decode("latin-1")), width - side) + "\n", ink.style("ice"))
    bits = len(picture.frames) * 12
    board.bits_at = min(board.bits_at, max(0, bits - 12))
    colours = ("copper", "ink", "dim", "ice")
    for name, row, colour in zip(
        ("sent", "line", "seen", "read"), rows(picture, settings, width - 6, board.bits_at), colours, strict=True
    ):
        text.append(f"{name}  ", ink.style("faint"))
        text.append(row.rstrip() + "\n", ink.style(colour))
    return text
