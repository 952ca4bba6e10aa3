"""Errors in their place in the bytes, as a POSIX terminal marks them."""

from __future__ import annotations

import random

from hypothesis import given
from hypothesis import strategies as st

from ordolex.core.link.judge import LineErrors
from ordolex.core.link.marked import ErrorPlaces, Unmarker


@given(st.lists(st.tuples(st.integers(0, 255), st.booleans()), max_size=60), st.randoms(use_true_random=False))
def test_in_any_pieces_each_byte_keeps_its_mark(sent: list[tuple[int, bool]], chance: random.Random) -> None:
    marked = b"".join(
        b"\xff\x00%c" % byte if bad else b"\xff\xff" if byte == 255 else b"%c" % byte for byte, bad in sent
    )
    unmarker, got = Unmarker(), []
    while marked:
        cut = chance.randint(1, 4)
        for part in unmarker.receive(marked[:cut]):
            got += [(byte, part.bad and at == 0) for at, byte in enumerate(part.data)]
        marked = marked[cut:]
    assert got == sent and not unmarker.rest()


def test_the_counters_give_a_mark_its_kind() -> None:
    places = ErrorPlaces(parity=True)
    counted = LineErrors(framing=1, parity=1, breaks=1)
    told = places.receive(b"ab\xff\x00cd\xff\x00\x00e\xff\x00f", counted)
    assert told == [
        (b"ab", None),
        (b"cd", LineErrors(framing=1)),
        (b"\x00e", LineErrors(breaks=1)),
        (b"f", LineErrors(parity=1)),
    ]


def test_what_was_counted_before_its_byte_was_read_is_told_once() -> None:
    places = ErrorPlaces(parity=False)
    assert places.receive(b"x", LineErrors(framing=2)) == [(b"x", None)]
    assert places.looked(None) == []
    assert places.receive(b"\xff\x00y", None) == [(b"y", LineErrors(framing=1))]
    assert places.receive(b"\xff\x00z", None) == [(b"z", LineErrors(framing=1))]
    assert places.looked(None) == [] and places.looked(None) == []


def test_what_never_gets_a_mark_and_what_has_no_byte_is_told_all_the_same() -> None:
    places = ErrorPlaces(parity=False)
    assert places.receive(b"x", LineErrors(overruns=3)) == [(b"", LineErrors(overruns=3)), (b"x", None)]
    assert places.looked(LineErrors(framing=1)) == []
    assert places.looked(None) == [(b"", LineErrors(framing=1))]
    assert places.looked(None) == []


def test_without_counters_the_likely_kind_is_named() -> None:
    assert ErrorPlaces(parity=False).receive(b"\xff\x00a\xff\x00\x00", None) == [
        (b"a", LineErrors(framing=1)),
        (b"\x00", LineErrors(breaks=1)),
    ]
    assert ErrorPlaces(parity=True).receive(b"\xff\x00a", None) == [(b"a", LineErrors(parity=1))]


def test_a_port_that_is_set_anew_loses_no_byte() -> None:
    places = ErrorPlaces(parity=False)
    assert places.receive(b"ab\xff", None) == [(b"ab", None)]
    assert places.set_anew(parity=True) == b"\xff"
    assert places.receive(b"c", None) == [(b"c", None)]
