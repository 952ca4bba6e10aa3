"""Which pin is where on a connector, and from which side: the mirror trap is that both sides are looked at, and the
numbers run the other way round on each."""

from __future__ import annotations

from ordolex.core.wiring.connectors import PINS, Gender

_ROWS = {
    # seen from the mating side of a socket, upper row from left to right, then the lower row
    "DE-9": (("5", "4", "3", "2", "1"), ("9", "8", "7", "6")),
    "DB-25": (tuple(map(str, range(13, 0, -1))), tuple(map(str, range(25, 13, -1)))),
    "mini-DIN-8": (("8", "7", "6"), ("5", "4", "3"), ("2", "1")),
}


def rows_seen(connector: str, gender: Gender, *, from_wires: bool) -> tuple[tuple[str, ...], ...]:
    """The pins of a face, row by row from left to right, as they are seen. A plug shows the mirror of its socket, and
    the wire side shows the mirror of the mating side."""
    rows = _ROWS.get(connector, (PINS[connector],))
    mirrored = (gender is Gender.PLUG) != from_wires
    return tuple(tuple(reversed(row)) for row in rows) if mirrored else rows
