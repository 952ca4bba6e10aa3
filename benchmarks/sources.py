"""Eight senders in a process of their own, for the benchmarks. Each listens on a TCP port and sends a known stream.

The stream of link n is reproducible: lines with the link's number and a running count. `stream` gives any part of it,
so that what was recorded can be compared byte for byte with what was sent.
"""

from __future__ import annotations

import multiprocessing
import selectors
import socket
import time
from multiprocessing.connection import Connection

LINE = 64
_BLOCK_LINES = 1024
BLOCK = LINE * _BLOCK_LINES


def block(link: int, number: int) -> bytes:
    """The `number`-th 64 KiB of a link's stream: text lines, as from a device that talks without end."""
    head = b"link %02d block %08d " % (link, number)
    body = b"".join(b"%s%05d %s\r\n" % (head, i, b"." * (LINE - len(head) - 8)) for i in range(_BLOCK_LINES))
    assert len(body) == BLOCK
    return body


def expected(link: int, size: int) -> bytes:
    blocks = b"".join(block(link, n) for n in range(size // BLOCK + 1))
    return blocks[:size]


class Sources:
    """`rate` is bytes a second for each link, None for flat out; each link ends after `size` bytes, if given."""

    def __init__(self, links: int, rate: float | None, size: int | None) -> None:
        ours, theirs = multiprocessing.Pipe()
        self._pipe = ours
        self._process = multiprocessing.Process(target=_serve, args=(theirs, links, rate, size), daemon=True)
        self._process.start()
        self.ports: list[int] = ours.recv()

    def heard(self) -> list[tuple[float, bytes]]:
        """What clients sent to the sources, with the time (CLOCK_MONOTONIC) at which it came."""
        found = []
        while self._pipe.poll(0):
            found.append(self._pipe.recv())
        return found

    def stop(self) -> None:
        self._process.kill()
        self._process.join()


def _serve(pipe: Connection, links: int, rate: float | None, size: int | None) -> None:
    servers = [socket.create_server(("127.0.0.1", 0)) for _ in range(links)]
    pipe.send([server.getsockname()[1] for server in servers])
    chooser = selectors.DefaultSelector()
    for number, server in enumerate(servers):
        server.setblocking(False)
        chooser.register(server, selectors.EVENT_READ, ("come", number))
    clients: dict[int, _Client] = {}
    while True:
        for key, _ in chooser.select(timeout=0.001 if rate or not clients else 0):
            what, number = key.data
            if what == "come":
                sock, _ = servers[number].accept()
                sock.setblocking(False)
                clients[number] = _Client(sock, number, rate, size)
                chooser.register(sock, selectors.EVENT_READ, ("heard", number))
            else:
                data = _read(clients[number].sock)
                if data:
                    pipe.send((time.monotonic(), data))
                else:
                    chooser.unregister(clients[number].sock)
                    clients.pop(number).sock.close()
        for client in list(clients.values()):
            client.push()


def _read(sock: socket.socket) -> bytes:
    try:
        return sock.recv(65_536)
    except OSError:
        return b""


class _Client:
    def __init__(self, sock: socket.socket, link: int, rate: float | None, size: int | None) -> None:
        self.sock = sock
        self._link, self._rate, self._size = link, rate, size
        self._began = time.monotonic()
        self._sent = 0
        self._number, self._offset, self._block = 0, 0, block(link, 0)

    def push(self) -> None:
        due = BLOCK if self._rate is None else int((time.monotonic() - self._began) * self._rate) - self._sent
        if self._size is not None:
            due = min(due, self._size - self._sent)
            if self._sent == self._size:
                self.sock.shutdown(socket.SHUT_WR)
                self._size = -1  # said once
        while due > 0:
            piece = self._block[self._offset : self._offset + due]
            try:
                count = self.sock.send(piece)
            except OSError:
                return
            self._sent += count
            due -= count
            self._offset += count
            if self._offset == BLOCK:
                self._number += 1
                self._offset, self._block = 0, block(self._link, self._number)
            if count < len(piece):
                return
