"""The drawing of characters on the wire, at RS-232 and at logic levels."""

from __future__ import annotations

from matplotlib.figure import Figure

from ordolex.core.line.settings import LineSettings
from ordolex.core.text.escapes import named
from ordolex.core.uart.shape import MAX_CHARACTERS, VOLTS, named_bits, volts
from ordolex.draw.sheet import COPPER, DIM, INK, sheet

_LEFT, _WIDTH, _HIGH = 24.0, 240.0, 26.0


def draw_waveform(data: bytes, settings: LineSettings) -> Figure:
    """One row for each kind of level, all on one time axis. Raises ValueError for none or too many characters."""
    if not 1 <= len(data) <= MAX_CHARACTERS:
        raise ValueError(f"draw 1 to {MAX_CHARACTERS} characters at a time; these are {len(data)}")
    bits = named_bits(data, settings)
    end_s = bits[-1].to_s
    height = 34 + len(VOLTS) * (_HIGH + 14)
    figure, axes = sheet(_LEFT + _WIDTH + 12, height)

    def x(at_s: float) -> float:
        return _LEFT + 8 + (_WIDTH - 16) * at_s / end_s

    axes.text(6, height - 9, f"{named(data)} at {settings.text}", size=12, weight="bold", color=INK)
    axes.text(6, height - 15, f"one bit {settings.bit_s * 1e6:.2f} us, one character "
              f"{settings.bits_per_frame:g} bits", size=8, color=DIM)  # fmt: skip
    low_edge = 14.0
    for row, kind in enumerate(VOLTS):
        base = height - 34 - row * (_HIGH + 14) - _HIGH
        top_v, bottom_v = max(VOLTS[kind]), min(VOLTS[kind])

        def y(v: float, base: float = base, bottom_v: float = bottom_v, top_v: float = top_v) -> float:
            return base + _HIGH * (v - bottom_v) / (top_v - bottom_v)

        idle = volts(1, kind)
        xs, ys = [_LEFT, x(0)], [y(idle), y(idle)]
        for bit in bits:
            level = y(volts(bit.level, kind))
            xs += [x(bit.from_s), x(bit.to_s)]
            ys += [level, level]
            axes.plot([x(bit.from_s)] * 2, [base - 2, base + _HIGH + 2], color=DIM, linewidth=0.25)
            axes.text((x(bit.from_s) + x(bit.to_s)) / 2, base + _HIGH + 3, bit.name, ha="center", size=5.5, color=DIM)
        axes.plot([*xs, _LEFT + _WIDTH], [*ys, y(idle)], color=COPPER, linewidth=1.3)
        axes.text(_LEFT - 2, y(top_v), f"{top_v:+g} V", ha="right", va="center", size=7, color=INK)
        axes.text(_LEFT - 2, y(bottom_v), f"{bottom_v:+g} V", ha="right", va="center", size=7, color=INK)
        axes.text(_LEFT - 2, base + _HIGH / 2, kind, ha="right", va="center", size=7, color=DIM)
    for at, bit in enumerate(bits):
        if bit.name == "start":
            axes.text(x(bit.from_s), low_edge - 6, f"{bit.from_s * 1e6:.1f} us", ha="left", size=6, color=INK)
        elif at == len(bits) - 1:
            axes.text(x(bit.to_s), low_edge - 6, f"{bit.to_s * 1e6:.1f} us", ha="right", size=6, color=INK)
    return figure
