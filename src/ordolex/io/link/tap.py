"""The one tap on a link: everything that arrives goes to the record here, before anybody sees it; secrets are kept back
from both. It is the listener of the transport."""

from __future__ import annotations

import asyncio
import contextlib
from collections.abc import Callable, Iterator

from ordolex.core.link.judge import LineErrors
from ordolex.core.link.secrets import HELD_S, Piece, Withholder
from ordolex.core.link.state import LinkState
from ordolex.io.link.control_lines import ControlLines
from ordolex.io.link.held import Held
from ordolex.io.link.journal import Journal
from ordolex.io.link.turns import Turns
from ordolex.io.system.clock import mono_s
from ordolex.io.system.faults import Fault
from ordolex.io.transport.base import ModemLines

_RESUME_CHECK_S = 0.02

Hearer = Callable[[bytes, LineErrors | None, float], None]


class Tap:
    """`lost_by` is told when the port is lost."""

    def __init__(
        self, held: Held, state: LinkState, journal: Journal, lines: ControlLines, turns: Turns, withholder: Withholder,
        lost_by: Callable[[Fault], None],
    ) -> None:  # fmt: skip
        self._held, self._state, self._journal = held, state, journal
        self._lines, self._turns, self._withholder, self._lost_by = lines, turns, withholder, lost_by
        self.hearers: list[Hearer] = []
        self.line_hearers: list[Callable[[ModemLines], None]] = []
        self._holders: set[str] = set()

    @contextlib.contextmanager
    def heard_by(self, hear: Hearer) -> Iterator[None]:
        """`hear` is called with everything that arrives, behind the recorder."""
        self.hearers.append(hear)
        try:
            yield
        finally:
            self.hearers.remove(hear)

    def arrived(self, data: bytes, errors: LineErrors | None, at_s: float) -> None:
        if not self._withholder.active:
            self._let_pass(data, errors, at_s)
            self._turns.heard(data, errors, at_s)
            return
        self._turns.heard(data, errors, at_s)  # frames need all their bytes; they are not shown as they are
        self._pass_on(self._withholder.receive(data, at_s), errors, at_s)
        if self._withholder.holding:
            asyncio.get_running_loop().call_later(2 * HELD_S, self._let_through)

    def modem_lines(self, lines: ModemLines) -> None:
        self._lines.changed(lines)
        for hear in self.line_hearers:
            hear(lines)

    def lost(self, fault: Fault) -> None:
        self._lost_by(fault)

    def close(self) -> None:
        """The port is let go: what was held back for a secret is passed on, and no secret is expected any more."""
        self._pass_on(self._withholder.flush(mono_s() + HELD_S), None, mono_s())
        self._withholder.closed()

    def _let_through(self) -> None:
        self._pass_on(self._withholder.flush(mono_s()), None, mono_s())

    def _pass_on(self, pieces: list[Piece], errors: LineErrors | None, at_s: float) -> None:
        for piece in pieces:
            if piece.withheld:
                self._journal.withheld("rx", piece.withheld)
            if piece.data or errors is not None:
                self._let_pass(piece.data, errors, at_s)
                errors = None

    def _let_pass(self, data: bytes, errors: LineErrors | None, at_s: float) -> None:
        self._journal.passed("rx", data, errors, at_s)
        if self._journal.full and "disk" not in self._holders:
            self._look_at_disk()
        before = self._state.rung
        plain = not self._turns.framed and (errors is None or not errors.total)
        self._lines.heard(data, at_s, self._state.line.flow, plain=plain)
        self._state.heard(data, errors, at_s, framed=self._turns.framed)
        self._journal.rung_after(before)
        self._journal.shown("rx", data, errors, at_s)
        for hear in self.hearers:
            hear(data, errors, at_s)

    # ---- holding the far end back

    def hold(self, why: str, on: bool) -> None:
        """Stops reading for as long as anybody has a reason, such as a disk that does not keep up, or who passes the
        bytes on."""
        before = bool(self._holders)
        (self._holders.add if on else self._holders.discard)(why)
        if self._held.transport is not None and bool(self._holders) != before:
            self._held.transport.pause(bool(self._holders))

    def opened(self) -> None:
        """The port was opened: who held back the last one holds back this one."""
        if self._holders and self._held.transport is not None:
            self._held.transport.pause(True)

    def _look_at_disk(self) -> None:
        full = self._journal.full
        self.hold("disk", full)
        if full:
            asyncio.get_running_loop().call_later(_RESUME_CHECK_S, self._look_at_disk)
