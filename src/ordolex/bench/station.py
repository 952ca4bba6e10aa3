"""A station: one stand-in, the line to it in both directions, and the faults it was told to have.

The laptop's side attaches with its line settings and a place for what it receives. Between the two stands the wire
model, so that wrong settings do here what they do on a real line.
"""

from __future__ import annotations

import asyncio
import random
from collections.abc import Callable
from heapq import heappop, heappush

from ordolex.bench.calls import Calls
from ordolex.bench.catalogue import kinds, tempers
from ordolex.bench.day import Day
from ordolex.bench.devices.base import Panelled, Relining, Say, StandIn
from ordolex.bench.devices.modem import Modem
from ordolex.bench.garble import FIRST_ONLY, garble
from ordolex.bench.plan import DevicePlan
from ordolex.core.line.notation import read_line
from ordolex.core.line.settings import LineSettings
from ordolex.core.uart.levels import Transmitter
from ordolex.core.uart.line import Line
from ordolex.core.uart.receiver import Character, Receiver

Sink = Callable[[list[Character]], None]
_STEP_S = 0.002  # bytes that come within 2 ms are handed over together


class Station:
    def __init__(self, plan: DevicePlan) -> None:
        self.plan = plan
        self.noise = plan.noise
        self.latency_s = plan.latency_ms / 1000
        self.silent = False
        self.garbled = plan.garble
        """A kind of garble.KINDS, or `overrun`; empty for a device that speaks as it should."""
        self.clock = plan.clock
        self.inverted = plan.polarity == "inverted"
        self.format = ""
        self.rival = False
        """Whether a second device speaks on the same wire, without regard to the first."""
        self.low = False
        """Whether something holds the line down."""
        self.crossed = False
        """Whether the cable has one crossing too few or too many: outputs meet outputs, and nothing drives an input."""
        self._rival_s = 0.0
        self._rival_count = 0
        self._random = random.Random(plan.name)
        self._loop = asyncio.get_running_loop()
        self._laptop = LineSettings(9600)
        self._changed_line: LineSettings | None = None
        """Settings that the device gave itself."""
        self._sink: Sink | None = None
        self._device = kinds()[plan.kind](plan, self._loop.time())
        self._says: list[Say] = []
        self._count = 0
        self._had_carrier = False
        self._began = False
        self._timer: asyncio.TimerHandle | None = None
        self._calls = Calls(self._device, plan.dials, self._pump) if isinstance(self._device, Modem) else None
        self.lines_changed: Callable[[], None] = lambda: None
        """Called when a control line of the device changes."""
        self._build_line()

    @property
    def carrier(self) -> bool:
        """Whether the device's DCD is on: a modem's only during a call."""
        return not isinstance(self._device, Modem) or self._device.in_call

    def give(self, device: StandIn) -> None:
        """Another device is behind the line, made by whoever serves it."""
        self._device = device

    def live_in(self, day: Day) -> None:
        """The device lives in a day that the bench plays, if it knows days."""
        if hasattr(self._device, "day"):
            self._device.day = day

    @property
    def tempers(self) -> tuple[str, ...]:
        """Ways of its own in which the device can misbehave."""
        return tempers(self.plan.kind)

    def set_temper(self, temper: str) -> None:
        """One of `tempers`, or empty for none."""
        if hasattr(self._device, "temper"):
            self._device.temper = temper

    @property
    def panel(self) -> str:
        """What the device's front panel shows; nothing where it has none."""
        return self._device.panel(self._loop.time()) if isinstance(self._device, Panelled) else ""

    def dtr(self, on: bool) -> None:
        """The laptop's DTR."""
        if not on and isinstance(self._device, Modem):
            self._say(self._device.dtr_dropped(self._loop.time()))
            self._pump()

    def look_up(self, find: Callable[[str], tuple[str, int] | None]) -> None:
        """How the device's calls find the one that answers."""
        if self._calls is not None:
            self._calls.find = find

    @property
    def taken(self) -> bool:
        return self._sink is not None

    @property
    def device_line(self) -> LineSettings:
        """The device's own settings; a plug without any follows the laptop's."""
        if self.plan.line == "any":
            return self._laptop
        line = self._changed_line or read_line(self.plan.line).settings
        return read_line(f"{line.baud} {self.format}").settings if self.format else line

    def attach(self, sink: Sink, settings: LineSettings) -> None:
        """The laptop's port opens: it hears what is said from now on."""
        self._sink = sink
        self._laptop = settings
        self._says.clear()
        self._began = False
        self._build_line()
        self._pump()

    def detach(self) -> None:
        self._sink = None
        if self._timer is not None:
            self._timer.cancel()
            self._timer = None

    def retune(self, settings: LineSettings) -> None:
        """The laptop changes its settings while open."""
        self._laptop = settings
        self._to_laptop.receiver.settings = settings
        self._to_device.sender.settings = settings
        if self.plan.line == "any":
            self._to_laptop.sender.settings = settings
            self._to_device.receiver.settings = settings
        if self.low:  # a receiver that is set up anew takes a line at SPACE for a start bit
            self._build_line()
            self._pump()

    def from_laptop(self, data: bytes) -> None:
        if not self.crossed:
            self._to_device.send(data, self._loop.time())
        self._pump()

    def break_from_laptop(self, length_s: float) -> None:
        if not self.crossed:
            self._to_device.send_break(self._loop.time(), length_s)
        self._pump()

    def cross(self, crossed: bool) -> None:
        """From now on the cable's crossing is wrong, or right again."""
        self.crossed = crossed
        self.lines_changed()

    def misbehave(
        self,
        *,
        clock: float | None = None,
        inverted: bool | None = None,
        format_: str | None = None,
        rival: bool | None = None,
        low: bool | None = None,
    ) -> None:
        """From now on its clock, its polarity or its format is another, or somebody else is on its wire; what is on the
        line is lost."""
        self.rival = self.rival if rival is None else rival
        self.low = self.low if low is None else low
        self.clock = self.clock if clock is None else clock
        self.inverted = self.inverted if inverted is None else inverted
        self.format = self.format if format_ is None else format_
        self._build_line()

    def purge(self) -> None:
        self._to_laptop.purge()

    def set_noise(self, chance: float) -> None:
        self.noise = chance
        for line in (self._to_device, self._to_laptop):
            line.sender.flip = self._flip if chance else None

    def _flip(self) -> bool:
        return self._random.random() < self.noise

    def _build_line(self) -> None:
        plan, own, laptop = self.plan, self.device_line, self._laptop
        inverted = self.inverted
        out = Transmitter(own, inverted=inverted, clock=self.clock, gap_bits=plan.gap_bits)
        back = Transmitter(laptop, inverted=inverted)
        self._to_laptop = Line(out, Receiver(laptop, idle_level=out.idle_level))
        self._to_device = Line(back, Receiver(own, clock=self.clock, idle_level=back.idle_level))
        if self.rival or self.low:
            self._to_laptop.share(Transmitter(own, clock=self.clock * 1.004))
            self._to_laptop.hold(low=self.low, now_s=self._loop.time())
        self.set_noise(self.noise)

    def _pump(self) -> None:
        plan = self.plan
        now = self._loop.time()
        heard = self._to_device.advance(now)
        says = self._device.receive(heard, now) if heard else []
        says += self._device.tick(now)
        if self._calls is not None:
            says += self._calls.turn(now)
        self._say(says)
        if self.carrier != self._had_carrier:
            self._had_carrier = self.carrier
            self.lines_changed()
        while self._says and self._says[0].at_s <= now:
            data = heappop(self._says).data
            self._to_laptop.send(data, now)
            if self.rival:  # the other has no ears, and speaks into it
                said_s = len(data) * self.device_line.bits_per_frame * self.device_line.bit_s
                self._rival_s = min(self._rival_s, now + self._random.uniform(0.1, 0.8) * said_s)
        self._follow_device(now)
        if self.rival and now >= self._rival_s:
            self._rival_count += 1
            self._to_laptop.say_between(
                f"FAN {self._rival_count % 4 + 1} AT {900 + self._rival_count % 7} RPM\r\n".encode(), now
            )
            self._rival_s = now + self._random.uniform(0.05, 0.5)
        characters = self._to_laptop.advance(now)
        if self.garbled == "overrun" or 0 < plan.overrun_above < self._laptop.baud:
            characters = self._overrun(characters)
        if characters and self._sink is not None and not self.crossed:
            self._sink(characters)
        self._schedule(now)

    def _say(self, says: list[Say]) -> None:
        if self.silent:
            return
        for say in says:
            spoils = self.garbled and not (self._began and self.garbled in FIRST_ONLY)
            data = garble(say.data, self.garbled, self._random) if spoils else say.data
            self._began = True
            heappush(self._says, Say(say.at_s + self.latency_s, data))

    def _follow_device(self, now: float) -> None:
        """A device that changed its own settings uses them as soon as what it said has left."""
        device, gone = self._device, now >= self._to_laptop.sender.free_at_s
        if isinstance(device, Relining) and gone and not (self._says or self._to_laptop.busy):
            if device.line != (self._changed_line or read_line(self.plan.line).settings):
                self._changed_line = device.line
                self._to_laptop.sender.settings = self._to_device.receiver.settings = self.device_line
            device.relined(now)

    def _overrun(self, characters: list[Character]) -> list[Character]:
        """Every eighth character is lost, and the next one says so."""
        kept: list[Character] = []
        for character in characters:
            self._count += 1
            if self._count % 8:
                kept.append(character._replace(overrun=self._count % 8 == 1 and self._count > 8))
        return kept

    def _schedule(self, now: float) -> None:
        if self._timer is not None:
            self._timer.cancel()
            self._timer = None
        if self._sink is None:
            return
        times = [self._device.next_deadline(), self._to_device.next_deadline(), self._to_laptop.next_deadline()]
        if self._says:
            times.append(self._says[0].at_s)
        if self.rival:
            times.append(self._rival_s)
        if isinstance(self._device, Relining) and self._to_laptop.sender.free_at_s > now:
            times.append(self._to_laptop.sender.free_at_s)
        due = min((t for t in times if t is not None), default=None)
        if due is not None:
            self._timer = self._loop.call_at(max(due, now + _STEP_S), self._pump)
