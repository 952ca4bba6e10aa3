"""An OS serial port: pyserial opens and sets it, the event loop or one thread reads it.

On POSIX the loop watches the file descriptor. Where that is not possible (Windows) one thread reads and hands over.
"""

from __future__ import annotations

import asyncio
import contextlib
import os
import threading
from pathlib import Path

import serial

from ordolex.core.line.settings import LineSettings, Parity
from ordolex.core.link.judge import LineErrors
from ordolex.core.link.marked import ErrorPlaces
from ordolex.io.ports.holders import holders
from ordolex.io.system.clock import mono_s
from ordolex.io.system.faults import Fault, PortHeld, PortLost, SettingsRefused
from ordolex.io.transport.base import READ_SIZE, Listener, ModemLines, Pacer
from ordolex.io.transport.driver_counters import DriverCounters
from ordolex.io.transport.linux_line import marks_errors, waiting_out
from ordolex.io.transport.os_port import (
    PORT_ERRORS,
    check_set,
    close_at_once,
    close_unwanted,
    hang_up_at_close,
    kept_by,
    mark,
    may_be_port,
    open_fault,
    refuse_what_does_nothing,
    restore,
    set_all,
    set_closed,
)

_WATCH_S = 0.1  # how often control lines are looked at


class SerialTransport:
    """`/dev/ttyUSB0`, `COM3` or a pseudo-terminal. `threaded` chooses the reading thread also where the loop could."""

    def __init__(self, path: str, *, threaded: bool = os.name != "posix") -> None:
        self.path = path
        self.opens_low = False
        self.prompt = False
        self.places_errors = False
        self._places = ErrorPlaces(parity=False)
        self._threaded = threaded
        self._port: serial.Serial | None = None
        self._listener: Listener | None = None
        self._loop: asyncio.AbstractEventLoop | None = None
        self._pacer = Pacer()
        self._counters: DriverCounters | None = None
        self._paused = False
        self._reading = threading.Event()
        self._watcher: asyncio.Task[None] | None = None

    async def open(self, line: LineSettings, listener: Listener) -> None:
        self._loop = asyncio.get_running_loop()
        opening = self._loop.run_in_executor(None, self._open_port, line)
        try:
            port = await asyncio.shield(opening)
        except asyncio.CancelledError:
            opening.add_done_callback(close_unwanted)  # it opens all the same, and must not stay held
            raise
        self._port, self._listener, self._pacer = port, listener, Pacer(prompt=self.prompt)
        self._counters = DriverCounters.of(port)
        self.places_errors = os.name == "posix" and marks_errors(port.fileno())
        self._places = ErrorPlaces(parity=line.parity is not Parity.NONE)
        self._reading.set()
        if self._threaded:
            threading.Thread(target=self._read_thread, args=(port,), name=f"read {self.path}", daemon=True).start()
        else:
            self._loop.add_reader(port.fileno(), self._readable)
        self._watcher = asyncio.create_task(self._watch_lines(port))

    def _open_port(self, line: LineSettings) -> serial.Serial:
        if os.name == "posix" and not may_be_port(self.path):
            raise SettingsRefused(f"{self.path} is no serial port", "choose one that Find lists")
        holder = None if os.name != "posix" else holders().get(os.path.realpath(self.path))
        if holder is not None:
            raise PortHeld(f"{self.path} is held by {holder.text}", "close it there, then try again")
        port = serial.Serial()
        port.port = self.path
        port.timeout = 0.1 if self._threaded else 0
        port.write_timeout = None
        if os.name == "posix":
            port.exclusive = True
        if self.opens_low:
            port.dtr = port.rts = False
        refuse_what_does_nothing(self.path, line)
        set_closed(port, kept_by(self.path, line))
        try:
            port.open()
            check_set(port, self.path, line)
        except BaseException as error:
            port.close()
            if isinstance(error, PORT_ERRORS):
                raise open_fault(self.path, error) from error
            raise
        mark(port, self.path)
        return port

    # ---- reading

    def _readable(self) -> None:
        if self._port is None or self._loop is None:
            return
        try:
            data = os.read(self._port.fileno(), READ_SIZE)
        except BlockingIOError:
            return
        except PORT_ERRORS as error:
            self._lost(error)
            return
        if not data:
            self._lost(None)
            return
        now = mono_s()
        pause = self._pacer.pause_s(len(data), now)
        if pause:
            self._loop.remove_reader(self._port.fileno())
            self._loop.call_later(pause, self._watch_again)
        self._deliver(data, now)

    def _watch_again(self) -> None:
        if self._port is not None and self._loop is not None and not self._paused:
            self._loop.add_reader(self._port.fileno(), self._readable)

    def _read_thread(self, port: serial.Serial) -> None:
        assert self._loop is not None
        while self._port is port:
            try:
                data = port.read(max(1, min(port.in_waiting, READ_SIZE)))
            except (*PORT_ERRORS, TypeError) as error:  # pyserial reads from None when another thread closes it
                if self._port is port:
                    self._loop.call_soon_threadsafe(self._lost, error)
                return
            if data:
                self._reading.wait()  # paused meanwhile: the bytes wait here, the rest in the driver
                self._loop.call_soon_threadsafe(self._deliver, data, mono_s())

    def _deliver(self, data: bytes, at_s: float) -> None:
        if self.places_errors:
            self._tell(self._places.receive(data, self._new_errors()), at_s)
        else:
            self._tell([(data, self._new_errors())], at_s)

    def _tell(self, pieces: list[tuple[bytes, LineErrors | None]], at_s: float) -> None:
        for data, errors in pieces:
            if self._listener is not None:
                self._listener.arrived(data, errors, at_s)

    def _new_errors(self) -> LineErrors | None:
        return None if self._counters is None else self._counters.since_last()

    async def _watch_lines(self, port: serial.Serial) -> None:
        """Control lines have no event of their own; errors without bytes show in the driver's counters only."""
        before: ModemLines | None = None
        while self._port is port:
            try:
                lines = ModemLines(cts=port.cts, dsr=port.dsr, ri=port.ri, dcd=port.cd)
            except PORT_ERRORS:
                return  # a pseudo-terminal has none
            if self._listener is not None:
                for seen in with_pulses(before, lines, self._counters.edges() if self._counters is not None else {}):
                    self._listener.modem_lines(seen)
            before = lines
            errors = self._new_errors()
            if self.places_errors and not self._paused:
                self._tell(self._places.looked(errors), mono_s())
            elif errors is not None:
                self._tell([(b"", errors)], mono_s())
            await asyncio.sleep(_WATCH_S)

    def _lost(self, error: BaseException | None) -> None:
        listener = self._listener
        self._release()
        if listener is not None:
            gone = "" if Path(self.path).exists() else ": it was unplugged"
            listener.lost(PortLost(f"{self.path} went away{gone}", "plug it in again; it is reopened by itself"))

    # ---- writing and settings

    async def write(self, data: bytes) -> None:
        view = memoryview(data)
        self._pacer.wrote(len(data))
        while view:
            port = self._need_port()
            try:
                view = view[os.write(port.fileno(), view) if os.name == "posix" else port.write(view) :]
            except BlockingIOError:
                await asyncio.sleep(0.005)
            except PORT_ERRORS as error:
                raise PortLost(f"{self.path} takes no bytes: {error}", "plug it in again") from error

    async def configure(self, line: LineSettings) -> None:
        port = self._need_port()
        refuse_what_does_nothing(self.path, line)
        before = port.get_settings()
        try:
            set_all(port, kept_by(self.path, line))
            mark(port, self.path)
            check_set(port, self.path, line)
        except (*PORT_ERRORS, SettingsRefused) as error:
            with contextlib.suppress(*PORT_ERRORS):  # what was refused must not stand in the way of what comes next
                restore(port, before)
                mark(port, self.path)
            if isinstance(error, Fault):
                raise
            raise SettingsRefused(
                f"{self.path} cannot be set to {line.text}: {error}", "choose another rate or format"
            ) from error
        rest = self._places.set_anew(parity=line.parity is not Parity.NONE)
        if rest:
            self._tell([(rest, None)], mono_s())

    async def send_break(self, seconds: float) -> None:
        port = self._need_port()
        try:
            port.break_condition = True
            try:
                await asyncio.sleep(seconds)
            finally:  # also when it is cancelled: a line that stays in break is dead
                port.break_condition = False
        except PORT_ERRORS as error:
            raise SettingsRefused(f"{self.path} cannot send a break: {error}", "") from error

    async def set_outputs(self, *, dtr: bool | None = None, rts: bool | None = None) -> None:
        port = self._need_port()
        try:
            if dtr is not None:
                port.dtr = dtr
            if rts is not None:
                port.rts = rts
        except PORT_ERRORS as error:
            raise SettingsRefused(f"{self.path} has no such control line: {error}", "") from error

    def pause(self, stop: bool) -> None:
        self._paused = stop
        (self._reading.clear if stop else self._reading.set)()
        if self._port is not None and self._loop is not None and not self._threaded:
            if stop:
                self._loop.remove_reader(self._port.fileno())
            else:
                self._watch_again()

    async def close(self, *, keep_dtr: bool = False) -> None:
        if self._port is not None:
            with contextlib.suppress(*PORT_ERRORS):
                hang_up_at_close(self._port, not keep_dtr)
        port = self._let_go()
        if port is not None:
            await asyncio.get_running_loop().run_in_executor(None, close_at_once, port)

    def waiting_out(self) -> int:
        try:
            return waiting_out(self._port.fileno()) if self._port is not None and os.name == "posix" else 0
        except PORT_ERRORS:
            return 0

    def _release(self) -> None:
        port = self._let_go()
        if port is not None:
            threading.Thread(target=close_at_once, args=(port,), name=f"close {self.path}", daemon=True).start()

    def _let_go(self) -> serial.Serial | None:
        port, self._port, self._listener = self._port, None, None
        if self._watcher is not None:
            self._watcher.cancel()
        if port is None:
            return None
        if self._loop is not None and not self._threaded:
            self._loop.remove_reader(port.fileno())
        self._reading.set()
        return port

    def _need_port(self) -> serial.Serial:
        if self._port is None:
            raise PortLost(f"{self.path} is not open", "open it first")
        return self._port


def with_pulses(before: ModemLines | None, now: ModemLines, edges: dict[str, int]) -> list[ModemLines]:
    """What to tell of the inputs: where one changed and changed back between two looks, also as it was in between. The
    driver counts edges; of RI it counts only the end of a ring (linux/serial.h)."""
    if before is None:
        return [now]
    pulsed = {
        name
        for name, count in edges.items()
        if getattr(before, name) == getattr(now, name) and (count > 1 or name == "ri")
    }
    told = []
    if pulsed:
        state = {name: getattr(now, name) != (name in pulsed) for name in ModemLines.__slots__}
        told.append(ModemLines(**state))
    return [*told, now] if pulsed or now != before else []
