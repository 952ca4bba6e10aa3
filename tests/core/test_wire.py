"""The wire model, against what UARTs are known to do and against itself turned round."""

import itertools
import random

import pytest
from hypothesis import given
from hypothesis import strategies as st

from ordolex.core.line.notation import read_line
from ordolex.core.uart.levels import MARK, SPACE, Edge, Transmitter
from ordolex.core.uart.line import MAX_WAITING, Line
from ordolex.core.uart.receiver import Character, Receiver, Resync

FORMATS = ["".join(f) for f in itertools.product("5678", "NEOMS", ("1", "1.5", "2"))]


def through(
    sent_at: str, read_at: str, data: bytes, *, resync: Resync = Resync.EDGE, **sender: object
) -> list[Character]:
    out = Transmitter(read_line(sent_at).settings, **sender)  # type: ignore[arg-type]
    back = Receiver(read_line(read_at).settings, resync=resync, idle_level=out.idle_level)
    back.receive(out.send(data, 1.0))
    return back.advance(1e9)


def got(characters: list[Character]) -> bytes:
    return bytes(c.byte for c in characters)


@pytest.mark.parametrize("form", FORMATS)
def test_equal_settings_carry_every_byte(form: str) -> None:
    mask = (1 << int(form[0])) - 1
    received = through(f"9600 {form}", f"9600 {form}", bytes(range(256)))
    assert got(received) == bytes(b & mask for b in range(256))
    assert not any(c.faulty for c in received)


@given(st.binary(max_size=40), st.floats(0, 5), st.sampled_from((Resync.EDGE, Resync.CLASSIC)))
def test_gaps_between_characters_change_nothing(data: bytes, gap: float, resync: Resync) -> None:
    assert got(through("300 8E1", "300 8E1", data, resync=resync, gap_bits=gap)) == data


@pytest.mark.parametrize("clock", [0.957, 0.98, 1.02, 1.05])
def test_a_clock_within_tolerance_is_read(clock: float) -> None:
    received = through("9600 8N1", "9600 8N1", bytes(range(256)), clock=clock)
    assert got(received) == bytes(range(256))
    assert not any(c.faulty for c in received)


@pytest.mark.parametrize("clock", [0.93, 1.08])
def test_a_clock_beyond_tolerance_is_not(clock: float) -> None:
    received = through("9600 8N1", "9600 8N1", bytes(range(256)), clock=clock)
    assert got(received) != bytes(range(256))
    assert any(c.framing for c in received)


def test_known_garbage_of_half_the_rate() -> None:
    """'U' at 4800 is a square wave whose bits last two bits of 9600: 0x66, 0x66 by hand, the second after its start."""
    received = through("4800 8N1", "9600 8N1", b"U", resync=Resync.EDGE)
    # levels at 9600: start 00, then 11 00 11 00 11 00 11 00, stop 11
    # first frame: start 0, data 0 1 1 0 0 1 1 0 = 0x66, stop sample 0: framing error
    assert received[0].byte == 0b01100110
    assert received[0].framing


def test_double_rate_halves_the_bits() -> None:
    """0xFE at 19200 is low for two of its bits, one of 9600: a start bit alone. 0xF8 is low for two bits of 9600."""
    for sent, read in ((0xFE, 0xFF), (0xF8, 0xFE)):
        received = through("19200 8N1", "9600 8N1", bytes((sent,)))
        assert [(c.byte, c.framing) for c in received] == [(read, False)]


def test_seven_even_read_as_eight_none_has_its_parity_in_bit_seven() -> None:
    received = through("9600 7E1", "9600 8N1", b"AC")
    assert got(received) == bytes((0x41, 0x43 | 0x80))
    assert not any(c.faulty for c in received)


def test_eight_none_read_as_eight_even_fails_in_parity_or_framing() -> None:
    received = through("9600 8N1", "9600 8E1", b"\x01")
    assert received[0].byte == 0x01
    assert not received[0].parity, "the stop bit is taken for a right parity bit of one"
    assert through("9600 8N1", "9600 8E1", b"\x03")[0].parity


def test_two_stop_bits_read_as_one_are_no_error() -> None:
    assert not any(c.faulty for c in through("9600 8N2", "9600 8N1", bytes(range(256))))


def test_a_break_gives_one_flagged_zero_and_then_silence_until_mark() -> None:
    out = Transmitter(read_line("9600 8N1").settings)
    back = Receiver(read_line("9600 8N1").settings)
    back.receive(out.send_break(1.0, 0.5))
    back.receive(out.send(b"A", 2.0))
    first, second = back.advance(10)
    assert (first.byte, first.broken, first.framing) == (0, True, False)
    assert (second.byte, second.faulty) == (0x41, False)


def test_a_far_slower_sender_gives_only_zeros_and_breaks() -> None:
    received = through("300 8N1", "9600 8N1", b"Hello")
    assert all(c.byte == 0 and c.broken for c in received)


def test_an_inverted_line_rests_at_space_and_starts_with_a_break() -> None:
    received = through("9600 8N1", "9600 8N1", b"Hello", inverted=True)
    assert received[0].broken
    assert got(received)[1:] != b"Hello"[: len(received) - 1]


