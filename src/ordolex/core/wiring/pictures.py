"""Drawings for the screen, in lines of text: connector faces, a bus, and characters on the wire."""

from __future__ import annotations

from collections.abc import Sequence

from ordolex.core.line.settings import LineSettings
from ordolex.core.text.escapes import named
from ordolex.core.uart.levels import MARK
from ordolex.core.uart.shape import named_bits, volts
from ordolex.core.wiring.bus import Node, Verdict
from ordolex.core.wiring.connectors import End
from ordolex.core.wiring.faces import rows_seen
from ordolex.core.wiring.words import BAD, GOOD

_BIT = 7  # cells a bit


def face_lines(end: End) -> list[str]:
    """Both sides of an end's connector, with its signals below."""
    lines = []
    for from_wires, words in ((False, "looking into it (mating side)"), (True, "from the wires (back)")):
        rows = rows_seen(end.face.connector, end.face.gender, from_wires=from_wires)
        width = max(len(row) for row in rows) * 4 + 2
        lines += [words, f"  ╭{'─' * width}╮"]
        lines += [f"  │{'   '.join(f'{pin:>1}' for pin in row):^{width}}│" for row in rows]
        lines += [f"  ╰{'─' * width}╯", ""]
    return [*lines, "   ".join(f"{pin} {what.signal}" for pin, what in end.pins.items())]


def wave_lines(data: bytes, settings: LineSettings) -> list[str]:
    """Each character a block: bits named, levels drawn, with the volts of both levels and the time of its start."""
    bits = named_bits(data, settings)
    per_character = len(bits) // len(data)
    lines = [f"one bit {settings.bit_s * 1e6:.2f} us; RS-232 {_pair('RS-232')}, logic 5 V {_pair('logic 5 V')}, "
             f"3.3 V {_pair('logic 3.3 V')} (mark, space)", ""]  # fmt: skip
    for number in range(len(data)):
        own = bits[number * per_character : (number + 1) * per_character]
        lines.append(f"{named(data[number : number + 1])} from {own[0].from_s * 1e6:.1f} us")
        lines.append("        " + "".join(f"{bit.name:^{_BIT}}" for bit in own))
        before = MARK
        mark, space = "  mark  ", "  space "
        for bit in own:
            edge = bit.level != before
            high, low = ("─" * _BIT, " " * _BIT) if bit.level == MARK else (" " * _BIT, "─" * _BIT)
            mark += ("╭" if bit.level == MARK else "╮") + high[1:] if edge else high
            space += ("╯" if bit.level == MARK else "╰") + low[1:] if edge else low
            before = bit.level
        lines += [mark, space, ""]
    return lines


def _pair(kind: str) -> str:
    return f"{volts(1, kind):+g}/{volts(0, kind):+g} V"


def bus_lines(nodes: Sequence[Node], baud: int, verdicts: Sequence[Verdict]) -> list[str]:
    """The nodes along the trunk, then each rule with its source."""
    order = sorted(nodes, key=lambda node: node.at_m)
    lines = [f"{order[-1].at_m - order[0].at_m:g} m at {baud} baud", ""]
    for at, node in enumerate(order):
        marks = [text for text, on in (("terminator", node.terminator), ("bias", node.bias)) if on]
        marks += [f"stub {node.stub_m:g} m"] if node.stub_m else []
        mark = f"   {', '.join(marks)}" if marks else ""
        lines.append(f"{node.at_m:>7g} m ● {node.name}, {node.loads:g} loads{mark}")
        if at < len(order) - 1:
            lines.append("          ┃")
    lines.append("")
    lines += [f"{GOOD if v.kept else BAD} {v.rule}: {v.text} ({v.source})" for v in verdicts]
    return [*lines, "", "B is the positive line at rest after TIA-485-A; some makers call it A. Measure, then join."]
