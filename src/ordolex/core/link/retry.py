"""The ladder of tries when a port does not open: from the cheap to the dear, with what was tried already."""

from __future__ import annotations

from dataclasses import dataclass, field

from ordolex.core.text.counts import counted

STEPS = (
    "try again: Enter",
    "unplug the adapter, plug it in again, then Enter",
    "switch the device off and on, wait for its boot, then Enter",
    "restart both ends, then Enter",
)
"""What to do after the first, second, third and every later failure."""


@dataclass(slots=True)
class Tries:
    """How often the ports failed to open since they last did. `failed` and `opened` are told, `words` says."""

    _failed: dict[str, int] = field(default_factory=dict)

    def failed(self, endpoint: str) -> None:
        self._failed[endpoint] = self._failed.get(endpoint, 0) + 1

    def opened(self, endpoint: str) -> None:
        self._failed.pop(endpoint, None)

    def count(self, endpoint: str) -> int:
        return self._failed.get(endpoint, 0)

    def words(self, endpoint: str) -> str:
        """Such as `2 tries failed; unplug the adapter …`; empty where none did."""
        count = self.count(endpoint)
        if not count:
            return ""
        return f"{counted(count, 'try', 'tries')} failed; {STEPS[min(count, len(STEPS)) - 1]}"
