"""Wire: the ends, the chain as a drawing, every signal, and what is wrong with it."""

from __future__ import annotations

from rich.text import Text

from ordolex.core.wiring.drawn import Tone, drawing
from ordolex.core.wiring.finding import Finding, Weight
from ordolex.core.wiring.words import chain_line, end_title, signal_lines
from ordolex.tui.desks.wire.wiring import Wiring
from ordolex.tui.theme import BAD, GOOD, UNSURE, Palette

_TONES = {Tone.PLAIN: "ink", Tone.DIM: "faint", Tone.PART: "copper", Tone.GOOD: "moss", Tone.BAD: "brick"}
_NAMES = "PC", "device"


def wiring_text(wiring: Wiring, ink: Palette, width: int) -> Text:
    text = Text()
    for label, end, key in (("at the PC", wiring.near, "n"), ("at the device", wiring.far, "d")):
        text.append(f"{label:15}", ink.style("dim"))
        text.append(f"{end_title(end):30}", ink.style("ink", bold=True))
        text.append(f"{key} changes it\n", ink.style("faint"))
    text.append("\n")
    if wiring.found_for != (wiring.near, wiring.far):
        text.append("working it out …", ink.style("dim"))
    elif wiring.finding is None:
        _append_none(text, wiring, ink)
    else:
        _append_finding(text, wiring, wiring.finding, ink, width)
    return text


def _append_finding(text: Text, wiring: Wiring, finding: Finding, ink: Palette, width: int) -> None:
    near, far = wiring.near, wiring.far
    glyph, colour, word = (GOOD, "moss", "works") if finding.works else (BAD, "brick", "does not work")
    text.append(f"{glyph} {word}   ", ink.style(colour, bold=True))
    text.append(chain_line(near, far, finding, _NAMES) + "\n\n", ink.style("copper"))
    for row in drawing(near, far, finding, width):
        for piece, tone in row:
            text.append(piece, ink.style(_TONES[tone]))
        text.append("\n")
    text.append("\n")
    for ok, line in signal_lines(near, far, finding, _NAMES):
        text.append(f"{GOOD if ok else BAD} ", ink.style("moss" if ok else "brick"))
        text.append(line + "\n", ink.style("ink" if ok else "straw"))
    for problem in finding.problems:
        glyph, colour = (UNSURE, "straw") if problem.weight is Weight.NOTE else (BAD, "brick")
        text.append(f"\n{glyph} {problem.weight.name.lower()}: {problem.text}", ink.style(colour))
    if wiring.mend is None and not finding.works:
        text.append("\n\nNext  ", ink.style("straw"))
        words = "no single change mends it; s solves from the bag, Backspace takes the last part out"
        text.append(words, ink.style("ink"))
    if wiring.mend is not None:
        text.append("\n\nNext  ", ink.style("straw"))
        text.append(f"{wiring.mend.text}: {chain_line(near, far, wiring.mend.finding, _NAMES)}", ink.style("ink"))
    if not finding.chain and finding.works:
        text.append("\nThey go together as they are; no part is needed.", ink.style("ink"))


def _append_none(text: Text, wiring: Wiring, ink: Palette) -> None:
    text.append(f"{BAD} {wiring.solution.why or 'no chain from the bag works'}\n", ink.style("brick"))
    if wiring.solution.buy is not None:
        part, made = wiring.solution.buy
        text.append("\nNext  ", ink.style("straw"))
        text.append(f"buy {part.name}: {chain_line(wiring.near, wiring.far, made, _NAMES)}", ink.style("ink"))
