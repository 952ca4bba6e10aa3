"""A round that runs: every link asked in its turns, values judged, kept and told; alarms; what is computed.

Use it from one event loop. Links are opened and held by others; where one is away, a gap is marked and nothing is made
up for.
"""

from __future__ import annotations

import asyncio
import contextlib
from collections import deque
from collections.abc import Callable, Mapping
from dataclasses import dataclass, field
from typing import Protocol

from ordolex.core.record.items import Event
from ordolex.core.sheet.sheet import Sheet
from ordolex.core.text.digits import exact
from ordolex.core.watch.condition import Now
from ordolex.core.watch.derived import Derivation
from ordolex.core.watch.extract import Extracted
from ordolex.core.watch.limits import Change, Guard
from ordolex.core.watch.messages import event_of, event_topic, payload, value_of, value_topic
from ordolex.core.watch.polls import LinkPlan, Poll, plan_link
from ordolex.core.watch.round import Round, RoundItem
from ordolex.core.watch.samples import Quality, Sample
from ordolex.core.watch.schedule import Schedule
from ordolex.core.watch.state import Alarms, ItemState
from ordolex.io.book.values import Message
from ordolex.io.link.runner import LinkRunner
from ordolex.io.system.clock import mono_s, utc_us
from ordolex.io.system.faults import Fault
from ordolex.io.watch.sources import Results, Source

_LOOK_S = 0.2
_CLOCK_BACK_US = 1_000_000


class Kept(Protocol):
    """Where values and events go."""

    def values(self, samples: list[Sample], messages: list[Message]) -> None: ...

    def note(self, event: Event) -> None: ...


@dataclass(slots=True)
class Told:
    """Who is told as things happen, in the loop: `value` of each, `event` of each that begins or ends."""

    value: Callable[[str, str, str, Sample], None] = lambda link, item, unit, sample: None
    event: Callable[[str, str, Change, int], None] = lambda link, item, change, at_us: None


