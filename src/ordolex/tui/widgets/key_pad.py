"""Where keys go while a device is worked key by key: each is handed on at once, none is kept."""

from __future__ import annotations

from textual.events import Key, Paste
from textual.message import Message

from ordolex.tui.widgets.words import Words

_PROGRAMS = 12
"""Function keys up to this one are the program's; with Shift they go to the device."""


def is_programs(key: str) -> bool:
    """Whether the key stays with the program."""
    return key.startswith("f") and key[1:].isdigit() and int(key[1:]) <= _PROGRAMS


class KeyPad(Words, can_focus=True):
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
        if is_programs(event.key):
            return
        event.stop()
        event.prevent_default()
        self.post_message(self.Pressed(event.key, event.character))

    def on_paste(self, event: Paste) -> None:
        event.stop()
        self.post_message(self.Pasted(event.text))
