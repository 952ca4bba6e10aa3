"""The weir's old teletype sender: every few seconds a line in capitals, at 110 baud."""

from __future__ import annotations

from ordolex.bench.devices.base import Kinds
from ordolex.bench.devices.talker import Talker


class WeirTeletype(Talker):
    def text(self, count: int) -> str:
        return f"WEIR {count % 1000:03} LEVEL {1.2 + count % 7 / 100:.2f} M GATE {'OPEN' if count % 5 else 'SHUT'}\r\n"


KINDS: Kinds = {"teletype": lambda plan, now_s: WeirTeletype(plan.settings, plan.interval_s, now_s)}
