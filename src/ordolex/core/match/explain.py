"""How garbage came about: the sender's bits at his settings, where the receiver sampled them, which byte came of it."""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import dataclass

from ordolex.core.line.settings import LineSettings
from ordolex.core.uart.levels import Edge, Transmitter
from ordolex.core.uart.receiver import Character, Receiver, Resync


@dataclass(frozen=True, slots=True)
class Misreading:
    """Times are seconds from the first start bit; levels are those of the line.

    edges    from each time on the line has this level
    frames   (from, to, byte) of what was sent
    samples  when the receiver looked, and the level it saw
    heard    what it made of them; at_s is the time of the stop bit's sample
    """

    edges: tuple[Edge, ...]
    frames: tuple[tuple[float, float, int], ...]
    samples: tuple[Edge, ...]
    heard: tuple[Character, ...]


class _Watched(Receiver):
    """A receiver that notes where it looked."""

    def __init__(self, settings: LineSettings, habit: Resync, edges: Iterable[Edge], idle: int) -> None:
        super().__init__(settings, resync=habit)
        self.looked: list[float] = []
        self._all = [Edge(float("-inf"), idle), *edges]

    def _sample_frame(self, start_s: float) -> Character:
        bit_s = self._bit_s()
        bits = round(self._frame_s() / bit_s + 0.5)
        self.looked += [start_s + (place + 0.5) * bit_s for place in range(bits)]
        return super()._sample_frame(start_s)

    def samples(self) -> tuple[Edge, ...]:
        out: list[Edge] = []
        at = 0
        for time_s in sorted(self.looked):
            while at + 1 < len(self._all) and self._all[at + 1].at_s <= time_s:
                at += 1
            out.append(Edge(time_s, self._all[at].level))
        return tuple(out)


def misread(
    data: bytes, sender: LineSettings, heard_at: LineSettings, *, inverted: bool = False, habit: Resync = Resync.EDGE
) -> Misreading:
    """What a receiver at `heard_at` makes of `data` from a sender at `sender`, sent without gaps."""
    out = Transmitter(sender, inverted=inverted)
    edges = out.send(data, 0.0)
    receiver = _Watched(heard_at, habit, edges, out.idle_level)
    receiver.receive(edges)
    rest = 2 * max(sender.seconds_for(1), heard_at.seconds_for(1))
    heard = receiver.advance(out.free_at_s + rest)
    frames = tuple((n * out.character_s, (n + 1) * out.character_s, byte) for n, byte in enumerate(data))
    return Misreading(tuple(edges), frames, receiver.samples(), tuple(heard))


def rows(picture: Misreading, sender: LineSettings, width: int, first_bit: int = 0) -> list[str]:
    """The picture as text, four rows: what was sent, the line, where it was sampled, what was read.

    Four columns are one bit of the sender; `first_bit` is the bit at the left edge.
    """
    column_s = sender.bit_s / 4
    start_s = first_bit * sender.bit_s
    levels = [_level_at(picture, start_s + (column + 0.5) * column_s) for column in range(width)]
    line = "".join("▔" if level else "▁" for level in levels)

    def put(row: list[str], at_s: float, text: str) -> None:
        column = round((at_s - start_s) / column_s)
        for offset, character in enumerate(text):
            if 0 <= column + offset < width:
                row[column + offset] = character

    sent, looked, read = ([" "] * width for _ in range(3))
    for from_s, _, byte in picture.frames:
        put(sent, from_s, f"│{_shown(byte)} {byte:02x}")
    for sample in picture.samples:
        put(looked, sample.at_s - column_s / 2, str(sample.level))
    for character in picture.heard:
        mark = "!" if character.faulty else ""
        put(read, character.at_s - 3 * column_s, f"{character.byte:02x}{mark}")
    return ["".join(sent), line, "".join(looked), "".join(read)]


def _shown(byte: int) -> str:
    return chr(byte) if 33 <= byte < 127 else "·"


def _level_at(picture: Misreading, at_s: float) -> int:
    level = 1 if not picture.edges else picture.edges[0].level ^ 1
    for edge in picture.edges:
        if edge.at_s > at_s:
            break
        level = edge.level
    return level
