"""Talk: how far the link reaches, what was tried, and what a talker says."""

from __future__ import annotations

from ordolex.core.advice.layers import directions, first_failing, layers
from ordolex.core.port.endpoint import read_endpoint
from ordolex.core.protocols.in_words import census
from ordolex.core.record.items import Chunk
from ordolex.core.record.tried import CHANGES, EFFECTS, last_good, tried
from ordolex.core.text.visible import visible_text
from ordolex.session.stands_at import call_is_up, call_words
from ordolex.tui.desks.talk.at import TalkAt
from ordolex.tui.widgets.prompts import Picture
from ordolex.tui.widgets.wording import clock_time, cut

_GLYPH = {True: "✓", False: "✗", None: "·"}
_SHOWN = 200
_CHUNKS = 600


async def show_layers(at: TalkAt) -> None:
    link = at.link
    evidence = at.session.view(link).evidence
    kind = read_endpoint(link.endpoint).kind
    found = layers(kind, evidence, call=call_words(at.session, link), call_up=call_is_up(at.session, link))
    rows = [f"{_GLYPH[layer.good]} {layer.name:20} {visible_text(layer.words)}" for layer in found]
    rows += ["", *(visible_text(row) for row in directions(evidence))]
    failing = first_failing(found)
    title = f"The first that fails: {failing.name}" if failing is not None else "Nothing fails as far as it was tried"
    await at.ask(Picture(title, rows, "· nothing tells yet   Esc goes back"))


async def show_tried(at: TalkAt) -> None:
    link = at.link
    rows = tried(at.session.book.reader.known.events_of(*CHANGES, *EFFECTS, link=link.id))
    good = last_good(rows)
    lines = [
        f"{clock_time(row.at_us)}  {'✓' if row is good else ' '} {cut(visible_text(row.what), 62):62} {row.effect}"
        for row in rows[-_SHOWN:]
    ]
    title = f"Last good: {cut(visible_text(good.what), 60)}" if good is not None else "Nothing was answered rightly yet"
    await at.ask(Picture(title, lines or ["nothing was changed yet"], "one row a change; Esc goes back"))


async def show_census(at: TalkAt) -> None:
    link = at.link
    items = at.session.book.reader.latest(_CHUNKS, link.id)
    rows = census(b"".join(item.data for item in items if isinstance(item, Chunk) and item.direction == "rx"))
    if not rows:
        at.say("Nothing it said lately is an NMEA 0183 sentence with a right checksum", "unsure")
        return
    await at.ask(Picture("Who talks, and what was measured", [visible_text(row) for row in rows], "Esc goes back"))
