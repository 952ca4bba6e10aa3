"""Types a procedure into a device for the technician: prompt by prompt, stopping at anything that is not expected.

A second pass reads what was kept.
"""

from __future__ import annotations

import asyncio
import contextlib
import re
from collections.abc import Awaitable, Callable, Iterator, Mapping, Sequence
from contextlib import contextmanager
from dataclasses import dataclass, field

from ordolex.core.device.form import applies
from ordolex.core.device.led import changed_words, same_value, which_of, which_words
from ordolex.core.line.notation import read_line
from ordolex.core.link.judge import LineErrors
from ordolex.core.sheet.base import FIELD, filled
from ordolex.core.sheet.parts import Leave
from ordolex.core.sheet.procedures import Procedure, Step
from ordolex.core.tables.table import lines_of
from ordolex.core.text.charsets import UNCHOSEN, CharsetError, encoded, text_of
from ordolex.core.text.counts import counted
from ordolex.core.text.escapes import named, to_bytes
from ordolex.core.text.numbered import numbered
from ordolex.core.text.patterns import search
from ordolex.core.text.visible import visible_text, without_codes
from ordolex.io.link.runner import LinkRunner
from ordolex.io.system.clock import mono_s
from ordolex.io.system.faults import Fault

_QUIET_S = 0.2
"""Nothing goes out while the device still speaks."""
_STILL_SPEAKS_S = 5.0
_PAUSE_S = 0.45
_TAIL_S = 1.0
_LATE_LINES = 4
_LOOK_BACK = 8192

_BY_HAND = "stopped by hand"

AskSecret = Callable[[str], Awaitable[str | None]]


@dataclass(slots=True)
class Outcome:
    """done         a sentence for each step
    asides       lines that came by themselves in between
    trouble      why it stopped; empty where it did not
    found        what was there before anything was changed, field → value
    kept         what the second pass found, field → value
    differs      (field, planned, kept)
    """

    done: list[str] = field(default_factory=list)
    asides: list[str] = field(default_factory=list)
    trouble: str = ""
    found: dict[str, str] = field(default_factory=dict)
    kept: dict[str, str] = field(default_factory=dict)
    differs: list[tuple[str, str, str]] = field(default_factory=list)

    @property
    def words(self) -> str:
        if self.trouble.startswith(_BY_HAND):
            return self.trouble
        if self.trouble:
            return f"stopped after {counted(len(self.done), 'step')}: {self.trouble}"
        if self.differs:
            name, planned, kept = self.differs[0]
            more = f", and {len(self.differs) - 1} more" if len(self.differs) > 1 else ""
            return f"not kept as planned: {name} is {kept}, planned was {planned}{more}"
        done, read_back = len(self.done), len(self.kept)
        values = f", {counted(read_back, 'value')} kept as planned" if read_back else ""
        return f"{counted(done, 'step')} done{values}"


class _Stopped(Exception):
    pass


