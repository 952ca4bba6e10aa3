"""The inverse of the wire model: what a receiver got, and what is said of the sender."""

import random
from difflib import SequenceMatcher

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from ordolex.core.line.notation import read_line
from ordolex.core.line.settings import LineSettings, Parity
from ordolex.core.link.judge import LineErrors
from ordolex.core.match.capture import (
    Arrival,
    Capture,
    Flags,
    segments,
    spread_of,
    starts_from_arrivals,
    starts_from_times,
    times_of,
)
from ordolex.core.match.clean import reads_clean
from ordolex.core.match.explain import misread, rows
from ordolex.core.match.formats import Format, formats
from ordolex.core.match.infer import infer
from ordolex.core.match.order import attempts, expected, longest_s, seconds, with_bit_7, with_units
from ordolex.core.match.read import Supposed, read_out
from ordolex.core.match.shapes import seen_in
from ordolex.core.match.stored import captures
from ordolex.core.match.verdict import Kind, judge, speaks_for
from ordolex.core.protocols.modbus.crc import crc16, frames_in
from ordolex.core.record.items import Chunk, Event
from ordolex.core.uart.levels import Transmitter
from ordolex.core.uart.receiver import Receiver, Resync

TEXT = b"spring level 412 mm, lid closed, battery 3.61 V\r\nraceway 2 oxygen 9.4 mg/l, ok\r\n" * 2


def heard(
    sender: str, at: str, text: bytes = TEXT, *, inverted: bool = False, habit: Resync = Resync.EDGE,
    clock: float = 1.0, gap: float = 0.0, skip: int = 9, flags: bool = True, count: int = 48, timed: bool = False,
) -> Capture:  # fmt: skip
    """What a receiver gets that comes in the middle of the talk."""
    out = Transmitter(read_line(sender).settings, inverted=inverted, clock=clock, gap_bits=gap)
    receiver = Receiver(read_line(at).settings, resync=habit, idle_level=out.idle_level)
    receiver.receive(out.send(text, 1.0))
    got = receiver.advance(1e9)[skip:]
    marks = tuple(Flags(c.framing, c.parity, c.broken) for c in got) if flags else None
    times = tuple(round(c.at_s, 3) for c in got) if timed else ()
    capture = Capture(read_line(at).settings, bytes(c.byte for c in got), marks, times_s=times, spread_s=0.0003)
    return capture.first(count)


def alike(reading: bytes) -> float:
    """How much of a reading stands in the text in this order, its ends left out."""
    middle = reading[2:-2].decode("latin-1")
    return (
        SequenceMatcher(None, TEXT.decode(), middle, autojunk=False).ratio()
        * (len(TEXT) + len(middle))
        / (2 * max(1, len(middle)))
    )


@pytest.mark.parametrize(
    ("sender", "at", "extra"),
    [
        ("19200 8N1", "19200 8N1", {}),
        ("19200 7E1", "19200 8N1", {}),
        ("19200 8E1", "19200 8N1", {}),
        ("19200 8O1", "19200 8N1", {"habit": Resync.CLASSIC}),
        ("4800 8N1", "9600 8N1", {}),
        ("9600 7E1", "9600 8N1", {"habit": Resync.CLASSIC}),
        ("9600 8O2", "19200 8N1", {"habit": Resync.CLASSIC}),
        ("2400 8N2", "4800 8N1", {"inverted": True}),
        ("9600 8N1", "9600 8N1", {"inverted": True}),
        ("9600 7O1", "9600 7E2", {}),
        ("4800 8N1", "9600 8N1", {"clock": 0.98, "gap": 3.3}),
        ("9600 8N1", "9600 8N1", {"flags": False}),
        ("4800 8N1", "9600 8N1", {"flags": False}),
        ("31250 8N1", "57600 8N1", {}),
    ],
)
def test_the_sender_is_found_from_what_a_wrong_receiver_got(sender: str, at: str, extra: dict[str, object]) -> None:
    capture = heard(sender, at, **extra)  # type: ignore[arg-type]
    best = infer([capture]).groups[0]
    true = read_line(sender).settings
    assert best.best.settings.baud == true.baud and best.best.inverted == bool(extra.get("inverted"))
    share = alike(best.best.reading)
    assert share > (0.97 if at.split()[0] == sender.split()[0] else 0.55), (share, best.best)
    assert true.format in [member.settings.format for member in best.members]
    assert best.probability > 0.6


