"""A device that talks: listen where its bit times show, go to where the inference says, confirm there."""

from __future__ import annotations

import asyncio
import contextlib

from ordolex.core.line.settings import LineSettings
from ordolex.core.link.ladder import Rung
from ordolex.core.match.capture import Capture
from ordolex.core.match.clean import after_joining, reads_clean
from ordolex.core.match.infer import Ranked
from ordolex.core.match.polarity import Rest, rest_of
from ordolex.core.match.shapes import checked_in, like_noise
from ordolex.core.match.trouble import held_low, spoilt_by, stretches
from ordolex.core.match.verdict import CERTAIN, NO_SETTINGS, Kind, Verdict, listening_settings, speaks_for
from ordolex.core.text.chance import chance
from ordolex.core.text.charsets import text_of
from ordolex.core.text.patterns import search
from ordolex.io.match.search import LOOK_AT, Search
from ordolex.io.system.clock import mono_s

FIRST_LISTEN = LineSettings(19200)
"""High enough for the bit times of most senders, and near enough to both ends that one more listen reaches them."""
_MOST_LISTENS = 8
_LADDER = (9600, 1200, 38400, 300, 4800, 19200, 57600, 2400, 115200)
"""Where to listen when a capture says nothing certain."""
_CONFIRM = 12
_READ, _READ_S = 48, 3.0
"""So many bytes are waited for when settings are confirmed, for so long, once the first have come."""
_HELD_AGAINST = 10  # rates, half and double ones among them
_SPEAKS, _SPEAKS_LITTLE = 0.5, 0.2
_OUT_OF_STEP = 0.9
_SURE_TWICE, _BESIDE_CERTAIN = 0.8, 0.45  # at two rates, of which one may be certain
_ALMOST = 0.95
_MORE, _LONG, _LONG_S = 96, 240, 8.0  # bytes and seconds by which it is told what spoils a talk
_RESTS_S = 6.0
_TALKER = 2.5
_STAYS_S = 3.0  # so long it is listened on where it is clean
LONGEST_SILENT_S = 10.0
"""What listening to a silent device may take besides the times to listen: changes of settings, a look at the line."""
_PARTLY = 0.25  # of it reads: then the settings are not what is wrong with it


