"""How long small arrivals collect, by a clock of the test's own."""

from __future__ import annotations

from ordolex.io.transport.base import Pacer


def paces(pacer: Pacer, arrivals: list[tuple[float, int, int]]) -> list[float]:
    """`arrivals`: when, how many bytes came, how many had gone out before."""
    paused = []
    for at_s, came, went_out in arrivals:
        if went_out:
            pacer.wrote(went_out)
        paused.append(pacer.pause_s(came, at_s))
    return paused


def test_an_answer_that_follows_what_went_out_is_passed_on_at_once() -> None:
    pacer = Pacer(prompt=True)
    assert paces(pacer, [(1 + 0.001 * n, 8, 8) for n in range(20)]) == [0.0] * 20


def test_a_trickle_by_itself_waits_a_little_and_a_stream_a_little_longer() -> None:
    pacer = Pacer(prompt=True)
    assert paces(pacer, [(1 + 0.001 * n, 5, 0) for n in range(10)])[1:] == [0.001] * 9
    pacer = Pacer(prompt=True)
    assert paces(pacer, [(1 + 0.002 * n, 184, 0) for n in range(30)])[-1] == 0.004


def test_fast_streams_both_ways_collect_longer_and_a_transfer_in_blocks_does_not() -> None:
    both = [(1 + 0.004 * n, 368, 368) for n in range(30)]  # 921600 baud each way
    assert paces(Pacer(prompt=True), both)[-10:] == [0.01] * 10
    assert 0.01 not in paces(Pacer(), both)  # not where a response time is measured
    blocks = [(1 + 0.001 * n, 92, 1 if n % 12 == 0 else 0) for n in range(120)]  # 1 kB, then one byte that says it came
    assert 0.01 not in paces(Pacer(prompt=True), blocks)


def test_streams_that_have_ended_leave_no_delay_behind() -> None:
    pacer = Pacer(prompt=True)
    paces(pacer, [(1 + 0.004 * n, 368, 368) for n in range(30)])
    assert paces(pacer, [(2.0, 1, 1)]) == [0.0]


def test_a_stream_faster_than_a_serial_line_collects_and_one_of_115200_keeps_its_times() -> None:
    flood = [(1 + 0.0032 * n, 64, 0) for n in range(60)]  # 20 kB/s in lines
    assert paces(Pacer(), flood)[-20:] == [0.015] * 20
    assert paces(Pacer(), [*flood, (1.2, 64, 8)])[-1] != 0.015, "an answer to what was sent is not held up"
    serial = [(1 + 0.004 * n, 46, 0) for n in range(60)]  # 115200 8N1 without a pause
    assert 0.015 not in paces(Pacer(), serial)
