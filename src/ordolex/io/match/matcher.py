"""The finder: listens to a device, or asks it, at settings that the inference chooses, until its settings are known.

It works on an open link's runner, so everything that passes is in the record. It sends nothing but the questions that
it was given, changes nothing at the device, and each change of the port's settings is said and noted.
"""

from __future__ import annotations

import asyncio
import contextlib
from collections.abc import Callable

from ordolex.core.match.infer import Inference
from ordolex.core.match.order import attempts, longest_s
from ordolex.core.match.verdict import NO_SETTINGS, judge
from ordolex.core.text.counts import counted
from ordolex.io.book.known import STOPPED
from ordolex.io.link.runner import LinkRunner
from ordolex.io.match.asking import Asking
from ordolex.io.match.listening import LONGEST_SILENT_S, Listening
from ordolex.io.match.options import Options
from ordolex.io.match.search import Search
from ordolex.io.match.trials import Match
from ordolex.io.system.faults import Fault


class Matcher:
    """Finds the settings behind one open port. `changed` is called, in the links' thread, whenever there is news."""

    def __init__(
        self, runner: LinkRunner, options: Options | None = None, changed: Callable[[Match], None] = lambda match: None
    ) -> None:
        options = options or Options()
        self._search = Search(runner, options, changed)
        self._runner = runner
        self._options = options
        asked = [question.data for question in options.questions]
        self._plan = attempts(asked, options.known, options.tried, options.wait_s)
        self._before = runner.line
        self._stopped = False
        self.match.at_most_s = min(options.give_up_s, self._most())

    @property
    def match(self) -> Match:
        return self._search.match

    def _most(self) -> float:
        if not self._options.questions:
            return self._options.give_up_s
        return LONGEST_SILENT_S + 2 * self._options.listen_s + longest_s(self._plan, self._options.wait_s)

    async def run(self) -> Match:
        """Until the settings are found, nothing is left to try, or the time is over. Cancel it to stop; the port stays
        at the setting that the link says. Raises a Fault if the port fails."""
        match = self.match
        self._before = self._runner.line
        try:
            with self._runner.tap.heard_by(self._search.ear.heard), self._search.ear.listening():
                async with asyncio.timeout(self._options.give_up_s) as limit:

                    def thought(seconds: float) -> None:
                        when = limit.when()
                        if when is not None:
                            with contextlib.suppress(RuntimeError):  # the time is over just now
                                limit.reschedule(when + seconds)

                    self._search.thought = thought
                    listening = Listening(self._search)
                    asking = Asking(self._search, self._plan, listening.confirm)
                    await asking.ask_as_before()
                    if match.found is None:
                        await listening.run()
                        await self._go_on(listening, asking)
        except asyncio.CancelledError:
            self._stopped = True
            raise
        except TimeoutError:
            match.now = f"gave up after {self._options.give_up_s:g} s"
        finally:
            await asyncio.shield(self._leave_port())
            if match.found is None and match.verdict is None:
                match.verdict = judge([], Inference((), ()))
            self._search.note(
                "match", self._summary(), {"trials": len(match.trials), "seconds": round(match.seconds, 2)}
            )
            self._search.tell()
        return match

    async def _go_on(self, listening: Listening, asking: Asking) -> None:
        """What is done where listening alone did not find it."""
        match = self.match
        if match.found is not None or (match.verdict is not None and match.verdict.kind in NO_SETTINGS):
            return
        if listening.waits_for and self._options.questions:
            await asking.ask_at(list(dict.fromkeys(each.settings for each in listening.waits_for)))
        if match.found is None and self._options.questions and not listening.has_much:
            await asking.run()
        if match.found is None and listening.waits_for:
            await listening.wait()

    async def _leave_port(self) -> None:
        """The port ends at the settings found, or at those that it had before."""
        wanted = self.match.found if self.match.found is not None and not self.match.inverted else self._before
        await self._runner.settled()  # a change that was under way when it was stopped comes to its end first
        if self._runner.is_open and self._runner.line != wanted:
            try:
                await self._runner.retune(wanted)
            except Fault as fault:
                self.match.left = (
                    f"the port did not go back to {wanted.text}, it is at {self._runner.line.text}: {fault}"
                )
                self._search.note("note", self.match.left, {})

    def _summary(self) -> str:
        match = self.match
        if match.found is not None:
            return f"matched: {match.found.text}{', inverted' if match.inverted else ''} ({match.evidence})"
        words = match.verdict.words if match.verdict is not None else "nothing heard"
        if self._stopped:
            return f"{STOPPED}{counted(len(match.trials), 'trial')}: {words}"
        return f"not matched after {counted(len(match.trials), 'trial')}: {words}"
