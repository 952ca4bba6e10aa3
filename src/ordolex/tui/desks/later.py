"""The desks behind the first screen. To import them, and all that they stand on, takes longer than the first screen
does, so it is done in a thread once that stands."""

from __future__ import annotations

from ordolex.tui.desks.base import Desk


def other_desks() -> tuple[type[Desk], ...]:
    """In the order of the bar. Ends when all of it is imported."""
    from ordolex.io.link import runner  # noqa: F401 - so that the first port that is opened does not wait for it
    from ordolex.io.transport import rfc2217, serial_port, tcp  # noqa: F401
    from ordolex.tui.desks.keep import KeepDesk
    from ordolex.tui.desks.match import MatchDesk
    from ordolex.tui.desks.set import SetDesk
    from ordolex.tui.desks.talk import TalkDesk
    from ordolex.tui.desks.wire import WireDesk

    return WireDesk, MatchDesk, TalkDesk, SetDesk, KeepDesk
