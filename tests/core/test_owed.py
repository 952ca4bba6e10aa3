"""Answers that are owed for longer than was thought: the seconds are the test's own."""

from __future__ import annotations

import pytest

from ordolex.core.link.exchange import Ended, Exchange
from ordolex.core.link.owed import Owed
from ordolex.core.link.question import Question
from ordolex.core.protocols.codecs import ModbusCodec
from ordolex.core.protocols.modbus.frames import Rtu

RTU = Rtu()


def read(register: int) -> Question:
    codec = ModbusCodec(RTU, 4, bytes([3]) + register.to_bytes(2) + bytes([0, 1]), f"register {register}")
    return Question(codec.sent, timeout_s=0.12, codec=codec)


def answer(value: int) -> bytes:
    return RTU.wrap(4, bytes([3, 2]) + value.to_bytes(2))


def known_late() -> Owed:
    """A link whose answers came 0.2 s after they were asked for, once."""
    owed = Owed()
    owed.unanswered(read(60), 0.0)
    assert owed.hear(answer(9), 0.2) is not None and owed.late is not None
    return owed


def test_what_was_given_up_is_not_taken_for_the_next_question() -> None:
    owed = known_late()
    owed.unanswered(read(0), 10.0)
    assert owed.wait_s(read(20), 10.12) > 0 and owed.wait_s(read(20), 10.6) == 0, "it is asked after some patience"
    exchange = Exchange(read(20), 10.6, 0.001, owed)
    done = exchange.receive(answer(1000), None, 10.7)
    assert done is not None and done.ended is Ended.DOUBTFUL, "it may be register 0 that comes at last"


def test_asked_twice_and_answered_once_it_owes_one_more_answer() -> None:
    owed = known_late()
    owed.unanswered(read(0), 10.0)
    assert owed.wait_s(read(0), 10.6) == 0
    owed.answered(read(0), answer(1000), 10.6, 10.7)
    assert owed.wait_s(read(20), 10.7) > 0.5, "the second answer takes as long as the first did"
    assert owed.hear(answer(1000), 11.2) is not None and owed.wait_s(read(20), 11.2) == 0


def test_an_answer_that_never_came_is_forgotten() -> None:
    owed = known_late()
    owed.unanswered(read(0), 10.0)
    assert owed.wait_s(read(20), 16.0) == 0
    done = Exchange(read(20), 16.0, 0.001, owed).receive(answer(1001), None, 16.05)
    assert done is not None and done.ended is Ended.FRAME


@pytest.mark.parametrize("owed", [Owed(), known_late()], ids=["in time so far", "late once"])
def test_a_unit_that_was_silent_and_is_back_is_soon_asked_at_its_pace_again(owed: Owed) -> None:
    now = 10.0
    for pause in (0.2, 0.5, 1.2, 2.4):  # more and more rarely
        owed.unanswered(read(0), now)
        now += pause
    waits = []
    for _ in range(12):
        waits.append(owed.wait_s(read(0), now))
        now += waits[-1] + 0.05
        owed.answered(read(0), answer(7), now - 0.05, now)
    assert waits[3:] == [0.0] * 9, "nothing came while it was let run out, twice: nothing is owed"
