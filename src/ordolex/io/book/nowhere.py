"""For what is asked without a book."""

from __future__ import annotations

from ordolex.core.link.judge import LineErrors
from ordolex.core.record.items import Event


class NoBook:
    full = False

    def record(self, link: int, direction: str, data: bytes, errors: LineErrors | None, at_s: float) -> None:
        pass

    def note(self, event: Event) -> None:
        pass
