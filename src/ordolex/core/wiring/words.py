"""A chain in lines of text: what lies between the ends, and every signal with its pin at each joint."""

from __future__ import annotations

from ordolex.core.wiring.connectors import CIRCUITS, ENDS, End, Level
from ordolex.core.wiring.finding import Finding, Signal

GOOD, BAD = "✓", "✗"


def chain_line(near: End, far: End, finding: Finding, names: tuple[str, str] | None = None) -> str:
    """Such as `usb ── USB adapter, RS-232 ── dce-de9`. `names` stand for the two ends' own."""
    first, last = names or (near.name, far.name)
    return " ── ".join([first, *(part.name for part in finding.chain), last])


def signal_lines(near: End, far: End, finding: Finding, names: tuple[str, str] | None = None) -> list[tuple[bool, str]]:
    """(arrives, line) for each signal: its pin at each joint, with the circuit's name and number at both ends."""
    called = [_called(signal, near, far, names) for signal in finding.signals]
    width = max(map(len, called), default=0)
    lines = []
    for signal, name in zip(finding.signals, called, strict=True):
        first, last = (near, far) if signal.forward else (far, near)
        start, goal = _circuit(first, signal.from_pin), _circuit(last, signal.to_pin)
        left, right = (start, goal) if signal.forward else (goal, start)
        arrow = "─" if signal.name == "ground" else "▸" if signal.forward else "◂"
        path = f" {arrow} ".join(signal.path)
        lines.append((signal.ok, f"{name:<{width}}  {left}  {path}  {right}"))
    return lines


def _called(signal: Signal, near: End, far: End, names: tuple[str, str] | None) -> str:
    if names is None or signal.name == "ground":
        return signal.name
    (first, last), start = (names, near) if signal.forward else (names[::-1], far)
    return f"{signal.name.partition(f' {start.name}')[0]} {first} → {last}"


def _circuit(end: End, pin: str) -> str:
    """The pin's circuit by both its names: TXD is V.24 circuit 103."""
    signal = end.signal(pin.split("/")[0])
    return f"{signal} ({CIRCUITS[signal]})" if signal in CIRCUITS else signal or "none"


def end_title(end: End) -> str:
    """Such as `DE-9 socket, RS-232 DCE`; DTE or DCE only at RS-232."""
    if end.level is not Level.RS232:
        return f"{end.face.text}, {end.level.value}"
    return f"{end.face.text}, {end.level.value} {'DCE' if end.signal(end.sends[0]) == 'RXD' else 'DTE'}"


def end_words(name: str) -> str:
    """What an end of the catalogue is, for a list to choose from."""
    end = ENDS[name]
    return f"{name:15} {end.face.text}, {end.level.value}"
