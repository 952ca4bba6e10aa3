"""Whether what was heard at the settings in use says that nothing is wrong with them."""

from __future__ import annotations

from ordolex.core.match.capture import Capture
from ordolex.core.match.content import text_in
from ordolex.core.match.shapes import checked_in, parted

_ENOUGH = 24
"""Characters of text in a row, all of them readable, that no wrong setting makes by chance: (100/256)^24 is 2e-10, and
senders whose letters keep their shape at a wrong setting show line errors, or letters above 127."""
_ENOUGH_UNFLAGGED = 48  # where the port tells no line errors
_SPOKEN = 1.0  # nats a byte by which it is text of some language
_READABLE = frozenset([*range(32, 127), 7, 8, 9, 10, 12, 13, 14, 15, 27])


def reads_clean(capture: Capture) -> str:
    """What it rests on that the settings are right, in words; empty where it does not show.

    The first character may be cut where the listening began in the middle of one; after it none may be wrong.
    """
    flags = capture.flags
    skip = 1 if flags is not None and len(capture.data) > 1 and any(flags[0]) else 0
    data = capture.data[skip:]
    if flags is not None and any(any(flag) for flag in flags[skip:]):
        return ""
    told = "no line error" if flags is not None else "this port tells no line errors"
    checked = checked_in(data)
    if checked:
        return f"{len(data)} bytes, {told}, {checked}"
    enough = _ENOUGH if flags is not None else _ENOUGH_UNFLAGGED
    letters = sum(chr(byte).isalnum() for byte in data if byte < 128)
    if len(data) >= enough and _READABLE.issuperset(data) and len(set(data)) >= 6 and letters >= 0.3 * len(data):
        return f"{len(data)} characters, {told}, all of them readable"
    if flags is not None and _mixed(data):
        return f"{len(data)} characters in lines, {told}"
    return ""


def after_joining(capture: Capture) -> Capture | None:
    """What came behind the first rest of the line, where line errors stand only before it: who begins to listen in the
    middle of a message can be out of step to its end. None where the errors are not of that kind."""
    flags = capture.flags
    if flags is None:
        return None
    errors = [at for at, flag in enumerate(flags) if any(flag)]
    rest = next((at for at, rested in enumerate(capture.starts) if rested and at > 0), None)
    if not errors or rest is None or errors[-1] >= rest:
        return None
    return capture.behind(rest)


def _mixed(data: bytes) -> bool:
    """Lines of text with some letters above 127: those are the device's own, not a parity bit, if the ones of all eight
    bits are neither always even nor always odd."""
    if len(data) < _ENOUGH_UNFLAGGED or data.count(b"\n") + data.count(b"\r") < 2:
        return False
    if any(byte < 32 and byte not in _READABLE for byte in data):
        return False  # no text holds such; two at once leave them
    plain = sum(byte in _READABLE for byte in data)
    odd = sum(byte.bit_count() & 1 for byte in data)
    known = plain >= 0.6 * len(data) or (text_in(data) >= _SPOKEN and parted(data))
    return known and len(set(data)) >= 8 and 0.15 * len(data) <= odd <= 0.85 * len(data)