@pytest.mark.parametrize("extra", [{}, {"inverted": True}, {"flags": False}, {"clock": 1.02, "gap": 3.3}])
def test_times_of_arrival_tell_the_bits_that_a_receiver_far_above_the_rate_did_not_see(
    extra: dict[str, object],
) -> None:
    capture = heard("300 8N1", "2400 8N1", count=64, timed=True, **extra)  # type: ignore[arg-type]
    group = infer([capture]).groups[0]
    assert group.best.settings == LineSettings(300) and group.best.inverted == bool(extra.get("inverted"))
    assert group.probability > 0.5
    guess = infer([heard("300 8N1", "2400 8N1", count=64, **extra)]).groups[0]  # type: ignore[arg-type]
    assert guess.probability < group.probability and alike(group.best.reading) > alike(guess.best.reading) + 0.15


def test_times_that_came_in_lumps_are_not_believed() -> None:
    line = LineSettings(2400)
    assert spread_of([0.0, 0.01, 0.02], line, 0.001) == 0.001
    assert spread_of([0.0, 0.016, 0.016, 0.016], line, 0.001) == pytest.approx(9 / 2400)


def test_what_cannot_be_told_apart_stands_in_one_group_and_is_said() -> None:
    capture = heard("9600 7M1", "9600 8N1", TEXT)
    inference = infer([capture])
    verdict = judge([capture], inference)
    assert {"7M1", "7N2"} <= {member.settings.format for member in inference.groups[0].members}
    assert verdict.kind is Kind.CERTAIN and {"7M1", "7N2"} <= set(verdict.apart)


def test_a_sender_far_slower_or_faster_is_said_to_be_so_with_where_to_listen() -> None:
    slow = heard("300 8N1", "9600 8N1", count=16)
    verdict = judge([slow], infer([slow]))
    assert verdict.kind is Kind.SLOWER and verdict.listen_at is not None and verdict.listen_at.baud < 9600
    fast = heard("115200 8N1", "9600 8N1")
    verdict = judge([fast], infer([fast]))
    assert verdict.kind is not Kind.CERTAIN and verdict.listen_at is not None and verdict.listen_at.baud > 9600
    assert judge([], infer([])).kind is Kind.NOTHING


def test_probabilities_add_up_and_another_capture_settles_what_one_leaves_open() -> None:
    far = heard("4800 7E1", "38400 8N1", count=20)
    near = heard("4800 7E1", "4800 8N1", count=20)
    one, both = infer([far]), infer([far, near])
    assert sum(entry.probability for entry in one.ranked) + one.outside == pytest.approx(1.0, abs=1e-6)
    assert both.groups[0].best.settings == LineSettings(4800, 7, Parity.EVEN) and both.groups[0].probability > 0.6
    assert both.groups[0].probability > one.groups[0].probability


@settings(max_examples=25, deadline=None)
@given(data=st.binary(max_size=40), marks=st.integers(0, 7), at=st.sampled_from(["300 7E1", "9600 8N1", "921600 5N2"]))
def test_no_bytes_are_too_strange(data: bytes, marks: int, at: str) -> None:
    flags = tuple(Flags(bool(marks & 1), bool(marks & 2), bool(marks & 4)) for _ in data)
    capture = Capture(read_line(at).settings, data, flags, tuple(n % 3 == 0 for n in range(len(data))))
    inference = infer([capture])
    assert all(0 <= entry.probability <= 1 and np.isfinite(entry.probability) for entry in inference.ranked)
    assert judge([capture], inference).words


def test_a_reading_is_what_a_right_receiver_gets() -> None:
    capture = heard("9600 8E1", "9600 8N1", count=60, habit=Resync.CLASSIC)
    (read,) = read_out(capture, [Supposed(Format(8, Parity.EVEN, 1), False, 1.0)], Resync.CLASSIC)
    assert read.data[1:-1] in TEXT and len(read.data) > 40


