"""Measured runs through an end as its user has it, and what they do to the rest of the network."""

from __future__ import annotations

import asyncio
from collections.abc import Callable, Coroutine
from dataclasses import replace
from typing import Any

from ordolex.core.link.question import Question, Verdict
from ordolex.core.relay.path_runs import LEAST, Gathered, PathRun, probe
from ordolex.io.link.runner import LinkRunner
from ordolex.io.net.ping import ping, reach
from ordolex.io.system.clock import mono_s, utc_us

_COME_BACK_S = 2.0
_BESIDE_TRIPS = 5


async def measure_question(
    runner: LinkRunner, name: str, conditions: dict[str, str], question: Question, times: int,
    changed: Callable[[int], None] = lambda done: None,
) -> PathRun:  # fmt: skip
    """One question, again and again: round trips until the last byte of the answer. Raises a Fault."""
    began_us, trips, lost, wrong = utc_us(), [], 0, 0
    for number in range(times):
        answer = await runner.ask(question)
        if (
            answer.last_s is not None
            and answer.verdict in (Verdict.RIGHT, Verdict.UNJUDGED)
            and not answer.errors.total
        ):
            trips.append(answer.last_s * 1000)
        elif answer.data or answer.errors.total:
            wrong += 1
        else:
            lost += 1
        changed(number + 1)
    conditions = {**conditions, "question": question.text}
    return PathRun(name, began_us, "question", conditions, tuple(trips), times, lost, wrong, 0)


async def measure_loop(
    runner: LinkRunner, name: str, conditions: dict[str, str], times: int, size: int = 64, flood: int = 0,
    changed: Callable[[int], None] = lambda done: None,
) -> PathRun:  # fmt: skip
    """Numbered blocks through a path that gives them back: one after the other for round trips, then `flood` bytes in
    one go for the throughput each way. Raises a Fault."""
    began_us = utc_us()
    number_of_run = began_us & 0xFFFFFFFF
    gathered, came = Gathered(number_of_run), asyncio.Event()
    times_back: list[tuple[float, int]] = []

    def heard(data: bytes, errors: object, at_s: float) -> None:
        times_back.append((at_s, len(data)))
        if gathered.arrived(data):
            came.set()

    trips = []
    size = max(LEAST, size)
    with runner.tap.heard_by(heard):
        for number in range(times):
            came.clear()
            sent_s = mono_s()
            gathered.counted.sent += 1
            await runner.out.send(probe(number_of_run, number, size))
            try:
                async with asyncio.timeout(_COME_BACK_S + 2 * runner.line.seconds_for(size)):
                    await came.wait()
                trips.append((mono_s() - sent_s) * 1000)
            except TimeoutError:
                pass
            changed(number + 1)
        out, back = None, None
        if flood:
            out, back = await _flood(runner, gathered, times_back, came, number_of_run, times, flood)
    counted = gathered.counted
    return PathRun(
        name, began_us, "loop", conditions, tuple(trips), counted.sent, counted.lost, counted.wrong, counted.doubled,
        out, back,
    )  # fmt: skip


async def _flood(
    runner: LinkRunner, gathered: Gathered, times_back: list[tuple[float, int]], came: asyncio.Event, run: int,
    first: int, count: int,
) -> tuple[float | None, float | None]:  # fmt: skip
    """Bytes a second that the near end took, and that came back, from the first to the last arrival."""
    size = 512
    blocks = max(2, count // size)
    times_back.clear()
    before = gathered.counted.back
    began_s = mono_s()
    for number in range(first, first + blocks):
        gathered.counted.sent += 1
        await runner.out.send(probe(run, number, size))
    out = blocks * size / max(1e-6, mono_s() - began_s)
    while gathered.counted.back - before < blocks:
        came.clear()
        try:
            async with asyncio.timeout(_COME_BACK_S + 2 * runner.line.seconds_for(size)):
                await came.wait()
        except TimeoutError:
            break
    if len(times_back) < 2:
        return out, None
    span = times_back[-1][0] - times_back[0][0]
    return out, sum(count for _, count in times_back[1:]) / max(1e-6, span)


async def with_host_beside(measuring: Coroutine[Any, Any, PathRun], host: str) -> PathRun:
    """The run, with round trips to a second host before, while and after it goes on: by ICMP, or by TCP to
    host:port."""
    before = await _trips(host, _BESIDE_TRIPS)
    during: list[float | None] = []

    async def look_on() -> None:
        while True:
            during.extend(await _trips(host, 1))
            await asyncio.sleep(0.2)

    looking = asyncio.create_task(look_on())
    try:
        run = await measuring
    finally:
        looking.cancel()
    after = await _trips(host, _BESIDE_TRIPS)
    beside = {"before": tuple(before), "during": tuple(during), "after": tuple(after)}
    return replace(run, conditions=run.conditions | {"beside": host}, beside=beside)


async def _trips(host: str, count: int) -> list[float | None]:
    name, colon, port = host.rpartition(":")
    if not colon:
        return list((await ping(host, count=count, pause_s=0.05)).trips_ms)
    reached = [await reach(name, int(port), 1.0) for _ in range(count)]
    return [one.ms if one.state in ("answered", "refused") else None for one in reached]
