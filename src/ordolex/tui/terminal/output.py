"""What goes to the terminal, in a thread of its own: the newest state of the screen, never a queue of old ones.

Where the terminal does not keep up, states are left out. How far it is behind is known where its port says so (a serial
console), and where it answers a question that is sent along (DECRQM, which the framework asks it at its start).
Otherwise a pseudo-terminal holds up to 20 kB, and what is written behind that is the newest state again.
"""

from __future__ import annotations

import array
import contextlib
import os
import re
import threading
import time
from collections import deque
from collections.abc import Callable
from typing import IO

from ordolex.tui.terminal.cells import Shown, Wanted

_MOST = 1 << 16  # characters of one piece, where nothing says that the terminal is slow
_LEAST = 240  # and where it is slow: the newest state is looked at again behind so many
_FIRST_WINDOW = 1500
_BEHIND_S = 0.25  # so far behind a terminal may be, and no further
_UNANSWERED_S, _MOST_UNANSWERED = 3.0, 2
_LEAVES_S = 2.0
_STEADY = 512  # more than this is shown at once or not at all, where the terminal can do that
_QUESTION = "\x1b[?2026$p"  # what the framework asks at its start, too; what is answered does not matter
_ANSWER = re.compile(r"\x1b\[\?2026;\d\$y")
_SYNC_BEGINS, _SYNC_ENDS = "\x1b[?2026h", "\x1b[?2026l"


class Answers:
    """What of the input is the terminal's own answer: how many came, the framework's own first."""

    def __init__(self) -> None:
        self._tail = ""
        self.count = 0
        self.came: Callable[[], None] = lambda: None

    def read(self, text: str) -> None:
        """Looks at what was read; nothing is taken out of it."""
        if "$" not in text and "\x1b" not in text and not self._tail:
            return
        tail = self._tail + text
        ends = [match.end() for match in _ANSWER.finditer(tail)]
        found = len(ends)
        rest = tail[max(ends, default=0) :]
        begins = rest.rfind("\x1b")
        self._tail = rest[begins:][:16] if begins >= 0 and "y" not in rest[begins:] else ""
        if found:
            self.count += found
            self.came()