def test_after_a_framing_error_one_habit_goes_on_in_the_same_grid() -> None:
    flags = (Flags(framing=True), Flags(), Flags())
    capture = Capture(LineSettings(9600), b"\x55\x33\x0f", flags)
    assert [len(part.levels) for part in segments(capture, Resync.EDGE)] == [10, 10, 10]
    assert [len(part.levels) for part in segments(capture, Resync.CLASSIC)] == [19, 10]
    assert [part.levels[-1] for part in segments(capture, Resync.EDGE)] == [0, 1, 1]


def test_rests_are_seen_in_the_times_of_arrival() -> None:
    line = LineSettings(9600)
    assert starts_from_times([1.0, 1.001, 1.2, 1.201], line) == (False, False, True, False)
    with pytest.raises(ValueError, match="one for each byte"):
        Capture(line, b"abc", starts=(True,))


def test_the_picture_shows_what_was_sampled_and_read() -> None:
    sender, listener = LineSettings(4800), LineSettings(9600)
    picture = misread(b"UA", sender, listener)
    got = Receiver(listener)
    got.receive(Transmitter(sender).send(b"UA", 0.0))
    assert [c.byte for c in picture.heard] == [c.byte for c in got.advance(1.0)]
    assert all(sample.level in (0, 1) for sample in picture.samples) and len(picture.samples) >= 20
    text = rows(picture, sender, 90)
    assert "U 55" in text[0] and "▁" in text[1] and f"{picture.heard[0].byte:02x}" in text[3]


def test_shapes_with_a_right_check_weigh_and_wrong_ones_count_against() -> None:
    frame = bytes([7, 3, 0, 16, 0, 2])
    frame += crc16(frame).to_bytes(2, "little")
    assert frames_in(b"\x01" + frame + frame) == [(1, 9), (9, 17)]
    assert seen_in(frame)[1] == "1 frame with a right CRC" and seen_in(frame)[0] > 3
    assert seen_in(b"$YXXDR,C,9.4,C,T1*09\r\n")[0] > 0 > seen_in(b"$YXXDR,C,9.4,C,T1*0A\r\n")[0]
    assert "OK" in seen_in(b"\r\nOK\r\n")[1]
    # MODBUS over Serial Line V1.02, 6.2.2: the CRC is sent low byte first; a frame with its CRC leaves no remainder
    assert crc16(frame) == 0


@pytest.mark.parametrize("count", [12, 24])
def test_what_comes_clean_at_other_settings_does_not_confirm_them(count: int) -> None:
    """Seven bits with parity come without a line error at 8N1, and read as noise there."""
    there, wrong = LineSettings(1200, 7, Parity.EVEN), LineSettings(1200)
    text = b"FEEDER 2 HOPPER LOW\r\nPUMP 1 STOPPED\r\n"
    for skip in range(0, 8, 3):
        amiss = infer([heard("1200 7E1", "1200 8N1", text, skip=skip, count=count, timed=True)])
        assert not speaks_for(amiss, wrong, few=True)
        right = infer([heard("1200 7E1", "1200 7E1", text, skip=skip, count=count, timed=True)])
        assert speaks_for(right, there, few=True)
        plain = infer([heard("1200 8N1", "1200 8N1", text, skip=skip, count=count, timed=True)])
        assert speaks_for(plain, wrong, few=True) and not speaks_for(plain, there, few=False)


