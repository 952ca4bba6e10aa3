"""The proof of a relay, end to end: a question through the near end itself, as its user would ask it."""

from __future__ import annotations

from collections.abc import AsyncIterator
from contextlib import asynccontextmanager

from ordolex.core.link.question import Question, Verdict
from ordolex.core.link.state import Proof
from ordolex.core.text.charsets import text_of
from ordolex.io.book.nowhere import NoBook
from ordolex.io.link.runner import LinkRunner
from ordolex.io.relay.relay import Relay
from ordolex.io.system.clock import mono_s
from ordolex.io.system.faults import Fault, PortHeld


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
    text = text_of(answer.data, relay.ends[1].runner.charset).strip()
    if answer.verdict is Verdict.RIGHT and answer.last_s is not None:
        relay.ends[1].runner.answered_through(answer)
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
