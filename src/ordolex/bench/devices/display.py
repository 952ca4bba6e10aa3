"""The hatching room's display: it repeats on its serial line what it shows, every few seconds."""

from __future__ import annotations

from ordolex.bench.devices.base import Kinds
from ordolex.bench.devices.talker import Talker


class RoomDisplay(Talker):
    def text(self, count: int) -> str:
        frame = "+--------------------+\r\n"
        return f"{frame}| water {8.4 + count % 5 / 10:.1f} C  tray {count % 12 + 1:2} |\r\n{frame}"


KINDS: Kinds = {"display": lambda plan, now_s: RoomDisplay(plan.settings, plan.interval_s, now_s)}
