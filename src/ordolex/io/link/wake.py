"""Wakes a device as its sheet says: one thing after the other, until bytes come; then its identity is the proof."""

from __future__ import annotations

from ordolex.core.link.exchange import Answer, Ended
from ordolex.core.link.question import Question, Verdict
from ordolex.core.sheet import Sheet
from ordolex.core.text.counts import counted
from ordolex.core.text.escapes import named, to_bytes
from ordolex.io.link.runner import LinkRunner


async def wake(runner: LinkRunner, sheet: Sheet) -> tuple[str, Answer | None]:
    """What came of it in a sentence, and the answer to the sheet's first harmless question where it was asked.

    A device that answers to nothing of the sheet's `wake` is asked all the same: many need no waking. Raises a Fault
    where nothing could be sent.
    """
    woke = ""
    for text in sheet.wake:
        answer = await runner.ask(Question(to_bytes(text)))
        if answer.ended in (Ended.STOPPED, Ended.LOST):
            return "stopped", None
        if answer.data:
            woke = f"{named(to_bytes(text))} brought {counted(len(answer.data), 'byte')}"
            break
    if not sheet.harmless:
        return woke or f"nothing came back to {_tried(sheet)}", None
    question = sheet.harmless[0].question()
    answer = await runner.ask(question)
    if answer.verdict is Verdict.RIGHT:
        return f"{f'{woke}; ' if woke else ''}{question.text} was answered as the sheet says", answer
    if answer.data:
        return f"it speaks, but not as the sheet {sheet.name} says; look at the answer", answer
    return woke or f"nothing came back to {_tried(sheet)}{question.text}", answer


def _tried(sheet: Sheet) -> str:
    return "".join(f"{named(to_bytes(text))}, " for text in sheet.wake)
