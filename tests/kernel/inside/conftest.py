"""What tests in the guest share: the far end of a UART as a plain file, and what only the outside can do."""

from __future__ import annotations

import asyncio
import contextlib
import itertools
import json
import os
import termios
import tty
from collections.abc import Awaitable, Callable, Iterator
from pathlib import Path
from typing import Any

import pytest

NEAR, FAR = "/dev/ttyS0", "/dev/ttyS1"
_WIRE = "ordolex.outside"
_count = itertools.count()


class Outside:
    """QEMU's monitor, asked over the guest's wire."""

    def __init__(self) -> None:
        names = Path("/sys/class/virtio-ports").glob("*/name")
        port = next(name.parent.name for name in names if name.read_text().strip() == _WIRE)
        self._file = open(f"/dev/{port}", "r+b", buffering=0)  # noqa: PTH123, SIM115
        self._plugged: list[str] = []

    def tell(self, execute: str, **arguments: Any) -> Any:
        self._file.write(json.dumps({"execute": execute, "arguments": arguments}).encode() + b"\n")
        said = b""
        while not said.endswith(b"\n"):
            said += self._file.read(1)
        answer = json.loads(said)
        assert "error" not in answer, answer
        return answer["return"]

    def send_break(self, chardev: str) -> None:
        self.tell("chardev-send-break", id=chardev)

    def plug(self, serial: str) -> str:
        """Plugs a serial adapter with this serial number, that nothing hangs on. Gives its name out there."""
        name = f"usb{next(_count)}"
        self.tell("chardev-add", id=name, backend={"type": "null", "data": {}})
        self.tell("device_add", driver="usb-serial", id=name, chardev=name, serial=serial, **{"always-plugged": True})
        self._plugged.append(name)
        return name

    def pull(self, name: str) -> None:
        self.tell("device_del", id=name)
        self._plugged.remove(name)

    def close(self) -> None:
        for name in list(self._plugged):
            self.pull(name)
        self._file.close()


@pytest.fixture
def outside() -> Iterator[Outside]:
    made = Outside()
    yield made
    made.close()


class FarEnd:
    """The device's side of the line, at 9600 8N1 raw, by the system's own means."""

    def __init__(self) -> None:
        self.fd = os.open(FAR, os.O_RDWR | os.O_NOCTTY | os.O_NONBLOCK)
        tty.setraw(self.fd)
        self.rate(termios.B9600)

    def rate(self, code: int) -> None:
        attributes = termios.tcgetattr(self.fd)
        attributes[4] = attributes[5] = code
        attributes[2] |= termios.CLOCAL | termios.CREAD
        termios.tcsetattr(self.fd, termios.TCSANOW, attributes)

    def say(self, data: bytes) -> None:
        os.write(self.fd, data)

    def heard(self) -> bytes:
        with contextlib.suppress(BlockingIOError):
            return os.read(self.fd, 65536)
        return b""


@pytest.fixture
def far() -> Iterator[FarEnd]:
    end = FarEnd()
    yield end
    termios.tcflush(end.fd, termios.TCIOFLUSH)
    os.close(end.fd)


async def until(told: Callable[[], Any] | Callable[[], Awaitable[Any]], patience_s: float = 30.0) -> None:
    """Waits for what must become true."""
    async with asyncio.timeout(patience_s):
        while not told():
            await asyncio.sleep(0.02)
