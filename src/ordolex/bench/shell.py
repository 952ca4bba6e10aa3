"""A shell without login on a line, as a gateway's service port may have one: a real one, reached by a pseudo-terminal
that only its owner may open."""

from __future__ import annotations

import asyncio
import contextlib
import os
import shutil
import signal


class Shell:
    """`path` is what is opened. Raises OSError where the system has no pseudo-terminals or no shell."""

    def __init__(self) -> None:
        import pty
        import tty

        program = shutil.which("sh")
        if program is None:
            raise FileNotFoundError("there is no sh")
        self._loop = asyncio.get_running_loop()
        self._outer, self._slave = pty.openpty()
        tty.setraw(self._slave)
        os.set_blocking(self._outer, False)
        self.path = os.ttyname(self._slave)
        self._pid, self._inner = pty.fork()
        if self._pid == 0:  # pragma: no cover - the shell's process
            os.environ.update({"PS1": "keeper@weir-gateway:~$ ", "ENV": "", "TERM": "dumb"})
            os.execv(program, [program, "-i"])
        os.set_blocking(self._inner, False)
        self._loop.add_reader(self._inner, self._copy, self._inner, self._outer)
        self._loop.add_reader(self._outer, self._copy, self._outer, self._inner)

    def _copy(self, source: int, to: int) -> None:
        try:
            data = os.read(source, 4096)
        except BlockingIOError:
            return
        except OSError:
            self._loop.remove_reader(source)  # the shell ended
            return
        with contextlib.suppress(OSError):  # nobody reads there: a line loses what nobody takes
            os.write(to, data)

    def stop(self) -> None:
        for fd in (self._inner, self._outer):
            self._loop.remove_reader(fd)
        with contextlib.suppress(OSError):
            os.kill(self._pid, signal.SIGKILL)
            os.waitpid(self._pid, 0)
        for fd in (self._inner, self._outer, self._slave):
            with contextlib.suppress(OSError):
                os.close(fd)
