"""What Find says about a port: the next step, and what is known of its other half."""

from __future__ import annotations

import textwrap

from ordolex.core.port.remedies import Remedy
from ordolex.core.text.visible import visible_text
from ordolex.io.ports.survey import PortFacts
from ordolex.session.session import Session

LISTED_EMPTY = "No serial port. Plug an adapter in, I am watching. Or press a to type an address."


def pair_words(port: PortFacts, session: Session) -> str:
    """What is known of the other port of the same adapter."""
    other = session.links.at(port.pair)
    if other is not None and session.links.at(port.endpoint) is None:
        return f"One of two ports of this adapter; the book has a link on the other, {port.pair}"
    return f"One of two ports of this adapter; the other is {port.pair}. Often only one leads anywhere"


def next_step(port: PortFacts, session: Session) -> str:
    """What to do with this port now, in one sentence or two."""
    tried = session.ports.tries.words(port.endpoint)
    if tried and port.may_be_opened:
        return tried[0].upper() + tried[1:] + "."
    if port.holder == "us":
        return "We hold it. F5 talks on it, r releases it."
    match port.state:
        case "held":
            return f"Held by {port.holder or 'another process'}. Close it there, then press Enter."
        case "no-rights":
            if not port.holder or port.holder == "group root":
                return "It belongs to root alone. w shows the rule that gives it to a group; then plug it in again."
            group = port.holder.removeprefix("group ")
            return f"Only {port.holder} may use it: sudo usermod -aG {group} $USER, then log in again. w says more."
        case "no-driver":
            return "Plugged, but no driver takes it. w says where one comes from; then the port comes by itself."
        case "made-here":
            users = f"{port.holder} has it open. " if port.holder else "No program has it open. "
            return f"{users}F9 Relay shows what passes, proves and stops it."
        case "gone":
            return "It is gone. Plug it in again, I am watching."
    unseen = " Programs of other users cannot be seen: one may have it." if port.state == "unknown" else ""
    return _opening(port, session) + unseen


def _opening(port: PortFacts, session: Session) -> str:
    link = session.links.at(port.endpoint)
    if link is not None and link.line:
        return f"Enter opens it, last at {link.line} ({link.source or 'no source'})."
    if port.sticker and port.sticker != "any":
        return f"Enter opens it; its sticker says {port.sticker}."
    if not port.rate_matters:
        return "Enter opens it. It is a USB device without a UART: any rate will do."
    return "Enter asks for the line settings, then opens it."


def remedy_lines(remedies: list[Remedy], width: int) -> list[str]:
    """The causes as lines to read: number, cause, what speaks for it, how it shows, what to do."""
    lines: list[str] = []
    for number, remedy in enumerate(remedies, 1):
        lines += _wrapped(f"{number}  ", remedy.cause, width)
        if remedy.because:
            lines += _wrapped("   here   ", visible_text(remedy.because), width)
        lines += _wrapped("   tell   ", remedy.test, width)
        lines += _wrapped("   do     ", remedy.step, width)
        lines.append("")
    return lines[:-1]


def _wrapped(head: str, text: str, width: int) -> list[str]:
    return textwrap.wrap(text, width, initial_indent=head, subsequent_indent=" " * len(head))
