"""The units of a line: listened to first, then called one by one; what was found is kept for the next time."""

from __future__ import annotations

import asyncio
from collections.abc import Callable, Mapping, Sequence

from ordolex.core.bus.roll_call import Called, Row, remembered
from ordolex.core.link.judge import LineErrors
from ordolex.core.protocols.modbus.crc import frames_in
from ordolex.core.record.items import Event
from ordolex.core.text.counts import counted
from ordolex.io.device.roll_call import Caller, OthersSpeak, call_units
from ordolex.io.link.runner import LinkRunner
from ordolex.io.system.clock import mono_s

_LISTEN_S = 0.8
_LATELY_S = 20.0  # another master that asks for a value now and then was heard within
_MORE_S = 0.3  # behind the first bytes, so that the units can be named


async def listen_and_call(
    caller: Caller, units: Sequence[str], changed: Callable[[Called], None], *, beside_others: bool = False
) -> tuple[list[Called], str]:
    """Calls each unit, as long as nobody else speaks on the line; once somebody does, no more is sent, and what speaks
    there is given with those that were called. `beside_others` calls all the same. Raises a Fault of the port."""
    others = "" if beside_others else _heard_lately(caller.runner) or await _listen(caller.runner)
    if others:
        return [], others
    try:
        return await call_units(caller, units, changed, beside_others=beside_others), ""
    except OthersSpeak as spoke:
        return spoke.called, str(spoke)


def _heard_lately(runner: LinkRunner) -> str:
    """What spoke unasked a moment ago, before anybody listened for it."""
    evidence = runner.view().evidence
    last = evidence.last_heard_s
    if not evidence.by_itself or last is None or mono_s() - last > _LATELY_S:
        return ""
    return f"something speaks on this line by itself, {mono_s() - last:.0f} s ago last; nothing was sent into that"


def expected_of(events: Sequence[Event]) -> dict[str, str]:
    """Who should be there, by the last unit scan of the link."""
    found = next((event.detail.get("expected") for event in reversed(events)), None)
    return {str(unit): str(identity) for unit, identity in found.items()} if isinstance(found, dict) else {}


def keep_roll_call(runner: LinkRunner, rows: Sequence[Row], expected: Mapping[str, str], asked: str) -> None:
    """Into the record. Who should be there next time: who was expected, else who answered rightly."""
    known = {**expected, **{u: i for u, i in remembered(rows).items() if not expected or u in expected}}
    said = ", ".join(f"{row.called.unit} {row.standing.value}" for row in rows) or "nobody answered"
    found = [[row.called.unit, row.called.said] for row in rows]
    detail: dict[str, object] = {"asked": asked, "expected": known, "found": found}
    runner.note("scan", f"unit scan: {said}", detail)


async def _listen(runner: LinkRunner) -> str:
    """What speaks on the line unasked; empty for silence."""
    heard, begun = bytearray(), asyncio.Event()

    def hear(data: bytes, errors: LineErrors | None, at_s: float) -> None:
        heard.extend(data)
        begun.set()

    with runner.tap.heard_by(hear):
        try:
            async with asyncio.timeout(_LISTEN_S):
                await begun.wait()
        except TimeoutError:
            return ""
        await asyncio.sleep(_MORE_S)
    units = sorted({heard[begin] for begin, _ in frames_in(bytes(heard))})
    of = f", frames of units {', '.join(str(unit) for unit in units)}" if units else ""
    return f"another master speaks on this line: {counted(len(heard), 'byte')}{of}; nothing was sent into that"
