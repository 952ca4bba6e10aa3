"""What became of typed characters: echoed by the device, doubled, lost on the way, or never given back."""

from __future__ import annotations

from difflib import SequenceMatcher

LEAST = 4  # characters below which nothing is said
_RECOGNISED = 0.6  # share of the typed characters that must come back, in order, to be taken for an echo


def echo_hint(sent: bytes, heard: bytes, *, local: bool) -> str:
    """A sentence on the echo of what was sent, or nothing where there is nothing odd. `local` says that our own side
    shows what is sent as well."""
    typed = bytes(byte for byte in sent if 32 < byte < 127)
    back = bytes(byte for byte in heard if 32 < byte < 127)
    if len(typed) < LEAST:
        return ""
    if bytes(byte for byte in typed for _ in range(2)) in back:
        return "every character comes back twice: something on the way echoes as well"
    if typed in back:
        return "each character stands twice: the device echoes too; switch local echo off (Ctrl+B)" if local else ""
    found = _in_order(typed, back)
    if found >= _RECOGNISED * len(typed):
        missing = len(typed) - found
        return (
            f"{missing} of {len(typed)} characters are missing in the echo: the device cannot follow;"
            " send at a pace, or set flow control"
        )
    return "" if local else "the device does not echo; local echo shows what you type (Ctrl+B)"


def _in_order(typed: bytes, back: bytes) -> int:
    """How many of the typed characters stand in the echo, in their order."""
    matcher = SequenceMatcher(None, typed, back[: 2 * len(typed)], autojunk=False)
    return sum(block.size for block in matcher.get_matching_blocks())
