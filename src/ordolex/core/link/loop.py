"""The loop test: a pattern goes out, and with TXD and RXD joined it must come back as it was."""

from __future__ import annotations

from dataclasses import dataclass
from difflib import SequenceMatcher

from ordolex.core.line.settings import LineSettings

_PATTERN = bytes(range(0x20, 0x7F)) + b"\x00\x55\xaa\xff" + bytes(range(0x7E, 0x1F, -1)) + b"\r\n"


def pattern(line: LineSettings) -> bytes:
    """Every printable character up and down, and the bit patterns that stress a line; cut to the data bits."""
    mask = (1 << line.data_bits) - 1
    return bytes(byte & mask for byte in _PATTERN)


@dataclass(frozen=True, slots=True)
class LoopResult:
    """How many bytes went out, and of these and others how many were lost, wrong, or came besides."""

    sent: int
    heard: int
    lost: int
    wrong: int
    added: int

    @property
    def equal(self) -> bool:
        return not (self.lost or self.wrong or self.added)

    def words(self) -> str:
        if not self.heard:
            return f"nothing of {self.sent} bytes came back: TXD and RXD are not joined, or the port is the wrong one"
        if self.equal:
            return f"all {self.sent} bytes came back as they were: this end and the way are whole"
        faults = ((self.lost, "lost"), (self.wrong, "wrong"), (self.added, "that were not sent"))
        return f"{self.sent} bytes sent, {self.heard} back: " + ", ".join(f"{n} {word}" for n, word in faults if n)


def compare(sent: bytes, heard: bytes) -> LoopResult:
    lost = wrong = added = 0
    for kind, a, b, c, d in SequenceMatcher(None, sent, heard, autojunk=False).get_opcodes():
        if kind == "replace":
            wrong += min(b - a, d - c)
        lost += max(0, (b - a) - (d - c)) if kind in ("replace", "delete") else 0
        added += max(0, (d - c) - (b - a)) if kind in ("replace", "insert") else 0
    return LoopResult(len(sent), len(heard), lost, wrong, added)
