"""Talk: how it is typed and looked at. Line end, single keys, secrets, text or hex, the device's screen, scrolling."""

from __future__ import annotations

from dataclasses import replace

from ordolex.session.session import LINE_ENDS
from ordolex.tui.desks.talk.at import TalkAt
from ordolex.tui.widgets.prompts import Pick


def earlier(at: TalkAt) -> None:
    at.entry.recall(-1)


def later(at: TalkAt) -> None:
    at.entry.recall(1)


def line_end(at: TalkAt) -> None:
    link, order = at.link, list(LINE_ENDS)
    after = order[(order.index(link.line_end) + 1) % len(order)] if link.line_end in order else order[0]
    if at.change_link(replace(link, line_end=after)):
        at.say(f"Each entry now ends with {after}")
        at.entry.preview()


def by_key(at: TalkAt) -> None:
    talk = at.session.talks.of(at.link)
    talk.by_key = not talk.by_key
    at.entry.show()
    at.say("every key goes out at once; F5 goes back to the line" if talk.by_key else "back to whole lines")


def secret(at: TalkAt) -> None:
    masking = at.entry.masking
    masking.turn_over()
    at.entry.show()
    at.say("what you type now is neither shown nor kept" if masking.on else "what you type is shown and kept")


def bytes_shown(at: TalkAt) -> None:
    at.remembered.shown = at.remembered.shown.following()
    at.rows.refresh()


def screen(at: TalkAt) -> None:
    """Exchanges, or the device's own screen: two ways to look at one stream."""
    on = at.remembered.on_screen = not at.remembered.on_screen
    at.screen.display, at.rows.display = on, not on
    at.rows.rows_changed()
    at.screen.refresh()


def pan_left(at: TalkAt) -> None:
    at.screen.pan(-16)


def pan_right(at: TalkAt) -> None:
    at.screen.pan(16)


def page_up(at: TalkAt) -> None:
    at.rows.page(-1)


def page_down(at: TalkAt) -> None:
    at.rows.page(1)


def stop(at: TalkAt) -> None:
    """Ends what is under way on this link, and the wait for an answer."""
    at.stop_work()
    at.stop_asking()


async def more(at: TalkAt) -> None:
    what = await at.ask(Pick("With this line", at.menu))
    if what is not None:
        at.run(what)
