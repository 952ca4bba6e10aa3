"""What listening and asking share: the port, what is heard on it, the inference, and the trials so far."""

from __future__ import annotations

import asyncio
from collections.abc import Callable, Sequence

from ordolex.core.line.settings import LineSettings
from ordolex.core.match.capture import Capture
from ordolex.core.match.infer import Inference
from ordolex.core.match.verdict import CERTAIN, Kind, judge
from ordolex.io.link.runner import LinkRunner
from ordolex.io.match.ear import Ear
from ordolex.io.match.options import Options
from ordolex.io.match.trials import Match, Trial
from ordolex.io.match.worker import think
from ordolex.io.system.clock import mono_s
from ordolex.io.system.faults import SettingsRefused

LOOK_AT = (16, 32, 64)
"""After so many bytes of one listen the inference is asked."""

_ANSWERS_S, _MOST_UNANSWERED = 1.5, 2
"""A refusal comes at once; a server that took so long did not answer, and so often one behind the other it is gone."""
_ON_THE_WAY_S = 0.06
"""What was received at the settings before may still be on its way through adapter and network."""


class Search:
    """`changed` is called, in the links' thread, whenever there is news."""

    def __init__(self, runner: LinkRunner, options: Options, changed: Callable[[Match], None]) -> None:
        self.match = Match()
        self.runner = runner
        self.options = options
        self.ear = Ear(runner, LOOK_AT[-1])
        self._changed = changed
        self.thought: Callable[[float], None] = lambda seconds: None
        """Told how long the inference took."""
        self._unanswered = 0
        self._useful: list[Capture] = []
        self.listens: list[Capture] = []
        """What each listen brought, whole."""

    def tell(self, now: str | None = None) -> None:
        """Tells that there is news; `now` is what goes on."""
        if now is not None:
            self.match.now = now
        self._changed(self.match)

    async def tune(self, line: LineSettings) -> bool:
        """Sets the port, and listens anew. False where port or server refuse these settings: that is one trial less,
        and said. Raises the fault of a server that does not answer any more."""
        if self.runner.line != line:
            began = mono_s()
            try:
                await self.runner.retune(line)
            except SettingsRefused as refused:
                self._unanswered = self._unanswered + 1 if mono_s() - began > _ANSWERS_S else 0
                if self._unanswered > _MOST_UNANSWERED:
                    raise
                self.ear.begin()
                self.keep(b"", f"refused: {refused.what}", began, line)
                return False
            self._unanswered = 0
            await asyncio.sleep(_ON_THE_WAY_S)
        self.ear.begin()
        return True

    def note(self, kind: str, text: str, detail: dict[str, object]) -> None:
        self.runner.note(kind, text, detail)

    def at_its_rate(self, line: LineSettings) -> bool:
        """Whether this is the sender's own rate, as far as is known."""
        best = self.match.inference.best
        return best is not None and best.best.settings.baud == line.baud and best.probability > 0.2

    async def look(self) -> None:
        """Asks the inference about everything heard, away from the loop."""
        capture = self.ear.capture()
        heard = [*self._useful, capture] if capture.data else list(self._useful)
        at_its_rate = len(capture.data) >= LOOK_AT[0] and self.at_its_rate(capture.heard_at)
        heard = heard[-1:] if at_its_rate else heard[-2:]
        most = 4 if at_its_rate else 10
        if len(heard) > 1 and len(capture.data) >= LOOK_AT[1]:
            alone = await self.infer(heard[-1:], most)
            sure = alone.best is not None and alone.best.probability >= CERTAIN
            heard = heard[-1:] if sure else heard
            self.match.inference = alone if sure else await self.infer(heard, most)
        else:
            self.match.inference = await self.infer(heard, most)
        self.match.verdict = judge(heard, self.match.inference)
        self.tell()

    def led_here(self, capture: Capture) -> list[Capture]:
        """What was heard at another setting last."""
        return [one for one in self._useful if one.heard_at != capture.heard_at][-1:]

    async def infer(self, heard: Sequence[Capture], most_rates: int) -> Inference:
        """The inference, in a process of its own. The time that it takes is none of the device's, and counts for no
        limit."""
        began = mono_s()
        try:
            return await asyncio.to_thread(think, heard, self.options.shapes, most_rates, self.options.data_bits)
        finally:
            self.thought(mono_s() - began)

    def keep(self, sent: bytes, words: str, began_s: float, line: LineSettings | None = None) -> None:
        """Keeps a trial, here and in the record."""
        capture = self.ear.capture()
        if not sent:
            self.listens.append(self.ear.whole())
        trial = Trial(line or self.runner.line, sent, capture, words, mono_s() - began_s)
        self.match.trials.append(trial)
        if capture.data:
            self.match.captures.append(capture)
            if self.match.verdict is None or self.match.verdict.kind not in (Kind.SLOWER, Kind.FASTER):
                self._useful.append(capture)
        self.note("trial", f"{trial.line.text}: {words}", trial.as_dict())
        self.tell()
