"""A hang-up or a termination ends the program, whatever its main thread hangs in."""

from __future__ import annotations

import asyncio
import contextlib
import os
import signal
import socket
import threading
import time
from collections.abc import Callable
from typing import TYPE_CHECKING

if TYPE_CHECKING:
    from ordolex.tui.app import OrdolexApp

_RESCUE_S = 2.0
_ENDING = {number for name in ("SIGTERM", "SIGHUP", "SIGINT") if (number := getattr(signal, name, None)) is not None}
_tell: socket.socket | None = None


def stop_on_signals(app: OrdolexApp, close_book: Callable[[], None]) -> None:
    """A hang-up or a termination leaves as F10 does: the terminal is restored and the book closed. A terminal that is
    gone, or takes nothing any more, holds up the screen's loop for ever; the ports and the book do not wait for it.

    Nothing is done in the main thread, where Python would call a handler: the kernel may give the signal to another
    thread while the main one hangs in a lock, which wakes nobody there. What Python does at once, in whichever thread,
    is to write the signal's number where a thread of our own reads it. A window that is closed sends more than one; the
    first is what counts. The latest application that asks is the one that is ended."""
    global _tell
    if threading.current_thread() is not threading.main_thread():
        return
    before, (told, _tell) = _tell, socket.socketpair()
    _tell.setblocking(False)
    signal.set_wakeup_fd(_tell.fileno(), warn_on_full_buffer=False)
    if before is not None:
        before.close()  # which ends the thread of the application before
    for number in _ENDING:
        signal.signal(number, lambda number, frame: None)
    loop = asyncio.get_running_loop()
    threading.Thread(target=_end, args=(told, app, loop, close_book), name="signals", daemon=True).start()


def _end(told: socket.socket, app: OrdolexApp, loop: asyncio.AbstractEventLoop, close_book: Callable[[], None]) -> None:
    with told:
        while number := told.recv(1):
            if number[0] in _ENDING:
                with contextlib.suppress(RuntimeError):  # the loop has ended: the program is being left
                    loop.call_soon_threadsafe(app.exit)
                time.sleep(_RESCUE_S)
                close_book()
                os._exit(0)
