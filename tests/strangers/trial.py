"""One stranger through what the interface and the command line do with a device, and what must hold of all of it."""

from __future__ import annotations

import asyncio
from collections import Counter

from ordolex.core.advice.causes import causes
from ordolex.core.device.setting import Outcome
from ordolex.core.line.settings import LineSettings
from ordolex.core.link.exchange import Answer, Ended
from ordolex.core.link.ladder import Rung
from ordolex.core.link.question import Question, Verdict
from ordolex.core.sheet import Sheet, read_sheet
from ordolex.core.text.escapes import named
from ordolex.core.watch.polls import Poll
from ordolex.core.watch.round import read_round
from ordolex.core.watch.samples import Quality
from ordolex.io.device.settings import device_for, set_one
from ordolex.io.link.runner import LinkRunner
from ordolex.io.transport.twins import MemoryTransport
from ordolex.io.watch.sources import Source
from tests.conftest import Notes
from tests.strangers.device import SET, TIMEOUT_S, Stranger
from tests.strangers.habits import Habits, drawn
from tests.strangers.made_up_clock import run

_LINE = ("rate", "parity", "inverted", "clock", "overrun", "missing", "floating")


def sheet_of(stranger: Stranger) -> Sheet:
    h = stranger.habits
    end = named(h.asked_with) if h.asked_with else ""
    out = 'name = "s"\ndevice = "d"\nspeaks = "text"\n[line]\nsettings = "9600 8N1"\nsource = "x"\n'
    out += f"[bus]\ntimeout_s = {TIMEOUT_S}\n"
    for command in h.commands:
        write = f"write = '''{SET} {{value}}{end}'''\ntaken = 'OK'\n" if command == h.commands[-1] else ""
        out += f"[[parameter]]\nname = '{command}'\nread = '''{command}{end}'''\n"
        out += f"like = '''{stranger.like(command)}'''\n{write}"
    return read_sheet(out, "s")


