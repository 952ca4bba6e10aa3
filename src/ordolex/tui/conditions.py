"""What begins or ends in a round is said at whatever desk is in front, and rings."""

from __future__ import annotations

from typing import TYPE_CHECKING

from ordolex.core.text.visible import visible_text

if TYPE_CHECKING:
    from ordolex.tui.app import OrdolexApp


def tell_conditions(app: OrdolexApp) -> None:
    """The newest condition of the round that runs, since this was called last."""
    watches = app.session.watches_made
    if watches is None or not watches.happened:
        return
    happened, watches.happened = watches.happened, []
    item, change = happened[-1]
    app.say(f"{visible_text(item)}: {change.what} {'begins' if change.on else 'ends'}", "bad" if change.on else "good")
    watch = watches.watch
    if watch is not None and watch.round.alarm.bell and any(change.on for _, change in happened):
        app.bell()
