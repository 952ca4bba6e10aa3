"""What it is when it is no matter of settings: a line held low, two senders at once, noise. Each with the test that
tells it from what looks alike."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

from ordolex.core.match.capture import Capture, Flags
from ordolex.core.text.visible import visible_text

_READABLE = frozenset(range(32, 127))
_NO_TEXT = frozenset([0, *range(16, 21), *range(22, 27), 28, 29, 30, 31, 11, 127])
"""Control characters that neither text nor the framing of messages holds (SOH to ACK, BEL to SI, NAK, ESC)."""
_IN_TEXTS = frozenset(b" \r\n\t0123456789.,:;-+/=%$()_'\"|<>*?!" + bytes(range(65, 91)) + bytes(range(97, 123)))
_MOSTLY_TEXT = 0.96
_STRETCH = 8
"""So many characters in a row that read are no accident: (100/256)^8 is 5e-4, and without a line error far less."""
_ENOUGH = 60
_UNTOLD = 2  # bytes that come while a port is being opened, before it tells line errors
_ISOLATED = 1.7
"""Spoilt characters in a row: noise spoils one at a time, and sometimes its neighbour; a sender a whole stretch."""
_MOST_BREAKS = 12  # a line that is held gives one at each opening, and with some receivers at each change of settings


@dataclass(frozen=True, slots=True)
class Stretches:
    """What was heard at one setting, cut into what reads and what is spoilt.

    read     the stretches that read, in order
    spoilt   lengths of what lies between them
    flagged  characters with a line error
    """

    read: tuple[bytes, ...]
    spoilt: tuple[int, ...]
    flagged: int
    count: int

    @property
    def share(self) -> float:
        """How much of it reads."""
        return sum(map(len, self.read)) / self.count if self.count else 0.0


def stretches(capture: Capture) -> Stretches:
    """Cuts what was heard at the sender's own settings; seven bits with parity are read as that. Letters of another
    alphabet, above 127, are no sign of anything; line errors and control characters that no text holds are."""
    flags = capture.flags or (Flags(),) * len(capture.data)
    mask = 0x7F if _has_parity_bit(capture) else 0xFF
    read: list[bytes] = []
    spoilt: list[int] = []
    start = bad = 0
    for at in range(len(capture.data) + 1):
        if at < len(capture.data) and not any(flags[at]) and capture.data[at] & mask not in _NO_TEXT:
            continue
        piece = capture.data[start:at]
        if sum(byte & mask in _READABLE for byte in piece) >= _STRETCH:
            if bad:
                spoilt.append(bad)
            read.append(piece)
            bad = 0
        else:
            bad += len(piece)
        bad += at < len(capture.data)
        start = at + 1
    if bad:
        spoilt.append(bad)
    return Stretches(tuple(read), tuple(spoilt), sum(any(flag) for flag in flags), len(capture.data))


def _has_parity_bit(capture: Capture) -> bool:
    """Whether eight bits were heard of a sender with seven and parity: nearly all characters have the same parity."""
    if capture.heard_at.data_bits != 8 or len(capture.data) < _STRETCH:
        return False
    odd = sum(byte.bit_count() & 1 for byte in capture.data) / len(capture.data)
    high = sum(byte > 127 for byte in capture.data) / len(capture.data)
    return high > 0.2 and not 0.25 < odd < 0.75


def held_low(breaks: int, heard: int, listens: Sequence[Capture]) -> str:
    """In words, where breaks are all that a port has received since it was opened, through so many listens; else empty.

    A receiver tells a line that is held low once, when it begins or when the port is opened, and then waits for the
    line to rise.
    """
    if not 0 < breaks <= _MOST_BREAKS or heard > breaks + _UNTOLD or any(any(listen.data) for listen in listens):
        return ""
    what = "a break" if breaks == 1 else f"{breaks} breaks"
    return (
        f"{what} and nothing else since the port was opened: the line is held low, or it was a break and silence since."
        " Release the port and open it again: a line that is held gives a break each time. Then measure the voltage at"
        " rest: a sender, a short or a swapped pair holds it"
    )


def spoilt_by(capture: Capture) -> str:
    """In words, what spoils a talk that reads in part at these settings: a second sender, or noise. Empty where neither
    shows, which a port that tells no line errors cannot show."""
    if capture.flags is None or len(capture.data) < _ENOUGH:
        return ""
    cut = stretches(capture)
    if len(cut.read) < 2 or len(cut.spoilt) < 2 or not 0.2 <= cut.share <= 0.985:
        return ""
    if cut.flagged < 2 or not _is_text(capture, cut):
        return ""
    in_a_row = sum(cut.spoilt) / len(cut.spoilt)
    at = capture.heard_at.text
    shown = " and ".join(f"“{_first_words(text)}”" for text in _two_unlike(cut.read))
    bad = f"{sum(cut.spoilt)} of {cut.count} characters"
    if in_a_row <= _ISOLATED:
        return (
            f"noise: at {at} it reads, {shown}, but {bad} are spoilt, one here and one there. A shorter or screened"
            " cable, a ground, or a lower rate tells"
        )
    return (
        f"two senders at once, or noise: at {at} {len(cut.read)} stretches read, {shown}, and {bad} are"
        f" spoilt in {len(cut.spoilt)} places between them. Take one device off the line: if it then reads clean, two"
        " were talking"
    )


def _is_text(capture: Capture, cut: Stretches) -> bool:
    """Whether what reads is made of what texts are made of: numbers that a machine sends, and text at wrong settings,
    hold every sign alike."""
    mask = 0x7F if _has_parity_bit(capture) else 0xFF
    plain = [byte & mask for text in cut.read for byte in text if byte & mask < 0x80]
    return sum(byte in _IN_TEXTS for byte in plain) >= _MOSTLY_TEXT * len(plain)


def _first_words(text: bytes) -> str:
    return visible_text(bytes(byte & 0x7F for byte in text).strip()[:14].decode("latin-1"))


def _two_unlike(read: Sequence[bytes]) -> list[bytes]:
    """The longest stretch, and the longest other one that shares little with it."""
    ordered = sorted(read, key=len, reverse=True)
    first = ordered[0]
    pieces = {first[at : at + 4] for at in range(len(first) - 3)}

    def shared(text: bytes) -> float:
        return sum(text[at : at + 4] in pieces for at in range(len(text) - 3)) / max(1, len(text) - 3)

    other = next((text for text in ordered[1:] if shared(text) < 0.3), None)
    return [first] if other is None else [first, other]