class Trial:
    """`faults` has what did not hold."""

    def __init__(self, habits: Habits, seed: int) -> None:
        self.seed, self.habits = seed, habits
        self.stranger = Stranger(habits, seed)
        self.notes = Notes()
        self.faults: list[str] = []
        self.values = self.asked = 0
        self._sent: Counter[str] = Counter()
        transport = MemoryTransport(self.stranger.hear)
        self.runner = LinkRunner(1, "tcp://127.0.0.1:1", LineSettings(9600), self.notes, lambda endpoint: transport)

    def held(self, holds: bool, words: str) -> None:
        if not holds:
            self.faults.append(words)

    async def go(self) -> None:
        await self.runner.open()
        sheet = sheet_of(self.stranger)
        device = device_for(self.runner, sheet)
        order = list(sheet.parameter)
        for pause in (0.0, 0.3, 2.5):
            await asyncio.sleep(pause)
            for reading in await device.read(order):
                self.asked += 1
                self._sent[reading.name] += 1
                if reading.outcome is Outcome.READ:
                    self._value(f"read {reading.name}", reading.name, reading.value)
        await self._ask_by_hand()
        await asyncio.sleep(4.0)  # who types takes a moment
        await self._round(sheet)
        await self._write(sheet)
        await asyncio.sleep(30)
        self._ladder()
        self._order_of_time()
        for text, count in Counter(self.stranger.heard).items():
            self.held(count <= self._sent[text], f"{text!r} was sent {count} times, asked {self._sent[text]} times")
        await self.runner.release()

    def _value(self, how: str, command: str, value: object) -> None:
        self.values += 1
        given = self.stranger.given[command]
        near = isinstance(value, int | float) and any(abs(value - one) < 1e-9 * max(1.0, abs(one)) for one in given)
        self.held(near, f"{how}: {value!r} was never said to it, which was {given[-3:]}")

    async def _ask_by_hand(self) -> None:
        """As Talk and the command line do, with a question of a sheet and with one of unknown shape."""
        for command in self.habits.commands[:2]:
            data = command.encode() + self.habits.asked_with
            for like in (rf"(?s).*{self.stranger.like(command)}.*", ""):
                self._sent[command] += 1
                self._judged(command, await self.runner.ask(Question(data, like=like, timeout_s=TIMEOUT_S)))

    def _judged(self, command: str, answer: Answer) -> None:
        said = self.stranger.given[command]
        if answer.verdict is Verdict.RIGHT:
            self.held(bool(said) or self.habits.refuses, f"asked {command}: right answer, and none was given")
        if answer.verdict is Verdict.NONE:
            self.held(not answer.data, f"asked {command}: no answer, and {answer.data!r} came")
        if answer.verdict is Verdict.WRONG and answer.ended not in (Ended.DOUBTFUL, Ended.LATE):
            h = self.habits
            odd = h.parity_left or h.in_words or h.refuses or h.late or h.double or h.silent_share or h.alarm
            slow = h.pieces is not None and h.pieces[0] * TIMEOUT_S < 20 * h.pieces[1]
            self.held(bool(odd or slow), f"asked {command}: wrong answer {answer.data!r}")

    async def _round(self, sheet: Sheet) -> None:
        """Values of a round: with the pattern, and where nothing says where they stand."""
        text = 'name = "r"\n[[link]]\nname = "L"\nendpoint = "tcp://127.0.0.1:1"\n'
        h = self.habits
        for command in h.commands[:3]:
            asked = command + (named(h.asked_with) if h.asked_with else "")
            comma = str(h.comma).lower()
            like = f"like = '''{self.stranger.like(command)}'''\nvalue = "
            like += f"{{ name = 'v', group = 'value', comma = {comma} }}\n"
            text += f"[[item]]\nname = '{command}'\nlink = 'L'\nask = '''{asked}'''\nevery_s = 1\n{like}"
        source = Source(read_round(text, "r"), "L", self.runner, None, -1, lambda results, at: None)
        for _ in range(3):
            for poll in source.polls:
                await self._poll(source, poll)

    async def _poll(self, source: Source, poll: Poll) -> None:
        self._sent[poll.items[0]] += 1
        for name, result in (await source.ask(poll)).items():
            self.asked += 1
            if result.quality is Quality.GOOD and result.value is not None:
                self._value(f"round {name}", name, result.value)

    async def _write(self, sheet: Sheet) -> None:
        stranger, parameter = self.stranger, sheet.parameter[-1]
        for wanted in (27.4, 24.0, 24.0):
            device = device_for(self.runner, sheet)
            before, count = stranger.setting, len(stranger.writes)
            self._sent[parameter.name] += 2
            self._sent[f"{SET} {wanted if wanted != int(wanted) else int(wanted)}"] += 1
            written = await set_one(device, parameter, wanted)
            shown = round(stranger.setting, self.habits.decimals)
            is_so = abs(shown - wanted) < 1e-9
            if written.verdict == "held":
                self.held(is_so, f"set {wanted}: held, and it is {stranger.setting}")
            if written.verdict == "unchanged":
                self.held(
                    round(before, self.habits.decimals) == wanted, f"set {wanted}: unchanged, and it was {before}"
                )
                self.held(len(stranger.writes) == count, f"set {wanted}: unchanged, and it was written")
            if written.verdict == "not held":
                self.held(not is_so, f"set {wanted}: not held, and it is so: {written.words}")
            if written.after is not None:
                self._value("read back", parameter.name, written.after)
            self.held(len(stranger.writes) <= count + 1, f"set {wanted}: written more than once")

    def _ladder(self) -> None:
        """Long after the last answer: what was proven stays so, and no cause is named that the habits exclude."""
        h = self.habits
        evidence = self.runner.view().evidence
        if h.parity_left:
            return
        proven = any(event.kind == "rung" and event.text.endswith("Proven") for event in self.notes.events)
        if proven and not (h.silent_share or h.late or h.alarm or h.refuses or h.in_words or h.double):
            fell = [event.text for event in self.notes.events if event.kind == "rung"][-1]
            self.held(evidence.rung >= Rung.CLEAR, f"it fell to {evidence.rung.word} by itself: {fell}")
        named_causes = [cause for cause in causes(evidence.signs) if cause.likely >= 0.5 and cause.name in _LINE]
        self.held(not named_causes, f"causes that are none: {[(c.name, c.likely) for c in named_causes]}")

    def _order_of_time(self) -> None:
        times = [event.mono_us for event in self.notes.events]
        self.held(times == sorted(times), "events stand out of the order of time")


def tried(seed: int, habits: Habits | None = None) -> Trial:
    trial = Trial(drawn(seed) if habits is None else habits, seed)
    run(trial.go())
    return trial


def minimised(seed: int) -> Habits:
    """The fewest habits with which stranger `seed` still fails."""
    habits = drawn(seed)
    for _ in range(2):
        for name in habits.__dataclass_fields__:
            plainer = habits.without(name)
            if plainer != habits and tried(seed, plainer).faults:
                habits = plainer
    return habits
