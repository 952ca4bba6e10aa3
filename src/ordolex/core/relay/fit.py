"""Whether a channel of a serial server gives what is wanted, before anything is mapped to it."""

from __future__ import annotations

from dataclasses import dataclass

UNSEEN = "somebody else, or closed to us"
"""Who holds a channel that hangs up at once."""


@dataclass(frozen=True, slots=True)
class Channel:
    """`mode` is empty where it was looked at from outside only. `gives` is what is to be had at its TCP port: rfc2217,
    tcp, caller, udp or nothing; empty where it is not known. `line` are its own settings, `holder` who is there; empty
    where nobody is."""

    number: int
    port: int
    mode: str
    gives: str
    line: str = ""
    holder: str = ""


@dataclass(frozen=True, slots=True)
class Fit:
    """`good` is None where it will do, but not in all."""

    good: bool | None
    words: str
    do: str = ""


def fit(channel: Channel, wanted: str) -> Fit:
    """`wanted` is rfc2217 for a virtual port that passes settings on, tcp for plain bytes, caller for one that calls
    us."""
    what = (
        f"channel {channel.number} is in mode {channel.mode}"
        if channel.mode
        else f"channel {channel.number}, from outside"
    )
    if channel.holder == UNSEEN:
        return Fit(
            False,
            f"channel {channel.number} took our call and hung up: held by {UNSEEN}",
            "its console tells who is there",
        )
    if channel.holder:
        return Fit(
            False, f"channel {channel.number} is held by {channel.holder}: a second one is turned away", "end it there"
        )
    if channel.gives == wanted:
        return Fit(True, f"{what}: it gives what is wanted")
    match wanted, channel.gives:
        case "rfc2217", "tcp" if not channel.mode:
            return Fit(
                None,
                f"{what}: it did not agree to RFC 2217 in the time it was given, so it is slow, or gives plain bytes;"
                " what a program sets does not reach the line then, breaks and control lines are lost",
                "look again, or at its console, which tells its mode; put it in the mode that serves a serial port, or"
                " map it as plain bytes",
            )
        case "rfc2217", "tcp":
            return Fit(
                False,
                f"{what}: plain bytes; what a program sets does not reach the line, which stays at"
                f" {channel.line or 'its own settings'}, breaks and control lines are lost",
                "put it in the mode that serves a serial port, or map it as plain bytes",
            )
        case "tcp", "rfc2217":
            return Fit(
                False, f"{what}: it speaks RFC 2217, whose commands would stand among the bytes", "map it by rfc2217://"
            )
        case _, "caller":
            return Fit(False, f"{what}: it calls by itself, nothing listens at its port", "let this end listen for it")
        case _, "nothing":
            return Fit(False, f"{what}: nothing listens at its port", "switch it on in the box")
        case "caller", _:
            return Fit(False, f"{what}: it waits to be called, and never calls", "call it, or change its mode")
        case _:
            return Fit(
                None, f"{what}, and what that gives is not known", "ask it: `ordolex survey` tells what is proven"
            )


def endpoint_for(address: str, channel: Channel) -> str:
    """How the channel is reached in the mode that it has; empty where it is not."""
    return f"{channel.gives}://{address}:{channel.port}" if channel.gives in ("rfc2217", "tcp", "udp") else ""


def found_again(old: str, new: str, old_state: str, new_state: str) -> Fit:
    """After a change of address: the old one must be silent and the new one answer. States are those of a call by TCP:
    answered, refused, silent, unreachable."""
    old_gone = old_state in ("silent", "unreachable", "refused")
    new_there = new_state == "answered"
    if old_gone and new_there:
        return Fit(True, f"it is at {new} now, and {old} does not answer any more")
    if new_there:
        return Fit(
            False,
            f"{new} answers, and {old} still does",
            "two boxes may be there: pull this one's cable and look again",
        )
    if old_gone:
        return Fit(
            False,
            f"{old} does not answer any more, and {new} {_said(new_state)}: it is restarting, or in a network that this"
            " computer is not in",
            "wait, or add an address of its network beside the present one; its serial console always leads back",
        )
    return Fit(
        False, f"{old} still answers, and {new} {_said(new_state)}", "it has not restarted, or did not take the change"
    )


def _said(state: str) -> str:
    return {"silent": "is silent", "refused": "refuses", "unreachable": "is unreachable"}.get(state, state)
