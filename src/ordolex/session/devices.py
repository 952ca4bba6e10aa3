"""The devices behind the links: their sheets, their settings as they are worked on, what would prove each."""

from __future__ import annotations

from typing import TYPE_CHECKING

from ordolex.core.advice.next_step import ASK
from ordolex.core.record.items import LinkRecord
from ordolex.core.text.visible import visible_text
from ordolex.io.book.book import Book
from ordolex.io.own import sheets
from ordolex.io.system.clock import mono_s

if TYPE_CHECKING:  # what the first screen does not need is imported by the method that needs it
    from ordolex.core.device.settings_table import SettingsTable
    from ordolex.core.sheet import Sheet

_SHEETS_AGAIN_S = 5.0  # a sheet that is not there is looked for no oftener: reading all of them takes a while


class Devices:
    """patience  how long to wait for answers on a link, where the technician took another time than the sheet's
    plans     what was typed into the form of a link's procedure
    """

    def __init__(self, book: Book) -> None:
        self._book = book
        self._sheets: dict[str, Sheet] = {}
        self._sheets_read_s = float("-inf")
        self._stamp: tuple[tuple[str, int, int], ...] = ()
        self._made_of: dict[tuple[int, str, int], Sheet] = {}
        self._tables: dict[tuple[int, str, int], SettingsTable] = {}
        self.patience: dict[int, float] = {}
        self.plans: dict[tuple[int, str], dict[str, str]] = {}

    def sheet_of(self, link: LinkRecord) -> Sheet | None:
        """The device's sheet, where the link carries one that can be read."""
        return self.sheet_named(link.sheet) if link.sheet else None

    def sheet_named(self, name: str) -> Sheet | None:
        if mono_s() - self._sheets_read_s > _SHEETS_AGAIN_S:
            self._sheets_read_s, stamp = mono_s(), sheets.stamp()
            if name not in self._sheets or stamp != self._stamp:  # one was edited
                self._sheets, self._stamp = sheets.all_sheets()[0], stamp
        return self._sheets.get(name)

    def is_worked_on(self, link: LinkRecord, sheet: str, unit: int) -> bool:
        """Whether its settings are in hand since the book was opened."""
        return (link.id, sheet, unit) in self._tables

    def unit_of(self, link: LinkRecord) -> int:
        sheet = self.sheet_of(link)
        return link.unit if link.unit >= 0 else sheet.bus.unit if sheet is not None else 1

    def table_of(self, link: LinkRecord) -> SettingsTable | None:
        """The link's settings as they are worked on; None where it has no sheet with parameters."""
        sheet = self.sheet_of(link)
        if sheet is None or not sheet.parameter:
            return None
        from ordolex.session.device import table_of

        key = (link.id, link.sheet, self.unit_of(link))
        edited = key in self._tables and self._made_of[key] != sheet and not self._tables[key].open_points
        if key not in self._tables or edited:
            self._made_of[key] = sheet
            self._tables[key] = table_of(sheet, self.unit_of(link), self._book.reader, link.id)
        return self._tables[key]

    def unchecked(self, link: LinkRecord) -> list[str]:
        """Settings that were changed and must last, and that nobody read again after a power cycle."""
        return [
            row.parameter.name for (of, _, _), table in self._tables.items() if of == link.id for row in table.rows
            if row.left is not None and row.parameter.store and not row.state and row.verdict != "lasted"
        ]  # fmt: skip

    def open_points(self) -> list[tuple[int, str]]:
        """(link, what is not settled on its device): not applied, not stored, not started anew."""
        return [(link, point) for (link, _, _), table in self._tables.items() for point in table.open_points]

    def question_for(self, link: LinkRecord | None) -> tuple[str, str]:
        """A question that would prove the link, of its sheet, else one that every instrument of IEEE 488.2 knows; and
        how the device is asked. Nothing of either while the sheets are still to be read: the frame does not wait."""
        if link is not None and link.sheet and not sheets.are_read():
            return "", ""
        sheet = self.sheet_of(link) if link is not None else None
        if sheet is None:
            return "*IDN?", ASK
        if sheet.family.framed:
            return "r in Set", "Set (F6) asks it: r reads" + (", n scans for units." if sheet.family.framing else ".")
        known = next((question for question in sheet.harmless if question.like), None)
        return (visible_text(known.question().text) if known is not None else ""), ASK
