"""The scroll holds exactly the rows that were put in, whatever they carry, and lets the oldest go."""

from __future__ import annotations

from hypothesis import given, settings
from hypothesis import strategies as st

from ordolex.core.talk.conversation import Direction, Row
from ordolex.core.talk.scroll import Scroll

_ROWS = st.builds(
    Row,
    st.sampled_from(Direction),
    st.integers(0, 1 << 53),
    st.binary(max_size=20),
    text=st.text(max_size=5),
    after_ms=st.none() | st.floats(0, 1e6),
    errors=st.sampled_from(["", "2 framing errors"]),
)


@given(st.lists(_ROWS, max_size=60))
@settings(max_examples=60, deadline=None)
def test_rows_come_back_as_they_went_in(rows: list[Row]) -> None:
    scroll = Scroll()
    scroll.extend(rows)
    assert list(scroll) == rows and scroll[-7:] == rows[-7:]
    assert list(reversed(scroll)) == rows[::-1]


def test_the_oldest_block_goes_and_the_newest_rows_stay_findable() -> None:
    scroll = Scroll(kept=10_000)
    scroll.extend(Row(Direction.HEARD, n, b"line %06d of TEN\r\n" % n) for n in range(30_000))
    assert 10_000 <= len(scroll) < 10_000 + 2 * 4096
    assert scroll[-1].at_us == 29_999
    first = scroll[0].at_us
    assert scroll.last_with("Line 029000", len(scroll)) == 29_000 - first
    assert scroll.last_with("ten", 5) == 4
    assert scroll.last_with("line 000001", len(scroll)) is None
