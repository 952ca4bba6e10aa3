"""A text in a place of its own size: another one is drawn there, and only there, and only where it is another."""

from __future__ import annotations

from rich.text import Text
from textual.widgets import Static


class Still(Static):
    """A Static whose size its style gives: `put` does not lay the screen out anew."""

    def __init__(self, *, id: str) -> None:
        super().__init__("", id=id, markup=False)
        self._put: Text | None = None

    def put(self, text: Text) -> None:
        if self._put is None or text != self._put or text.spans != self._put.spans:
            self._put = text
            self.update(text, layout=False)
