"""A modem's calls as sequences: dialling, coming back to its command state, hanging up by command and by DTR."""

from __future__ import annotations

import re
from dataclasses import dataclass

from ordolex.core.link.question import Question
from ordolex.core.link.steps import Outputs, Quiet, Steps, Wait, asked
from ordolex.core.protocols.at.call import ESCAPE, GUARD_S
from ordolex.core.protocols.at.results import AtReply, read_reply
from ordolex.core.protocols.codecs import AtCodec

_DIAL_S = 60.0
_DTR_S = 0.6


def command(text: bytes, timeout_s: float = 3.0) -> Steps[AtReply]:
    """One command line without its CR, and its answer; an empty result where none came."""
    data = text if text == ESCAPE else text + b"\r"
    answer = yield from asked(Question(data, timeout_s=timeout_s, codec=AtCodec(data)))
    return read_reply(data, answer.data)


def dial(number: str) -> Steps[AtReply]:
    """A number, or the name of a host as modems of networks dial it. Raises ValueError for what cannot be dialled,
    before anything is sent."""
    if re.fullmatch(r"(?=.*[A-Za-z])(?=.*[.:])[A-Za-z0-9](?:[A-Za-z0-9._-]*[A-Za-z0-9])?(?::\d{1,5})?", number.strip()):
        return command(b"ATDT" + number.strip().encode(), _DIAL_S)
    digits = "".join(c for c in number if c not in " -/()")
    if not digits or any(c not in "0123456789*#+,WTP@!ABCD" for c in digits.upper()):
        raise ValueError(f"{number!r} is no number (digits, * # + and , for a pause; V.250, 6.3.1) and no host")
    return command(b"ATD" + digits.encode(), _DIAL_S)


def escape() -> Steps[AtReply]:
    """From data to commands; the call stays up. Nothing may go out for a second before and after."""
    yield Quiet(GUARD_S)
    return (yield from command(ESCAPE, GUARD_S + 2.0))


@dataclass(frozen=True, slots=True)
class HungUp:
    """`reply` is what the modem said to ATH; None where DTR was dropped instead, of which no answer tells."""

    reply: AtReply | None


def hang_up(*, in_data: bool) -> Steps[HungUp]:
    """By command; where the modem does not take it, by DTR."""
    if in_data and not (yield from escape()).good:
        return (yield from drop_dtr())
    reply = yield from command(b"ATH")
    return HungUp(reply) if reply.good else (yield from drop_dtr())


def drop_dtr() -> Steps[HungUp]:
    """V.250, 6.2.2 leaves what that does to &D: as shipped it hangs up, and by &D0 it does nothing."""
    yield Outputs(dtr=False)
    yield Wait(_DTR_S)
    yield Outputs(dtr=True)
    return HungUp(None)
