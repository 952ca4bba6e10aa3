"""What is kept of a link: into the record, the feed of the screen, and the log for support."""

from __future__ import annotations

from collections.abc import Callable
from typing import Protocol

from ordolex.core.link.judge import LineErrors
from ordolex.core.link.ladder import Rung
from ordolex.core.link.state import LinkState
from ordolex.core.record.items import Event
from ordolex.core.text.counts import counted
from ordolex.io.link.feed import Feed, Passed
from ordolex.io.system import log
from ordolex.io.system.clock import mono_s, utc_us

_NOT_SHOWN = ("rung", "answer", "lines", "trial")


class RecorderLike(Protocol):
    """Where the tap leads."""

    @property
    def full(self) -> bool: ...

    def record(self, link: int, direction: str, data: bytes, errors: LineErrors | None, at_s: float) -> None: ...

    def note(self, event: Event) -> None: ...


class Journal:
    """`where` says where the link's port is now."""

    def __init__(self, link: int, recorder: RecorderLike, state: LinkState, where: Callable[[], str]) -> None:
        self._link, self._recorder, self._state, self._where = link, recorder, state, where
        self.feed = Feed()

    def passed(self, direction: str, data: bytes, errors: LineErrors | None, at_s: float) -> None:
        """Bytes for the record, before anybody sees them."""
        self._recorder.record(self._link, direction, data, errors, at_s)

    def shown(self, direction: str, data: bytes, errors: LineErrors | None, at_s: float) -> None:
        """The same bytes for the screen."""
        self.feed.put(Passed(direction, data, utc_us(at_s), errors))

    @property
    def full(self) -> bool:
        """Whether the disk does not keep up."""
        return self._recorder.full

    def note(self, kind: str, text: str, detail: dict[str, object] | None = None) -> None:
        self._recorder.note(Event(self._link, utc_us(), round(mono_s() * 1e6), kind, text, detail or {}))
        log.happened(kind, self._link, f"{self._where()} {text}")
        if kind not in _NOT_SHOWN:
            self.feed.put(Passed("note", b"", utc_us(), text=text, kind=kind))

    def rung_after(self, before: Rung) -> None:
        """Notes where the link stands now, if that is not where it stood before."""
        now = self._state.rung
        if now is not before:
            detail: dict[str, object] = {"from": before.word, "to": now.word}
            if now is Rung.PROVEN and self._state.proof is not None:
                proof = self._state.proof
                detail |= {"asked": proof.question, "said": proof.answer, "ms": round(proof.ms, 3)}
            self.note("rung", f"{before.word} → {now.word}", detail)

    def withheld(self, direction: str, count: int) -> None:
        """Of a secret, or its echo, only the length is kept."""
        text = f"{counted(count, 'byte')} withheld"
        self.note("withheld", text, {"direction": direction, "bytes": count})
