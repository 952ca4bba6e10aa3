"""A framed request and answer that a sheet describes without code: start, address, length, payload, check, end."""

from __future__ import annotations

from dataclasses import dataclass

from ordolex.core.protocols.checks import CHECKS, written


@dataclass(frozen=True, slots=True)
class FramePlan:
    """start, end      bytes around the frame
    address         whether an address byte follows the start
    length          what a length byte counts: none, `payload`, or `rest` (all that follows it up to the end)
    check           a name of CHECKS, or empty
    how             how the check is written (checks.WRITTEN)
    check_from      the first byte that the check covers, from 0
    """

    start: bytes = b""
    end: bytes = b""
    address: bool = True
    length: str = "payload"
    check: str = ""
    how: str = "high first"
    check_from: int = 0

    @property
    def check_size(self) -> int:
        if not self.check:
            return 0
        return CHECKS[self.check].size * (2 if self.how == "hex digits" else 1)


@dataclass(frozen=True, slots=True)
class Frame:
    address: int
    payload: bytes


def wrap(plan: FramePlan, frame: Frame) -> bytes:
    body = plan.start + (bytes([frame.address]) if plan.address else b"")
    if plan.length:
        size = len(frame.payload) + (plan.check_size + len(plan.end) if plan.length == "rest" else 0)
        body += bytes([size])
    body += frame.payload
    if plan.check:
        check = CHECKS[plan.check]
        body += written(check.compute(body[plan.check_from :]), check.size, plan.how)
    return body + plan.end


def find(plan: FramePlan, sent: bytes, data: bytes) -> tuple[Frame | None, str]:
    """The first whole frame in what came, our own bytes before it taken off; and where there is none, why."""
    frame, why, _ = find_of(plan, sent, data, None)
    return frame, why


def find_of(plan: FramePlan, sent: bytes, data: bytes, unit: int | None) -> tuple[Frame | None, str, int]:
    """The first whole frame of `unit`, or of anybody; where there is none, why; and where it ends."""
    own = len(sent) if data.startswith(sent) and len(data) > len(sent) else 0
    trouble = ""
    at = own
    while at < len(data):
        if plan.start:
            at = data.find(plan.start, at)
            if at < 0:
                return None, trouble or f"{len(data) - own} bytes without the start of a frame", 0
        frame, why, size = _frame_at(plan, data[at:])
        if frame is not None and (not plan.address or unit is None or frame.address == unit):
            return frame, "", at + size
        if frame is not None:
            why = f"unit {frame.address} answered for unit {unit}"
        trouble = trouble or why
        at += max(1, size)
    return None, trouble, 0


def _frame_at(plan: FramePlan, data: bytes) -> tuple[Frame | None, str, int]:
    """The frame at the beginning of the bytes, or why there is none, and how many bytes it has."""
    head = len(plan.start) + plan.address + bool(plan.length)
    if len(data) < head:
        return None, "the answer breaks off", 0
    tail = plan.check_size + len(plan.end)
    if plan.length:
        size = data[head - 1] - (tail if plan.length == "rest" else 0)
        whole = head + size + tail
        if size < 0:
            return None, "its length is wrong", 0
        if len(data) < whole:
            return None, f"the answer breaks off: {len(data)} of {whole} bytes", 0
    else:
        end = data.find(plan.end, head + plan.check_size) if plan.end else len(data)
        if end < 0:
            return None, "the answer breaks off before its end", 0
        whole = end + len(plan.end)
    body, behind = data[: whole - tail], data[whole - tail : whole]
    if plan.end and not behind.endswith(plan.end):
        return None, "its end is not where its length says", 0
    if plan.check:
        check = CHECKS[plan.check]
        right = written(check.compute(body[plan.check_from :]), check.size, plan.how)
        if (
            behind[: plan.check_size].upper() != right.upper()
            if plan.how == "hex digits"
            else behind[: plan.check_size] != right
        ):
            return None, f"its check ({plan.check}) is wrong", 0
    address = data[len(plan.start)] if plan.address else 0
    return Frame(address, body[head:]), "", whole
