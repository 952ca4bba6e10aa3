"""Captures from what a book has recorded, so that a match can be worked out afterwards."""

from __future__ import annotations

from collections.abc import Iterable

from ordolex.core.line.notation import read_line
from ordolex.core.line.settings import LineSettings, SettingsError
from ordolex.core.match.capture import Capture, Flags, starts_from_times
from ordolex.core.record.items import Chunk, Event


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
