"""Serves a plan: a station for each device, its ports, and the console that sets faults while it runs."""

from __future__ import annotations

import asyncio
import hmac
import os
import secrets
import sys
import threading
from collections.abc import Callable, Coroutine
from typing import Any

from ordolex.bench.box import Box
from ordolex.bench.day import Day
from ordolex.bench.garble import KINDS
from ordolex.bench.hop import Hop
from ordolex.bench.network_port import NetworkPort
from ordolex.bench.plan import BoxPlan, DayPlan, DevicePlan, Plan
from ordolex.bench.pty_port import PtyPort
from ordolex.bench.shell import Shell
from ordolex.bench.station import Station
from ordolex.core.line.notation import read_line
from ordolex.core.line.settings import SettingsError
from ordolex.core.port.bench_notice import BenchDevice, BenchNotice

HELP = (
    "vanish NAME [SECONDS] · return NAME · replug NAME [SECONDS] · noise NAME CHANCE · late NAME MS ·"
    " silent NAME on|off · hold NAME on|off · rights NAME on|off · driver NAME on|off ·"
    " garble NAME KIND|off · clock NAME FACTOR · format NAME 7E1 · inverted NAME on|off ·"
    " rival NAME on|off · low NAME on|off · crossed NAME on|off · day [TIMES AS FAST] · look NAME · list · help"
    " (NAME may be a part of the name)"
)

_AGAIN_S = 0.5
_VERBS = frozenset(
    {"look", "vanish", "return", "replug", "noise", "late", "silent", "hold", "rights", "driver", "garble", "clock",
     "format", "inverted", "rival", "low", "crossed"}
)  # fmt: skip


class ControlError(ValueError):
    """A console line that cannot be obeyed; the message says what would be."""


