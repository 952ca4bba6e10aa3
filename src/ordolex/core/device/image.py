"""The image of a device: its parameters in a file, to compare and to write back. The form is in docs/set.md."""

from __future__ import annotations

import json
from dataclasses import dataclass, field

from ordolex.core.sheet.parameters import Setting

KIND, VERSION = "ordolex-image", 1


class ImageTrouble(ValueError):
    """A file that is no image. The message says why."""


@dataclass(frozen=True, slots=True)
class Image:
    """`when` is UTC in ISO 8601; `values` is name → value, None where it was not read."""

    device: str
    sheet: str
    unit: int
    when: str
    values: dict[str, Setting | None] = field(default_factory=dict)
    units: dict[str, str] = field(default_factory=dict)

    def encode(self) -> str:
        rows = {name: {"value": value, "unit": self.units.get(name, "")} for name, value in self.values.items()}
        head = {"kind": KIND, "version": VERSION, "device": self.device, "sheet": self.sheet, "unit": self.unit}
        return json.dumps({**head, "when": self.when, "values": rows}, indent=1, ensure_ascii=False) + "\n"


def decode(text: str) -> Image:
    """Raises ImageTrouble."""
    try:
        raw = json.loads(text)
        if raw["kind"] != KIND:
            raise ImageTrouble(f"it says {raw['kind']!r}, an image says {KIND!r}")
        if raw["version"] > VERSION:
            raise ImageTrouble(f"it is of version {raw['version']}; open it with a newer Ordolex")
        rows = raw["values"]
        values = {str(name): row["value"] for name, row in rows.items()}
        if not all(value is None or isinstance(value, int | float | str) for value in values.values()):
            raise ImageTrouble("a value is neither number nor text")
        units = {str(name): str(row["unit"]) for name, row in rows.items() if row.get("unit")}
        return Image(str(raw["device"]), str(raw["sheet"]), int(raw["unit"]), str(raw["when"]), values, units)
    except ImageTrouble:
        raise
    except (KeyError, TypeError, AttributeError, ValueError, OverflowError, RecursionError) as error:
        raise ImageTrouble(f"it is no image of a device: {error}") from error


@dataclass(frozen=True, slots=True)
class Difference:
    """kind: differs, only in the first, only in the second, or not read."""

    name: str
    kind: str
    first: Setting | None
    second: Setting | None


def differences(first: Image, second: Image) -> list[Difference]:
    out = []
    for name in dict.fromkeys([*first.values, *second.values]):
        if name not in second.values:
            out.append(Difference(name, "only in the first", first.values[name], None))
        elif name not in first.values:
            out.append(Difference(name, "only in the second", None, second.values[name]))
        elif first.values[name] is None or second.values[name] is None:
            out.append(Difference(name, "not read", first.values[name], second.values[name]))
        elif not _equal(first.values[name], second.values[name]):
            out.append(Difference(name, "differs", first.values[name], second.values[name]))
    return out


def _equal(one: Setting | None, other: Setting | None) -> bool:
    if isinstance(one, int | float) and isinstance(other, int | float):
        return abs(one - other) <= 1e-6 * max(abs(one), abs(other))
    return str(one) == str(other)
