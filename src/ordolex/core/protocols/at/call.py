"""In which state a modem is, from what passes: commands, or data of a call; and how the escape is sent.

ITU-T V.250, 5.1 (states) and 6.3 (call control). The escape by +++ between silences is not in V.250, but what all
modems have that are met on site; register 12 counts its silence in fiftieths of a second.
"""

from __future__ import annotations

import re
from enum import Enum

ESCAPE, GUARD_S = b"+++", 1.1
_RESULT = re.compile(rb"(?:^|[\r\n])(CONNECT[^\r\n]*|NO CARRIER|OK)[\r\n]")
_KEPT = 80


class State(Enum):
    COMMAND = "command state"
    DATA = "data state: what you type goes to the far end"
    CALL_KEPT = "command state, the call is still up"


class Call:
    """Feed it what is sent and heard, in order."""

    def __init__(self) -> None:
        self.state = State.COMMAND
        self._tail = b""
        self._escaped = False

    @property
    def up(self) -> bool:
        return self.state is not State.COMMAND

    def sent(self, data: bytes) -> None:
        text = data.upper().strip()
        if self.state is State.DATA:
            self._escaped = data == ESCAPE or (self._escaped and not data.strip(b"+"))
        elif self.state is State.CALL_KEPT and re.fullmatch(rb"AT.*(H0?|Z\d?|&F\d?)", text):
            self.state = State.COMMAND
        self._tail = b""

    def heard(self, data: bytes) -> None:
        look = self._tail + data
        end = 0
        for found in _RESULT.finditer(look):
            self._result(found[1])
            end = found.end() - 1
        self._tail = look[end:][-_KEPT:]

    def dropped(self) -> None:
        """DTR was dropped, or the carrier went."""
        self.state, self._escaped = State.COMMAND, False

    def _result(self, text: bytes) -> None:
        if text.startswith(b"CONNECT"):
            self.state = State.DATA
        elif text == b"NO CARRIER":
            self.state = State.COMMAND
        elif self._escaped and self.state is State.DATA:
            self.state = State.CALL_KEPT
        self._escaped = False