class Bench:
    """A running bench. `changed` gets a new notice whenever a device's state changed."""

    def __init__(self, plan: Plan, changed: Callable[[BenchNotice], None]) -> None:
        self.plan = plan
        self._changed = changed
        self._benches = []
        for device in plan.device:
            place = _Place(device, self._tell)
            self._benches.append(place)
            if device.twin:
                self._benches.append(place.twin_of(self._tell))
        for place in self._benches:
            place.station.look_up(self._where)
        self.boxes = [self._box(box) for box in plan.box]
        self.hops = [Hop(hop) for hop in plan.hop]
        self.shell: Shell | None = None
        self._control: asyncio.Server | None = None
        self._token = secrets.token_hex(16)
        self._later: set[asyncio.Task[None]] = set()

    def _box(self, plan: BoxPlan) -> Box:
        by_name = {place.plan.name: place for place in self._benches}
        behind = [by_name[one.device] if one.device else None for one in plan.channel]
        for place in behind:
            if place is not None:
                place.is_boxed = True
        box = Box(plan, [place.station if place is not None else None for place in behind], self._tell)
        if plan.serial:
            by_name[plan.serial].station.give(box.console())
        return box

    async def start(self) -> None:
        for place in self._benches:
            await place.appear()
        for box in self.boxes:
            try:
                await box.appear()
            except OSError as error:
                print(f"bench: {box.plan.name} is not at {box.plan.address}: {error}", file=sys.stderr)
                await box.vanish()
                self._go(self._appear_once_free(box))
        for hop in self.hops:
            await hop.start()
        if self.plan.shell:
            self.shell = Shell()
        if self.plan.day is not None:
            self._begin_day(self.plan.day)
        self._control = await asyncio.start_server(self._console, "127.0.0.1", 0)
        self._tell()

    async def stop(self) -> None:
        for task in self._later:
            task.cancel()
        if self.shell is not None:
            self.shell.stop()
        for hop in self.hops:
            await hop.stop()
        for box in self.boxes:
            await box.vanish()
        for place in self._benches:
            await place.vanish()
        if self._control is not None:
            self._control.close()

    async def _appear_once_free(self, box: Box) -> None:
        """A box's address may still be held by a bench that is just ending: this one follows it."""
        while not box.listens_at:
            await asyncio.sleep(_AGAIN_S)
            try:
                await box.appear()
            except OSError:
                await box.vanish()

    def _go(self, work: Coroutine[Any, Any, None]) -> None:
        task = asyncio.create_task(work)
        self._later.add(task)
        task.add_done_callback(self._later.discard)

    def _where(self, name: str) -> tuple[str, int] | None:
        """Where a device can be reached by a call: only one on plain TCP that nobody holds."""
        place = next((place for place in self._benches if place.plan.name == name and place.plan.raw), None)
        if place is None or not place.network.listening or place.station.taken:
            return None
        return "127.0.0.1", place.network.port

    def notice(self) -> BenchNotice:
        listening = self._control.sockets if self._control is not None else ()  # none any more once it stops
        port = listening[0].getsockname()[1] if listening else 0
        devices = tuple(place.notice() for place in self._benches if not place.is_boxed)
        return BenchNotice(os.getpid(), self.plan.site, f"127.0.0.1:{port}", devices, self._token)

    def _tell(self) -> None:
        if self._control is not None:
            self._changed(self.notice())

    # ---- the console

    async def _console(self, reader: asyncio.StreamReader, writer: asyncio.StreamWriter) -> None:
        try:
            given = (await reader.readline()).decode("utf-8", "replace").strip()
            if not hmac.compare_digest(given.encode(), f"token {self._token}".encode()):
                writer.write(b"refused: this console wants the token of the bench's notice first\n")
                await writer.drain()
                return
            while line := await reader.readline():
                try:
                    answer = await self.obey(line.decode("utf-8", "replace").strip())
                except ControlError as error:
                    answer = f"refused: {error}"
                writer.write(answer.encode() + b"\n")
                await writer.drain()
        except (OSError, ValueError, asyncio.CancelledError):
            pass  # the console hung up, or sent a line without an end
        finally:
            writer.close()

    async def obey(self, text: str) -> str:
        """Does what a console line says; a sentence on what is now. Raises ControlError."""
        verb, _, rest = text.partition(" ")
        if verb == "list":
            return "\n".join(f"{d.state:5} {d.endpoint} {d.name}" for d in self.notice().devices)
        if verb == "day":
            plan = DayPlan.model_validate({"fast": _number(rest or "600", 0.001, 100_000)})
            self._begin_day(plan)
            return f"ok: a day begins at {plan.from_hour:g} h, {plan.fast:g} times as fast"
        if verb not in _VERBS:
            raise ControlError(f"{verb!r} is not known. {HELP}") if verb != "help" else ControlError(HELP)
        place, value = self._place_and_value(rest.strip())
        match verb:
            case "look":
                return place.station.panel or f"{place.plan.name} has no front panel"
            case "vanish":
                await place.vanish()
                if value:
                    self._return_later(place, _number(value, 0, 86_400))
            case "return":
                await place.appear()
            case "replug":
                await place.vanish()
                self._return_later(place, _number(value or "1", 0, 86_400), renumbered=True)
            case "noise" | "garble" | "clock" | "format" | "late":
                _misbehave(place.station, verb, value)
            case _:
                if value not in ("on", "off"):
                    raise ControlError(f"{verb} wants on or off")
                await place.switch(verb, value == "on")
        self._tell()
        return f"ok: {place.plan.name}: {verb} {value}".rstrip()

    def _begin_day(self, plan: DayPlan) -> None:
        """From now on all transmitters live in one day."""
        day = Day(asyncio.get_running_loop().time(), plan.fast, plan.from_hour, plan.seed)
        for place in self._benches:
            place.station.live_in(day)

    def _place_and_value(self, rest: str) -> tuple[_Place, str]:
        """The name may hold spaces, so the value is the last word where the rest still names a device."""
        head, _, tail = rest.rpartition(" ")
        for name, value in ((rest, ""), (head, tail)):
            found = [p for p in self._benches if name and name.lower() in p.plan.name.lower()]
            exact = [p for p in found if p.plan.name.lower() == name.lower()]
            if len(exact or found) == 1:
                return (exact or found)[0], value
        names = ", ".join(place.plan.name for place in self._benches)
        raise ControlError(f"{rest!r} names none or several; the devices are {names}")

    def _return_later(self, place: _Place, seconds: float, *, renumbered: bool = False) -> None:
        async def wait() -> None:
            await asyncio.sleep(seconds)
            await place.appear(renumbered=renumbered)
            self._tell()

        self._go(wait())


