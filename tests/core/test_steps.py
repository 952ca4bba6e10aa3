"""Sequences played without a clock and without a port: each step is looked at, each question answered from a script."""

from __future__ import annotations

from collections.abc import Callable
from typing import TypeVar

import pytest

from ordolex.core.line.notation import read_line
from ordolex.core.link.exchange import Answer, Ended
from ordolex.core.link.question import Question
from ordolex.core.link.rate import change_rate
from ordolex.core.link.rubout import probe_rubout
from ordolex.core.link.steps import Ask, Outputs, Quiet, Retune, Step, Steps, Wait
from ordolex.core.protocols.at.calls import dial, hang_up

T = TypeVar("T")
SLOW, FAST = read_line("9600 8N1").settings, read_line("38400 8N1").settings
ID = Question(b"*IDN?\n")


def played(steps: Steps[T], answers: Callable[[bytes], bytes]) -> tuple[T, list[Step]]:
    """What it came to, and its steps."""
    done: list[Step] = []
    given = None
    while True:
        try:
            step = steps.send(given)
        except StopIteration as end:
            return end.value, done
        done.append(step)
        given = (
            Answer(step.question, answers(step.question.data), Ended.SILENCE, 0.1, 0.1)
            if isinstance(step, Ask)
            else None
        )


def asked(steps: list[Step]) -> list[bytes]:
    return [step.question.data for step in steps if isinstance(step, Ask)]


class Device:
    """Answers `*IDN?` where the port is at its rate; `deaf` to every command but at first."""

    def __init__(self, *, takes: bool = True, refuses: bool = False) -> None:
        self.baud, self._takes, self._refuses = 9600, takes, refuses

    def at(self, port_baud: int) -> Callable[[bytes], bytes]:
        def answers(data: bytes) -> bytes:
            if data.startswith(b"rate"):
                if self._refuses:
                    return b"ERROR\r\n"
                self.baud = 38400 if self._takes else 9600
                return b"OK\r\n"
            return b"Brookmade\r\n" if self.baud == port_baud else b""

        return answers


def play_rate(device: Device) -> tuple[object, list[Step]]:
    """The port follows the steps."""
    baud = 9600
    steps, done, given = change_rate(SLOW, b"rate 38400\r", FAST, ID), list[Step](), None
    while True:
        try:
            step = steps.send(given)
        except StopIteration as end:
            return end.value, done
        done.append(step)
        given = None
        if isinstance(step, Retune):
            baud = step.line.baud
        elif isinstance(step, Ask):
            given = Answer(step.question, device.at(baud)(step.question.data), Ended.SILENCE, 0.1, 0.1)


def test_a_rate_is_changed_on_both_ends_or_on_neither() -> None:
    changed, steps = play_rate(Device())
    assert changed.proven and changed.line == FAST  # type: ignore[attr-defined]
    assert [step.line for step in steps if isinstance(step, Retune)] == [FAST]
    refused, steps = play_rate(Device(refuses=True))
    assert not refused.proven and "refused" in refused.words  # type: ignore[attr-defined]
    assert not any(isinstance(step, Retune) for step in steps), "our end does not move"
    kept, steps = play_rate(Device(takes=False))
    assert not kept.proven and kept.line == SLOW and "both are back at 9600" in kept.words  # type: ignore[attr-defined]
    assert [step.line for step in steps if isinstance(step, Retune)] == [FAST, SLOW]
    assert asked(steps).count(b"rate 38400\r") == 1, "what acts on the device goes out once"


def test_a_call_is_hung_up_by_command_or_by_dtr() -> None:
    ended, steps = played(hang_up(in_data=True), lambda data: b"\r\nOK\r\n")
    assert (
        ended.reply is not None
        and ended.reply.good
        and isinstance(steps[0], Quiet)
        and asked(steps) == [b"+++", b"ATH\r"]
    )
    ended, steps = played(hang_up(in_data=True), lambda data: b"")
    assert ended.reply is None and asked(steps) == [b"+++"]
    assert [step for step in steps if isinstance(step, Outputs | Wait)] == [
        Outputs(dtr=False),
        Wait(0.6),
        Outputs(dtr=True),
    ]
    with pytest.raises(ValueError, match="no number"):
        dial("intake weir")


def test_the_key_that_rubs_out_is_found_and_no_line_is_sent() -> None:
    found, steps = played(probe_rubout(), lambda data: b"\x08 \x08" if data == b"\x08" else data)
    assert found[0] == "BS" and not any(b"\r" in data or b"\n" in data for data in asked(steps))
    letters, taken = asked(steps).count(b"x"), asked(steps).count(b"\x08")
    assert letters == taken == 2, "every letter that was typed is taken back"
