from hypothesis import given
from hypothesis import strategies as st

from ordolex.core.line.notation import read_line
from ordolex.core.link.loop import LoopResult, compare, pattern


@given(st.binary(max_size=60))
def test_what_comes_back_as_it_was_is_equal(data: bytes) -> None:
    assert compare(data, data).equal


@given(st.binary(min_size=1, max_size=60), st.binary(max_size=60))
def test_the_counts_add_up(sent: bytes, heard: bytes) -> None:
    result = compare(sent, heard)
    assert result.heard == result.sent - result.lost + result.added
    assert result.equal == (sent == heard)


def test_lost_wrong_and_added_bytes_are_told_apart() -> None:
    assert compare(b"0123456789", b"01236789") == LoopResult(10, 8, 2, 0, 0)
    assert compare(b"0123456789", b"01x3456789") == LoopResult(10, 10, 0, 1, 0)
    assert compare(b"0123456789", b"01234567890") == LoopResult(10, 11, 0, 0, 1)
    assert "nothing of 10 bytes came back" in compare(b"0123456789", b"").words()


def test_the_pattern_fits_the_data_bits() -> None:
    assert max(pattern(read_line("9600 7E1").settings)) <= 0x7F
    assert max(pattern(read_line("9600 5N1").settings)) <= 0x1F
    assert 0xFF in pattern(read_line("9600 8N1").settings)
