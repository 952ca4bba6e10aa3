"""The logic-level logger: a board that writes lines by itself, on a line whose levels are swapped.

Its transmitter gives logic levels, and the port in front of it expects RS-232, so that MARK and SPACE change places.
"""

from __future__ import annotations

import math

from ordolex.bench.devices.base import Kinds
from ordolex.bench.devices.talker import Talker


class Logger(Talker):
    def text(self, count: int) -> str:
        level = 412 + 30 * math.sin(count / 9)
        return f"log {count:05} spring level {level:.0f} mm, lid closed, battery 3.{61 - count % 7} V\r\n"


KINDS: Kinds = {"logger": lambda plan, now_s: Logger(plan.settings, plan.interval_s, now_s)}
