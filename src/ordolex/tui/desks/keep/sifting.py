"""Keep: which rows are shown, and going from one match to the next."""

from __future__ import annotations

from ordolex.core.record.sieve import Sieve
from ordolex.core.talk.conversation import Direction
from ordolex.tui.desks.keep.at import KeepAt

_DIRECTIONS: tuple[Direction | None, ...] = (None, Direction.SENT, Direction.HEARD, Direction.NOTE)


async def filter_rows(at: KeepAt) -> None:
    sieve = at.timeline.sieve
    hint = "a text in any case · hex:0d 0a · re:MEAS.*\\? · at:10:40..10:55 · rung: for changes of the rung"
    typed = await at.line("Only rows with", sieve.text, _sieve_words, hint)
    if typed is not None:
        at.timeline.sift(Sieve(typed, sieve.link, sieve.direction))


async def search(at: KeepAt) -> None:
    hint = "Enter jumps to the next match, n to the one after it"
    typed = await at.line("Search for", at.looked.sought, _sieve_words, hint)
    if typed:
        at.looked.sought = typed
        _jump(at, 0)


def next_match(at: KeepAt) -> None:
    if at.looked.sought:
        _jump(at, 1)
    else:
        at.say("Nothing is searched for yet; / asks for it", "unsure")


def _jump(at: KeepAt, offset: int) -> None:
    """To the next match from the cursor on, and from the beginning again after the last."""
    sought, entries, view = at.looked.sought, at.timeline.entries, at.timeline.view
    sieve, count = Sieve(sought), len(entries)
    for step in range(count):
        row = (view.cursor + offset + step) % count
        if sieve.passes(*entries[row]):
            view.go_to(row)
            at.say(f"row {row + 1} of {count} holds {sought!r}; n goes on", "good")
            return
    at.say(f"no row shown holds {sought!r}; f looks through the whole book", "unsure")


def which_link(at: KeepAt) -> None:
    sieve, order = at.timeline.sieve, [None, *(link.id for link in at.session.links)]
    now = order.index(sieve.link) if sieve.link in order else 0
    at.timeline.sift(Sieve(sieve.text, order[(now + 1) % len(order)], sieve.direction))


def which_direction(at: KeepAt) -> None:
    sieve = at.timeline.sieve
    now = _DIRECTIONS.index(sieve.direction)
    at.timeline.sift(Sieve(sieve.text, sieve.link, _DIRECTIONS[(now + 1) % len(_DIRECTIONS)]))


def clear_filters(at: KeepAt) -> None:
    """All rows again, with the cursor on the row that it stood on."""
    timeline = at.timeline
    if timeline.sieve.everything:
        return
    link, at_us = _under(at)
    timeline.show_all(lambda: _go_back(at, link, at_us), at_us)


def fold(at: KeepAt) -> None:
    """Bookkeeping, such as what each question was worth, is shown or left out."""
    timeline = at.timeline
    link, at_us = _under(at)
    folded = not timeline.folded
    timeline.fold(on=folded, then=lambda: _go_back(at, link, at_us))
    at.say("rungs, control lines and what each question was worth are " + ("left out" if folded else "shown"))


def _under(at: KeepAt) -> tuple[int, int | None]:
    """The link and the time of the row under the cursor; no time where it follows the newest."""
    entries, view = at.timeline.entries, at.timeline.view
    if view.following or not 0 <= view.cursor < len(entries):
        return 0, None
    link, row = entries[view.cursor]
    return link, row.at_us


def _go_back(at: KeepAt, link: int, at_us: int | None) -> None:
    if at_us is None:
        return
    entries = at.timeline.entries
    near = min(range(len(entries)), key=lambda n: (abs(entries[n][1].at_us - at_us), entries[n][0] != link), default=0)
    at.timeline.view.go_to(near)


def bytes_shown(at: KeepAt) -> None:
    at.looked.shown = at.looked.shown.following()
    at.timeline.view.refresh()


def _sieve_words(text: str) -> str:
    """Raises ValueError where the text is no filter."""
    if not text:
        return "all rows"
    Sieve(text)
    kinds = {"hex:": "rows that hold these bytes", "re:": "rows that this pattern fits", "at:": "rows of this time"}
    kinds["rung:"] = "changes of the rung"
    return next((words for prefix, words in kinds.items() if text.startswith(prefix)), "rows that hold this text")
