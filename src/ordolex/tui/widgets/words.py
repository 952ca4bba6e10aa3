"""Words that are put again and again, mostly the same: drawn only where they are others, and the screen is laid out
anew only where they take another number of lines."""

from __future__ import annotations

from rich.text import Text
from textual.geometry import Size
from textual.widgets import Static


class Words(Static):
    def __init__(self, words: str = "", *, id: str | None = None, classes: str | None = None) -> None:
        super().__init__(words, id=id, classes=classes, markup=False)
        self._put: object = words

    def put(self, words: str | Text) -> None:
        """To lay a screen out costs several times what drawing a line does, and what changes is mostly a number."""
        put = (words.plain, tuple(words.spans), words.style) if isinstance(words, Text) else words
        if put == self._put:
            return
        before, self._put = self._lines(), put
        self.update(words, layout=False)
        if self._lines() != before:
            self.refresh(layout=True)

    def _lines(self) -> int:
        """How many lines it takes at the width that it has."""
        return self.get_content_height(Size(), Size(), self.content_size.width)
