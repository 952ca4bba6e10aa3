"""Set: a device's settings by its sheet. Read first, say what is to be, look at what will be sent, apply, read back."""

from __future__ import annotations

from rich.segment import Segment
from rich.text import Text
from textual.app import ComposeResult
from textual.events import Key

from ordolex.core.device.settings_table import SettingRow, SettingsTable
from ordolex.core.record.items import LinkRecord
from ordolex.core.text.visible import visible_text
from ordolex.io.system.clock import mono_s
from ordolex.session.session import Session
from ordolex.tui.desks.base import Desk
from ordolex.tui.desks.sending import sending_words
from ordolex.tui.desks.set.at import SetAt
from ordolex.tui.desks.set.jobs import JOBS
from ordolex.tui.desks.set.previews import preview_of
from ordolex.tui.desks.set.table import detail, heading, row_segments
from ordolex.tui.job import NO_LINK, bindings
from ordolex.tui.widgets.frame import HeadLine
from ordolex.tui.widgets.row_view import RowView
from ordolex.tui.widgets.words import Words

_TURNS_BETWEEN = 5
_NO_SHEET = "Which device is it? d chooses its sheet. The sheet says how its settings are read and what they may be."
_ONLY_JOBS = (
    "This device is set in its own menu. p leads through it: planned and checked first, then typed and read back."
)
_NOT_READ = "not read yet: r reads, and changes nothing"


class SetDesk(Desk):
    word = "Set"
    JOBS = JOBS
    BINDINGS = bindings(JOBS)
    DEFAULT_CSS = """
    SetDesk #set-heading { height: 1; background: $surface; }
    SetDesk #set-detail { height: 3; background: $surface; padding: 0 1; }
    """

    def __init__(self, session: Session) -> None:
        super().__init__(session)
        self._shown: SettingsTable | None = None
        self._turns = 0

    def compose(self) -> ComposeResult:
        yield HeadLine()
        yield Words(id="set-heading")
        yield RowView[SettingRow](self._draw, _NO_SHEET, with_cursor=True, id="set-rows")
        yield Words(id="set-detail")

    def at(self) -> SetAt:
        return SetAt(self, self.row_at_cursor, self.show_all, self.link_changed)

    @property
    def _view(self) -> RowView[SettingRow]:
        return self.query_one("#set-rows", RowView)

    def entered(self) -> None:
        self._view.focus()
        self.link_changed()

    def link_changed(self) -> None:
        link = self.session.links.chosen
        table = self.session.devices.table_of(link) if link is not None else None
        if table is not self._shown:
            self._shown = table
            self._view.show_rows(table.rows if table is not None else ())
            self._view.following = False
            self._view.go_to(0)
        sheet = self.session.devices.sheet_of(link) if link is not None else None
        only_jobs = sheet is not None and bool(sheet.procedure)
        self._view.empty_text = NO_LINK if link is None else _ONLY_JOBS if only_jobs else _NO_SHEET
        self.show_all()

    def restyled(self) -> None:
        self.show_all()

    def turn(self) -> None:
        """Ages and progress are renewed four times a second; what happens is shown at once."""
        self._turns += 1
        if self._turns % _TURNS_BETWEEN == 0:
            self.show_all()

    def show_all(self) -> None:
        link = self.session.links.chosen
        table = self._shown
        width = self.size.width
        head = self.query_one(HeadLine)
        head.text = self._headline(link, table)
        head.show()
        self.query_one("#set-heading", Words).put(heading(width, self.ink) if table is not None else Text(""))
        self._view.look_again()
        below = self.query_one("#set-detail", Words)
        under_way = self.session.works.on(link.id) if link is not None else None
        if under_way is not None:
            below.put(sending_words(under_way, self.ink))
        elif table is not None and (row := self.row_at_cursor()) is not None:
            below.put(detail(row, preview_of(self.session, row), mono_s(), self.ink, width - 2))
        else:
            below.put(Text(""))

    def _headline(self, link: LinkRecord | None, table: SettingsTable | None) -> Text:
        ink = self.ink
        if link is None:
            return Text("Settings", ink.style("ink", bold=True), no_wrap=True)
        head = Text(visible_text(link.name), ink.style("ink", bold=True), no_wrap=True)
        sheet = self.session.devices.sheet_of(link)
        if table is None and sheet is not None and sheet.procedure:
            head.append(f"   {sheet.name}", ink.style("dim"))
            names = ", ".join(procedure.name for procedure in sheet.procedure)
            head.append(f"   p plans and types a procedure: {names}", ink.style("straw"))
            return head
        if table is None:
            head.append("   no sheet with settings: d chooses one", ink.style("straw"))
            return head
        bus = table.sheet.family.addressed
        head.append(f"   {table.sheet.name}{f', unit {table.unit}' if bus else ''}", ink.style("dim"))
        if link.identity:
            head.append(f"   {visible_text(link.identity)}", ink.style("ice"))
        if not self.session.is_open(link):
            head.append("   not open: Ctrl+O in Talk opens it", ink.style("straw"))
        elif all(row.now_s is None for row in table.rows):
            head.append(f"   {_NOT_READ}", ink.style("straw"))
        for point in table.open_points:
            head.append(f"   {point}", ink.style("copper", bold=True))
        return head

    def _draw(self, row: SettingRow, width: int) -> list[Segment]:
        return row_segments(row, width, self.ink)

    # ---- moving

    def row_at_cursor(self) -> SettingRow | None:
        table = self._shown
        return table.rows[min(self._view.cursor, len(table.rows) - 1)] if table is not None and table.rows else None

    def on_key(self, event: Key) -> None:
        step = self._view.steps_by(event.key)
        if step is not None:
            self._view.go_to(self._view.cursor + step)
            self.show_all()
            event.stop()
            event.prevent_default()
