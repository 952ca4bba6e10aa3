"""A modem's calls: a number becomes a TCP connection to the device that answers there, on loopback."""

from __future__ import annotations

import asyncio
from collections.abc import Callable

from ordolex.bench.devices.base import Say
from ordolex.bench.devices.modem import Modem


class Calls:
    """`woken` is called when something came from the network; `turn` then gives what the modem says of it."""

    def __init__(self, modem: Modem, numbers: dict[str, str], woken: Callable[[], None]) -> None:
        self._modem = modem
        self._numbers = numbers
        self._woken = woken
        self.find: Callable[[str], tuple[str, int] | None] = lambda name: None
        self._writer: asyncio.StreamWriter | None = None
        self._task: asyncio.Task[None] | None = None
        self._happened: list[tuple[str, bytes]] = []

    def turn(self, now_s: float) -> list[Say]:
        """Does what the modem wants, and tells it what happened."""
        wishes = self._modem.wishes
        if wishes.hang_up:
            wishes.hang_up = False
            self._end()
        if wishes.dial:
            number, wishes.dial = wishes.dial, ""
            self._task = asyncio.get_running_loop().create_task(self._call(number))
        if wishes.out:
            data = bytes(wishes.out)
            wishes.out.clear()
            if self._writer is not None:
                self._writer.write(data)
        says: list[Say] = []
        happened, self._happened = self._happened, []
        for what, data in happened:
            match what:
                case "connected":
                    says += self._modem.connected(now_s)
                case "data":
                    says += self._modem.from_far_end(data, now_s)
                case "closed":
                    says += self._modem.far_end_closed(now_s)
                case result:
                    says += self._modem.failed(now_s, result)
        return says

    def _tell(self, what: str, data: bytes = b"") -> None:
        self._happened.append((what, data))
        self._woken()

    async def _call(self, number: str) -> None:
        await asyncio.sleep(0.4)  # dialling takes a moment
        name = self._numbers.get(number)
        if name is None:
            return  # nobody answers there; the modem gives up by itself
        place = self.find(name)
        if place is None:
            self._tell("BUSY")
            return
        try:
            reader, self._writer = await asyncio.open_connection(*place)
        except OSError:
            self._tell("NO CARRIER")
            return
        self._tell("connected")
        try:
            while data := await reader.read(4096):
                self._tell("data", data)
        except OSError:
            pass
        self._writer = None
        self._tell("closed")

    def _end(self) -> None:
        if self._task is not None:
            self._task.cancel()
            self._task = None
        if self._writer is not None:
            self._writer.close()
            self._writer = None
