"""What was said on each link, as rows for the screen."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass, field

from ordolex.core.link.exchange import Answer
from ordolex.core.protocols.at.call import Call
from ordolex.core.protocols.passing import Passing
from ordolex.core.record.items import CUTTING_EVENTS, Chunk, Event, LinkRecord
from ordolex.core.talk.conversation import Conversation, Row
from ordolex.core.talk.echo import EchoWatch
from ordolex.core.talk.screen import DeviceScreen
from ordolex.core.talk.scroll import Scroll
from ordolex.core.text.counts import counted
from ordolex.core.text.escapes import typed
from ordolex.io.book.book import Book
from ordolex.io.link.feed import Passed
from ordolex.io.link.runner import LinkRunner
from ordolex.io.system.clock import utc_us

EARLIER_ITEMS = 300
"""So much of the book's end is looked at for what was said before."""
_BYTES_A_TURN = 16 << 10  # of a flood, so much is shown at each turn of the screen; the rest is in the book


@dataclass
class Talk:
    """The rows of one link on the screen."""

    conversation: Conversation = field(default_factory=lambda: Conversation(Passing()))
    rows: Scroll = field(default_factory=Scroll)
    added: int = 0
    stood_at: bytes = b""
    """What of a line had come when it paused last, since something was sent: a prompt is one that nothing follows."""
    history: list[str] = field(default_factory=list)
    screen: DeviceScreen = field(default_factory=DeviceScreen)
    backspace: str = "DEL"
    by_key: bool = False
    local_echo: bool = False
    answers_device: bool = False
    """Whether the device's questions about the terminal are answered: somebody said so, in this visit."""
    asked_about_terminal: bool = False
    call: Call = field(default_factory=Call)
    echo: EchoWatch = field(default_factory=EchoWatch)
    answered: Answer | None = None
    """The last answer to a line that was typed, in this visit."""
    remarks: list[tuple[str, int]] = field(default_factory=list)
    """(text, when) of remarks that wait for the end of a line."""


class Talks:
    """The rows of every link of the book; `runner` gives who runs a link, None while nobody does."""

    def __init__(self, book: Book, runner: Callable[[LinkRecord], LinkRunner | None]) -> None:
        self._book, self._runner = book, runner
        self._talks: dict[int, Talk] = {}

    def of(self, link: LinkRecord) -> Talk:
        """The link's rows; at first those of the book's end, so that a new start goes on where the last one ended."""
        talk = self._talks.get(link.id)
        if talk is None:
            talk = self._talks[link.id] = Talk(screen=DeviceScreen(link.reads_in))
            for item in self._book.reader.latest(EARLIER_ITEMS, link.id):
                self._add_recorded(talk, item)
            talk.screen.take_answers()  # what it asked in the past is over
            sent = [row.data.rstrip(b"\r\n") for row in talk.rows if row.direction == "tx"]
            talk.history = [typed(data, link.reads_in) for data in sent[-50:]]
            self._add(talk, talk.conversation.flush())
            runner = self._runner(link)
            if runner is not None:
                runner.feed.drain()  # the book has it already, up to a few milliseconds
        return talk

    def drain(self, link: LinkRecord) -> bool:
        """Takes what came since the last turn into the link's rows; whether there was anything."""
        talk = self.of(link)
        before = talk.added
        runner = self._runner(link)
        items, forgotten = runner.feed.drain() if runner is not None else ([], 0)
        skipped, items = _tail(items, _BYTES_A_TURN)
        if forgotten + skipped:
            text = f"{counted(forgotten + skipped, 'byte')} passed too fast to show; all are in Keep"
            self._add(talk, talk.conversation.note(text, utc_us()))
        for item in items:
            self._add_passed(talk, item)
        self._add(talk, talk.conversation.tick(utc_us()))
        if talk.remarks and (talk.added != before or not talk.conversation.unfinished):
            self._remark(talk)
        return talk.added != before

    def answers_due(self, talk: Talk) -> bytes:
        """What is to be sent now to a device that asked about the terminal; nothing unless somebody allowed it."""
        answers = talk.screen.take_answers()
        talk.asked_about_terminal |= bool(answers)
        return answers if talk.answers_device else b""

    def say(self, link: LinkRecord, text: str) -> None:
        """A remark of the program's among the link's rows, below what it speaks of: a line that is still coming in is
        let come to its end first."""
        talk = self.of(link)
        talk.remarks.append((text, utc_us()))
        if not talk.conversation.unfinished:
            self._remark(talk)

    def _remark(self, talk: Talk) -> None:
        for text, at_us in talk.remarks:
            self._add(talk, talk.conversation.note(text, at_us, cut=False))
        talk.remarks.clear()

    def _add_passed(self, talk: Talk, item: Passed) -> None:
        if item.direction == "tx":
            talk.call.sent(item.data)
            if talk.local_echo:
                talk.screen.feed_local(item.data)
            talk.stood_at = b""
            self._add(talk, talk.conversation.sent(item.data, item.utc_us))
        elif item.direction == "rx":
            talk.screen.feed(item.data, with_errors=item.errors is not None and item.errors.total > 0)
            talk.call.heard(item.data)
            talk.echo.heard(item.data)
            self._add(talk, talk.conversation.heard(item.data, item.utc_us, item.errors))
            talk.stood_at = talk.conversation.unfinished or talk.stood_at
        else:
            if item.kind == "settings":
                talk.screen.retuned()
            self._add(talk, talk.conversation.note(item.text, item.utc_us, cut=item.kind in CUTTING_EVENTS))

    def _add_recorded(self, talk: Talk, item: Chunk | Event) -> None:
        if isinstance(item, Chunk):
            self._add_passed(talk, Passed(item.direction, item.data, item.utc_us, item.errors))
        elif item.kind not in ("rung", "answer", "lines"):
            cut = item.kind in CUTTING_EVENTS
            if item.kind == "settings":
                talk.screen.retuned()
            self._add(talk, talk.conversation.note(item.text, item.utc_us, cut=cut))

    @staticmethod
    def _add(talk: Talk, rows: list[Row]) -> None:
        talk.rows.extend(rows)
        talk.added += len(rows)


def _tail(items: list[Passed], limit: int) -> tuple[int, list[Passed]]:
    """The last items that hold about `limit` bytes, and how many bytes stand before them."""
    size = 0
    for at in range(len(items) - 1, -1, -1):
        size += len(items[at].data)
        if size > limit:
            return sum(len(item.data) for item in items[:at]), items[at:]
    return 0, items
