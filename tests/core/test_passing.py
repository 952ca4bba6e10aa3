"""Frames in words, told by their own checks: requests, answers, exceptions, meters, frames that others sent; and bytes
that are none stay as they are, whole and in order."""

from __future__ import annotations

import random

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from ordolex.core.protocols.modbus import pdu
from ordolex.core.protocols.modbus.frames import Ascii, Rtu, Tcp
from ordolex.core.protocols.passing import Passing, words_of
from ordolex.core.talk.conversation import Conversation, Direction, Row


def spoken(*pieces: tuple[str, bytes], gap_us: int = 20_000) -> list[Row]:
    talk, at_us, rows = Conversation(Passing()), 1_000_000, []
    for way, data in pieces:
        rows += talk.sent(data, at_us) if way == "tx" else talk.heard(data, at_us)
        at_us += gap_us
    return rows + talk.flush()


@pytest.mark.parametrize("framing", [Rtu(), Ascii(), Tcp()])
def test_a_question_and_its_answer_are_rows_in_words_also_in_pieces_and_with_line_ends_inside(
    framing: Rtu | Ascii | Tcp,
) -> None:
    asked = framing.wrap(7, pdu.read_registers(3, 9, 2))
    answer = framing.wrap(7, bytes([3, 4, 0x0A, 0x0D, 0x13, 0x88]))
    if isinstance(framing, Tcp):
        answer = asked[:2] + answer[2:]
    for cut in range(1, len(answer)):
        rows = spoken(("tx", asked), ("rx", answer[:cut]), ("rx", answer[cut:]))
        assert [row.words for row in rows] == [
            "unit 7: read 2 from holding 9 (40010 counted from 1)", "unit 7: 2573 5000",
        ], cut  # fmt: skip
        assert rows[1].data == answer and rows[1].after_ms == 20.0


def test_exceptions_writes_and_frames_that_others_sent_are_said() -> None:
    rtu = Rtu()
    refused = spoken(("tx", rtu.wrap(4, pdu.write_register(3, 700))), ("rx", rtu.wrap(4, bytes([0x86, 3]))))
    assert refused[0].words == "unit 4: write 700 to holding 3 (40004 counted from 1)"
    assert refused[1].words.startswith("unit 4: exception 3")
    overheard = spoken(("rx", rtu.wrap(3, pdu.read_registers(4, 0, 1)) + rtu.wrap(3, bytes([4, 2, 1, 0]))))
    assert [row.words for row in overheard] == [
        "unit 3: read 1 from input 0 (30001 counted from 1)", "unit 3: answers 256",
    ]  # fmt: skip
    assert words_of(b"1.8.0(0018216.33*kWh)\r\n") == "active energy, imported 18216.33 kWh"
    assert words_of(b"C.1.0(00317)\r\n") == "device address 00317" and words_of(b"/?!\r\n") == "sign-on to any meter"
    assert words_of(b"\x06050\r\n") == "readout at 9600 baud, please"
    assert words_of(b"\x02AB\x03\x00") == "a frame of 2 bytes, its block check is right"
    for plain in (b"LEVEL (1) ok\r\n", b"hello", b"", b"9.42 mg/l\n", b"f(x)"):
        assert words_of(plain) == ""


@settings(max_examples=80)
@given(st.lists(st.tuples(st.sampled_from(["tx", "rx"]), st.binary(min_size=1, max_size=40)), max_size=8), st.randoms())
def test_every_byte_is_in_one_row_in_order_whatever_passes(
    pieces: list[tuple[str, bytes]], chance: random.Random
) -> None:
    asked = Rtu().wrap(9, pdu.read_registers(3, 0, 1))
    for place in range(chance.randrange(3)):
        pieces.insert(min(place, len(pieces)), ("tx", asked))
    rows = spoken(*pieces, gap_us=chance.choice((1000, 400_000)))
    for way, direction in (("tx", Direction.SENT), ("rx", Direction.HEARD)):
        passed = b"".join(data for one, data in pieces if one == way)
        assert b"".join(row.data for row in rows if row.direction is direction) == passed
