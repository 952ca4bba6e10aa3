"""What a match has tried and found so far."""

from __future__ import annotations

from dataclasses import dataclass, field

from ordolex.core.line.settings import LineSettings
from ordolex.core.match.capture import Capture
from ordolex.core.match.infer import Inference
from ordolex.core.match.verdict import Verdict
from ordolex.io.system.clock import mono_s

_WORTH_NAMING = 0.02


@dataclass(frozen=True, slots=True)
class Trial:
    """One listen or one question: the port's settings, what was sent and heard, and what it says."""

    line: LineSettings
    sent: bytes
    heard: Capture
    words: str
    seconds: float

    def as_dict(self) -> dict[str, object]:
        return {
            "line": self.line.text,
            "sent_hex": self.sent.hex(),
            "heard_hex": self.heard.data[:512].hex(),
            "line_errors": self.heard.errors,
            "verdict": self.words,
            "seconds": round(self.seconds, 3),
        }


@dataclass(slots=True)
class Match:
    """Everything so far. `found` are settings confirmed on the line; `answered` if a question proved them; `left` says
    that the port could not be put back, and where it is."""

    trials: list[Trial] = field(default_factory=list)
    captures: list[Capture] = field(default_factory=list)
    inference: Inference = field(default_factory=lambda: Inference((), ()))
    verdict: Verdict | None = None
    found: LineSettings | None = None
    inverted: bool = False
    answered: bool = False
    evidence: str = ""
    began_s: float = field(default_factory=mono_s)
    at_most_s: float = 0.0
    now: str = ""
    left: str = ""

    @property
    def seconds(self) -> float:
        return mono_s() - self.began_s

    @property
    def retunings(self) -> int:
        return sum(a.line != b.line for a, b in zip(self.trials, self.trials[1:], strict=False))

    @property
    def alike(self) -> tuple[str, ...]:
        """Other formats that read the same as the settings found, where the inference weighed them."""
        best = self.inference.best
        members = [member.settings for member in best.members if member.probability > _WORTH_NAMING] if best else []
        if self.found not in members:
            return ()
        return tuple(settings.format for settings in members if settings != self.found)