class Pace:
    """How much may be sent now. Times in seconds of any clock, sizes in bytes."""

    def __init__(self) -> None:
        self._window = _FIRST_WINDOW
        self._quickest_s = float("inf")
        self._asked: deque[tuple[float, int]] = deque()
        self._unanswered = 0
        self._lost = 0

    def sent(self, size: int) -> None:
        """So many bytes went out that no answer was asked for behind."""
        self._unanswered += size

    def asked(self, size: int, now_s: float) -> None:
        """The terminal is asked to answer behind so many bytes that go out now."""
        self._asked.append((now_s, self._unanswered + size))
        self._unanswered = 0

    def answered(self, now_s: float) -> None:
        """The oldest question was answered: what stood before it is shown."""
        if not self._asked:
            return
        self._lost = 0
        at_s, size = self._asked.popleft()
        took = now_s - at_s
        self._quickest_s = min(self._quickest_s, took)
        late = took - self._quickest_s
        if late > _BEHIND_S:
            self._window = max(_LEAST, int(size * _BEHIND_S / late))
        elif self._window < _MOST and size >= self._window // 2:
            self._window *= 2

    @property
    def answers(self) -> bool:
        """Whether it did not stop answering."""
        return self._lost < _MOST_UNANSWERED

    def asks(self, size: int) -> bool:
        """Whether it is time to ask behind so many bytes."""
        return self._unanswered + size >= min(_LEAST, self._window // 2)

    def room(self, now_s: float, *, answers: bool, queued: int = 0) -> int:
        """How many bytes may go out now; 0 for none yet. `queued` is what the port says that it holds."""
        if queued > _LEAST:
            return 0
        if self._asked and now_s - self._asked[0][0] > _UNANSWERED_S:
            self._asked.clear()  # the answer was lost
            self._lost += 1
        if not (answers and self.answers):
            return _MOST
        if not self._asked:
            return max(_LEAST, self._window - self._unanswered)  # it is asked behind this
        return max(0, self._window - self._unanswered - sum(size for _, size in self._asked))


class Output(threading.Thread):
    """In place of the framework's own thread, whose methods it has. `answers` is told of what is read."""

    def __init__(self, file: IO[str], answers: Answers) -> None:
        super().__init__(daemon=True, name="terminal-output")
        self._fd = file.fileno()
        self._changed = threading.Condition()
        self._texts: deque[str] = deque()
        self._wanted: Wanted | None = None
        self._shown = Shown(_erases_in_colour())
        self._answers, self._pace = answers, Pace()
        self._ends = False
        self.steady = False
        """Whether the terminal shows at once what stands between two marks (mode 2026)."""
        answers.came = self._answered

    # ---- as the framework's

    def write(self, text: str) -> None:
        """Codes that are no picture, in their order."""
        with self._changed:
            self._texts.append(text)
            self._changed.notify()

    def flush(self) -> None:
        """Nothing to do: it is written as soon as it can be."""

    def isatty(self) -> bool:
        return True

    def fileno(self) -> int:
        return self._fd

    def stop(self) -> None:
        """Writes the codes that are left, and ends."""
        with self._changed:
            self._ends = True
            self._changed.notify()
        self.join(_LEAVES_S)  # a terminal that takes nothing keeps nobody

    # ---- the picture

    def show(self, change: Callable[[Wanted | None], Wanted]) -> None:
        """`change` makes of what was wanted what is wanted now."""
        with self._changed:
            self._wanted = change(self._wanted)
            self._changed.notify()

    def anew(self) -> None:
        """What stands there is not known any more."""
        with self._changed:
            self._shown.forget()
            if self._wanted is not None:
                self._wanted.touched.update(range(self._wanted.height))
            self._changed.notify()

    def drop(self) -> None:
        """Pictures that are not shown yet are not wanted any more; not those either that are on their way to a terminal
        that is behind."""
        with self._changed:
            self._wanted = None
        import termios  # of POSIX alone, as this output is

        with contextlib.suppress(termios.error):
            termios.tcflush(self._fd, termios.TCOFLUSH)
        self.write("\x1b[0m")

    def _answered(self) -> None:
        with self._changed:
            self._pace.answered(time.monotonic())
            self._changed.notify()

    # ---- the thread

    def run(self) -> None:
        """Until it is stopped, or the terminal is gone."""
        with contextlib.suppress(OSError):
            while True:
                piece, asked = self._next()
                if not piece:
                    return
                data = piece.encode("utf-8", "replace")
                if not asked:
                    with self._changed:
                        self._pace.sent(len(data))
                while data:
                    data = data[os.write(self._fd, data[:1024]) :]

    def _next(self) -> tuple[str, bool]:
        """What is written next, and whether an answer to it is asked for; empty for the end."""
        with self._changed:
            while True:
                if self._texts:
                    out = "".join(self._texts)
                    self._texts.clear()
                    return out, False
                if self._ends:
                    return "", False
                if self._wanted is None or not self._wanted.touched:
                    self._changed.wait()
                    continue
                now = time.monotonic()
                room = self._pace.room(now, answers=self._answers.count > 0, queued=self._queued())
                if room <= 0:
                    self._changed.wait(0.02)
                    continue
                out = self._shown.changes(self._wanted, room)
                if out:
                    return self._framed(out, now)

    def _framed(self, out: str, now_s: float) -> tuple[str, bool]:
        if self.steady and len(out) > _STEADY:
            out = f"{_SYNC_BEGINS}{out}{_SYNC_ENDS}"
        asked = self._answers.count > 0 and self._pace.answers and self._pace.asks(len(out))
        if asked:
            out += _QUESTION
            self._pace.asked(len(out), now_s)
        return out, asked

    def _queued(self) -> int:
        """What the port still holds; 0 of a pseudo-terminal, which does not tell."""
        import fcntl
        import termios

        held = array.array("i", [0])
        try:
            fcntl.ioctl(self._fd, termios.TIOCOUTQ, held)
        except OSError:
            return 0
        return held[0]


def _erases_in_colour() -> bool:
    """Whether the terminal says of itself that what it erases takes the ground that is set (terminfo: bce)."""
    import curses

    try:
        curses.setupterm(os.environ.get("TERM") or "dumb", 1)
        return curses.tigetflag("bce") == 1
    except (curses.error, OSError, ValueError):
        return False
