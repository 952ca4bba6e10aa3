"""Buses whose messages do not begin as a port can be set to read: with an address mark in a ninth bit, or with a break.

Both show at the sender's own rate in where the line errors stand, whatever the bytes say.
"""

from __future__ import annotations

from ordolex.core.line.settings import Parity
from ordolex.core.match.capture import Capture, Flags

_MESSAGES, _BYTES = 4, 16
_NEARLY_ALL = 0.95
_BREAKS, _CLEAN_BYTES = 2, 24
_SYNC = 0x55
_SYNC_NAME, _ZERO_NAME = "LIN (ISO 17987)", "DMX512 (ANSI E1.11), which uses 250000 8N2"


def bus_of(capture: Capture) -> str:
    """What kind of bus this looks like, heard at its own rate, in words; empty for none that is known here."""
    if capture.flags is None or capture.heard_at.data_bits != 8 or capture.heard_at.parity is not Parity.NONE:
        return ""
    return _nine_bits(capture, capture.flags) or _breaks(capture, capture.flags)


def _nine_bits(capture: Capture, flags: tuple[Flags, ...]) -> str:
    """The ninth bit stands where the stop bit is looked for: it is high in the first byte of a message alone."""
    low = [flag.framing or flag.broken for flag in flags]  # a zero with it looks like a break
    firsts = [was for was, first in zip(low, capture.starts, strict=False) if first]
    others = [was for was, first in zip(low[1:], capture.starts[1:], strict=False) if not first]
    if len(firsts) < _MESSAGES or len(others) < _BYTES or all(flag.broken for flag in flags):
        return ""
    if sum(firsts) > (1 - _NEARLY_ALL) * len(firsts) or sum(others) < _NEARLY_ALL * len(others):
        return ""
    baud = capture.heard_at.baud
    return (
        f"{len(firsts)} messages, in each a framing error at all bytes but the first: a bus of nine bits, of which the"
        f" ninth marks the address. {baud} 8S1 reads its data, with a parity error at each address"
    )


def _breaks(capture: Capture, flags: tuple[Flags, ...]) -> str:
    """After each break the same byte comes first, and all else is without errors."""
    breaks = [at for at, flag in enumerate(flags) if flag.broken]
    rest = [flag for flag in flags[1:] if not flag.broken]
    firsts = {capture.data[at + 1] for at in breaks if at + 1 < len(flags)}
    clean = sum(not any(flag) for flag in rest)
    if len(breaks) < _BREAKS or len(firsts) != 1 or len(rest) < _CLEAN_BYTES or clean < _NEARLY_ALL * len(rest):
        return ""
    (first,) = firsts
    like = {_SYNC: f", as on {_SYNC_NAME}", 0: f", as on {_ZERO_NAME}"}.get(first, "")
    return (
        f"each message begins with a break and then {first:02X}{like}; between them nothing is wrong at"
        f" {capture.heard_at.baud} baud"
    )
