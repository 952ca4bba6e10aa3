"""The terminal that the interface runs in, where it does not send what it should, or is gone."""

from __future__ import annotations

import codecs
import importlib
import os
import signal
from functools import partial
from types import SimpleNamespace
from typing import Any


def forgiving_driver() -> Any:
    """The framework's driver, but bytes that are no UTF-8, as from a terminal with another character set, do not end
    the program: each is taken for an unknown key. A terminal that is gone is a hang-up, and is not asked on and on.
    None where the framework's own is right."""
    if os.name != "posix":
        return None
    driver: Any = importlib.import_module("textual.drivers.linux_driver")

    class ForgivingDriver(driver.LinuxDriver):  # type: ignore[misc]
        _keeps_keys = False
        """Whether what was pressed meanwhile is still read, where the terminal is let go only to be taken again."""

        def _sigtstp_application(self, *signal_and_frame: object) -> None:
            """Stops at the next turn of the loop: the signal may have come while something is being written, and who
            writes in it then waits for himself."""
            self._loop.call_soon_threadsafe(super()._sigtstp_application)

        def _sigcont_application(self, *signal_and_frame: object) -> None:
            self._loop.call_soon_threadsafe(self._goes_on)

        def _goes_on(self) -> None:
            """Goes on where it was stopped. Whoever stops it by SIGSTOP does not ask: the terminal is still ours then,
            and taken a second time it would have two readers, one of which keeps the program from ending."""
            if self._key_thread is None:
                return
            self._keeps_keys = self._key_thread.is_alive()
            if self._keeps_keys:
                self.suspend_application_mode()
            self._keeps_keys = False
            super()._sigcont_application()
            self._app.refresh(layout=True)

        def disable_input(self) -> None:
            if not self._keeps_keys:
                super().disable_input()
                return
            self.exit_event.set()
            self._key_thread.join()
            self.exit_event.clear()

        def run_input_thread(self) -> None:
            strict = driver.getincrementaldecoder
            driver.getincrementaldecoder = lambda name: partial(_decoder, name)
            try:
                super().run_input_thread()
            except OSError:  # nothing can be read from it any more
                os.kill(os.getpid(), signal.SIGHUP)
            finally:
                driver.getincrementaldecoder = strict

    return ForgivingDriver


def _decoder(name: str) -> Any:
    decode = codecs.getincrementaldecoder(name)("replace").decode

    def decoded(data: bytes, final: bool = False) -> str:
        if not data and not final:  # it is read only when there is something to read
            raise OSError("the terminal has hung up")
        return decode(data, final)

    return SimpleNamespace(decode=decoded)
