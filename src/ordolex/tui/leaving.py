"""Leaving: at once, unless something was moved for the work that must be put back, or a device's menu is open."""

from __future__ import annotations

import time
from typing import TYPE_CHECKING

from ordolex.core.record.items import LinkRecord
from ordolex.core.text.visible import visible_text
from ordolex.session.stands_at import still_open
from ordolex.tui.widgets.prompts import Pick

if TYPE_CHECKING:
    from ordolex.tui.app import OrdolexApp
    from ordolex.tui.everywhere import FrameAt

_SECOND_TIME_S = 6.0  # a key that warned does what it says when it is pressed again within this
_HABIT_S = 2.0


class Warned:
    """When it was warned last; a second press soon after is meant."""

    def __init__(self, within_s: float) -> None:
        self._within_s = within_s
        self._at_s = float("-inf")

    def again(self) -> bool:
        """Whether this is the second time; else it counts as the first."""
        now = time.monotonic()
        if now - self._at_s < self._within_s:
            return True
        self._at_s = now
        return False


def warnings() -> tuple[Warned, Warned]:
    """For F10 with something still open, and for Ctrl+C, which is pressed by habit."""
    return Warned(_SECOND_TIME_S), Warned(_HABIT_S)


async def leave(at: FrameAt) -> bool:
    """Whether the program ends now."""
    session = at.session
    standing = [(link, prompt) for link in session.links if (prompt := still_open(session, link))]
    points = session.open_points()
    if standing and not at.app.warned.again():
        link, prompt = standing[0]
        _show(at, link, "Talk")
        words = f"{visible_text(link.name)} stands at {prompt} Ctrl+O asks how to leave it. F10 again leaves it so"
        at.say(words, "unsure")
    elif not standing and points and not at.app.warned.again():
        link, point = points[0]
        _show(at, link, "Set")
        at.say(f"{visible_text(link.name)}, {point}. F10 again leaves it as it is", "unsure")
    elif session.relays.running and not await _relays_settled(at):
        at.say("stayed")
    elif session.to_restore:
        return await _remind(at)
    else:
        at.app.exit()
        return True
    return False


async def _relays_settled(at: FrameAt) -> bool:
    """Whether it is said what becomes of the relays that run."""
    names = at.session.relays.running
    them, their_ports_go = ("them", "their ports go") if len(names) > 1 else ("it", "its ports go")
    choices = [  # an Enter that was pressed ahead ends nothing that others use
        ("stay", "Stay"),
        ("keep", f"Keep {them} running without the interface; programs must open their ports anew"),
        ("end", f"End {them}: {their_ports_go}"),
    ]
    which = visible_text(", ".join(names))
    title, text = (f"{len(names)} relays run", which) if len(names) > 1 else (f"{which} runs", "")
    answer = await at.ask(Pick(title, choices, text))
    at.app.goes_on = names if answer == "keep" else []
    return answer in ("end", "keep")


def remind_of_addresses(app: OrdolexApp) -> None:
    """An address that was added for the work, and not taken back before the program ended the last time."""
    added = app.session.network.added
    for change in added:
        app.session.to_restore.append(f"network address: {change.undo_text}")
    if added:
        app.say(f"{added[0].address} was added for the work and is still there: F9 Relay, u takes it back", "unsure")


def _show(at: FrameAt, link: LinkRecord, word: str) -> None:
    at.session.links.choose(link)
    at.app.show_desk(word)


async def _remind(at: FrameAt) -> bool:
    things = "; ".join(at.session.to_restore)
    choices = [  # what is noted as put back is said by somebody who read the question
        ("stay", "Stay"),
        ("done", "It is put back: leave, and note it"),
        ("open", "It stays as it is: leave, and note it"),
    ]
    answer = await at.ask(Pick("Put back before you go", choices, "\n".join(at.session.to_restore)))
    if answer in ("done", "open"):
        at.session.note(f"at the end, {'put back' if answer == 'done' else 'NOT put back'}: {things}")
        at.app.exit()
        return True
    return False
