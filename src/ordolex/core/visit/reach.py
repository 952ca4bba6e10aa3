"""How far a link came by the record, layer by layer from the PC outwards: reached, not reached, or not told."""

from __future__ import annotations

from collections.abc import Callable, Sequence

from ordolex.core.port.endpoint import endpoint_or_none
from ordolex.core.record.items import Event, LinkRecord
from ordolex.core.text.counts import counted
from ordolex.core.visit.report import Proof, Reached

_FIRST = {"serial": "serial port", "rfc2217": "device server", "tcp": "TCP peer"}
_CLEAR = ("Clear", "Proven")
_IN_VAIN = frozenset({"wrong", "echo", "none"})


def reached(
    link: LinkRecord,
    events: Sequence[Event],
    heard: int,
    proof: Proof | None,
    *,
    dials: bool,
    when: Callable[[int], str],
) -> list[Reached]:
    """events  of the link, in their order
    heard   bytes in all
    dials   whether the device of its sheet makes calls
    when    microseconds UTC in words

    The times are those of the first time that a layer was reached; that it still was at the end is what the rung tells.
    """
    end = endpoint_or_none(link.endpoint)
    kind = end.kind if end is not None else ""
    opened = next((e for e in events if e.kind == "opened"), None)
    refused = next((e for e in reversed(events) if e.kind == "refused"), None)
    if opened is not None:
        first = f"opened, first at {when(opened.utc_us)}"
    else:
        first = f"never opened{f': {refused.text}' if refused is not None else ''}"
    tried = opened is not None or refused is not None
    out = [Reached(_FIRST.get(kind, kind or "port"), opened is not None if tried else None, first)]
    if kind == "rfc2217":
        line = str(opened.detail.get("line") or "") if opened is not None else ""
        words = f"the server agreed to {line} (RFC 2217)" if line else "not asked"
        out.append(Reached("line settings", True if line else None, words))
    out.append(_line(events, heard, when))
    if dials:
        words = "whether a call was up, and who answered then, stands in the exchanges; this chain does not tell"
        out.append(Reached("modem and call", None, words))
    return [*out, _device(events, proof)]


def _line(events: Sequence[Event], heard: int, when: Callable[[int], str]) -> Reached:
    if not heard:
        return Reached("line", None, "nothing heard: that tells neither of the wire nor of the settings")
    count = f"{counted(heard, 'byte')} heard"
    clear = next((e for e in events if e.kind == "rung" and e.detail.get("to") in _CLEAR), None)
    if clear is None:
        return Reached("line", False, f"{count}, never clear")
    return Reached("line", True, f"{count}, clear first at {when(clear.utc_us)}")


def _device(events: Sequence[Event], proof: Proof | None) -> Reached:
    if proof is not None:
        return Reached("device", True, f"{proof.asked} → {proof.answered}, {proof.when}")
    worth = [event.detail.get("verdict") for event in events if event.kind == "answer"]
    if not worth:
        return Reached("device", None, "nothing was asked")
    times = f"asked {counted(len(worth), 'time')}"
    if not _IN_VAIN.intersection(worth):
        return Reached("device", None, f"{times}, but no question of which a right answer is known")
    return Reached("device", False, f"{times}, never answered rightly")
