"""The terminal that the interface runs in, where it does not send what it should."""

from __future__ import annotations

import codecs
import importlib
import os
from functools import partial
from typing import Any


def forgiving_driver() -> Any:
    """The framework's driver, but bytes that are no UTF-8, as from a terminal with another character set, do not end
    the program: each is taken for an unknown key. None where the framework's own is right."""
    if os.name != "posix":
        return None
    driver: Any = importlib.import_module("textual.drivers.linux_driver")

    class ForgivingDriver(driver.LinuxDriver):  # type: ignore[misc]
        def run_input_thread(self) -> None:
            strict = driver.getincrementaldecoder
            driver.getincrementaldecoder = lambda name: partial(codecs.getincrementaldecoder(name), "replace")
            try:
                super().run_input_thread()
            finally:
                driver.getincrementaldecoder = strict

    return ForgivingDriver
