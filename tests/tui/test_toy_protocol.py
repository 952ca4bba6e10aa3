"""A toy protocol, from the list of ports to the proof: the desks know it from its record and its sheet."""

from __future__ import annotations

from pathlib import Path

import pytest

from ordolex.core.uart.receiver import Character
from ordolex.io.transport.twins import MemoryTransport
from tests.toy_protocol import TallyBox, add_toy
from tests.tui.test_desks import at_site


async def test_a_device_of_a_new_protocol_is_read_and_proven_by_hand(
    tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    box = TallyBox()

    def answers(port: MemoryTransport, data: bytes) -> None:
        for say in box.receive([Character(0.0, byte) for byte in data], 0.0):
            port.say(say.data)

    async with at_site(tmp_path, monkeypatch) as site:
        add_toy(monkeypatch)
        site.device = answers
        await site.pilot.press("f2")
        await site.open_port()
        await site.pilot.press("f6", "d")
        await site.pick("tally-box")
        await site.until(lambda: "r reads its settings" in site.said())
        await site.pilot.press("r")
        await site.until(lambda: "1 of 1 read, as found" in site.said())
        await site.until(lambda: "● Proven" in site.lifeline())
        assert "trays" in site.rows() and "412" in site.rows()
