"""An input line that takes its keys in the order in which they were pressed.

In Textual's own Input, characters are handled when the key arrives, but editing keys only after the key has bubbled up
to the application; a Backspace typed just before a letter can so act after it when the screen is busy. Here both are
handled in one place. A line that clears itself does so in the same moment as it is given, so that nothing typed ahead
is lost.
"""

from __future__ import annotations

from typing import ClassVar

from textual.binding import Binding, BindingType
from textual.events import Key, Paste
from textual.message import Message
from textual.widgets import Input

from ordolex.core.text.escapes import lines_of, written_out


class EntryLine(Input, inherit_bindings=False):
    BINDINGS: ClassVar[list[BindingType]] = [Binding("ctrl+v", "paste", "paste", show=False)]
    _EDITING: ClassVar[dict[str, str]] = {
        "backspace": "delete_left",
        "delete": "delete_right",
        "left": "cursor_left",
        "right": "cursor_right",
        "home": "home",
        "end": "end",
        "ctrl+a": "home",
        "ctrl+e": "end",
        "ctrl+u": "delete_left_all",
        "ctrl+k": "delete_right_all",
        "ctrl+w": "delete_left_word",
    }

    class Given(Message):
        """Enter was pressed. The line is empty again; `give_back` undoes that where the text was refused."""

        def __init__(self, line: EntryLine, text: str) -> None:
            super().__init__()
            self.line, self.text = line, text

        def give_back(self) -> None:
            if not self.line.value:
                self.line.put(self.text)

    class Block(Message):
        """Several lines were pasted; they are for whoever paces them."""

        def __init__(self, text: str) -> None:
            super().__init__()
            self.text = text

    def __init__(self, value: str = "", *, clears: bool = False, id: str | None = None) -> None:
        super().__init__(value, id=id, select_on_focus=False)
        self.cursor_blink = False  # it would be sent twice a second, over a slow line too
        self._clears = clears

    def put(self, text: str, *, offered: bool = False) -> None:
        """Another text, with the cursor behind it. What is only offered is replaced by what is typed."""
        self.value = text
        self.cursor_position = len(text)
        if offered:
            self.action_select_all()

    def keeps(self, event: Key) -> bool:
        """Whether the key ends here: nothing else comes of it. What is given by Enter is taken in its order."""
        return event.is_printable or event.key in self._EDITING or (event.key == "enter" and self._clears)

    def validate_value(self, value: str) -> str:
        """What is shown can neither command the terminal nor reorder the line, wherever it came from."""
        return value if self.password else written_out(value)

    def _on_paste(self, event: Paste) -> None:
        event.stop()
        event.prevent_default()
        if self._clears and len(lines_of(event.text)) > 1:
            self.post_message(self.Block(event.text))
            return
        text = event.text.strip("\r\n")
        self.replace(text if self.password else written_out(text), *self.selection)

    async def _on_key(self, event: Key) -> None:
        action = self._EDITING.get(event.key)
        if action is not None:
            getattr(self, f"action_{action}")()
        elif event.key == "enter" and self._clears:
            text, self.value = self.value, ""
            self.post_message(self.Given(self, text))
        elif event.key == "enter":
            await self.action_submit()
        else:
            await super()._on_key(event)
            return
        event.stop()
        event.prevent_default()
