"""Answers that a technician took as right, for devices that have no sheet: the question with the shape of its answer is
the link's own from then on."""

from __future__ import annotations

from collections.abc import Sequence

from ordolex.core.link.exchange import Answer
from ordolex.core.link.question import Question, Verdict
from ordolex.core.record.items import Event, LinkRecord
from ordolex.core.sheet.draft import pattern_of
from ordolex.core.text.charsets import text_of
from ordolex.io.book.book import Book
from ordolex.io.system.clock import mono_s, utc_us

_MEANS = "as it was accepted before"


class Accepted:
    """By link; what was accepted in earlier visits is there once it was read."""

    def __init__(self, book: Book) -> None:
        self._book = book
        self._known: dict[int, dict[bytes, Question]] = {}

    def read(self, link: LinkRecord) -> None:
        """From the book, once for each link. Not for the screen's loop."""
        if link.id not in self._known:
            events = self._book.reader.known.events_of("accepted", link=link.id)
            found = (_question(event) for event in events)
            self._known[link.id] = {question.data: question for question in found if question is not None}

    def of(self, link: LinkRecord) -> dict[bytes, Question]:
        """Bytes sent → the question with the shape of a right answer."""
        return self._known.get(link.id, {})

    def accept(self, link: LinkRecord, answer: Answer, earlier: Sequence[str] = ()) -> Question:
        """From now on an answer of this shape is right. `earlier` answers to the same question say what of it changes.
        Raises ValueError for what cannot be one."""
        if not answer.data or answer.errors.total or answer.verdict in (Verdict.ECHO, Verdict.NONE):
            raise ValueError("only an answer without line errors that is not our own echo can be accepted")
        text = text_of(answer.data, link.charset).strip()
        like = pattern_of([*earlier, text]) or pattern_of([text])
        asked = answer.question
        question = Question(asked.data, timeout_s=asked.timeout_s, like=like, means=_MEANS, charset=link.charset)
        if not like or question.judge(answer.data) is not Verdict.RIGHT:
            raise ValueError("it has several lines, or is too long: make a sheet of it, or pull it as a list")
        self._known.setdefault(link.id, {})[question.data] = question
        detail = {"question_hex": question.data.hex(), "like": like, "timeout_s": question.timeout_s}
        text = f"accepted: {question.text!r} is answered like {text[:60]!r}"
        self._book.recorder.note(Event(link.id, utc_us(), round(mono_s() * 1e6), "accepted", text, detail))
        return question


def _question(event: Event) -> Question | None:
    try:
        detail = event.detail
        data, like = bytes.fromhex(str(detail["question_hex"])), str(detail["like"])
        return Question(data, timeout_s=float(str(detail["timeout_s"])), like=like, means=_MEANS)
    except (KeyError, ValueError):
        return None
