"""A device that talks: listen where its bit times show, go to where the inference says, confirm there."""

from __future__ import annotations

import asyncio
import contextlib

from ordolex.core.line.settings import LineSettings
from ordolex.core.link.ladder import Rung
from ordolex.core.match.capture import Capture
from ordolex.core.match.clean import reads_clean
from ordolex.core.match.infer import Ranked
from ordolex.core.match.shapes import like_noise
from ordolex.core.match.verdict import Kind, Verdict, listening_settings
from ordolex.core.text.patterns import search
from ordolex.io.clock import mono_s
from ordolex.io.match.search import LOOK_AT, Search

FIRST_LISTEN = LineSettings(19200)
"""High enough for the bit times of most senders, and near enough to both ends that one more listen reaches them."""
_MOST_LISTENS = 8
_LADDER = (9600, 1200, 38400, 300, 4800, 19200, 57600, 2400, 115200)
"""Where to listen when a capture says nothing certain."""
_CONFIRM = 12
_ALMOST = 0.95


class Listening:
    def __init__(self, search: Search) -> None:
        self._search = search
        self._match, self._ear, self._options = search.match, search.ear, search.options
        talks = search.options.talks
        self._talks = talks.encode()

    async def run(self) -> None:
        """Listens where the inference says, until it is certain at the sender's own rate; then confirms."""
        if await self._is_clean_here():
            return
        line = listening_settings(self._options.first or FIRST_LISTEN)
        visited: set[int] = set()
        for number in range(_MOST_LISTENS):
            began = mono_s()
            await self._search.tune(line)
            self._match.now = f"listening at {line.text}, at most {self._match.at_most_s:.0f} s in all"
            self._search.tell()
            patience = self._options.listen_s if number == 0 else max(self._options.listen_s, 4.0)
            next_line = await self._one_listen(line, patience)
            verdict = self._match.verdict
            self._search.keep(b"", verdict.words if verdict is not None and self._ear.data else "silence", began)
            if not self._match.captures:
                return
            if next_line is None:
                if await self._confirm():
                    return
                next_line = line
            elif next_line == line and self._search.at_its_rate(line) and await self._confirm():
                return
            verdict = self._match.verdict
            certain = verdict is not None and verdict.kind is Kind.CERTAIN
            if certain and next_line.baud in visited and await self._confirm():
                return
            visited.add(line.baud)
            if next_line.baud in visited and next_line.baud != self._search.runner.line.baud:
                next_line = line
            if next_line == line or next_line.baud in visited:
                elsewhere = [baud for baud in _LADDER if baud not in visited]
                if not elsewhere:
                    return
                next_line = LineSettings(elsewhere[0])
            line = listening_settings(next_line)

    async def _is_clean_here(self) -> bool:
        """Whether nothing is wrong with the settings in use: then none is changed."""
        line = self._search.runner.line
        began = mono_s()
        self._match.now = f"listening at {line.text}, as it is set"
        self._search.tell()
        await self._search.tune(line)
        patience = self._options.listen_s
        for count in LOOK_AT:
            if not await self._ear.until(count, patience):
                return False
            capture = self._ear.capture()
            rests_on = reads_clean(capture)
            if rests_on:
                self._match.found = line
                self._match.evidence = f"nothing wrong with the settings: {rests_on}"
                self._match.verdict = Verdict(Kind.CERTAIN, f"{line.text}: {self._match.evidence}")
                self._search.keep(b"", f"clean as it is set: {rests_on}", began)
                await self._recognise()
                return True
            if capture.errors:
                break
        self._search.keep(b"", "not clean as it is set", began)
        return False

    async def _one_listen(self, line: LineSettings, patience: float) -> LineSettings | None:
        """Where to listen next; None when it is certain, the same setting when there is nothing more to learn."""
        for count in LOOK_AT:
            came = await self._ear.until(count, patience)
            if not came:
                return line
            await self._search.look()
            verdict = self._match.verdict
            assert verdict is not None
            away = verdict.listen_at is not None and verdict.listen_at.baud != line.baud
            if verdict.kind is Kind.CERTAIN:
                # far above the sender's rate little of each character was seen: look again at his own
                ratio = self._match.inference.groups[0].best.exact_baud / line.baud
                return verdict.listen_at if away and not 0.3 < ratio < 1.1 else None
            if away and (len(self._ear.data) >= 24 or verdict.kind in (Kind.SLOWER, Kind.FASTER)):
                return verdict.listen_at
            if len(self._ear.data) < count:
                patience = min(patience, 1.5)
        return line

    async def _confirm(self) -> bool:
        """At the settings found the bytes must come without errors; the likeliest few are tried."""
        groups = [group for group in self._match.inference.groups[:3] if group.probability > 0.05]
        for group in groups:
            chosen = group.best
            if chosen.inverted:
                if chosen.probability < 0.5 or not await self._still_inverted(chosen):
                    continue
                self._match.inverted = True
                self._match.found = chosen.settings
                self._match.evidence = f"{len(chosen.reading)} characters read, the line is inverted"
                return True
            if await self._comes_clean(chosen, group.probability):
                return True
        return False

    async def _still_inverted(self, chosen: Ranked) -> bool:
        """No port can confirm an inverted line by reading it: it must still look so at twice the rate."""
        began = mono_s()
        await self._search.tune(listening_settings(chosen.settings.changed(baud=min(921600, 2 * chosen.settings.baud))))
        await self._ear.until(LOOK_AT[-1], max(2.0, self._options.listen_s))
        if not self._ear.data:
            return False
        await self._search.look()
        best = self._match.inference.groups[0].best
        same = best.inverted and best.settings.baud == chosen.settings.baud
        self._search.keep(b"", "still inverted there" if same else "not inverted, seen from there", began)
        return same

    async def _comes_clean(self, chosen: Ranked, probability: float) -> bool:
        """Tunes to these settings, and waits for some bytes in a row without errors; the first may be cut. Unless they
        were almost certain before, the inference must agree with what comes there."""
        began = mono_s()
        self._match.now = f"confirming {chosen.settings.text}"
        await self._search.tune(chosen.settings)
        for count in (_CONFIRM, 3 * _CONFIRM):
            await self._ear.until(count, max(2.0, self._options.listen_s))
            if self._clean_lately() or len(self._ear.data) < count:
                break
        capture = self._ear.capture()
        shape = f", {chosen.shape}" if chosen.shape else ""
        if not capture.data:
            self._match.evidence = f"{len(chosen.reading)} characters read; it was silent since"
            self._search.keep(b"", "silent while confirming", began)
        elif (
            self._clean_lately() and probability > _ALMOST and not like_noise(capture.data)
        ) or await self._still_looks_like(chosen, capture):
            # a talker that never pauses may find the receiver out of step: errors, and yet the settings are right
            how = "without errors" if self._clean_lately() else "out of step, and the inference agrees"
            self._match.evidence = f"{len(chosen.reading)} characters heard, {len(capture.data)} of them {how}{shape}"
            self._search.keep(b"", f"confirmed: {how} there", began)
            await self._recognise()
        else:
            self._search.keep(b"", f"{capture.errors} errors in {len(capture.data)} bytes there", began)
            return False
        self._match.found = chosen.settings
        return True

    def _clean_lately(self) -> bool:
        return not any(any(flag) for flag in self._ear.flags[-_CONFIRM + 2 :])

    async def _still_looks_like(self, chosen: Ranked, capture: Capture) -> bool:
        """Whether what came at these settings speaks for them by itself."""
        alone = await self._search.infer([capture], 3)
        if alone.best is None or alone.best.best.settings.baud != chosen.settings.baud or alone.best.best.inverted:
            return False
        among = any(member.settings == chosen.settings for member in alone.best.members)
        return among or (self._clean_lately() and len(capture.data) < 3 * _CONFIRM)

    async def _recognise(self) -> None:
        """A device that cannot be asked is proven, in its one direction, by saying what its sheet expects."""
        if not self._talks:
            return
        end = mono_s() + max(4.0, 2 * self._options.listen_s)
        while mono_s() < end:
            found = search(self._talks, bytes(self._ear.data))
            if found is not None:
                said = found[0].decode("latin-1")
                await asyncio.sleep(0.1)
                self._search.runner.recognise(said)
                self._match.answered = self._search.runner.rung is Rung.PROVEN
                return
            self._ear.arrived.clear()
            with contextlib.suppress(TimeoutError):
                async with asyncio.timeout(0.5):
                    await self._ear.arrived.wait()