def test_attempts_reach_every_usual_format_and_none_comes_twice() -> None:
    plan = attempts([b"\r", b"*IDN?\n"], [LineSettings(1200, 7, Parity.EVEN)])
    assert plan[0].line.text == "1200 7E1" and plan[0].sent == b"\r"
    assert len({attempt.key for attempt in plan}) == len(plan)
    reached = {(a.line.baud, f) for a in plan for f in a.reaches}
    assert {(9600, f) for f in ("8N1", "8N2", "7E1", "7O1", "7N2", "8E1", "8O1")} <= reached
    worth = [expected(a, [b"\r", b"*IDN?\n"].index(a.question), {1200}) / seconds(a, 0.32) for a in plan[2:]]
    assert worth == sorted(worth, reverse=True), "what settles most for each second comes first"
    meter = next(a for a in attempts([b"\r", b"/?!\r\n"]) if a.question == b"/?!\r\n")
    assert meter.line.baud == 300 and meter.reaches == ("7E1",), "IEC 62056-21 signs on at 300 7E1"
    bus = next(a for a in attempts([b"\x01\x03\x00\x00\x00\x01\x84\x0a"]) if "8E1" in a.reaches)
    assert bus.line.format == "8E1"
    fewer = attempts([b"\r"], tried=[attempts([b"\r"])[0].key])
    assert len(fewer) == len(attempts([b"\r"])) - 1
    assert longest_s(plan, 0.25) > 0.25 * len(plan)
    assert with_bit_7(b"\r", Parity.EVEN) == b"\x8d" and with_bit_7(b"\r", Parity.ODD) == b"\r"
    assert with_units(b"{unit}?\r", [1, 2]) == [b"1?\r", b"2?\r"] and with_units(b"?", [1, 2]) == [b"?"]
    # what goes out at 8N2 with bit 7 as its parity is read rightly by a receiver at 7E1
    receiver = Receiver(read_line("1200 7E1").settings)
    receiver.receive(Transmitter(read_line("1200 8N2").settings).send(with_bit_7(b"*IDN?\n", Parity.EVEN), 0.0))
    got = receiver.advance(9.0)
    assert bytes(c.byte for c in got) == b"*IDN?\n" and not any(c.faulty for c in got)


def test_captures_come_from_the_record_with_the_settings_of_their_time() -> None:
    def chunk(data: bytes, at: int, errors: LineErrors | None = None) -> Chunk:
        return Chunk(1, "rx", at, at, [data], at + 1000, errors)

    items = [
        Event(1, 0, 0, "opened", "", {"line": "9600 8N1"}),
        chunk(b"ab", 1000),
        chunk(b"c", 3000, LineErrors(framing=1)),
        Event(1, 0, 0, "settings", "", {"to": "19200 7E1"}),
        chunk(b"d", 9000),
    ]
    first, second = captures(items, LineSettings(300), with_flags=True)
    assert (first.heard_at.text, first.data, second.heard_at.text) == ("9600 8N1", b"abc", "19200 7E1")
    assert first.flags is not None and [flag.framing for flag in first.flags] == [False, False, True]


def test_all_formats_are_weighed() -> None:
    assert len(formats()) == 20 and {f.text for f in formats((5, 6, 7, 8))} >= {"5N2", "6E1", "8S2"}
    assert random.Random(1).choice(formats()).bits in range(9, 13)


@pytest.mark.parametrize(
    ("sender", "at", "clean"),
    [
        ("9600 8N1", "9600 8N1", True),
        ("9600 8N2", "9600 8N1", True),
        ("9600 7E1", "9600 7E1", True),
        ("9600 7E1", "9600 8N1", False),
        ("9600 7O2", "9600 8N1", False),
        ("9600 8E1", "9600 8N1", False),
        ("4800 8N1", "9600 8N1", False),
        ("19200 8N1", "9600 8N1", False),
        ("115200 8N1", "9600 8N1", False),
    ],
)
def test_only_what_reads_clean_without_errors_says_that_nothing_is_wrong(sender: str, at: str, clean: bool) -> None:
    latin = "Füllstand 412 mm, Ölpumpe läuft, Größe 3\r\nraceway äöü 2 ok\r\n".encode("latin-1") * 2
    for text in (TEXT, latin) if "7" not in sender.split()[1] else (TEXT,):
        assert bool(reads_clean(heard(sender, at, text, count=64))) is clean, text
    assert not reads_clean(heard(sender, at, TEXT, count=16))


def test_a_pause_of_the_program_is_no_rest_of_the_line() -> None:
    line = LineSettings(4800)
    singles = [Arrival(0.0021 * n, 1) for n in range(20)]
    late = [Arrival(0.042 + 0.09, 40), Arrival(0.134, 1)]  # held up for 90 ms, then all at once
    assert not any(starts_from_arrivals([*singles, *late], line, 0.0))
    true = [Arrival(2.0, 1), *(Arrival(2.0 + 0.0021 * n, 1) for n in range(1, 5))]
    assert sum(starts_from_arrivals([*singles, *true], line, 0.0)) == 1
    assert not any(starts_from_arrivals([*singles, *true], line, 1.0)), (
        "nothing is known where the program is that late"
    )
    _, spread = times_of([*singles, *late], line, 0.001)
    assert spread >= 39 * 10 / 4800
