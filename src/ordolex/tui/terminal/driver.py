"""The terminal that the interface runs in, where it does not send what it should, or is gone."""

from __future__ import annotations

import codecs
import importlib
import os
import signal
from functools import partial
from types import SimpleNamespace
from typing import Any

from ordolex.tui.terminal.going_on import going_on
from ordolex.tui.terminal.output import Answers, Output


def forgiving_driver() -> Any:
    """The framework's driver, but bytes that are no UTF-8, as from a terminal with another character set, do not end
    the program: each is taken for an unknown key. A terminal that is gone is a hang-up, and is not asked on and on.
    `output` takes what shall stand on it, while it is ours. None where the framework's own is right."""
    if os.name != "posix":
        return None
    driver: Any = importlib.import_module("textual.drivers.linux_driver")

    class ForgivingDriver(going_on(driver.LinuxDriver)):  # type: ignore[misc]
        output: Output | None = None

        def start_application_mode(self) -> None:
            plain, self._answers = driver.WriterThread, Answers()
            driver.WriterThread = lambda file: Output(file, self._answers)
            try:
                super().start_application_mode()
            finally:
                driver.WriterThread = plain
            self.output = self._writer_thread

        def stop_application_mode(self) -> None:
            if self.output is not None:
                self.output.drop()
                self.output = None
            super().stop_application_mode()

        def run_input_thread(self) -> None:
            strict = driver.getincrementaldecoder
            driver.getincrementaldecoder = lambda name: partial(_decoder, self._answers, name)
            try:
                super().run_input_thread()
            except OSError:  # nothing can be read from it any more
                os.kill(os.getpid(), signal.SIGHUP)
            finally:
                driver.getincrementaldecoder = strict

    return ForgivingDriver


def _decoder(answers: Answers, name: str) -> Any:
    decode = codecs.getincrementaldecoder(name)("replace").decode

    def decoded(data: bytes, final: bool = False) -> str:
        if not data and not final:  # it is read only when there is something to read
            raise OSError("the terminal has hung up")
        text = decode(data, final)
        answers.read(text)
        return text

    return SimpleNamespace(decode=decoded)
