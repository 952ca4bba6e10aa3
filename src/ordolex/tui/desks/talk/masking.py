"""Whether what is typed now is a secret: at a prompt that asks for one, or because the technician says so."""

from __future__ import annotations

import re

from ordolex.core.link.secrets import asks_for_secret, asks_once_more
from ordolex.core.text.visible import without_codes

_STARS = re.compile(r"[\s\b\x7f*#.•●∙·-]*")


class Masking:
    """Of one link. Times are the counts of its rows."""

    def __init__(self) -> None:
        self._prompt = b""
        self._above = b""
        self._said: bool | None = None
        self._begun: int | None = None
        self._given = False  # a secret was, and nothing else was asked since

    @property
    def begun(self) -> int | None:
        """How many rows there were when the first key of a secret went out that is not ended yet."""
        return self._begun

    def look(self, prompt: bytes, above: bytes = b"", *, line_came: bool = False) -> None:
        """Another prompt: what was said of the one before is over. `above` is the line over it. What a device shows for
        the keys of a secret is no other prompt: in the middle of one that takes a whole line (`line_came`), and more
        than stars behind it."""
        if prompt != self._prompt:
            if self._begun is not None and not (line_came and not _only_stars(prompt)):
                self._said = True
            else:
                self._said = self._begun = None
            self._prompt = prompt
            self._given = self._given and (asks_once_more(prompt) or re.search(rb"\w", without_codes(prompt)) is None)
        self._above = above

    @property
    def asked(self) -> bool:
        """Whether the device asks for a secret."""
        return asks_for_secret(self._prompt, self._above) or (self._given and asks_once_more(self._prompt))

    def turn_over(self) -> None:
        self._said, self._begun = not self.on, None

    def key_given(self, rows: int) -> None:
        """A key of a secret goes out, and more are to come."""
        if self._begun is None:
            self._begun = rows

    def over(self) -> None:
        """The secret was given."""
        self._begun = None
        self._said = False if self.asked else None
        self._given = True

    @property
    def on(self) -> bool:
        return self._said if self._said is not None else self.asked


def _only_stars(prompt: bytes) -> bool:
    return _STARS.fullmatch(without_codes(prompt).decode("utf-8", "replace")) is not None
