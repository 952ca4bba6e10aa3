"""Procedures on consoles: where the device stands decides what is typed, and values may come in pieces."""

from __future__ import annotations

import asyncio
from collections.abc import Awaitable, Callable

import pytest

from ordolex.core.line.settings import LineSettings
from ordolex.core.sheet.procedures import Procedure
from ordolex.io.device.procedure import Outcome, Typist
from ordolex.io.link.runner import LinkRunner
from ordolex.io.transport.twins import MemoryTransport
from tests.conftest import Notes
from tests.strangers.made_up_clock import run


class Console:
    """`login: `, then `csr> `; `show` says its address, `set A` changes it. Its lines come in pieces with pauses."""

    def __init__(self, *, inside: bool, pause_s: float = 0.0) -> None:
        self.inside, self.pause_s = inside, pause_s
        self.address = "192.0.2.17"
        self.typed: list[str] = []
        self._line = b""
        self._at = 0.0

    def hear(self, transport: MemoryTransport, data: bytes) -> None:
        self._line += data
        while b"\r" in self._line:
            line, self._line = self._line.split(b"\r", 1)
            self.typed.append(line.decode())
            self.say(transport, "\r\n" + self._answer(line.decode()))

    def _answer(self, line: str) -> str:
        if not self.inside:
            self.inside = line == "admin"
            return "csr> " if self.inside else "login: "
        if line == "show":
            return f"address {self.address}\r\ncsr> "
        if line.startswith("set "):
            self.address = line[4:]
            return "done\r\ncsr> "
        return "csr> " if not line else f"what is {line}?\r\ncsr> "

    def say(self, transport: MemoryTransport, text: str) -> None:
        loop = asyncio.get_running_loop()
        self._at = max(self._at, loop.time() + 0.02)
        size = 3 if self.pause_s else len(text)
        for at in range(0, len(text), size):
            loop.call_at(self._at, transport.say, text[at : at + size].encode())
            self._at += self.pause_s


STEPS = [
    {"send": r"\r", "expect": "login: $", "unless": "csr> $"},
    {"send": r"admin\r", "expect": "csr> $", "unless": "csr> $"},
]
PLAN = Procedure.model_validate({
    "name": "network", "field": [{"name": "ip", "label": "address", "kind": "ipv4"}], "before": STEPS,
    "check": [{"send": r"show\r", "expect": r"address (?P<ip>[\d.]+)"}],
    "step": [{"send": r"set {ip}\r", "expect": "done"}],
})  # fmt: skip


def on(console: Console, heard: str, work: Callable[[LinkRunner], Awaitable[Outcome]]) -> Outcome:
    async def go() -> Outcome:
        transport = MemoryTransport(console.hear)
        runner = LinkRunner(1, "rfc2217://127.0.0.1:1", LineSettings(9600), Notes(), lambda endpoint: transport)
        await runner.open()
        if heard:
            transport.say(heard.encode())
        await asyncio.sleep(1)
        try:
            return await work(runner)
        finally:
            await runner.release()

    outcome: Outcome = run(go())
    return outcome


async def no_secret(what: str) -> str | None:
    return None


@pytest.mark.parametrize("pause_s", [0.0, 0.06, 0.4])
@pytest.mark.parametrize(("inside", "heard"), [(True, "\r\ncsr> "), (True, ""), (False, "login: "), (False, "")])
def test_it_is_led_from_wherever_it_stands_and_its_values_are_read_whole(
    pause_s: float, inside: bool, heard: str
) -> None:
    console = Console(inside=inside, pause_s=pause_s)

    async def work(runner: LinkRunner) -> Outcome:
        values = {"ip": "192.0.2.200"}
        looked = await Typist(runner, values, no_secret).look(PLAN)
        assert looked.found == {"ip": "192.0.2.17"}, looked
        return await Typist(runner, values, no_secret).run(PLAN, looked.found)

    outcome = on(console, heard, work)
    assert not outcome.trouble and not outcome.differs and outcome.kept == {"ip": "192.0.2.200"}
    assert console.typed.count("admin") == (not inside), "it was in already"
    assert sum(line == "" for line in console.typed) <= 1, "what leads there is typed once, not for each pass anew"
    assert console.typed[-3:] == ["show", "set 192.0.2.200", "show"]
    if heard and inside:
        assert "" not in console.typed, "where it stands was heard: nothing is typed to find out"
