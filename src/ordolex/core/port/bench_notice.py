"""What a running bench tells the rest of the world: one JSON document in a file, renewed whenever it changes."""

from __future__ import annotations

import json
from dataclasses import asdict, dataclass
from typing import Any


@dataclass(frozen=True, slots=True)
class BenchDevice:
    """state is free, held, no-rights, no-driver or gone; holder says by whom it is held, or which group may use it.
    `line` is what stands on the device's sticker. `pair` is the endpoint of the adapter's other port."""

    name: str
    kind: str
    line: str
    polarity: str
    endpoint: str
    pty: str
    state: str
    first_question: str
    holder: str = ""
    pair: str = ""


@dataclass(frozen=True, slots=True)
class BenchNotice:
    """`control` is host:port of the console that sets faults."""

    pid: int
    site: str
    control: str
    devices: tuple[BenchDevice, ...]
    token: str = ""
    """What the console wants to be told first; it stands in the notice's file only, which is its owner's alone."""

    def as_dict(self) -> dict[str, Any]:
        shown = asdict(self)
        del shown["token"]
        return shown

    def encode(self) -> str:
        return json.dumps(self.as_dict() | {"token": self.token}, indent=1) + "\n"


def decode(text: str) -> BenchNotice:
    """Raises ValueError for anything that is no notice."""
    try:
        raw = json.loads(text)
        devices = tuple(BenchDevice(**device) for device in raw["devices"])
        return BenchNotice(int(raw["pid"]), str(raw["site"]), str(raw["control"]), devices, str(raw.get("token", "")))
    except (KeyError, TypeError) as error:
        raise ValueError(f"no bench notice: {error}") from error
