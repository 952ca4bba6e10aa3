"""A roll of points to be tested: each is ticked when the device speaks of it, and the rest remain."""

from __future__ import annotations

from dataclasses import dataclass, field


def read_points(text: str) -> list[str]:
    """Names of points, set apart by commas. Raises ValueError."""
    names = list(dict.fromkeys(name.strip() for name in text.split(",") if name.strip()))
    if not names:
        raise ValueError("give the points that are to be tested, with commas between them")
    return names


@dataclass(slots=True)
class Roll:
    """`ticked` is name → (UTC microseconds, the line that spoke of it)."""

    points: list[str]
    ticked: dict[str, tuple[int, str]] = field(default_factory=dict)

    def hear(self, line: str, at_us: int) -> list[str]:
        """The points that this line ticks for the first time. A name that is part of a longer one of the roll is not
        ticked by the longer one."""
        text = line.casefold()
        new = []
        for name in sorted(self.points, key=len, reverse=True):
            key = name.casefold()
            if key in text:
                text = text.replace(key, "\0")
                if name not in self.ticked:
                    self.ticked[name] = at_us, line
                    new.append(name)
        return new

    @property
    def remaining(self) -> list[str]:
        return [name for name in self.points if name not in self.ticked]

    @property
    def words(self) -> str:
        left = self.remaining
        done = f"{len(self.ticked)} of {len(self.points)} points tested"
        return f"{done}; remaining: {', '.join(left)}" if left else f"all {len(self.points)} points tested"
