"""Asks a device what it is."""

from __future__ import annotations

import contextlib

from ordolex.core.link.question import Verdict
from ordolex.core.protocols.modbus import pdu
from ordolex.core.sheet import Sheet
from ordolex.core.text.charsets import text_of
from ordolex.io.device.base import Trouble
from ordolex.io.device.modbus import ModbusUnit
from ordolex.io.link.runner import LinkRunner


async def identify(runner: LinkRunner, sheet: Sheet, unit: int) -> str:
    """Its own words; empty where it says nothing of itself. Modbus: function 43/14, then 17. Else the sheet's question
    named identity."""
    if sheet.family.framing:
        return await identity_of(ModbusUnit(runner, sheet.family.framing, unit, sheet.bus))
    question = next((q.question() for q in sheet.question if q.name == "identity"), None)
    if question is None:
        return ""
    answer = await runner.ask(question)
    return text_of(answer.data, runner.charset).strip() if answer.verdict is Verdict.RIGHT else ""


async def identity_of(device: ModbusUnit) -> str:
    """A Modbus unit in its own words: function 43/14, then 17; empty where it knows neither."""
    for request in (pdu.device_id(), pdu.report_id()):
        with contextlib.suppress(Trouble):
            reply, _, _ = await device.exchange(request, "identity", 1)
            if reply.objects:
                return ", ".join(text_of(text) for _, text in sorted(reply.objects.items()))
            if reply.data and not reply.exception:
                return "".join(chr(b) for b in reply.data if 32 <= b < 127).strip()
    return ""
