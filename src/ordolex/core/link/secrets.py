"""What was typed as a secret is taken out of what comes back, before anything is shown or kept.

A device may give it back at once (an echo), character by character, or later somewhere in a line of text. In its place
stands only how many bytes were withheld.
"""

from __future__ import annotations

import re
from typing import NamedTuple

_PROMPT = re.compile(
    rb"(?:pass ?(?:word|code|phrase|key)|\bpin\b|\bsecret|(?:access|login|security|unlock) code|kennwort)"
    rb"[^\r\n]{0,40}[:>?=] {0,2}$",
    re.IGNORECASE,
)
_ECHO_S = 5.0
HELD_S = 0.25
"""The beginning of a secret that goes on no further is let through, or withheld, after this long."""
_SHORT = 4
"""A secret shorter than this is looked for only while its echo may come: it would be found in any text."""


class Piece(NamedTuple):
    """Bytes to go on with, and how many were withheld before them."""

    withheld: int
    data: bytes


def asks_for_secret(line: bytes) -> bool:
    """Whether an unfinished line, as a prompt is, asks for something that nobody else should see."""
    return _PROMPT.search(line[-200:]) is not None


class Withholder:
    """Takes secrets out of what one link brings, for as long as the link is open."""

    def __init__(self) -> None:
        self._secrets: list[bytes] = []
        self._echo = b""  # what may still come back at once, in this order
        self._echo_until_s = 0.0
        self._begun = b""  # bytes of a secret that is being typed
        self._tail = b""  # came, and may be the beginning of a secret
        self._tail_s = 0.0

    @property
    def active(self) -> bool:
        return bool(self._secrets or self._echo)

    @property
    def holding(self) -> bool:
        """Whether `flush` has something to hand out later."""
        return bool(self._tail)

    def typed(self, data: bytes, now_s: float, *, whole: bool) -> None:
        """`data` goes out as a secret, or as the next part of one; `whole` ends it."""
        self._begun += data
        self._echo += data
        self._echo_until_s = now_s + _ECHO_S
        if whole and self._begun:
            self._secrets = [*(known for known in self._secrets if known != self._begun), self._begun][-8:]
            self._begun = b""

    def receive(self, data: bytes, now_s: float) -> list[Piece]:
        """What of it may be shown and kept."""
        if now_s > self._echo_until_s:
            self._echo = b""
        data, self._tail = self._tail + data, b""
        out: list[Piece] = []
        withheld = 0
        while self._echo and data:
            # an echo is the same bytes in the same order, from the first on; another byte says that there is none
            if data[:1] == self._echo[:1]:
                data, self._echo, withheld = data[1:], self._echo[1:], withheld + 1
            else:
                self._echo = b""
        while data:
            found = min(
                ((at, len(secret)) for secret in self._looked_for(now_s) if (at := data.find(secret)) >= 0),
                key=lambda one: (one[0], -one[1]),
                default=None,
            )
            if found is None:
                break
            at, length = found
            if at:
                out.append(Piece(withheld, data[:at]))
                withheld = 0
            withheld += length
            data = data[at + length :]
        held = max((_overlap(data, secret) for secret in self._looked_for(now_s)), default=0)
        if held:
            data, self._tail, self._tail_s = data[:-held], data[-held:], now_s
        if data or withheld:
            out.append(Piece(withheld, data))
        return out

    def flush(self, now_s: float) -> list[Piece]:
        """What was held back and did not become a secret. Half of one or more is withheld all the same."""
        if not self._tail or now_s - self._tail_s < HELD_S:
            return []
        tail, self._tail = self._tail, b""
        near = any(secret.startswith(tail) and 2 * len(tail) >= len(secret) for secret in self._secrets)
        return [Piece(len(tail), b"") if near else Piece(0, tail)]

    def _looked_for(self, now_s: float) -> list[bytes]:
        fresh = now_s <= self._echo_until_s
        return [secret for secret in self._secrets if len(secret) >= _SHORT or fresh]


def _overlap(data: bytes, secret: bytes) -> int:
    """How many bytes at the end of `data` begin the secret, without being all of it."""
    for length in range(min(len(data), len(secret) - 1), 0, -1):
        if data.endswith(secret[:length]):
            return length
    return 0