class _Place:
    """One device with its ports."""

    def __init__(self, plan: DevicePlan, changed: Callable[[], None]) -> None:
        self.plan = plan
        self.station = Station(plan)
        self.network = NetworkPort(self.station, changed)
        self.pty = PtyPort(self.station, changed) if plan.pty else None
        self.twin: _Place | None = None
        self.is_boxed = False
        """Whether it stands behind a channel of a box, and has no port of its own."""
        self._state = ""
        self._holder = ""

    def twin_of(self, changed: Callable[[], None]) -> _Place:
        """The adapter's other port: it opens like the first, and nothing is behind it."""
        name = f"{self.plan.name}, second port"
        other = _Place(self.plan.model_copy(update={"name": name, "port": 0, "pty": False, "twin": False}), changed)
        other.station.silent = True
        self.twin, other.twin = other, self
        return other

    async def switch(self, verb: str, on: bool) -> None:
        """Silence, a holder, missing rights or a missing driver, as they show to whoever looks and tries."""
        if verb == "silent":
            self.station.silent = on
            return
        if verb == "crossed":
            self.station.cross(on)
            return
        if verb in ("inverted", "rival", "low"):
            self.station.misbehave(
                inverted=on if verb == "inverted" else None,
                rival=on if verb == "rival" else None,
                low=on if verb == "low" else None,
            )
            return
        states = {
            "hold": ("held", "another process"),
            "rights": ("no-rights", "group dialout"),
            "driver": ("no-driver", ""),
        }
        off = on if verb == "hold" else not on
        self._state, self._holder = states[verb] if off else ("", "")
        self.network.barred = off
        if off:
            await self.network.cut_off()

    async def appear(self, *, renumbered: bool = False) -> None:
        if self.is_boxed:
            return
        if not self.network.listening:
            await self.network.listen(renumbered=renumbered)
        if self.pty is not None and not self.pty.path:
            try:
                self.pty.open()
            except (OSError, ImportError) as error:
                print(f"bench: no pseudo-terminal for {self.plan.name}: {error}", file=sys.stderr)

    async def vanish(self) -> None:
        await self.network.vanish()
        if self.pty is not None:
            self.pty.close()

    def notice(self) -> BenchDevice:
        state = self._state or ("gone" if not self.network.listening else "held" if self.station.taken else "free")
        plan = self.plan
        pty = self.pty.path if self.pty is not None else ""
        holder = self._holder or ("another client" if state == "held" else "")
        pair = self.twin.network.endpoint if self.twin is not None else ""
        return BenchDevice(
            plan.name, plan.kind, plan.line, plan.polarity, self.network.endpoint, pty, state, plan.first_question,
            holder, pair,
        )  # fmt: skip


def _misbehave(station: Station, verb: str, value: str) -> None:
    match verb:
        case "noise":
            station.set_noise(_number(value, 0, 0.5))
        case "late":
            station.latency_s = _number(value, 0, 60_000) / 1000
        case "clock":
            station.misbehave(clock=_number(value, 0.8, 1.2))
        case "format":
            station.misbehave(format_=_format(value))
        case _:
            own = station.tempers
            if value not in (*KINDS, "overrun", *own):
                raise ControlError(f"garble wants one of {', '.join((*KINDS, 'overrun', *own))}")
            station.set_temper(value if value in own else "")
            station.garbled = "" if value == "off" or value in own else value


def _format(text: str) -> str:
    try:
        return read_line(f"9600 {text}").settings.format
    except SettingsError as error:
        raise ControlError(str(error)) from error


def _number(text: str, low: float, high: float) -> float:
    try:
        value = float(text)
    except ValueError:
        value = low - 1
    if not low <= value <= high:
        raise ControlError(f"{text!r} is no number from {low:g} to {high:g}")
    return value


async def serve(plan: Plan, ready: Callable[[BenchNotice], None], stop: asyncio.Event) -> None:
    """Runs a bench until `stop` is set. `ready` is called first when all devices answer, then at every change."""
    bench = Bench(plan, ready)
    await bench.start()
    try:
        await stop.wait()
    finally:
        await bench.stop()


def stop_with_parent(stop: Callable[[], object]) -> None:
    """Calls `stop` when standard input ends: the pipe from the program that started us closes with it, however it
    ends. Where the event loop hangs, the process ends all the same."""

    def wait() -> None:
        while os.read(0, 4096):  # not by way of sys.stdin: its lock would be held while the program ends
            pass
        stop()
        timer = threading.Timer(2.0, os._exit, (0,))
        timer.daemon = True
        timer.start()

    threading.Thread(target=wait, daemon=True, name="parent").start()