@dataclass(slots=True)
class LinkWork:
    """One link of the round while it runs. `busy_s` is the time in which it was asked and waited for, since
    `since_s`."""

    name: str
    id: int
    runner: LinkRunner
    source: Source
    schedule: Schedule
    busy_s: float = 0.0
    since_s: float = 0.0
    away: bool = True
    turn_rounds: list[float] = field(default_factory=list)
    took: dict[str, deque[float]] = field(default_factory=dict)
    """How long each question took lately, from asking to its end, where it was answered."""
    task: asyncio.Task[None] | None = None

    @property
    def real_share(self) -> float:
        """The share of the time in which the line was used."""
        length = mono_s() - self.since_s
        return min(1.0, self.busy_s / length) if length > 0 else 0.0

    def plan(self) -> LinkPlan:
        turn = sorted(self.turn_rounds)[len(self.turn_rounds) // 2] if self.turn_rounds else None
        took = {key: sorted(times)[len(times) // 2] for key, times in self.took.items()}
        return plan_link(self.name, self.runner.line, self.source.polls, turn, took)


class Watch:
    """`runners` are by the link's name, with its number in the book; `ids` the numbers of the items. `is_free` says
    whether a link may be asked now: who works on it goes first."""

    def __init__(
        self, round_: Round, runners: Mapping[str, tuple[int, LinkRunner]], sheets: Mapping[str, Sheet],
        ids: Mapping[str, int], kept: Kept, told: Told | None = None, *, site: str = "", publishes: bool = False,
        is_free: Callable[[int], bool] = lambda link: True,
    ) -> None:  # fmt: skip
        now = mono_s()
        self.round, self._kept, self._told, self._is_free = round_, kept, told or Told(), is_free
        self._site, self._publishes = site or round_.site or round_.name, publishes
        self.states = {
            item.name: ItemState(item, ids[item.name], Guard(item.limits, now), item.unit, began_s=now)
            for item in round_.item
        }
        self.alarms = Alarms()
        self.paused = False
        self.began_s = now
        self._derived = {
            item.name: Derivation(
                item.derive, item.of, max(self.states[one].item.stale_s for one in item.of), over_s=item.over_s,
                per_s=item.per_s, shown=item.shown,
            )
            for item in round_.item if item.derive
        }  # fmt: skip
        self.works: list[LinkWork] = []
        for link in round_.link:
            if link.name not in runners:
                continue
            id_, runner = runners[link.name]
            source = Source(round_, link.name, runner, sheets.get(link.sheet), link.unit, self._heard)
            turns = [(poll.key, poll.every_s, poll.timeout_s, (link.name, poll.unit)) for poll in source.polls]
            self.works.append(LinkWork(link.name, id_, runner, source, Schedule(turns, now), since_s=now))
        self._ids = {link: id_ for link, (id_, _) in runners.items()}
        self._ticking: asyncio.Task[None] | None = None
        self._newest_us = 0

    # ---- running

    def start(self) -> None:
        loop = asyncio.get_running_loop()
        for work in self.works:
            work.source.start()
            work.since_s = mono_s()
            work.task = loop.create_task(self._ask_on(work))
        self._ticking = loop.create_task(self._tick_on())

    async def stop(self) -> None:
        tasks = [work.task for work in self.works if work.task is not None]
        if self._ticking is not None:
            tasks.append(self._ticking)
        for work in self.works:
            work.source.stop()
        for task in tasks:
            task.cancel()
        for task in tasks:
            with contextlib.suppress(asyncio.CancelledError):
                await task

    def pause(self, paused: bool) -> None:
        self.paused = paused
        for work in self.works:
            work.schedule.paused = paused
            if not paused:
                work.schedule.begin_again(mono_s())

    def rest(self, item: str) -> str:
        """Asks the device of this item nothing more, or goes on; what became of it, in words."""
        for work in self.works:
            poll = next((poll for poll in work.source.polls if item in poll.items), None)
            if poll is None:
                continue
            unit = (work.name, poll.unit)
            resting = unit not in work.schedule.resting
            work.schedule.rest(unit, mono_s(), resting=resting)
            names = [name for one in work.source.polls if one.unit == poll.unit for name in one.items]
            for name in names:
                self.states[name].resting = resting
            who = f"{work.name}, unit {poll.unit}" if poll.unit >= 0 else work.name
            words = f"{who} is paused: nothing is asked of it" if resting else f"{who} is asked again"
            self._note(work.id, words, {"items": names, "paused": resting})
            return words
        return f"{item} is not asked: it is heard, or computed"

    def once(self) -> None:
        """One pass of all questions now."""
        for work in self.works:
            work.schedule.once(mono_s())

    def pace(self, factor: float) -> float:
        """Asks faster or slower from now on; the pace that is in force then, 1 for that of the round."""
        for work in self.works:
            work.schedule.at_pace(work.schedule.pace * factor, mono_s())
        return self.works[0].schedule.pace if self.works else 1.0

    def change_item(self, item: RoundItem) -> None:
        """Other limits or another unit from now on; what stood by the old limits ends."""
        state, now = self.states[item.name], mono_s()
        ended = [Change(what, False, now, state.newest, now) for what in state.guard.standing]
        messages = self._changed(state, ended, now)
        if messages:
            self._kept.values([], messages)
        state.item, state.unit = item, item.unit
        state.guard = Guard(item.limits, now)

    async def _ask_on(self, work: LinkWork) -> None:
        polls = {poll.key: poll for poll in work.source.polls}
        while True:
            if not work.runner.is_open or not self._is_free(work.id):
                self._went_away(work)
                await asyncio.sleep(_LOOK_S)
                continue
            if work.away:
                work.away = False
                work.schedule.begin_again(mono_s())
            turn, wait_s = work.schedule.next(mono_s())
            if turn is None:
                await asyncio.sleep(min(wait_s, _LOOK_S))
                continue
            poll = polls[str(turn.key)]
            began = mono_s()
            owed_s = work.source.must_wait_s(poll)
            if owed_s > 0:  # the others go first meanwhile
                turn.due_s = began + owed_s
                continue
            work.schedule.began(turn, began)
            results = await _asked(work.source, poll)
            if results is None:
                turn.due_s = mono_s()  # somebody stopped this question for one of his own: it is asked anew after it
                continue
            now = mono_s()
            work.busy_s += now - began
            answered = any(one.quality is not Quality.NO_ANSWER for one in results.values())
            if work.source.took_s is not None:
                line_s = work.runner.line.seconds_for(poll.sent + poll.answered)
                work.turn_rounds = [*work.turn_rounds[-30:], max(0.0, work.source.took_s - line_s)]
            for name in poll.items:
                self.states[name].late_s = turn.late_s[-1]
            back = work.schedule.done(turn, now, answered=answered)
            if back:
                self._note(work.id, f"{work.name}: unit {poll.unit} answers again" if poll.unit >= 0 else
                           f"{work.name} answers again", {"link": work.name})  # fmt: skip
            if answered:
                work.took.setdefault(poll.key, deque(maxlen=15)).append(now - began)
            self.took(results, now)

    def _went_away(self, work: LinkWork) -> None:
        """Its port is away, or somebody works on it: the gap is marked once, and not filled."""
        if work.away:
            return
        work.away = True
        if not work.runner.is_open:
            self.gap(work.name, "its port is away")

    def gap(self, link: str, words: str) -> None:
        """Nothing comes from this link for now: its items have no value."""
        names = [item.name for item in self.round.item if item.link == link]
        self.took({name: Extracted(None, Quality.NO_ANSWER, words) for name in names}, mono_s())

    async def _tick_on(self) -> None:
        while True:
            await asyncio.sleep(_LOOK_S)
            now = mono_s()
            for state in self.states.values():
                messages = self._changed(state, state.guard.tick(now), now)
                if messages:  # silence brings no value with which it would be kept
                    self._kept.values([], messages)

    # ---- what came

    def _heard(self, results: Results, at_s: float) -> None:
        if not self.paused:
            self.took(results, at_s)

    def took(self, results: Mapping[str, Extracted], at_s: float) -> None:
        """Values that came together, at a time of the monotonic clock."""
        at_us = utc_us(at_s)
        if at_us < self._newest_us - _CLOCK_BACK_US:
            back = (self._newest_us - at_us) / 1e6
            self._note(0, f"the computer's clock was set back by {back:.0f} s: values stand at the new time", {})
        self._newest_us = at_us
        samples: list[Sample] = []
        messages: list[Message] = []
        waiting = [(name, results[name]) for name in results]
        while waiting:
            name, found = waiting.pop(0)
            state = self.states[name]
            quality, changes = state.took(found.value, found.quality, found.words, at_s)
            sample = Sample(state.id, at_us, found.value, quality, found.words)
            self._told.value(state.item.link, name, state.unit, sample)
            if state.is_kept(sample, at_s):
                samples.append(sample)
                if self._publishes:
                    content = payload(value_of(state.item.link, name, state.unit, sample))
                    messages.append(Message(value_topic(self._site, state.item.link, name), content, True))
            messages += self._changed(state, changes, at_s)
            number = float(found.value) if isinstance(found.value, float | int) else None
            for made, derivation in self._derived.items():
                if name in derivation.of:
                    value = derivation.heard(name, number, at_s)
                    if value is not None:
                        waiting.append((made, Extracted(value)))
                    elif number is None:
                        waiting.append((made, Extracted(None, quality, f"{name}: {quality.word}")))
        if samples or messages:
            self._kept.values(samples, messages)

    def _changed(self, state: ItemState, changes: list[Change], at_s: float) -> list[Message]:
        messages = []
        for change in changes:
            at_us, item = utc_us(at_s), state.item
            since_us = at_us - round((at_s - change.since_s) * 1e6)
            self.alarms.change(item.name, change, at_us, since_us)
            detail = {
                "item": item.name, "what": change.what, "on": change.on, "value": change.value, "unit": state.unit,
                "since_us": since_us,
            }  # fmt: skip
            self._note(self._ids.get(item.link, 0), words_of(state, change), detail)
            self._told.event(item.link, item.name, change, at_us)
            if self._publishes:
                content = event_of(at_us, item.link, item.name, change.what, change.on, change.value, state.unit)
                messages.append(Message(event_topic(self._site, item.link, item.name), payload(content), False))
        return messages

    def note(self, text: str) -> None:
        """A remark on the round for the record."""
        self._note(0, text, {})

    def _note(self, link: int, text: str, detail: dict[str, object]) -> None:
        self._kept.note(Event(link, utc_us(), round(mono_s() * 1e6), "watch", text, detail))

    # ---- the moment

    def now(self) -> dict[str, Now]:
        """What conditions are held against: a value that is old is none."""
        at = mono_s()
        out = {}
        for name, state in self.states.items():
            quality = state.quality(at)
            value = state.newest if quality is not None and quality.has_value and quality is not Quality.STALE else None
            states = state.guard.standing or (("good",) if quality is Quality.GOOD else ())
            out[name] = Now(value, states)
        return out


async def _asked(source: Source, poll: Poll) -> Results | None:
    """What a poll brought; None where the question was stopped."""
    try:
        return await source.ask(poll)
    except Fault as fault:
        return {name: Extracted(None, Quality.NO_ANSWER, fault.what) for name in poll.items}
    except ValueError as error:  # bytes that its protocol has no meaning for
        return {name: Extracted(None, Quality.NOT_READABLE, str(error)) for name in poll.items}
    except asyncio.CancelledError:
        if (task := asyncio.current_task()) is not None and task.cancelling():
            raise
        return None


def words_of(state: ItemState, change: Change) -> str:
    """What began or ended, in a sentence."""
    item, unit = state.item, f" {state.unit}" if state.unit else ""
    value = f"{exact(change.value)}{unit}" if isinstance(change.value, float | int) else str(change.value or "no value")
    match change.what, change.on:
        case "low", True if item.low is not None:
            return f"{item.name} is low: {value}, below {exact(item.low)}{unit}"
        case "high", True if item.high is not None:
            return f"{item.name} is high: {value}, above {exact(item.high)}{unit}"
        case "stuck", True:
            return f"{item.name} is stuck at {value} for {item.stuck_after_s:g} s"
        case "silent", True:
            return f"{item.name} is silent: no value for {2 * item.stale_s:g} s"
        case what, _:
            return f"{item.name} is no longer {what}: {value}"
