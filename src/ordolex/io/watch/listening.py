"""What others publish, as it stands: the newest value of each item of each site."""

from __future__ import annotations

import threading
from dataclasses import dataclass
from typing import Any

from ordolex.core.text.counts import counted
from ordolex.io.system.clock import mono_s, utc_us
from ordolex.io.watch.publish import Broker, Subscriber

_MOST = 5000
"""Items that are held; whoever publishes more is not shown wholly, and that is said."""
_LONGEST = 200


@dataclass(frozen=True, slots=True)
class Far:
    """A value that somebody else published. `time` is what its sender says; `came_s` when it came here. An empty item
    stands for the site itself: whether it is there."""

    site: str
    link: str
    item: str
    value: float | str | None
    unit: str
    quality: str
    time: str
    came_s: float


class Listening:
    """Hears a broker until it is stopped."""

    def __init__(self, broker: Broker) -> None:
        self.url = broker.text
        self._lock = threading.Lock()
        self._found: dict[tuple[str, str, str], Far] = {}
        self.left_out = 0
        self.changes = 0
        self._subscriber = Subscriber(broker, self._came, f"ordolex-shows-{utc_us():x}")

    def start(self) -> None:
        self._subscriber.start()

    def stop(self) -> None:
        self._subscriber.stop()

    @property
    def words(self) -> str:
        """How it stands, in words."""
        if self._subscriber.trouble:
            return f"{self.url}: {self._subscriber.trouble}"
        more = f"; {self.left_out} further ones are not shown" if self.left_out else ""
        items = sum(bool(one.item) for one in self.all)
        sites = len({one.site for one in self.all})
        return f"{self.url}: {counted(items, 'item')} of {counted(sites, 'site')}{more}"

    @property
    def all(self) -> list[Far]:
        """By site, link and item."""
        with self._lock:
            return [self._found[key] for key in sorted(self._found)]

    def _came(self, topic: str, content: dict[str, Any]) -> None:
        far = far_of(topic, content)
        if far is None:
            return
        key = (far.site, far.link, far.item)
        with self._lock:
            if key not in self._found and len(self._found) >= _MOST:
                self.left_out += 1
                return
            self._found[key] = far
            self.changes += 1


def far_of(topic: str, content: dict[str, Any]) -> Far | None:
    """What a message says; None for one that is neither a value nor a site's state."""
    parts = topic.split("/")
    if len(parts) < 3:
        return None
    site = str(content.get("site") or parts[1])[:_LONGEST]
    time = str(content.get("time", ""))[:40]
    if "state" in content and "item" not in content:
        return Far(site, "", "", None, "", str(content["state"])[:40], time, mono_s())
    if "item" not in content or "event" in content:
        return None
    value = content.get("value")
    if isinstance(value, bool) or not isinstance(value, float | int | str | None):
        value = str(value)
    return Far(
        site, str(content.get("link", ""))[:_LONGEST], str(content["item"])[:_LONGEST],
        value[:_LONGEST] if isinstance(value, str) else value, str(content.get("unit", ""))[:20],
        str(content.get("quality", ""))[:30], time, mono_s(),
    )  # fmt: skip
