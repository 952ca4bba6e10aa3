"""Whether what is typed now is a secret: at a prompt that asks for one, or because the technician says so."""

from __future__ import annotations

from ordolex.core.link.secrets import asks_for_secret


class Masking:
    def __init__(self) -> None:
        self._prompt = b""
        self._above = b""
        self._said: bool | None = None

    def look(self, prompt: bytes, above: bytes = b"") -> None:
        """Another prompt: what was said of the one before is over. `above` is the line over it."""
        if prompt != self._prompt:
            self._prompt = prompt
            self._said = None
        self._above = above

    @property
    def asked(self) -> bool:
        """Whether the device asks for a secret."""
        return asks_for_secret(self._prompt, self._above)

    def turn_over(self) -> None:
        self._said = not self.on

    def over(self) -> None:
        """The secret was given."""
        self._said = False if self.asked else None

    @property
    def on(self) -> bool:
        return self._said if self._said is not None else self.asked
