"""A chain in lines of text: what lies between the ends, and every signal with its pin at each joint."""

from __future__ import annotations

from ordolex.core.wiring.check import Finding
from ordolex.core.wiring.connectors import CIRCUITS, ENDS, End

GOOD, BAD = "✓", "✗"


def chain_line(near: End, far: End, finding: Finding) -> str:
    """Such as `usb ── USB adapter, RS-232 ── dce-de9`."""
    return " ── ".join([near.name, *(part.name for part in finding.chain), far.name])


def signal_lines(near: End, far: End, finding: Finding) -> list[tuple[bool, str]]:
    """(arrives, line) for each signal: its pin at each joint, with the circuit's name and number at both ends."""
    width = max((len(signal.name) for signal in finding.signals), default=0)
    lines = []
    for signal in finding.signals:
        first, last = (near, far) if signal.forward else (far, near)
        start, goal = _circuit(first, signal.from_pin), _circuit(last, signal.to_pin)
        left, right = (start, goal) if signal.forward else (goal, start)
        arrow = "─" if signal.name == "ground" else "▸" if signal.forward else "◂"
        path = f" {arrow} ".join(signal.path)
        lines.append((signal.ok, f"{signal.name:<{width}}  {left}  {path}  {right}"))
    return lines


def _circuit(end: End, pin: str) -> str:
    """The pin's circuit by both its names: TXD is V.24 circuit 103."""
    signal = end.signal(pin.split("/")[0])
    return f"{signal} ({CIRCUITS[signal]})" if signal in CIRCUITS else signal or "none"


def end_words(name: str) -> str:
    """What an end of the catalogue is, for a list to choose from."""
    end = ENDS[name]
    return f"{name:15} {end.face.text}, {end.level.value}"
