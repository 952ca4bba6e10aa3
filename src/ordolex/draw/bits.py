"""Two drawings of a match: the bits with the points at which a wrong receiver sampled them, and the map of settings."""

from __future__ import annotations

from collections.abc import Mapping, Sequence

from matplotlib.figure import Figure

from ordolex.core.line.settings import LineSettings
from ordolex.core.match.explain import Misreading
from ordolex.draw.sheet import BAD, COPPER, DIM, GOOD, INK, sheet

_LEFT, _WIDTH, _HIGH = 16.0, 258.0, 18.0


def draw_bits(picture: Misreading, sender: LineSettings, heard_at: LineSettings) -> Figure:
    """What was sent above, the line with the sampling points in the middle, what was read below."""
    end_s = max([to_s for _, to_s, _ in picture.frames] + [sample.at_s for sample in picture.samples], default=1e-3)
    figure, axes = sheet(_LEFT + _WIDTH + 10, 84)

    def x(at_s: float) -> float:
        return _LEFT + _WIDTH * at_s / (end_s * 1.01)

    base = 34.0
    axes.text(6, 75, f"Sent at {sender.text}, heard at {heard_at.text}", size=12, weight="bold", color=INK)
    axes.text(6, 69, f"one bit of the sender {sender.bit_s * 1e6:.1f} us; dots are where the receiver looked", size=8,
              color=DIM)  # fmt: skip
    for from_s, to_s, byte in picture.frames:
        axes.plot([x(from_s)] * 2, [base - 4, base + _HIGH + 7], color=DIM, linewidth=0.3)
        shown = chr(byte) if 33 <= byte < 127 else ""
        axes.text((x(from_s) + x(to_s)) / 2, base + _HIGH + 4, f"{shown} {byte:02x}", ha="center", size=7, color=COPPER)
    level = picture.edges[0].level ^ 1 if picture.edges else 1
    xs, ys = [_LEFT - 4], [base + _HIGH * level]
    for edge in picture.edges:
        if edge.at_s <= end_s:
            xs += [x(edge.at_s), x(edge.at_s)]
            ys += [base + _HIGH * level, base + _HIGH * edge.level]
            level = edge.level
    axes.plot([*xs, x(end_s)], [*ys, base + _HIGH * level], color=INK, linewidth=1.1)
    for sample in picture.samples:
        axes.plot([x(sample.at_s)], [base + _HIGH * sample.level], marker="o", markersize=2.6, color=COPPER)
    for character in picture.heard:
        wrong = "!" if character.faulty else ""
        colour = BAD if character.faulty else GOOD
        axes.text(x(character.at_s), base - 9, f"{character.byte:02x}{wrong}", ha="right", size=7, color=colour)
    axes.text(6, base - 9, "read", size=7, color=DIM)
    axes.text(6, base + _HIGH + 4, "sent", size=7, color=DIM)
    axes.text(6, 12, "! a line error came with this byte: framing, parity or break", size=7, color=DIM)
    return figure


def draw_map(
    bauds: Sequence[int], formats: Sequence[str], cells: Mapping[tuple[int, str], float], title: str
) -> Figure:
    """Baud across, format down; each cell by its probability, as a figure and as a shade."""
    wide, high = 19.0, 7.0
    wanted = 14 + 2.4 * len(title)  # the title stands above a narrow map too
    figure, axes = sheet(max(wanted, 30 + wide * len(bauds)), 30 + high * len(formats))
    top = 12 + high * len(formats)
    axes.text(6, top + 11, title, size=11, weight="bold", color=INK)
    for column, baud in enumerate(bauds):
        axes.text(24 + wide * (column + 0.5), top + 3, str(baud), ha="center", size=8, color=INK)
    for row, format_ in enumerate(formats):
        y = top - high * (row + 1)
        axes.text(20, y + high / 2, format_, ha="right", va="center", size=8, color=INK)
        for column, baud in enumerate(bauds):
            value = cells.get((baud, format_), 0.0)
            x = 24 + wide * column
            axes.fill([x, x + wide - 1, x + wide - 1, x], [y, y, y + high - 1, y + high - 1], color=COPPER,
                      alpha=0.06 + 0.7 * value, linewidth=0)  # fmt: skip
            text = f"{value:.0%}" if value >= 0.005 else "·"
            axes.text(x + wide / 2, y + high / 2, text, ha="center", va="center", size=7, color=INK)
    return figure
