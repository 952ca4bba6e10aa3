"""What the desk Relay gives its jobs, besides what every desk gives."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from enum import Enum

from ordolex.core.relay.path_runs import PathRun
from ordolex.core.relay.plan import RelayPlan
from ordolex.io.net.survey import Host
from ordolex.tui.desks.at import At
from ordolex.tui.desks.base import Desk


class Shown(Enum):
    """What the desk has in front."""

    RELAYS = "Relays"
    SAID = "What passed"
    BOXES = "Boxes"
    RUNS = "Runs"
    WAY = "Path"


@dataclass(slots=True)
class Looked:
    """What is in front, and what was asked for last. `doing` is what is under way, in words; `before` the run that
    others are compared with; `sought` what stands in the boxes that are shown."""

    shown: Shown = Shown.RELAYS
    network: str = ""
    target: str = ""
    doing: str = ""
    before: PathRun | None = None
    sought: str = ""


class RelayAt(At):
    """relay  the plan under the cursor, or the only one
    box    the box under the cursor
    run    the measured run under the cursor
    looked what is in front; `show` puts something else there, with the cursor on a relay where one is named
    """

    def __init__(
        self, desk: Desk, relay: RelayPlan | None, box: Host | None, run: PathRun | None, looked: Looked,
        show: Callable[..., None],
    ) -> None:  # fmt: skip
        super().__init__(desk)
        self.relay, self.box, self.run_chosen, self.looked, self.show = relay, box, run, looked, show

    @property
    def plan(self) -> RelayPlan:
        assert self.relay is not None, "a job that needs no relay asked for one"
        return self.relay


def a_relay(at: RelayAt) -> str:
    return "" if at.relay is not None else "No relay is chosen. n joins two ends, or makes a virtual port"


def a_running_relay(at: RelayAt) -> str:
    if at.relay is None:
        return a_relay(at)
    return "" if at.relay.name in at.session.relays.running else f"{at.relay.name} does not run: Enter starts it"


def a_box(at: RelayAt) -> str:
    return "" if at.box is not None else "No box is chosen. s surveys a network, ← and → turn to Boxes"
