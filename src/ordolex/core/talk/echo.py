"""What became of typed characters: echoed by the device, doubled, lost on the way, or never given back."""

from __future__ import annotations

from collections import deque
from collections.abc import Iterable
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
        if not missing:  # other text stands between
            return "each character stands twice: the device echoes too; switch local echo off (Ctrl+B)" if local else ""
        return (
            f"{missing} of {len(typed)} characters are missing in the echo: the device cannot follow;"
            " send at a pace, or set flow control"
        )
    return "" if local else "the device does not echo; local echo shows what you type (Ctrl+B)"


def beside_the_typed(passed: Iterable[tuple[bool, bytes]]) -> tuple[bytes, bytes]:
    """What was typed, and of what came that which came right behind each piece of it: there the echo stands. `passed`
    has (whether we sent it, bytes) in the order of time."""
    typed, back, room = bytearray(), bytearray(), 0
    for ours, data in passed:
        if ours:
            typed += data
            room = 2 * len(data)
        else:
            back += data[:room]
            room = max(0, room - len(data))
    return bytes(typed), bytes(back)


def _in_order(typed: bytes, back: bytes) -> int:
    """How many of the typed characters stand in the echo, in their order."""
    matcher = SequenceMatcher(None, typed, back[: 2 * len(typed)], autojunk=False)
    return sum(block.size for block in matcher.get_matching_blocks())


class EchoWatch:
    """Whether a device that gives back what is typed key by key has stopped doing so: it asks for a secret then,
    whatever its prompt says. Times are seconds of one clock."""

    def __init__(self) -> None:
        self._given_back = 0
        self._waiting: deque[tuple[int, float]] = deque()

    def typed(self, data: bytes, now_s: float) -> None:
        if any(byte < 32 for byte in data):
            self._waiting.clear()
        else:
            self._waiting.extend((byte, now_s) for byte in data)

    def heard(self, data: bytes) -> None:
        for byte in data:
            if self._waiting and byte == self._waiting[0][0]:
                self._waiting.popleft()
                self._given_back += 1

    def stopped(self, now_s: float) -> int:
        """How many keys came back no more; 0 while they do, or where none ever did."""
        if self._given_back < _ECHOES or not self._waiting or now_s - self._waiting[0][1] < _ECHO_PATIENCE_S:
            return 0
        return len(self._waiting)

    def over(self) -> None:
        """The line is given."""
        self._waiting.clear()


_ECHOES, _ECHO_PATIENCE_S = 3, 0.25
