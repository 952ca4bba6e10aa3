"""Match: moving over the map and along the bits."""

from __future__ import annotations

from ordolex.tui.desks.match.at import MatchAt


def left(at: MatchAt) -> None:
    _move(at, -1, 0)


def right(at: MatchAt) -> None:
    _move(at, 1, 0)


def up(at: MatchAt) -> None:
    _move(at, 0, -1)


def down(at: MatchAt) -> None:
    _move(at, 0, 1)


def _move(at: MatchAt, across: int, down: int) -> None:
    at.wishes.moved = True
    at.board.move(across, down)
    at.show()


def polarity(at: MatchAt) -> None:
    at.wishes.moved = True
    at.board.inverted = not at.board.inverted
    at.show()


def earlier_bits(at: MatchAt) -> None:
    at.board.bits_at = max(0, at.board.bits_at - 8)
    at.show()


def later_bits(at: MatchAt) -> None:
    at.board.bits_at += 8
    at.show()
