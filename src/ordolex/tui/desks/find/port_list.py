"""Find: the list of ports. What just came or left stands out; the cursor stays on its port."""

from __future__ import annotations

from typing import ClassVar

from rich.text import Text
from textual.binding import Binding, BindingType
from textual.widgets import DataTable

from ordolex.core.text.visible import visible_text
from ordolex.io.ports.survey import BY_ADDRESS, PortFacts
from ordolex.io.system.clock import mono_s
from ordolex.session.ports import Ports
from ordolex.tui.theme import BAD, GOOD, STATES, TIED, Palette
from ordolex.tui.widgets.wording import cut

_STATE, _ENDPOINT, _STICKER, _LEAST_WHAT, _LONGEST = 13, 30, 12, 14, 40
"""Cells of the columns, with what stands between them."""


class PortList(DataTable[Text]):
    """`ports` are the session's; `listed` are those shown."""

    DEFAULT_CSS = """
    PortList { height: 1fr; background: $background; scrollbar-size: 1 1; overflow-x: hidden; }
    PortList > .datatable--even-row { background: $background; }
    PortList > .datatable--odd-row { background: $background; }
    PortList:focus { background-tint: $background 0%; }
    PortList > .datatable--header { background: $background; color: $dim; text-style: none; }
    PortList > .datatable--cursor { background: $bar; color: $foreground; text-style: bold; }
    PortList > .datatable--hover { background: $surface; }
    """

    BINDINGS: ClassVar[list[BindingType]] = [
        Binding("home", "scroll_top", "first", show=False), Binding("end", "scroll_bottom", "last", show=False),
    ]  # fmt: skip

    def __init__(self, ports: Ports) -> None:
        super().__init__(id="ports", cursor_type="row", zebra_stripes=False, cell_padding=1)
        self._ports = ports
        self.listed: list[PortFacts] = []
        self._fresh: tuple[object, ...] = ()
        self._names: tuple[str, ...] = ()
        self._widths = (0, 0)

    @property
    def port(self) -> PortFacts | None:
        """The row under the cursor."""
        return self.listed[self.cursor_row] if 0 <= self.cursor_row < len(self.listed) else None

    def draw_anew(self) -> None:
        """At the next look, in the colours and the width of now."""
        self._names = ()

    def look(self, width: int, ink: Palette) -> PortFacts | None:
        """Draws the survey; the port that was chosen because it is the only one that may be opened, if any was."""
        names_width = max((len(port.name) for port in self._ports.places), default=0)
        before, (names, self._widths) = self.port, _columns(width, names_width)
        if names != self._names:
            self._names = names
            self.clear(columns=True)
            for name in names:
                self.add_column(name, key=name)
            self.listed = []
        ports = self._ports.places
        fresh = tuple((self._came_s_ago(port) is not None, self._ports.asked(port.endpoint)) for port in ports)
        if self.listed == ports and fresh == self._fresh and self.row_count:
            return None
        self.listed, self._fresh = ports, fresh
        self.clear()
        rows = [self._cells(port, width, ink) for port in ports]
        self._widen(rows)
        for port, cells in zip(ports, rows, strict=True):
            self.add_row(*cells, key=port.endpoint)
        if before is not None:
            self.move_cursor(row=next((i for i, p in enumerate(ports) if p.endpoint == before.endpoint), 0))
            return None
        free = [row for row, port in enumerate(ports) if port.may_be_opened and port.state != BY_ADDRESS]
        if len(free) != 1:
            return None
        self.move_cursor(row=free[0])
        return ports[free[0]]

    def _widen(self, rows: list[list[Text]]) -> None:
        """Room for the widest cell of each column, before anything is drawn: what the table finds out by itself comes
        later than a drawing that is asked for meanwhile, as by a new size of the window; that drawing would stay."""
        for at, column in enumerate(self.ordered_columns):
            column.auto_width = False
            column.width = max([column.width, *(cells[at].cell_len for cells in rows)])

    def _came_s_ago(self, port: PortFacts) -> float | None:
        return self._ports.changes.came_s_ago(port.identity or port.endpoint, mono_s())

    def _cells(self, port: PortFacts, width: int, ink: Palette) -> list[Text]:
        glyph, colour = STATES.get(port.state, (BAD, "brick"))
        state = port.state.replace("-", " ")
        if port.holder == "us":
            glyph, colour, state = TIED, "moss", "held by us"
        elif port.state == "gone" and (port.identity or port.endpoint) in self._ports.changes.left:
            glyph, colour, state = BAD, "brick", "just left"
        elif port.may_be_opened and self._came_s_ago(port) is not None:
            glyph, colour, state = "▸", "copper", "just came"
        asked = self._ports.asked(port.endpoint)
        said = f"{GOOD} " if asked is not None and asked[1] else ""
        cells = {
            "state": Text(f"{glyph} {state}", ink.style(colour)),
            "name": Text(cut(said + visible_text(port.name), self._widths[0]), ink.style("moss" if said else "ink")),
            "endpoint": Text(cut(visible_text(port.endpoint), _ENDPOINT), ink.style("dim")),
            "sticker": Text(port.sticker, ink.style("ink")),
            "what it is": Text(cut(visible_text(port.what), self._widths[1]), ink.style("dim")),
        }
        return [cells[name] for name in self._names]


def _columns(width: int, names: int) -> tuple[tuple[str, ...], tuple[int, int]]:
    """The columns for which there is room, and the widths of the names and of what each port is: names are needed whole
    before anything else is shown."""
    room = width - _STATE - 4
    if room < _ENDPOINT + 22:
        return ("state", "name"), (max(10, room), 0)
    name = min(max(22, names), _LONGEST, room - _ENDPOINT)
    room -= _ENDPOINT + name
    if room < _STICKER:
        return ("state", "name", "endpoint"), (name, 0)
    if room < _STICKER + _LEAST_WHAT:
        return ("state", "name", "endpoint", "sticker"), (name, 0)
    return ("state", "name", "endpoint", "sticker", "what it is"), (name, room - _STICKER)
