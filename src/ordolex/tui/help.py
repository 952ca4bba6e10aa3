"""The help page: what the desk is for, its keys, and what to do when it does not work."""

from __future__ import annotations

from collections.abc import Sequence
from typing import ClassVar

from textual.app import ComposeResult
from textual.binding import Binding, BindingType
from textual.containers import VerticalScroll
from textual.widgets import Static

from ordolex.core.link.ladder import RUNGS
from ordolex.tui.job import Job
from ordolex.tui.places import Place
from ordolex.tui.widgets.prompt import Prompt

_RUNG_WORDS = {
    "Present": "the port exists",
    "Held": "we opened it",
    "Heard": "bytes arrive",
    "Clear": "they come without line errors and read as text or as sentences with a right checksum",
    "Proven": "a question whose answer is known by shape was answered rightly",
}

HOW_TO = (
    (
        "I see only garbage",
        "Match (F4), then m: it says from the garbage itself what the device uses, re-tunes the port, and shows how it"
        " knows. Enter takes the settings into the link. An inverted line is said as such: no line settings mend that,"
        " a converter does.",
    ),
    (
        "Nothing comes back",
        "The link stays at Held. Is the device on? Ctrl+N changes the line end: many devices answer only after CR, or"
        " after CR LF. Then try another rate. Then the cable: TXD must meet RXD.",
    ),
    (
        "Which port is it?",
        "Find lists ports as they come and go. Pull the adapter and plug it in again: its row leaves and comes back.",
    ),
    (
        "Nothing comes back, and the settings are right",
        "Wire (F3): choose both ends. It says whether a crossing is needed and which parts make it. i reads an idle"
        " voltage: a transmitter at rest shows -5 to -12 V (RS-232), 3.3 or 5 V (logic).",
    ),
    (
        "Which unit ID does it have?",
        "Set (F6), then n: it listens, then asks each unit for one register. A refusal is an answer too: it proves"
        " the wiring. Enter takes the unit into the link.",
    ),
    (
        "The value makes no sense",
        "Set (F6), then o, word order: give what the front panel shows, and it says which type and order of bytes gives"
        " that.",
    ),
    (
        "The port is held",
        "Find says by which process. Close it there; a port has one holder.",
    ),
    (
        "Where is what I saw yesterday?",
        "In Keep (F8): f filters, / searches, x exports. What passed is kept, unless NOT KEPT stands above.",
    ),
)  # fmt: skip


class HelpScreen(Prompt[None]):
    DEFAULT_CSS = """
    HelpScreen { align: center middle; background: $background 60%; }
    HelpScreen > VerticalScroll { width: 100; max-width: 96%; height: 92%; background: $bar; padding: 1 2;
        scrollbar-size: 1 1; }
    HelpScreen Static { height: auto; background: $bar; margin-bottom: 1; }
    HelpScreen .title { text-style: bold; color: $primary; margin-bottom: 0; }
    """
    BINDINGS: ClassVar[list[BindingType]] = [Binding("escape,f1,enter,q", "leave", "back")]

    def __init__(self, place: Place, jobs: Sequence[Job], everywhere: Sequence[Job]) -> None:
        super().__init__()
        self._place, self._jobs, self._everywhere = place, jobs, everywhere

    def compose(self) -> ComposeResult:
        with VerticalScroll():
            yield Static(self._place.purpose, markup=False)
            for title, jobs in ((f"Keys in {self._place.word}", self._jobs), ("Keys everywhere", self._everywhere)):
                yield Static(title, classes="title")
                yield Static(_keys(jobs), markup=False)
            yield Static("The five rungs of a link", classes="title")
            yield Static("\n".join(f"{r.word:9} {_RUNG_WORDS[r.word]}" for r in RUNGS), markup=False)
            for question, answer in HOW_TO:
                yield Static(question, classes="title")
                yield Static(answer, markup=False)
            yield Static("Esc goes back", classes="title")

    def action_leave(self) -> None:
        self.dismiss(None)


def _keys(jobs: Sequence[Job]) -> str:
    return "\n".join(f"{job.shown_key:10} {job.title}. {job.help}" for job in jobs if job.key)