class Listening:
    def __init__(self, search: Search) -> None:
        self._search = search
        self._match, self._ear, self._options = search.match, search.ear, search.options
        talks = search.options.talks
        self._talks = talks.encode()
        self._unclean: LineSettings | None = None
        """The settings in use at first, where what came there was not clean."""
        self.waits_for: list[Ranked] = []
        """Settings that what was heard speaks for, and at which it was silent since."""

    async def run(self) -> None:
        """Listens where the inference says, until it is certain at the sender's own rate; then confirms."""
        if await self._is_clean_here():
            return
        line = listening_settings(self._options.first or FIRST_LISTEN)
        visited: set[int] = set()
        for number in range(_MOST_LISTENS):
            began = mono_s()
            if not await self._search.tune(line):
                next_line = _where_next(line, line, visited, self._search.runner.line.baud)
                if next_line is None:
                    return
                line = listening_settings(next_line)
                continue
            # of a device that talks it is not known how long it takes, only when it is given up
            most = self._options.give_up_s if self._match.captures else self._match.at_most_s
            self._match.now = f"listening at {line.text}, at most {most:.0f} s in all"
            self._search.tell()
            next_line = await self._one_listen(line, self._patience if number == 0 else max(self._patience, 4.0))
            verdict = self._match.verdict
            self._search.keep(b"", verdict.words if verdict is not None and self._ear.data else "silence", began)
            link = self._search.runner.view().evidence
            held = held_low(link.errors_in_all.breaks, link.heard_in_all, self._search.listens)
            if held:
                self._match.verdict = Verdict(Kind.HELD, held)
            if held or not self._match.captures:
                return
            if await self._settled(line, next_line, visited) or self._is_over:
                return
            next_line = _where_next(line, next_line or line, visited, self._search.runner.line.baud)
            if next_line is None:
                return
            line = listening_settings(next_line)

    async def _settled(self, line: LineSettings, next_line: LineSettings | None, visited: set[int]) -> bool:
        """Confirms, where this listen leaves nothing more to learn from another one."""
        if next_line is None:
            return await self.confirm()
        if next_line == line and self._search.at_its_rate(line) and await self.confirm():
            return True
        verdict = self._match.verdict
        certain = verdict is not None and verdict.kind is Kind.CERTAIN
        return certain and next_line.baud in visited and not self._is_over and await self.confirm()

    @property
    def _patience(self) -> float:
        """How long to wait for a device that may talk by itself: longer where it did so before."""
        link = self._search.runner.view().evidence
        talks = link.heard_in_all > _CONFIRM and link.sent == 0
        return self._options.listen_s * (_TALKER if talks else 1)

    @property
    def _is_over(self) -> bool:
        """Whether to listen on at other settings would tell nothing more."""
        verdict = self._match.verdict
        return bool(self.waits_for) or (verdict is not None and verdict.kind in NO_SETTINGS)

    async def _is_clean_here(self) -> bool:
        """Whether nothing is wrong with the settings in use, or with them alone: then none is changed."""
        line = self._search.runner.line
        began = mono_s()
        self._match.now = f"listening at {line.text}, as it is set"
        self._search.tell()
        await self._search.tune(line)
        for count in LOOK_AT:
            if not await self._ear.until(count, self._patience):
                return False
            capture = self._ear.capture()
            rests_on = reads_clean(capture)
            if rests_on and await self._stays_clean(rests_on, began):
                return True
            if capture.errors:
                break
        if stretches(self._ear.whole()).share >= _PARTLY:
            self._search.tell(f"listening longer at {line.text}: it reads in part")
            for count in (_MORE, _LONG, 2 * _LONG):
                await self._ear.gather(count, began + _LONG_S - mono_s())
                whole = self._ear.whole()
                rests_on = reads_clean(after_joining(whole) or whole)
                if rests_on and await self._stays_clean(rests_on, began):
                    return True
            if self._is_spoilt(began):
                return True
        self._search.keep(b"", "not clean as it is set", began)
        self._unclean = line
        return False

    async def _stays_clean(self, rests_on: str, began: float) -> bool:
        """Says at once that nothing is wrong, and listens on for a while: a second sender is not always heard."""
        line = self._search.runner.line
        self._match.verdict = Verdict(Kind.CERTAIN, f"{line.text}: nothing wrong with the settings: {rests_on}")
        self._search.tell(f"listening a little longer at {line.text}")
        await self._ear.gather(_LONG, began + _STAYS_S - mono_s())
        whole = self._ear.whole()
        rests_on = reads_clean(after_joining(whole) or whole)
        if not rests_on:  # it was clean at first only
            await self._ear.gather(2 * _LONG, began + _LONG_S - mono_s())
        if self._is_spoilt(began):
            return True
        if not rests_on:
            self._match.verdict = None
            return False
        self._match.found = line
        self._match.evidence = f"nothing wrong with the settings: {rests_on}"
        self._match.verdict = Verdict(Kind.CERTAIN, f"{line.text}: {self._match.evidence}")
        self._search.keep(b"", f"clean as it is set: {rests_on}", began)
        await self._recognise()
        return True

    def _is_spoilt(self, began: float) -> bool:
        """Whether the talk reads in part where the port is tuned to, and somebody else or noise spoils the rest."""
        whole = self._ear.whole()
        words = spoilt_by(after_joining(whole) or whole)
        if words:
            self._match.verdict = Verdict(Kind.SPOILT, words)
            self._search.keep(b"", words, began)
        return bool(words)

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
            unexplained = self._match.inference.outside > 0.5  # by so few bytes, that says nothing yet
            leaves = verdict.kind is Kind.SLOWER or (verdict.kind is Kind.FASTER and not unexplained)
            if away and (leaves or len(self._ear.data) >= (_READ if unexplained else 24)):
                return verdict.listen_at
            if len(self._ear.data) < count:
                patience = min(patience, 1.5)
        return line

    async def confirm(self) -> bool:
        """At the settings found the bytes must come without errors; the likeliest few are tried."""
        groups = [group for group in self._match.inference.groups[:3] if group.probability > 0.05]
        for group in groups:
            chosen = group.best
            if chosen.inverted:
                if group.probability < 0.5 or not await self._still_inverted(chosen, group.probability):
                    continue
                self._match.inverted = True
                self._match.found = chosen.settings
                self._match.evidence = f"{len(chosen.reading)} characters read, the line is inverted"
                return True
            if await self._comes_clean(chosen, group.probability):
                return True
        return False

    async def _still_inverted(self, chosen: Ranked, probability: float) -> bool:
        """No port can confirm an inverted line by reading it: it must still look so at twice the rate, and rest at the
        wrong level between its messages. `probability` is that of all formats that read as `chosen` does."""
        began = mono_s()
        self._search.tell(f"looking whether the line rests at the wrong level: {chosen.settings.text} inverted")
        twice = chosen.settings.changed(baud=min(921600, 2 * chosen.settings.baud))
        if not await self._search.tune(listening_settings(twice)):
            return False
        end, rest = began + max(_RESTS_S, 2 * self._options.listen_s), Rest.UNSEEN
        while rest is Rest.UNSEEN and mono_s() < end:
            await self._ear.gather(len(self._ear.data) + LOOK_AT[0], end - mono_s())
            rest = rest_of(self._ear.whole())
        if not self._ear.data:
            return False
        await self._search.look()
        group = self._match.inference.groups[0]
        best = group.best
        same = best.inverted and best.settings.baud == chosen.settings.baud
        less, more = sorted((probability, group.probability))
        sure = less >= (_BESIDE_CERTAIN if more >= CERTAIN else _SURE_TWICE)
        if same and (rest is Rest.LOW or (rest is Rest.NEVER and sure)):
            self._search.keep(b"", f"still inverted there; the line {rest.value}", began)
            words = f"{chosen.settings.text}, inverted: {chance(more)} at one rate, {chance(less)} at another"
            certain = rest is Rest.LOW or more >= CERTAIN
            self._match.verdict = Verdict(Kind.CERTAIN if certain else Kind.LIKELY, words)
            return True
        if same:
            words = f"it reads as {best.settings.text} inverted, but the line {rest.value}: measure its idle voltage"
            self._match.verdict = Verdict(Kind.OPEN, words)
        self._search.keep(b"", f"inverted there, but {rest.value}" if same else "not inverted, seen from there", began)
        return False

    async def _comes_clean(self, chosen: Ranked, probability: float) -> bool:
        """Tunes to these settings, and waits for enough bytes in a row without errors; the first may be cut. Unless
        they were almost certain before, the inference must agree with what comes there."""
        began = mono_s()
        self._match.now = f"confirming {chosen.settings.text}"
        self._search.tell()
        if not await self._search.tune(chosen.settings):
            return False
        await self._ear.gather(_CONFIRM, max(4.0, 2 * self._options.listen_s))
        await self._ear.gather(_READ, _READ_S)  # that no error comes is no proof: what comes is read
        capture = self._ear.capture()
        if len(capture.data) < _CONFIRM:
            came = f"only {len(capture.data)} bytes" if capture.data else "silence"
            self._search.keep(b"", f"{came} while confirming", began)
            if capture.errors == 0:
                self.waits_for.append(chosen)
            return False
        if chosen.settings == self._unclean or any(any(flag) for flag in self._ear.flags[1:]):
            await self._ear.gather(_LONG, _STAYS_S)  # line errors were seen here before: they are not forgotten
            if self._is_spoilt(began):
                return False
        if await self._reads_so(chosen, capture, probability):
            # a talker that never pauses may find the receiver out of step: errors, and yet the settings are right
            how = "without errors" if self._clean_lately() else "out of step, and the inference agrees"
            shape = f", {chosen.shape}" if chosen.shape else ""
            self._match.evidence = f"{len(capture.data)} characters read there, {how}{shape}"
            self._search.keep(b"", f"confirmed: it reads so there, {how}", began)
            await self._recognise()
        else:
            errors = f"{capture.errors} errors in {len(capture.data)} bytes there"
            self._search.keep(b"", f"{errors}; what they say does not confirm it", began)
            return False
        self._match.found = chosen.settings
        return True

    @property
    def has_much(self) -> bool:
        """Whether what was heard says so much that only to hear it once more is missing."""
        return any(each.probability >= _ALMOST and len(each.reading) >= _CONFIRM for each in self.waits_for)

    async def wait(self) -> None:
        """Until a device that spoke once speaks again, and its settings are confirmed."""
        chosen = self.waits_for[0]
        count = len(chosen.reading)
        while self._match.found is None:
            began = mono_s()
            so_far = f"{chosen.settings.text}: {chance(chosen.probability)} by {count} characters"
            words = f"{so_far}, and it has been silent since"
            self._match.verdict = Verdict(Kind.ONCE, f"{words}: let it speak once more")
            self._search.tell(f"waiting at {chosen.settings.text} for it to speak again")
            if not await self._search.tune(chosen.settings):
                return
            await self._ear.gather(_CONFIRM, self._options.give_up_s)
            await self._ear.until(3 * _CONFIRM, 1.0)
            await self._search.look()
            self._search.keep(b"", "it spoke again", began)
            best = self._match.inference.best
            if best is None:
                continue
            chosen = best.best
            same = chosen.settings in [member.settings for member in best.members] and not chosen.inverted
            heard_here = self._search.runner.line
            agrees = heard_here in [member.settings for member in best.members]
            if same and agrees and best.probability > _ALMOST and self._clean_lately():
                self._match.found = heard_here
                self._match.evidence = f"{len(self._ear.data)} characters heard there without errors, {count} before"

    def _clean_lately(self) -> bool:
        return not any(any(flag) for flag in self._ear.flags[-_CONFIRM + 2 :])

    async def _reads_so(self, chosen: Ranked, capture: Capture, probability: float) -> bool:
        """Whether what came at these settings says that they are right: a check that holds, or a reading that is
        likelier than any other setting's, half and double rates too; where little came, together with what led here.
        That it came without errors says little: at half the sender's rate it often does."""
        joined = after_joining(capture) or capture
        if checked_in(joined.data[1:]) and joined.errors == 0:
            return True
        alone = await self._search.infer([capture], _HELD_AGAINST)
        clean = self._clean_lately() and not like_noise(capture.data)
        few = clean and (probability > _ALMOST or len(capture.data) < 3 * _CONFIRM)
        if alone.best is None:
            return False
        if not self._clean_lately():  # out of step at the right settings, or at wrong ones: what it says decides
            return alone.best.probability >= _OUT_OF_STEP and speaks_for(alone, chosen.settings, few=False)
        sure = alone.best.probability >= _SPEAKS or (probability > _ALMOST and alone.best.probability >= _SPEAKS_LITTLE)
        if speaks_for(alone, chosen.settings, few=few):
            return sure or await self._agrees(chosen, capture)
        other = alone.best.best.settings.baud != chosen.settings.baud and alone.best.probability >= _SPEAKS
        return few and not other and await self._agrees(chosen, capture)

    async def _agrees(self, chosen: Ranked, capture: Capture) -> bool:
        """Whether all that was heard, here and where it led here from, speaks for it."""
        both = await self._search.infer([*self._search.led_here(capture), capture], _HELD_AGAINST)
        best = both.best
        alike = best is not None and chosen.settings in [one.settings for one in best.members]
        return alike and best is not None and not best.best.inverted and best.probability >= _ALMOST

    async def _recognise(self) -> None:
        """A device that cannot be asked is proven, in its one direction, by saying what its sheet expects."""
        if not self._talks:
            return
        end = mono_s() + max(4.0, 2 * self._options.listen_s)
        while mono_s() < end:
            found = search(self._talks, bytes(self._ear.data))
            if found is not None:
                said = text_of(found[0])
                await asyncio.sleep(0.1)
                self._search.runner.recognise(said)
                self._match.answered = self._search.runner.rung is Rung.PROVEN
                return
            self._ear.arrived.clear()
            with contextlib.suppress(TimeoutError):
                async with asyncio.timeout(0.5):
                    await self._ear.arrived.wait()


def _where_next(line: LineSettings, wanted: LineSettings, visited: set[int], tuned: int) -> LineSettings | None:
    """Where to listen after `line`, of which `wanted` is what the inference says; None where all was listened at."""
    visited.add(line.baud)
    if wanted.baud in visited and wanted.baud != tuned:
        wanted = line
    if wanted == line or wanted.baud in visited:
        elsewhere = [baud for baud in _LADDER if baud not in visited]
        return LineSettings(elsewhere[0]) if elsewhere else None
    return wanted
