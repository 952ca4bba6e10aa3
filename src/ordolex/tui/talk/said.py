"""Talk: what the device said. Its lists by name, a search, facts for the record, its character set."""

from __future__ import annotations

from ordolex.core.record.items import LinkRecord
from ordolex.core.tables.table import lines_of
from ordolex.core.text.charsets import CHARSETS, side_by_side
from ordolex.core.text.escapes import named, to_bytes
from ordolex.core.text.facts import facts_in
from ordolex.core.text.numbered import numbered
from ordolex.core.text.visible import visible_text
from ordolex.tui.readings import earlier_reading, search_reading
from ordolex.tui.widgets.entry_line import EntryLine
from ordolex.tui.widgets.prompts import Pick
from ordolex.tui.widgets.row_view import RowView
from ordolex.tui.widgets.wording import cut
from ordolex.tui.works import Works

_LOOKED_AT = 20_000  # of the last rows, for facts and other characters


class Said(Works):
    """The part of the desk that reads what was said."""

    def commands_of(self, link: LinkRecord) -> list[tuple[str, str]]:
        """(what is typed, what it means) of the sheet's questions; the line end is the link's."""
        sheet = self.session.sheet_of(link)
        found = [(q.question().data.rstrip(b"\r\n"), q) for q in sheet.question] if sheet is not None else []
        menus = (
            [(named(to_bytes(m.enter).rstrip(b"\r\n")), f"menu {m.name}: {m.means}") for m in sheet.menu]
            if sheet
            else []
        )
        return menus + [(named(data), f"{q.name}{': ' if q.means else ''}{q.means}") for data, q in found if data]

    async def _command(self, link: LinkRecord) -> None:
        """What is chosen from the sheet goes into the line of entry, to be changed or sent."""
        commands = self.commands_of(link)
        if not commands:
            self.say("The link has no sheet with questions; Ctrl+S chooses one", "unsure")
            return
        wide = max(len(text) for text, _ in commands)
        choices = [(str(n), f"{text:{wide}}  {visible_text(means)}") for n, (text, means) in enumerate(commands)]
        chosen = await self.app.push_screen_wait(Pick("Questions of its sheet", choices))
        if chosen is not None:
            self.query_one("#say", EntryLine).put(commands[int(chosen)][0])

    async def _pick(self, link: LinkRecord) -> None:
        """What is chosen by its name goes into the line of entry as the device's own number."""
        talk = self.session.talk(link)
        lines = [row.data.decode("utf-8", "replace") for row in talk.rows[-60:] if row.direction == "rx"]
        items = numbered([line for text in lines for line in lines_of(text) if line.strip()])
        if not items:
            self.say("The device showed no numbered list lately", "unsure")
            return
        choices = [(number, f"{number:>4}  {visible_text(name)}") for number, name in items]
        chosen = await self.app.push_screen_wait(Pick("The device's list", choices, "Enter sends its number"))
        if chosen is not None:
            entry = self.query_one("#say", EntryLine)
            entry.put(chosen)
            entry.post_message(EntryLine.Given(entry, chosen))
            entry.value = ""

    async def _earlier(self, link: LinkRecord) -> None:
        """What was sent before and holds a text, the newest first; it goes into the line of entry."""
        history = list(dict.fromkeys(reversed(self.session.talk(link).history)))
        if not history:
            self.say("Nothing was sent on this link yet", "unsure")
            return
        typed = await self._line("Sent earlier, and holds", "", earlier_reading(history), "nothing shows all of it")
        if typed is None:
            return
        found = [text for text in history if typed.lower() in text.lower()]
        chosen = await self.app.push_screen_wait(
            Pick("Sent earlier", [(str(n), visible_text(text)) for n, text in enumerate(found[:500])])
        )
        if chosen is not None:
            self.query_one("#say", EntryLine).put(found[int(chosen)])

    async def _search(self, link: LinkRecord) -> None:
        typed = await self._line(
            "Search upwards for", self._sought, search_reading, "in any case; the view stops there"
        )
        if typed is None:
            return
        rows = self.session.talk(link).rows
        view = self.query_one("#talk-rows", RowView)
        last = view.cursor if typed == self._sought and not view.following else len(rows)
        self._sought = typed
        at = rows.last_with(typed, min(last, len(rows)))
        if at is not None:
            view.show_at(at)
            self.say(f"row {at + 1} of {len(rows)}; the same search again goes further up, PgDn goes down", "good")
            return
        self.say(f"nothing above holds {typed!r}; Keep (F8) searches the whole record", "unsure")

    async def _facts(self, link: LinkRecord) -> None:
        """What the device said of itself is offered for the record, one fact after the other."""
        rows = self.session.talk(link).rows
        lines = [
            line
            for row in rows[-_LOOKED_AT:]
            if row.direction == "rx"
            for line in lines_of(row.data.decode("utf-8", "replace"))
        ]
        found = facts_in(lines)
        if not found:
            self.say("Nothing it said holds an address, a version or a serial number", "unsure")
            return
        choices = [(str(n), f"{fact.kind:14} {fact.value:20} {cut(fact.line, 40)}") for n, fact in enumerate(found)]
        chosen = await self.app.push_screen_wait(Pick("Keep which fact?", [*choices, ("all", "all of them")]))
        if chosen is None:
            return
        for fact in found if chosen == "all" else [found[int(chosen)]]:
            self.session.note(f"{fact.kind} {fact.value}, from: {fact.line}", link)
        self.say("kept as a note of this link", "good")

    async def _choose_charset(self, link: LinkRecord) -> None:
        talk = self.session.talk(link)
        sample = next((row.data for row in reversed(talk.rows[-_LOOKED_AT:]) if not row.data.isascii()), b"")
        read = {name: visible_text(text.strip())[:50] for name, text in side_by_side(sample)}
        choices = [(name, f"{name:9} {read[name]}") for name in CHARSETS]
        chosen = await self.app.push_screen_wait(
            Pick("Character set of the screen", choices, "the last line with other than plain characters, in each")
        )
        if chosen is not None:
            talk.screen.use(chosen)
            self.say(f"the screen reads {chosen} from now on")
