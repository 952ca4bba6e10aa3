"""Captures from what a book has recorded, so that a match can be worked out afterwards."""

from __future__ import annotations

from collections.abc import Iterable, Sequence
from dataclasses import dataclass

from ordolex.core.line.notation import read_line
from ordolex.core.line.settings import LineSettings, SettingsError
from ordolex.core.match.capture import Capture, Flags, starts_from_times
from ordolex.core.record.items import Chunk, Event

_ANSWERS_US = 2_000_000  # what comes so soon behind something that was sent is taken for an answer to it


@dataclass(frozen=True, slots=True)
class Answered:
    """A device that spoke only when it was spoken to, as the record has it.

    captures  what it said
    asked     what it said it to, the last one last
    """

    captures: tuple[Capture, ...] = ()
    asked: tuple[bytes, ...] = ()


NOT_ANSWERED = Answered()


def answered(items: Sequence[Chunk | Event], line: LineSettings, *, with_flags: bool) -> Answered:
    """What came as answers; nothing where anything came that nobody had asked for."""
    asked: list[bytes] = []
    sent: Chunk | None = None
    for item in items:
        if isinstance(item, Event):
            continue
        if item.direction == "tx":
            sent = item
        elif sent is None or not 0 <= item.mono_us - sent.last_mono_us <= _ANSWERS_US:  # clocks begin anew
            return Answered()
        elif not asked or asked[-1] != sent.data:
            asked.append(sent.data)
    return Answered(tuple(captures(items, line, with_flags=with_flags)), tuple(asked)) if asked else Answered()


def captures(items: Iterable[Chunk | Event], line: LineSettings, *, with_flags: bool) -> list[Capture]:
    """One capture for each time at one setting, in the order of the record; `line` holds until an event says another.

    `with_flags` says whether the port reported line errors byte by byte.
    """
    out: list[Capture] = []
    data, flags, times = bytearray(), list[Flags](), list[float]()

    def close() -> None:
        if data:
            starts = starts_from_times(times, line)
            out.append(Capture(line, bytes(data), tuple(flags) if with_flags else None, starts))
        data.clear()
        flags.clear()
        times.clear()

    for item in items:
        if isinstance(item, Event):
            told = item.detail.get("to") if item.kind == "settings" else item.detail.get("line")
            if item.kind in ("settings", "opened") and isinstance(told, str):
                close()
                line = _read(told, line)
        elif item.direction == "rx":
            errors = item.errors
            first = Flags() if errors is None else Flags(errors.framing > 0, errors.parity > 0, errors.breaks > 0)
            span_s = (item.last_mono_us - item.mono_us) / 1e6
            for place, byte in enumerate(item.data):
                data.append(byte)
                flags.append(first if place == 0 else Flags())
                times.append(item.mono_us / 1e6 + span_s * place / max(1, len(item.data) - 1))
    close()
    return out


def _read(text: str, otherwise: LineSettings) -> LineSettings:
    try:
        return read_line(text).settings
    except SettingsError:
        return otherwise
