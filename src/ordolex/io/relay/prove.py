"""The proof of a relay, end to end: a question through the near end itself, as its user would ask it."""

from __future__ import annotations

import asyncio
from collections.abc import AsyncIterator, Callable
from contextlib import asynccontextmanager

from ordolex.core.link.question import Question, Verdict
from ordolex.core.link.state import Proof
from ordolex.core.relay.path_runs import LEAST, Gathered, PathRun, probe
from ordolex.io.book.nowhere import NoBook
from ordolex.io.link.runner import LinkRunner
from ordolex.io.relay.relay import Relay
from ordolex.io.system.clock import mono_s, utc_us
from ordolex.io.system.faults import Fault, PortHeld

_COME_BACK_S = 2.0


@asynccontextmanager
async def used(relay: Relay) -> AsyncIterator[LinkRunner]:
    """The near end as its user has it. What passes is recorded at the relay's own ends. Raises a Fault where somebody
    else has it, or where nobody can come to it."""
    near, far = relay.ends
    if not near.stands.is_set():
        raise Fault(f"{near.runner.endpoint.text} does not stand: {near.error or 'not open'}", "start the relay first")
    if not near.path:
        raise Fault(
            f"{near.runner.endpoint.text} is an end that we open: nobody can ask through it", "ask at its other side"
        )
    if near.users:
        names = ", ".join(user.name for user in near.users)
        raise PortHeld(f"{names} uses it", "what it asks and is answered is the proof; or close it there first")
    runner = LinkRunner(0, near.path, far.runner.line, NoBook())
    await runner.open()
    try:
        yield runner
    finally:
        await runner.release()


async def prove(relay: Relay, question: Question) -> tuple[Proof | None, str]:
    """The proof, kept in the relay, or None, and a sentence on what came. Raises a Fault as `used` does."""
    async with used(relay) as runner:
        answer = await runner.ask(question)
    text = answer.data.decode("utf-8", "replace").strip()
    if answer.verdict is Verdict.RIGHT and answer.last_s is not None:
        relay.proven(Proof(question.text, text, answer.last_s * 1000, mono_s()))
        words = f"proven through {relay.ends[0].path}: {question.text} → {text[:60]}, {answer.last_s * 1000:.0f} ms"
    elif not answer.data:
        words = f"no answer to {question.text} through {relay.ends[0].path} in {question.timeout_s:g} s"
    elif answer.verdict is Verdict.UNJUDGED:
        words = f"{question.text} → {text[:60]}: an answer came through; what a right one looks like is not known"
    else:
        words = f"{question.text} → {text[:60]}: {answer.verdict.value}, so nothing is proven"
    if answer.verdict is not Verdict.RIGHT:
        relay.proven(None)
    relay.ends[1].runner.note("note", words)
    return (relay.proof if answer.verdict is Verdict.RIGHT else None), words


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
