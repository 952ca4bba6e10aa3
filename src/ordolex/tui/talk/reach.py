"""Talk: how far the link reaches, what was tried, and what a talker says."""

from __future__ import annotations

from ordolex.core.advice.layers import directions, first_failing, layers
from ordolex.core.port.endpoint import read_endpoint
from ordolex.core.protocols.in_words import census
from ordolex.core.record.items import Chunk, LinkRecord
from ordolex.core.record.tried import CHANGES, EFFECTS, last_good, tried
from ordolex.core.text.visible import visible_text
from ordolex.tui.talk.calls import Calls
from ordolex.tui.widgets.prompts import Picture
from ordolex.tui.widgets.wording import clock_time, cut

_GLYPH = {True: "✓", False: "✗", None: "·"}
_SHOWN = 200
_CHUNKS = 600


class Reach(Calls):
    """The part of the desk that looks at the link as a whole."""

    async def _show_layers(self, link: LinkRecord) -> None:
        evidence = self.session.view(link).evidence
        kind = read_endpoint(link.endpoint).kind
        found = layers(kind, evidence, call=self.call_words(link), call_up=self.call_is_up(link))
        rows = [f"{_GLYPH[layer.good]} {layer.name:20} {visible_text(layer.words)}" for layer in found]
        rows += ["", *(visible_text(row) for row in directions(evidence))]
        failing = first_failing(found)
        title = (
            f"The first that fails: {failing.name}" if failing is not None else "Nothing fails as far as it was tried"
        )
        await self.app.push_screen_wait(Picture(title, rows, "· nothing tells yet   Esc goes back"))

    async def _show_tried(self, link: LinkRecord) -> None:
        rows = tried(self.session.book.reader.events_of(*CHANGES, *EFFECTS, link=link.id))
        good = last_good(rows)
        lines = [
            f"{clock_time(row.at_us)}  {'✓' if row is good else ' '} {cut(visible_text(row.what), 62):62} {row.effect}"
            for row in rows[-_SHOWN:]
        ]
        title = (
            f"Last good: {cut(visible_text(good.what), 60)}" if good is not None else "Nothing was answered rightly yet"
        )
        await self.app.push_screen_wait(
            Picture(title, lines or ["nothing was changed yet"], "one row a change; Esc goes back")
        )

    async def _show_census(self, link: LinkRecord) -> None:
        items = self.session.book.reader.latest(_CHUNKS, link.id)
        rows = census(b"".join(item.data for item in items if isinstance(item, Chunk) and item.direction == "rx"))
        if not rows:
            self.say("Nothing it said lately is an NMEA 0183 sentence with a right checksum", "unsure")
            return
        await self.app.push_screen_wait(
            Picture("Who talks, and what was measured", [visible_text(row) for row in rows], "Esc goes back")
        )
