"""A virtual port: a pseudo-terminal with a name that stays. What a program writes there arrives here; what it sets is
told.

The kernel shows the program's rate, stop bits and flow control from the other side, and of the rest only odd parity;
data bits and parity of a pseudo-terminal are always eight and none. It has no control lines and no break. So those
that it does not show come from the settings with which the port was made. Whether a program has it open tells inotify
at once, and who it is tells a look into the processes.

No event tells of new settings unless the program's own modes are changed for it (EXTPROC), and it would see that; so
they are looked at before every piece of data, and in between as long as somebody has the port open. docs/relay.md has
the delays measured.
"""

from __future__ import annotations

import asyncio
import contextlib
import os
from collections.abc import Coroutine
from pathlib import Path

from ordolex.core.line.settings import Flow, LineSettings, Parity
from ordolex.core.port.endpoint import Endpoint
from ordolex.io.ports.holders import openers, sees_all
from ordolex.io.system.clock import mono_s
from ordolex.io.system.faults import Fault, PortLost, SettingsRefused
from ordolex.io.transport.base import READ_SIZE, Listener, Pacer
from ordolex.io.transport.front import Front, NoFront, User
from ordolex.io.transport.linux_line import set_rate_of_terminal, settings_of_terminal
from ordolex.io.transport.packets import Packets
from ordolex.io.transport.virtual_name import VirtualName
from ordolex.io.transport.watch_opens import OpensWatch

_LOOK_S, _LOOK_BUSY_S, _BUSY_S = 0.004, 0.05, 0.05
_FULL, _PIECES = 2048, 16  # a terminal gives 4,095 bytes at a time; so many are taken at one wake-up
_WHO_S = 0.25
_WHO_AGAIN_S = 2.0
WAITS_S = 10.0
"""What a program left unread in the port is kept for so long for the next one, as what nobody is there to hear is."""
_CMSPAR = 0o10000000000


