"""What all questions in front of a desk share."""

from __future__ import annotations

from typing import TypeVar

from textual.await_complete import AwaitComplete
from textual.screen import ModalScreen
from textual.widgets import Static

T = TypeVar("T")
USUAL_KEYS = "Enter takes it   Esc goes back   F1 help   F2 to F9 wait until this is closed"


class Prompt(ModalScreen[T]):
    """What is asked in front of a desk. It is answered only while it is in front: a key that was pressed before it was
    gone, or before help came over it, is for nobody, and must not take away another screen in its place. A key that
    was pressed before it stands is for it, and answers it once it stands. It holds what it changes and does not look
    for it: on its way out its parts are gone before its timers are."""

    DEFAULT_CSS = "Prompt > #prompt-keys { dock: bottom; height: 1; background: $bar; color: $dim; padding: 0 1; }"

    keys = ""
    """What stands in place of the desk's keys, for one that has no such line of its own."""

    def on_mount(self) -> None:
        if self.keys:
            self.mount(Static(self.keys, id="prompt-keys", markup=False))

    def dismiss(self, result: T | None = None) -> AwaitComplete:
        if self.app.screen is not self:
            return AwaitComplete()
        if not self.is_mounted:
            self.call_later(self._dismiss_now, result)
            return AwaitComplete()
        return super().dismiss(result)

    def _dismiss_now(self, result: T | None) -> None:
        self.dismiss(result)  # what it gives may not be awaited here