def test_the_two_habits_after_a_framing_error_differ() -> None:
    data = b"MEAS:OXYG?\n"
    edge = through("4800 8N1", "9600 8N1", data, resync=Resync.EDGE)
    classic = through("4800 8N1", "9600 8N1", data, resync=Resync.CLASSIC)
    assert got(edge) != got(classic)
    assert edge[0] == classic[0], "they agree until the first framing error"


def test_the_classic_habit_takes_the_low_stop_bit_for_the_next_start() -> None:
    bit = 1 / 9600
    back = Receiver(read_line("9600 8N1").settings, resync=Resync.CLASSIC)
    # start, eight ones, low stop bit: that is start of the next, whose data follow at once
    back.receive([Edge(0, SPACE), Edge(bit, MARK), Edge(9 * bit, SPACE), Edge(10 * bit, MARK)])
    first, second = back.advance(1)
    assert (first.byte, first.framing) == (0xFF, True)
    assert (second.byte, second.framing) == (0xFF, False)


def test_a_glitch_shorter_than_half_a_bit_starts_nothing() -> None:
    bit = 1 / 9600
    back = Receiver(read_line("9600 8N1").settings)
    back.receive([Edge(1.0, SPACE), Edge(1.0 + 0.4 * bit, MARK)])
    assert back.advance(2.0) == []
    out = Transmitter(read_line("9600 8N1").settings)
    back.receive(out.send(b"x", 3.0))
    assert got(back.advance(4.0)) == b"x"


@given(
    st.binary(min_size=1, max_size=30), st.lists(st.floats(0, 0.05), max_size=60), st.sampled_from([4800, 9600, 19200])
)
def test_any_way_of_advancing_gives_the_same_characters(data: bytes, steps: list[float], rate: int) -> None:
    out = Transmitter(read_line("9600 8N1").settings)
    edges = out.send(data, 0.0)
    whole = Receiver(read_line(f"{rate} 8N1").settings)
    whole.receive(edges)
    pieces = Receiver(read_line(f"{rate} 8N1").settings)
    pieces.receive(edges)
    now, received = 0.0, []
    for step in steps:
        now += step
        received += pieces.advance(now)
    assert received + pieces.advance(1e9) == whole.advance(1e9)


# ---- the line with its pacing


def line(sent_at: str, read_at: str, **sender: object) -> Line:
    out = Transmitter(read_line(sent_at).settings, **sender)  # type: ignore[arg-type]
    return Line(out, Receiver(read_line(read_at).settings, idle_level=out.idle_level))


def run(wire: Line, start: float, seconds: float) -> list[Character]:
    """Advances as the bench does: at its deadlines."""
    now, received = start, []
    while now < start + seconds:
        received += wire.advance(now)
        due = wire.next_deadline()
        if due is None:
            break
        now = max(now + 0.0005, due)
    return received + wire.advance(start + seconds)


@given(st.lists(st.binary(min_size=1, max_size=40), min_size=1, max_size=4))
def test_the_shortcut_gives_what_the_full_model_gives(messages: list[bytes]) -> None:
    quick = line("9600 7E2", "9600 7E2")
    full = line("9600 7E2", "9600 7E2", flip=lambda: False)  # a flip that never turns anything forces the full model
    for wire in (quick, full):
        for number, message in enumerate(messages):
            wire.send(message, 1.0 + number * 0.01)
    a, b = run(quick, 1.0, 3.0), run(full, 1.0, 3.0)
    assert [(c.byte, c.faulty) for c in a] == [(c.byte, c.faulty) for c in b]
    assert all(x.at_s == pytest.approx(y.at_s, abs=1e-9) for x, y in zip(a, b, strict=True))


def test_bytes_take_their_time_on_the_wire() -> None:
    wire = line("1200 8N1", "1200 8N1")
    wire.send(b"x" * 120, 5.0)
    assert len(wire.advance(5.5)) in (59, 60)
    assert not wire.advance(5.5)
    assert len(wire.advance(6.01)) in (60, 61)
    assert wire.next_deadline() is None


def test_a_change_of_settings_takes_hold_in_the_middle() -> None:
    wire = line("9600 8N1", "9600 8N1")
    wire.send(b"A" * 500, 0.0)
    before = run(wire, 0.0, 0.1)
    wire.receiver.settings = read_line("19200 8N1").settings
    after = run(wire, 0.1, 5.0)
    assert got(before) == b"A" * len(before)
    assert any(c.framing for c in after)


def test_a_sender_that_piles_up_loses_the_rest_and_says_how_much() -> None:
    wire = line("9600 8N1", "9600 8N1")
    wire.send(bytes(MAX_WAITING + 10), 0.0)
    assert wire.lost == 10


def test_noise_turns_bits_over() -> None:
    chance = random.Random(7)
    wire = line("9600 8N1", "9600 8N1", flip=lambda: chance.random() < 0.02)
    wire.send(bytes(range(256)) * 4, 0.0)
    received = run(wire, 0.0, 3.0)
    wrong = sum(c.faulty for c in received)
    assert 10 < wrong < 400
    assert got(received) != bytes(range(256)) * 4
