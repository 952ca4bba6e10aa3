"""The ports as they were surveyed last, those that came and left, and what the technician calls their adapters."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import replace

from ordolex.core.link.retry import Tries
from ordolex.core.port.came_and_left import Changes
from ordolex.core.port.remedies import Seen
from ordolex.io.ports.survey import PortFacts, survey
from ordolex.io.system.clock import mono_s


class Ports:
    """listed   as surveyed last
    elsewhere ports that no survey finds: those that were opened by their address, and our own virtual ones
    surveys  how often they were surveyed
    tries    how often each was tried in vain
    """

    def __init__(self, names: dict[str, str]) -> None:
        self.listed: list[PortFacts] = []
        self._left: list[PortFacts] = []
        self.elsewhere: list[PortFacts] = []
        self.surveys = 0
        self.changes = Changes()
        self.tries = Tries()
        self._names = names
        self._asked: dict[str, tuple[str, list[str], bool, float]] = {}
        self._last_seen: dict[str, PortFacts] = {}

    @property
    def all(self) -> list[PortFacts]:
        """With those that left lately."""
        return self.listed + self._left

    @property
    def places(self) -> list[PortFacts]:
        """All places that can be worked on, those that no survey finds at the end."""
        return self.all + self.elsewhere

    @property
    def surveyed(self) -> bool:
        return self.surveys > 0

    def of(self, endpoint: str) -> PortFacts | None:
        return next((port for port in self.all if port.endpoint == endpoint), None)

    def was_asked(
        self, endpoint: str, question: str, line: str, said: str, *, answered: bool, skipped: str = ""
    ) -> None:
        """What came of asking on all ports; empty for nothing. `skipped` is why this one was not asked. It stands until
        the port is asked something else."""
        what = f"{question} at {line}"
        if skipped:
            self._asked[endpoint] = (f"not {what}", [skipped], False, mono_s())
            return
        before = self._asked.get(endpoint)
        heard, before_answered = before[1:3] if before is not None and before[0] == what else ([], False)
        self._asked[endpoint] = (what, [*heard, said] if said else heard, answered or before_answered, mono_s())

    def asked(self, endpoint: str) -> tuple[str, bool, float] | None:
        """In words what came when all ports were asked, whether that was an answer, and when it was."""
        known = self._asked.get(endpoint)
        if known is None:
            return None
        what, heard, answered, at_s = known
        if what.startswith("not "):
            return f"not asked {what.removeprefix('not ')}: {heard[0]}", False, at_s
        said = "; ".join(heard[:4]) + (f"; {len(heard) - 4} more" if len(heard) > 4 else "")
        return (f"asked {what}: {said}" if heard else f"asked {what}: nothing came"), answered, at_s

    def is_listed(self, endpoint: str) -> bool:
        port = self.of(endpoint)
        return port is not None and port.state != "gone"

    def survey(self) -> None:
        """Looks now; takes a moment. None of the ports is ours."""
        self.take(survey(), lambda port: False)

    def take(self, ports: list[PortFacts], is_ours: Callable[[PortFacts], bool]) -> None:
        """A new survey. A port that we hold ourselves is not held by somebody else."""
        self.surveys += 1
        self.changes.surveyed((port.identity or port.endpoint for port in ports if port.state != "gone"), mono_s())
        self._last_seen |= {port.identity or port.endpoint: port for port in ports}
        there = {port.identity or port.endpoint for port in ports}
        left = [self._last_seen[identity] for identity in self.changes.left if identity not in there]
        self.listed = ports
        self._left = [replace(port, state="gone", holder="") for port in left]
        self.mark(is_ours)

    def mark(self, is_ours: Callable[[PortFacts], bool]) -> None:
        """With the technician's names, and which of them are ours."""

        def marked(port: PortFacts) -> PortFacts:
            return replace(port, name=self._names.get(port.identity, port.name))

        listed = [marked(port) for port in self.listed]
        self.listed = [replace(port, state="held", holder="us") if is_ours(port) else port for port in listed]
        self._left = [marked(port) for port in self._left]

    def name_of(self, identity: str) -> str:
        """What an adapter is called: by the technician, else by the survey."""
        port = self._last_seen.get(identity)
        return self._names.get(identity) or (port.name if port is not None else identity)

    def rename(self, identity: str, name: str) -> None:
        self._names[identity] = name

    def seen(self) -> Seen:
        """What the survey says, for the causes of a port that is not as wanted."""
        left = self.changes.left

        def named(state: str) -> tuple[str, ...]:
            return tuple(port.name for port in self.all if port.state == state and port.holder != "us")

        return Seen(
            named("no-driver"),
            tuple(port.name for port in self.all if port.state == "gone" and port.identity in left),
            named("held"),
            named("no-rights"),
            sum(port.state != "gone" for port in self.all),
        )


def changes_between(before: Sequence[PortFacts], now: Sequence[PortFacts]) -> list[tuple[str, PortFacts]]:
    """("came", "changed" or "left", the port) from one survey to the next."""
    known, there = {port.endpoint for port in before}, {port.endpoint for port in now}
    out = [("changed" if port.endpoint in known else "came", port) for port in now if port not in before]
    return out + [("left", port) for port in before if port.endpoint not in there]
