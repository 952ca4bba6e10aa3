"""How the values of one link are asked for and heard: by text, by registers, by the device's own protocol, or by lines
that it says by itself."""

from __future__ import annotations

import re
from collections.abc import Callable, Sequence

from ordolex.core.device.setting import Outcome, Reading
from ordolex.core.link.judge import LineErrors
from ordolex.core.link.question import Question
from ordolex.core.protocols.codecs import ModbusCodec
from ordolex.core.protocols.modbus.frames import FRAMINGS
from ordolex.core.sheet.parameters import Bus
from ordolex.core.sheet.sheet import Sheet
from ordolex.core.text.charsets import text_of
from ordolex.core.text.escapes import to_bytes
from ordolex.core.text.patterns import search
from ordolex.core.text.refused import instead_of_a_value, is_refusal
from ordolex.core.text.shown import shown
from ordolex.core.watch.extract import Extracted, extract, first_number
from ordolex.core.watch.polls import Poll, polls_of
from ordolex.core.watch.round import Round, RoundItem
from ordolex.core.watch.samples import Quality
from ordolex.io.device.base import Trouble
from ordolex.io.device.modbus import ModbusUnit, read_request, reading_of
from ordolex.io.device.settings import device_for
from ordolex.io.device.text import TextDevice
from ordolex.io.link.runner import LinkRunner

_QUALITY = {
    Outcome.SILENT: Quality.NO_ANSWER, Outcome.REFUSED: Quality.REFUSED, Outcome.WRONG: Quality.NOT_READABLE,
}  # fmt: skip
_LONGEST_LINE = 4096
_NO_BUS = Bus()
Results = dict[str, Extracted]


class Source:
    """One link of a round. `heard` is called with values that the device says by itself, and when."""

    def __init__(
        self, round_: Round, link: str, runner: LinkRunner, sheet: Sheet | None, unit: int,
        heard: Callable[[Results, float], None],
    ) -> None:  # fmt: skip
        self._runner, self._sheet, self._heard = runner, sheet, heard
        self.speaks = sheet.speaks if sheet is not None else _guessed(round_, link)
        self._unit = unit if unit >= 0 else sheet.bus.unit if sheet is not None else 1
        self._items = {item.name: item for item in round_.item if item.link == link}
        self._hearing = [item for item in self._items.values() if item.hear]
        bus, check = (sheet.bus, sheet.line_check) if sheet is not None else (_NO_BUS, None)
        self._text = TextDevice(runner, bus, at=self.speaks == "at", check=check)
        self._text.waits_for_late = False
        self._line = bytearray()
        self._questions: dict[str, Question] = {}
        self.took_s: float | None = None
        """How long the last answer took until its last byte; None where there was none."""
        gap = sheet.bus.gap if sheet is not None else 8
        self.polls = polls_of(round_, link, self.speaks, self._to_send, self._unit, gap)

    def _to_send(self, item: RoundItem) -> tuple[bytes, int]:
        if item.ask:
            return to_bytes(item.ask), 0
        parameter = self._sheet.parameter_named(item.read) if self._sheet is not None else None
        return (to_bytes(parameter.read) if parameter is not None and parameter.read else item.read.encode()), 0

    def start(self) -> None:
        if self._hearing:
            self._runner.tap.hearers.append(self._hear)

    def stop(self) -> None:
        if self._hear in self._runner.tap.hearers:
            self._runner.tap.hearers.remove(self._hear)

    @property
    def listens(self) -> tuple[str, ...]:
        """The items that are only heard."""
        return tuple(item.name for item in self._hearing)

    # ---- asked

    async def ask(self, poll: Poll) -> Results:
        """The values of one poll; each has its quality. Raises PortLost."""
        self.took_s = None
        try:
            if poll.block is not None:
                return await self._registers(poll)
            first = self._items[poll.items[0]]
            if first.ask:
                items = [self._items[name] for name in poll.items]
                texts, ms = await self._text.said(poll.ask, poll.timeout_s, holds=_held_by_all(items))
                self.took_s = None if ms is None else ms / 1000
                return {item.name: self._value(item, texts) for item in items}
            return await self._by_device(poll)
        except Trouble as trouble:
            return {name: _troubled(trouble) for name in poll.items}

    def must_wait_s(self, poll: Poll) -> float:
        """How long answers that are still owed could be taken for this one's: it is asked after that."""
        question = self._questions.get(poll.key)
        if question is None:
            question = self._questions[poll.key] = _question(poll)
        return self._runner.must_wait_s(question) if question.data else 0.0

    async def _registers(self, poll: Poll) -> Results:
        assert poll.block is not None
        unit = ModbusUnit(
            self._runner, poll.speaks.removeprefix("modbus-"), poll.unit, Bus(timeout_s=poll.timeout_s, retries=0)
        )
        unit.waits_for_late = False
        name = f"{poll.block.count} from {poll.block.place.text}"
        reply, _, ms = await unit.exchange(read_request(poll.block), name, 0)
        self.took_s = None if ms is None else ms / 1000
        if reply.exception:
            refused = Extracted(None, Quality.REFUSED, reply.words)
            return dict.fromkeys(poll.items, refused)
        out: Results = {}
        for item in (self._items[name] for name in poll.items):
            assert item.modbus is not None
            out[item.name] = _of_reading(reading_of(item.name, item.modbus, poll.block, reply, ms))
        return out

    async def _by_device(self, poll: Poll) -> Results:
        """What only the device's own protocol reads, such as a meter's readout."""
        assert self._sheet is not None, "an item that is read by its sheet has one"
        wanted = [p for p in (self._sheet.parameter_named(self._items[n].read) for n in poll.items) if p is not None]
        readings = await device_for(self._runner, self._sheet, self._unit).read(wanted)
        by_name = {reading.name: _of_reading(reading) for reading in readings}
        return {name: by_name[self._items[name].read] for name in poll.items}

    def _value(self, item: RoundItem, texts: list[str]) -> Extracted:
        about = item.value.key if item.value is not None else ""
        text = next((text for text in texts if item.like and search(item.like, text)), texts[0])
        if is_refusal(text.lstrip(), item.ask, f"{item.like} {about}"):
            return Extracted(None, Quality.REFUSED, f"it said {text.strip()[:40]!r}")
        return value_in(item, text)

    # ---- heard

    def _hear(self, data: bytes, errors: LineErrors | None, at_s: float) -> None:
        if errors is not None and errors.total:
            self._line.clear()  # a line with a fault in it is no value
            self._line += b"\0"
        for byte in data:
            if byte in b"\r\n\x03":
                line, self._line = bytes(self._line), bytearray()
                if line.strip() and b"\0" not in line:
                    self._line_came(shown(text_of(line, self._runner.charset)), at_s)
            elif len(self._line) < _LONGEST_LINE:
                self._line.append(byte)

    def _line_came(self, line: str, at_s: float) -> None:
        results = {item.name: value_in(item, line) for item in self._hearing if search(item.hear, line) is not None}
        if results:
            self._heard(results, at_s)


