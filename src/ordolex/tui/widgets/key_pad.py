"""Where keys go while a device is worked key by key: each is handed on at once, none is kept."""

from __future__ import annotations

from textual.events import Key, Paste
from textual.message import Message
from textual.widgets import Static

_PROGRAMS = 12
"""Function keys up to this one are the program's; with Shift they go to the device."""


class KeyPad(Static, can_focus=True):
    """In front of the line of entry. Function keys stay with the program, so that there is a way out."""

    class Pressed(Message):
        def __init__(self, key: str, character: str | None) -> None:
            super().__init__()
            self.key, self.character = key, character

    class Pasted(Message):
        def __init__(self, text: str) -> None:
            super().__init__()
            self.text = text

    def on_key(self, event: Key) -> None:
        if event.key.startswith("f") and event.key[1:].isdigit() and int(event.key[1:]) <= _PROGRAMS:
            return
        event.stop()
        event.prevent_default()
        self.post_message(self.Pressed(event.key, event.character))

    def on_paste(self, event: Paste) -> None:
        event.stop()
        self.post_message(self.Pasted(event.text))
