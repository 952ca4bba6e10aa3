"""Types a procedure into a device for the technician: prompt by prompt, stopping at anything that is not expected.

A second pass reads what was kept.
"""

from __future__ import annotations

import asyncio
from collections.abc import Awaitable, Callable, Mapping, Sequence
from dataclasses import dataclass, field

from ordolex.core.device.form import applies
from ordolex.core.line.notation import read_line
from ordolex.core.link.judge import LineErrors
from ordolex.core.sheet.base import filled
from ordolex.core.sheet.procedures import Procedure, Step
from ordolex.core.tables.table import lines_of
from ordolex.core.text.escapes import named, to_bytes
from ordolex.core.text.numbered import numbered
from ordolex.core.text.patterns import search
from ordolex.core.text.visible import visible_text, without_codes
from ordolex.io.link.runner import LinkRunner
from ordolex.io.system.clock import mono_s

_QUIET_S = 0.2
"""Nothing goes out while the device still speaks."""
_STILL_SPEAKS_S = 5.0
_LATE_LINES = 4
_LOOK_BACK = 8192

AskSecret = Callable[[str], Awaitable[str | None]]


@dataclass(slots=True)
class Outcome:
    """done         a sentence for each step
    asides       lines that came by themselves in between
    trouble      why it stopped; empty where it did not
    kept         what the second pass found, field → value
    differs      (field, planned, kept)
    """

    done: list[str] = field(default_factory=list)
    asides: list[str] = field(default_factory=list)
    trouble: str = ""
    kept: dict[str, str] = field(default_factory=dict)
    differs: list[tuple[str, str, str]] = field(default_factory=list)

    @property
    def words(self) -> str:
        if self.trouble:
            return f"stopped after {len(self.done)} steps: {self.trouble}"
        if self.differs:
            name, planned, kept = self.differs[0]
            more = f", and {len(self.differs) - 1} more" if len(self.differs) > 1 else ""
            return f"not kept as planned: {name} is {kept}, planned was {planned}{more}"
        return f"{len(self.done)} steps done" + (f", {len(self.kept)} values kept as planned" if self.kept else "")


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
        self._heard = ""
        self._last_s = mono_s()
        self._came = asyncio.Event()
        self.outcome = Outcome()

    async def run(self, procedure: Procedure) -> Outcome:
        """Steps, second pass and comparison; not what makes it last."""
        await self._all(procedure.step)
        if not self.outcome.trouble and procedure.check:
            await self._all(procedure.check)
            self._compare(procedure)
        self._runner.note("procedure", f"{procedure.name}: {self.outcome.words}", {
            "planned": dict(self._values), "kept": self.outcome.kept,
        })  # fmt: skip
        return self.outcome

    async def finish(self, procedure: Procedure) -> Outcome:
        """Stores, and starts the device anew where the procedure says so."""
        await self._all(procedure.finish)
        self._runner.note("procedure", f"{procedure.name}, to make it last: {self.outcome.words}", {})
        return self.outcome

    def _compare(self, procedure: Procedure) -> None:
        for one in procedure.field:
            planned = self._values.get(one.name, "").strip()
            kept = self.outcome.kept.get(one.name)
            if kept is not None and planned and kept.lower() != planned.lower():
                self.outcome.differs.append((one.label, planned, kept))

    async def _all(self, steps: Sequence[Step]) -> None:
        with self._runner.tap.heard_by(self._hear):
            try:
                for step in steps:
                    if applies(step.only_if, self._values):
                        for item in self._items(step):
                            await self._do(step, item)
            except _Stopped as stopped:
                self.outcome.trouble = str(stopped)
                self._said(self.outcome.trouble)

    def _items(self, step: Step) -> list[str]:
        if not step.each:
            return [""]
        return [item.strip() for item in self._values.get(step.each, "").split(",") if item.strip()]

    def _hear(self, data: bytes, errors: LineErrors | None, at_s: float) -> None:
        self._heard = (self._heard + without_codes(data).decode("utf-8", "replace"))[-_LOOK_BACK:]
        self._last_s = mono_s()
        self._came.set()

    # ---- one step

    async def _do(self, step: Step, item: str) -> None:
        if step.unless and self._standing_at(step.unless) is not None:
            return
        words = await self._send(step, item)
        if step.expect:
            words = f"{words}; {await self._expect(step)}"
        self.outcome.done.append(words)
        self._said(words)

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
            self._heard = ""
            await self._runner.out.send_secret(secret.encode(), to_bytes(step.end))
            return f"{step.secret} given, not kept"
        data = self._chosen(step, item) if step.choose else filled(step.send, {**self._values, "item": item})
        self._heard = ""
        await self._runner.out.send(data)
        return f"sent {named(data)}"

    def _chosen(self, step: Step, item: str) -> bytes:
        wanted = filled(step.choose, {**self._values, "item": item}).decode().strip().lower()
        items = numbered([line for line in lines_of(self._heard) if line.strip()])
        found = [number for number, name in items if name.strip().lower() == wanted]
        if len(found) != 1:
            names = ", ".join(name.strip() for _, name in items) or "no list at all"
            raise _Stopped(f"{wanted!r} is not once in what it showed: {visible_text(names)}")
        return found[0].encode() + to_bytes(step.end)

    async def _expect(self, step: Step) -> str:
        deadline = mono_s() + step.timeout_s
        while True:
            self._came.clear()
            found = self._standing_at(step.expect)
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
