"""Wire: what is worked on. Two ends, the bag, the chain in hand or the best from the bag, and what was found of it."""

from __future__ import annotations

import asyncio
from dataclasses import dataclass, field

from ordolex.core.line.settings import Flow
from ordolex.core.port.endpoint import read_endpoint
from ordolex.core.wiring.check import best_laid
from ordolex.core.wiring.connectors import ENDS, End
from ordolex.core.wiring.finding import Finding
from ordolex.core.wiring.parts import CATALOGUE, USUAL_BAG, Part, PartError
from ordolex.core.wiring.solve import Bag, Mend, Solution, bag_of, mend, solve
from ordolex.io.own.bag import bag_file, load_bag
from ordolex.io.system.faults import Fault
from ordolex.session.session import Session


@dataclass(slots=True)
class Wiring:
    """picked     near and far end as the technician picked them for a link
    in_hand    the parts put together by hand; none: the best from the bag is wanted
    found_for  the ends of the finding; others may have been chosen since, and are being worked out
    """

    near: End = field(default_factory=lambda: ENDS["usb"])
    far: End = field(default_factory=lambda: ENDS["dte-de9"])
    flow: Flow = Flow.NONE
    picked: dict[int, tuple[str, str]] = field(default_factory=dict)
    in_hand: list[Part] = field(default_factory=list)
    solution: Solution = field(default_factory=lambda: Solution(None))
    finding: Finding | None = None
    found_for: tuple[End, End] | None = None
    mend: Mend | None = None
    bag_name: str = "bag"
    bag: Bag = field(default_factory=dict)
    bag_fault: str = ""

    def __post_init__(self) -> None:
        self.found_for = self.near, self.far
        self.use_bag(self.bag_name)

    def use_bag(self, name: str) -> None:
        """The technician's bag of this name; where its file is wrong, the usual one, and why."""
        self.bag_name = name
        try:
            file = bag_file(name)
            self.bag, self.bag_fault = (load_bag(file) if file.is_file() else bag_of([*USUAL_BAG, *USUAL_BAG])), ""
        except (PartError, Fault) as error:
            self.bag, self.bag_fault = bag_of([*USUAL_BAG, *USUAL_BAG]), str(error)

    @property
    def parts(self) -> dict[str, Part]:
        """Those of the bag first, then all that are known."""
        return {name: part for name, (part, _) in self.bag.items()} | dict(CATALOGUE)

    def take_ends(self, session: Session) -> None:
        """The ends of the chosen link: as they were picked for it here, else what its port and its sheet say."""
        link = session.links.chosen
        if link is None:
            return
        near, far = self.picked.get(link.id, ("", ""))
        port = session.ports.of(link.endpoint)
        native = read_endpoint(link.endpoint).kind == "serial" and port is not None and not port.identity
        sheet = session.devices.sheet_of(link)
        self.near = ENDS[near or ("dte-de9" if native else "usb")]
        if far or (sheet is not None and sheet.wiring_end):
            self.far = ENDS[far or (sheet.wiring_end if sheet is not None else "")]

    def remember(self, session: Session) -> None:
        if session.links.chosen is not None:
            self.picked[session.links.chosen.id] = self.near.name, self.far.name

    async def work_out(self) -> None:
        """Solving takes milliseconds, a hopeless search up to a second: it is done in a thread."""
        asked = self.near.name, self.far.name, self.flow, tuple(self.in_hand)
        finding, solution, change = await asyncio.to_thread(_worked_out, *asked, self.bag)
        if asked == (self.near.name, self.far.name, self.flow, tuple(self.in_hand)):
            self.finding, self.solution, self.mend = finding, solution, change
            self.found_for = self.near, self.far


def _worked_out(
    near: str, far: str, flow: Flow, parts: tuple[Part, ...], bag: Bag
) -> tuple[Finding | None, Solution, Mend | None]:
    if not parts:
        solution = solve(ENDS[near], ENDS[far], bag, flow)
        return solution.finding, solution, None
    finding = best_laid(ENDS[near], ENDS[far], parts, flow)
    hopeless = finding is not None and not finding.works
    return finding, Solution(None), mend(ENDS[near], ENDS[far], parts, bag, flow) if hopeless else None