class Typist:
    """Runs steps on one link. `said` gets a sentence for each step; `ask_secret` gives a secret that the steps need."""

    def __init__(
        self,
        runner: LinkRunner,
        values: Mapping[str, str],
        ask_secret: AskSecret,
        said: Callable[[str], None] = lambda words: None,
    ) -> None:
        self._runner = runner
        self._values = values
        self._ask_secret = ask_secret
        self._said = said
        self._came_in = bytearray()
        self._heard = ""
        self._last_s = mono_s()
        self._asked_s = mono_s()
        self._came = asyncio.Event()
        self.outcome = Outcome()

    @property
    def stands_at(self) -> str:
        """The line at which the device stands as far as was heard; nothing where it stands at none."""
        return "" if self._heard.endswith(("\n", "\r")) else self._heard.replace("\r", "\n").rpartition("\n")[2].strip()

    async def look(self, procedure: Procedure) -> Outcome:
        """Reads what is there, and changes nothing. What it found is kept in the record as found."""
        with self._kept(procedure, "as found"):
            await self._all([*procedure.before, *procedure.check])
            if not self.outcome.trouble:
                self._prove(procedure)
                self.outcome.found, self.outcome.kept = self.outcome.kept, {}
        return self.outcome

    async def run(self, procedure: Procedure, found: Mapping[str, str] | None = None) -> Outcome:
        """Steps, second pass and comparison; not what makes it last. `found` is what `look` found before."""
        self.outcome.found = dict(found or {})
        with self._kept(procedure, "typed"):
            before = [] if found and self._stands_behind(procedure.before) else procedure.before
            await self._all([*before, *procedure.step])
            if not self.outcome.trouble and procedure.check:
                await self._all(procedure.check)
                self._compare(procedure)
                self._prove(procedure)
        return self.outcome

    def _stands_behind(self, steps: Sequence[Step]) -> bool:
        """Whether the device stands where these steps lead, so that they need not be done once more."""
        return bool(steps and steps[-1].expect) and self._standing_at(self._pattern(steps[-1].expect)) is not None

    def _prove(self, procedure: Procedure) -> None:
        """Values that came as the sheet expects them prove the link."""
        kept = self.outcome.kept
        if kept and not self.outcome.trouble:
            said = ", ".join(f"{name} {value}" for name, value in list(kept.items())[:5])
            self._runner.shown_right(f"reading {procedure.name}", said, max(0.0, self._last_s - self._asked_s) * 1000)

    async def leave(self, procedure: Procedure, leave: Leave) -> Outcome:
        """Leaves the device's menu by the way that stores nothing."""
        with self._kept(procedure, "left without saving"):
            await self._all(
                [Step.model_validate({"send": leave.send, "expect": leave.done, "means": "left without saving"})]
            )
        return self.outcome

    async def finish(self, procedure: Procedure) -> Outcome:
        """Stores, and starts the device anew where the procedure says so."""
        with self._kept(procedure, "to make it last"):
            await self._all(procedure.finish)
        return self.outcome

    @contextmanager
    def _kept(self, procedure: Procedure, what: str) -> Iterator[None]:
        """Keeps in the record what became of it, also where it is stopped in the middle."""
        out = self.outcome
        if not self._came_in:  # where the device stands already tells whether a step is wanted
            self._came_in += self._runner.view().evidence.signs.data
            self._heard = text_of(without_codes(bytes(self._came_in)), self._runner.charset)
        try:
            yield
        except asyncio.CancelledError:
            stood = f"; the device stood at {visible_text(self.stands_at)!r}" if self.stands_at else ""
            out.trouble = self.how_far + stood
            raise
        except Fault as fault:
            out.trouble = str(fault)
            raise
        finally:
            new = out.kept if out.kept else {}
            words = f"{procedure.name}{which_words(procedure, self._values)}, {what}: {out.words}"
            changes = changed_words(procedure, out.found, new)
            self._runner.note("procedure", f"{words}{f'; {changes}' if changes else ''}", {
                "procedure": procedure.name, "which": which_of(procedure, self._values), "what": what,
                "found": out.found, "planned": dict(self._values) if what == "typed" else {}, "kept": new,
                "trouble": out.trouble,
            })  # fmt: skip

    @property
    def failed(self) -> bool:
        """Whether the port failed; what was stopped by hand did not fail."""
        return bool(self.outcome.trouble) and not self.outcome.trouble.startswith(_BY_HAND)

    @property
    def how_far(self) -> str:
        """For one that was stopped by hand: what was done last, and where the device stands."""
        last = f"the last was {visible_text(self.outcome.done[-1])}" if self.outcome.done else "no step was done whole"
        return f"{_BY_HAND}; {last}"

    def _compare(self, procedure: Procedure) -> None:
        for one in procedure.field:
            planned = self._values.get(one.name, "").strip()
            kept = self.outcome.kept.get(one.name)
            if kept is not None and planned and not same_value(one, kept, planned):
                self.outcome.differs.append((one.label, planned, kept))

    async def _all(self, steps: Sequence[Step]) -> None:
        with self._runner.tap.heard_by(self._hear):
            try:
                for step in steps:
                    if applies(step.only_if, self._values):
                        for item in self._items(step):
                            await self._do(step, item)
                with contextlib.suppress(_Stopped):
                    await self._quiet(_QUIET_S, _TAIL_S)  # the end of a line whose words were enough
            except _Stopped as stopped:
                self.outcome.trouble = str(stopped)
                self._said(self.outcome.trouble)

    def _items(self, step: Step) -> list[str]:
        if not step.each:
            return [""]
        return [item.strip() for item in self._values.get(step.each, "").split(",") if item.strip()]

    def _hear(self, data: bytes, errors: LineErrors | None, at_s: float) -> None:
        self._came_in += data  # a code, or a character, may come in pieces
        del self._came_in[:-_LOOK_BACK]
        self._heard = text_of(without_codes(bytes(self._came_in)), self._runner.charset)
        self._last_s = mono_s()
        self._came.set()

    # ---- one step

    async def _do(self, step: Step, item: str) -> None:
        if step.unless and self._standing_at(self._pattern(step.unless)) is not None:
            return
        words = await self._send(step, item)
        if step.expect:
            words = f"{words}; {await self._expect(step)}"
        self.outcome.done.append(words)
        self._said(words)

    def _pattern(self, text: str) -> str:
        """With the form's values, as they are, where it names fields."""
        return FIELD.sub(
            lambda found: re.escape(self._values[found[1]].strip()) if found[1] in self._values else found[0], text
        )

    async def _send(self, step: Step, item: str) -> str:
        if step.quiet_s:
            await self._quiet(step.quiet_s, step.timeout_s + step.quiet_s)
            return f"quiet for {step.quiet_s:g} s"
        if step.line:
            await self._runner.retune(read_line(step.line).settings, keep=True)
            return f"port at {step.line}"
        if not (step.send or step.choose or step.secret):
            return step.means or "waited"
        await self._quiet(_QUIET_S, _STILL_SPEAKS_S)
        if step.secret:
            secret = await self._ask_secret(step.secret)
            if secret is None:
                raise _Stopped(f"no {step.secret} was given")
            given = self._encoded(secret, f"a character of the {step.secret}")
            self._forget()
            await self._runner.out.send_secret(given, to_bytes(step.end))
            return f"{step.secret} given, not kept"
        data = self._chosen(step, item) if step.choose else self._filled(step.send, item)
        self._forget()
        self._asked_s = mono_s()
        await self._runner.out.send(data)
        return f"sent {named(data)}"

    def _forget(self) -> None:
        """What was heard before says nothing about what comes now."""
        self._came_in.clear()
        self._heard = ""

    def _filled(self, template: str, item: str) -> bytes:
        try:
            return filled(template, {**self._values, "item": item}, self._runner.charset or UNCHOSEN)
        except CharsetError as error:
            raise _Stopped(str(error)) from error

    def _encoded(self, secret: str, which: str) -> bytes:
        try:
            return encoded(secret, self._runner.charset or UNCHOSEN, which)
        except CharsetError as error:
            raise _Stopped(str(error)) from error

    def _chosen(self, step: Step, item: str) -> bytes:
        wanted = filled(step.choose, {**self._values, "item": item}).decode().strip().lower()
        items = numbered([line for line in lines_of(self._heard) if line.strip()])
        named = [(number, name.strip().lower()) for number, name in items]
        words = re.compile(rf"(?<!\w){re.escape(wanted)}(?!\w)")
        found = [number for number, name in named if name == wanted]  # a row may say more than the name
        found = found or [number for number, name in named if words.match(name)]
        found = found or [number for number, name in named if words.search(name)]
        if len(found) != 1:
            names = ", ".join(name.strip() for _, name in items) or "no list at all"
            raise _Stopped(f"{wanted!r} is not once in what it showed: {visible_text(names)}")
        return found[0].encode() + to_bytes(step.end)

    async def _expect(self, step: Step) -> str:
        deadline = mono_s() + step.timeout_s
        while True:
            self._came.clear()
            found = self._standing_at(self._pattern(step.expect))
            if found is None and step.unless and self._standing_at(self._pattern(step.unless)) is not None:
                return "it stood behind that already"
            if found is not None and self._may_go_on(found[0]):
                await self._still()
                found = self._standing_at(self._pattern(step.expect))
            if found is not None:
                shown, aside = found
                self.outcome.asides += [line for line in lines_of(aside) if line.strip()]
                self.outcome.kept |= {name: value for name, value in shown.items() if value is not None}
                return step.means or "as expected"
            left = deadline - mono_s()
            if left <= 0:
                last = visible_text(" ".join(lines_of(self._heard[-160:])).strip()) or "nothing"
                raise _Stopped(f"expected {step.expect!r}, but it says: {last}")
            try:
                async with asyncio.timeout(left):
                    await self._came.wait()
            except TimeoutError:
                continue

    def _may_go_on(self, shown: Mapping[str, str | None]) -> bool:
        """Whether a value stands at the end of what came so far: the rest of it may be on its way."""
        return any(value and self._heard.rstrip(" ").endswith(value) for value in shown.values())

    async def _still(self) -> None:
        """Until nothing has come for longer than a device pauses within a line."""
        deadline = mono_s() + _STILL_SPEAKS_S
        while mono_s() < deadline and (left := self._last_s + _PAUSE_S - mono_s()) > 0:  # noqa: ASYNC110
            await asyncio.sleep(left)

    def _standing_at(self, expect: str) -> tuple[dict[str, str], str] | None:
        """What the pattern's groups hold, and the late lines behind the prompt, where it is there."""
        text = self._heard
        for _ in range(_LATE_LINES + 1):
            found = search(expect, text)
            if found is not None:
                return found.groupdict(), self._heard[len(text) :]
            if not text.endswith(("\n", "\r")):
                return None
            text = text.rstrip("\r\n")
            cut = max(text.rfind("\n"), text.rfind("\r"))
            if cut < 0:
                return None
            text = text[: cut + 1].rstrip("\r\n")
        return None

    async def _quiet(self, quiet_s: float, at_most_s: float) -> None:
        deadline = mono_s() + at_most_s
        while mono_s() - self._last_s < quiet_s:
            if mono_s() > deadline:
                raise _Stopped(f"it still speaks after {at_most_s:g} s; nothing is typed into that")
            await asyncio.sleep(0.02)