def _held_by_all(items: Sequence[RoundItem]) -> str:
    """The pattern of a right answer, where all values of it name the same one."""
    patterns = {item.like for item in items}
    return patterns.pop() if len(patterns) == 1 else ""


def _question(poll: Poll) -> Question:
    """What is asked, as far as it matters for what is owed."""
    if poll.block is None:
        return Question(poll.ask, owes=True)
    codec = ModbusCodec(FRAMINGS[poll.speaks.removeprefix("modbus-")](), poll.unit, read_request(poll.block), "")
    return Question(codec.sent, codec=codec)


def _guessed(round_: Round, link: str) -> str:
    """A link without a sheet whose items are registers speaks Modbus: by TCP at a plain TCP port, else RTU."""
    if any(item.modbus is not None for item in round_.item if item.link == link):
        return "modbus-tcp" if round_.link_named(link).endpoint.startswith("tcp://") else "modbus-rtu"
    return "text"


def value_in(item: RoundItem, text: str) -> Extracted:
    """An item's value in an answer, or in a line that was heard."""
    if item.value is not None:
        return extract([item.value], text, item.between, item.like or item.hear)[item.value.name]
    if item.hear:
        found = search(item.hear, text)
        text = str(found["value"]) if found is not None else text
    elif other := instead_of_a_value(text, item.ask):
        words = f"it began with {other[:20]!r}: a number behind that may be any; `value` says where one stands"
        return Extracted(None, Quality.NOT_READABLE, words)
    return first_number(_behind_its_name(text, item.ask))


def _behind_its_name(text: str, asked: str) -> str:
    """An answer may begin with what was asked, as its name: a number in that is not the value."""
    own = text_of(to_bytes(asked)).strip() if asked else ""
    said = text.strip()
    named = own and said.startswith(own) and re.match(r"[^\w.,]", said[len(own) :])
    return said[len(own) :] if named else text


def _troubled(trouble: Trouble) -> Extracted:
    return Extracted(None, _QUALITY.get(trouble.outcome, Quality.NOT_READABLE), trouble.words)


def _of_reading(reading: Reading) -> Extracted:
    if reading.outcome is not Outcome.READ:
        return Extracted(None, _QUALITY.get(reading.outcome, Quality.NOT_READABLE), reading.words)
    if isinstance(reading.value, str):
        number = re.fullmatch(r"[+-]?\d+(\.\d+)?", reading.value.strip())
        return Extracted(float(reading.value) if number else reading.value.strip())
    if reading.value is None or reading.value != reading.value or abs(reading.value) == float("inf"):
        return Extracted(None, Quality.NOT_READABLE, f"{reading.value} is no number that can be")
    return Extracted(float(reading.value))