class VirtualTransport:
    """`folder` is where names without a path are made; the program's own by default."""

    def __init__(self, endpoint: Endpoint, folder: Path | None = None) -> None:
        self.endpoint = endpoint
        self.opens_low = self.prompt = False
        self.places_errors = False
        self.front: Front = NoFront()
        self.path = ""
        self.user: User | None = None
        self._folder = folder
        self._master = self._slave = -1
        self._terminal = ""
        self._name: VirtualName | None = None
        self._opens: OpensWatch | None = None
        self._listener: Listener | None = None
        self._pacer = Pacer()
        self._line = LineSettings(9600)
        self._seen: tuple[int, int, int, int] = (0, 0, 0, 0)
        self._hung_up = False
        self._read_s = self._wrote_s = 0.0
        self._packets = Packets(self._thrown_away)
        self._paused = self._pushing = False
        self._tasks: set[asyncio.Task[None]] = set()
        self._writable: asyncio.Future[None] | None = None

    @property
    def users(self) -> list[User]:
        return [self.user] if self.user is not None else []

    @property
    def present(self) -> bool:
        return self.user is not None

    async def open(self, line: LineSettings, listener: Listener) -> None:
        if os.name != "posix":
            raise SettingsRefused(
                "this system has no virtual ports that need no driver",
                "use tcp:// or rfc2217:// from the program itself",
            )
        import pty
        import tty

        self._master, self._slave = pty.openpty()
        try:
            self._packets.begin(self._master)
            tty.setraw(self._slave)
            self._terminal = os.ttyname(self._slave)
            self._line = line
            self._show(line, first=True)
            self._name = await asyncio.to_thread(VirtualName, self.endpoint.host, self._terminal, self._folder)
            self.path = str(self._name.path)
            os.set_blocking(self._master, False)
            with contextlib.suppress(OSError, AttributeError):
                self._opens = OpensWatch(self._terminal, self._opened_or_closed)
        except BaseException:
            self._drop()
            raise
        self._listener, self._pacer = listener, Pacer(prompt=self.prompt)
        self._reading(True)
        self._go(self._look_on())
        self._go(self._who_on())

    def _go(self, work: Coroutine[None, None, None]) -> None:
        task = asyncio.get_running_loop().create_task(work)
        self._tasks.add(task)
        task.add_done_callback(self._tasks.discard)

    # ---- who has it open

    def _opened_or_closed(self) -> None:
        """The count is of openings told; neighbouring ones may be told as one, so a look into the processes follows."""
        assert self._opens is not None
        if self._opens.count > 0:
            self._came("a program")
        elif self._opens.count <= 0:
            self._opens.count = 0
            self._left()

    def _came(self, name: str) -> None:
        if self.user is None:
            self.user = User(name, mono_s())
            if self._wrote_s and mono_s() - self._wrote_s > WAITS_S:
                self._readable()  # what the program threw away itself is told apart from what is cleared here
                self._clear()
                self._readable()
            self._outputs(on=True)
            self.front.users_changed()
        elif self.user.name != name and name != "a program":
            self.user.name = name
            self.front.users_changed()

    def _left(self) -> None:
        if self.user is not None:
            self.user = None
            import termios

            if self._seen[1] & termios.HUPCL:
                self._outputs(on=False)
            self.front.users_changed()

    def _outputs(self, *, on: bool) -> None:
        self._go(self._tell_outputs(on))

    async def _tell_outputs(self, on: bool) -> None:
        with contextlib.suppress(Fault):  # an end without control lines is no fault of the program's
            await self.front.set_outputs(dtr=on, rts=on)

    async def _who_on(self) -> None:
        told, looked_s = -1, 0.0
        while True:
            count = self._opens.count if self._opens is not None else 0
            if count != told or self._opens is None or (self.present and mono_s() - looked_s > _WHO_AGAIN_S):
                told, looked_s = count, mono_s()
                there, all_seen = await asyncio.to_thread(self._openers)
                if there:
                    self._came(", ".join(there))
                elif all_seen and (self._opens is None or self._opens.count == told):
                    if self._opens is not None:
                        self._opens.count = told = 0
                    self._left()
            await asyncio.sleep(_WHO_S)

    def _openers(self) -> tuple[list[str], bool]:
        return [one.text for one in openers(self._terminal, self._slave)], sees_all()

    # ---- what the program sets

    async def _look_on(self) -> None:
        while True:
            busy = mono_s() - self._read_s < _BUSY_S  # then it is looked at before each read anyway
            await asyncio.sleep(_WHO_S if not self.present else _LOOK_BUSY_S if busy else _LOOK_S)
            if not (self._pushing or self._paused):
                self._look()

    def _look(self) -> bool:
        """Whether the program set something that has to be told before its next bytes are."""
        try:
            seen = settings_of_terminal(self._master)
        except OSError:
            return False
        if seen == self._seen:
            return False
        self._seen = seen
        rate = seen[3]
        if rate == 0:
            if not self._hung_up:
                self._hung_up = True
                self._outputs(on=False)
            return False
        if self._hung_up:
            self._hung_up = False
            self._outputs(on=True)
        line = self._read(seen)
        if line == self._line:
            return False
        self._pushing = True
        self._reading(False)
        self._go(self._push(line))
        return True

    def _read(self, seen: tuple[int, int, int, int]) -> LineSettings:
        import termios

        input_modes, control, _, rate = seen
        flow = Flow.NONE
        if control & termios.CRTSCTS:
            flow = Flow.RTS_CTS
        elif input_modes & (termios.IXON | termios.IXOFF) and not self._seen[2] & termios.ICANON:
            flow = Flow.XON_XOFF  # a terminal that people type at has it on for their Ctrl+S
        stop = 2.0 if control & termios.CSTOPB else min(self._line.stop_bits, 1.5) if self._line.data_bits == 5 else 1.0
        parity = self._line.parity
        if control & _CMSPAR:
            parity = Parity.MARK if control & termios.PARODD else Parity.SPACE
        elif control & termios.PARODD:
            parity = Parity.ODD
        return self._line.changed(baud=rate, stop_bits=stop, parity=parity, flow=flow)

    async def _push(self, line: LineSettings) -> None:
        try:
            self._line = line
            try:
                in_force = await self.front.set_line(line)
            except Fault as fault:
                self.front.said(f"the program's {line.text} was refused: {fault}")
            else:
                if in_force.baud != line.baud:
                    self._show(in_force)
                self._line = in_force
        finally:
            self._pushing = False
            if not self._paused:
                self._reading(True)

    def _show(self, line: LineSettings, *, first: bool = False) -> None:
        """Sets the pseudo-terminal, so that a program that reads its settings back finds those in force."""
        import termios

        with contextlib.suppress(OSError, termios.error):
            set_rate_of_terminal(self._slave, line.baud)
            if first:
                modes = termios.tcgetattr(self._slave)
                modes[2] |= termios.HUPCL | (termios.CSTOPB if line.stop_bits == 2 else 0)
                modes[2] |= termios.CRTSCTS if line.flow is Flow.RTS_CTS else 0
                modes[0] |= termios.IXON | termios.IXOFF if line.flow is Flow.XON_XOFF else 0
                termios.tcsetattr(self._slave, termios.TCSANOW, modes)
            self._seen = settings_of_terminal(self._master)

    # ---- bytes

    def _reading(self, on: bool) -> None:
        if self._master >= 0:
            loop = asyncio.get_running_loop()
            if on and not (self._paused or self._pushing):
                loop.add_reader(self._master, self._readable)
            else:
                loop.remove_reader(self._master)

    def _readable(self) -> None:
        pieces: list[bytes] = []
        while len(pieces) < _PIECES and not self._look():
            try:
                piece = self._packets.taken(os.read(self._master, READ_SIZE + 1))
            except BlockingIOError:
                break
            except OSError as error:
                self._lost(error)
                return
            pieces.append(piece)
            if len(piece) < _FULL:
                break
        if not pieces:
            return
        data, now = b"".join(pieces), mono_s()
        if not data:
            return
        self._read_s = now
        pause = self._pacer.pause_s(len(data), now)
        if pause:
            self._reading(False)
            asyncio.get_running_loop().call_later(pause, self._reading, True)
        if self.user is not None:
            self.user.sent += len(data)
        if self._listener is not None:
            self._listener.arrived(data, None, now)

    def _thrown_away(self) -> None:
        """By the program: the relay does not hold it for it either."""
        if self._writable is not None:
            self._now_writable()
        self.front.discard(to_user=True, from_user=False)

    def _lost(self, error: OSError) -> None:
        listener = self._listener
        self._drop()
        if listener is not None:
            listener.lost(PortLost(f"{self.endpoint.text} went away: {error.strerror}", "it is made again by itself"))

    def _clear(self) -> None:
        """What nobody read for so long is no news for the program that comes now."""
        import termios

        with contextlib.suppress(OSError, termios.error):
            termios.tcflush(self._slave, termios.TCIFLUSH)
            self._packets.cleared()

    async def write(self, data: bytes) -> None:
        """The rest of what the program throws away meanwhile is not written any more."""
        view, thrown = memoryview(data), self._packets.thrown
        self._pacer.wrote(len(data))
        self._wrote_s = mono_s()
        while view:
            if self._master < 0:
                raise PortLost(f"{self.endpoint.text} is not open", "open it first")
            try:
                count = os.write(self._master, view)
            except BlockingIOError:
                await self._until_writable()
                if self._packets.thrown != thrown:
                    return
                continue
            except OSError as error:
                raise PortLost(f"{self.endpoint.text} takes no bytes: {error.strerror}", "open it again") from error
            view = view[count:]
            if self.user is not None:
                self.user.heard += count

    def take_now(self, data: bytes) -> int:
        if self._master < 0 or self._writable is not None:
            return 0
        self._pacer.wrote(len(data))
        self._wrote_s = mono_s()
        try:
            count = os.write(self._master, data)
        except OSError:  # it blocks, or is gone: who waits for it is told
            return 0
        if self.user is not None:
            self.user.heard += count
        return count

    async def _until_writable(self) -> None:
        loop = asyncio.get_running_loop()
        self._writable = loop.create_future()
        loop.add_writer(self._master, self._now_writable)
        try:
            await self._writable
        finally:
            self._writable = None
            if self._master >= 0:
                loop.remove_writer(self._master)

    def _now_writable(self) -> None:
        if self._writable is not None and not self._writable.done():
            self._writable.set_result(None)

    # ---- the rest of a transport

    async def configure(self, line: LineSettings) -> None:
        """What the far end has in force, for the program to read back."""
        if line != self._line:
            self._line = line
            self._show(line)

    async def send_break(self, seconds: float) -> None:
        raise SettingsRefused("a virtual port carries no break to its program", "")

    async def set_outputs(self, *, dtr: bool | None = None, rts: bool | None = None) -> None:
        raise SettingsRefused("a virtual port has no control lines", "")

    def pause(self, stop: bool) -> None:
        self._paused = stop
        self._reading(not stop)

    def waiting_out(self) -> int:
        return 0

    async def close(self, *, keep_dtr: bool = False) -> None:
        self._drop()

    def _drop(self) -> None:
        for task in list(self._tasks):
            task.cancel()
        self._now_writable()
        self._listener = self.user = None
        if self._opens is not None:
            self._opens.close()
            self._opens = None
        master, self._master = self._master, -1
        if master >= 0:
            loop = asyncio.get_running_loop()
            loop.remove_reader(master)
            loop.remove_writer(master)
            os.close(master)
        slave, self._slave = self._slave, -1
        if slave >= 0:
            os.close(slave)
        if self._name is not None:
            self._name.release()
            self._name = None
