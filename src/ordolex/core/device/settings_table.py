"""The settings of one device as they are worked on: as found, now, wanted, as left, and what became of each change."""

from __future__ import annotations

from collections.abc import Iterable, Mapping
from dataclasses import dataclass, field
from typing import Any

from ordolex.core.device.setting import Outcome, Reading, Written, read_setting, same, shown
from ordolex.core.sheet import Sheet
from ordolex.core.sheet.parameters import Parameter, Setting


@dataclass(slots=True)
class SettingRow:
    """found    as it was read first; None until then
    now      as it was read last, `now_s` when
    wanted   what is to be; None where nothing is
    left     what was read back behind the last change
    verdict  in words, of the last reading or change
    """

    parameter: Parameter
    found: Setting | None = None
    now: Setting | None = None
    now_s: float | None = None
    raw: bytes = b""
    wanted: Setting | None = None
    left: Setting | None = None
    verdict: str = ""
    good: bool = True
    unstored: bool = False
    unbooted: bool = False

    @property
    def state(self) -> str:
        """What still has to be done, in words."""
        if self.wanted is not None and not same(self.parameter, self.wanted, self.now):
            return "not applied"
        if self.unstored:
            return "not stored"
        return "needs reboot" if self.unbooted else ""

    def was_set(self, detail: Mapping[str, Any]) -> None:
        """Takes a change as the book keeps it."""
        if self.found is None:
            self.found = detail.get("before")
        if detail.get("after") is not None:
            self.left = detail["after"]
        if detail.get("verdict") == "held":
            self.unstored, self.unbooted = self.parameter.store, self.parameter.reboot

    def text(self, value: Setting | None) -> str:
        return shown(self.parameter, value)


@dataclass(slots=True)
class SettingsTable:
    sheet: Sheet
    unit: int
    rows: list[SettingRow] = field(default_factory=list)

    def __post_init__(self) -> None:
        self.rows = self.rows or [SettingRow(parameter) for parameter in self.sheet.parameter]

    def row(self, name: str) -> SettingRow:
        return next(row for row in self.rows if row.parameter.name == name)

    def read(self, readings: Iterable[Reading], now_s: float) -> None:
        """Takes readings; what is read first stays as found."""
        for reading in readings:
            row = self.row(reading.name)
            row.raw = reading.raw
            row.good = reading.outcome is Outcome.READ
            row.verdict = "" if row.good else f"{reading.outcome.value}: {reading.words}"
            if not row.good:
                continue
            row.now, row.now_s = reading.value, now_s
            if row.found is None:
                row.found = reading.value

    def remember(self, events: Iterable[tuple[str, Mapping[str, Any]]]) -> None:
        """Takes what the book holds of this device at this unit, oldest first: what was read first stays as found, and
        what was left stays as left. Each event is its kind and its detail; those of other devices are passed over."""
        rows = {row.parameter.name: row for row in self.rows}
        for kind, detail in events:
            if (detail.get("sheet"), detail.get("unit")) != (self.sheet.name, self.unit):
                continue
            if kind == "found":
                if detail.get("anew"):
                    self.begin_anew()
                for name, value in detail.get("values", {}).items():
                    if name in rows and rows[name].found is None:
                        rows[name].found = value
            elif detail.get("stored"):
                self.stored()
            elif detail.get("name") in rows:
                rows[detail["name"]].was_set(detail)

    def begin_anew(self) -> None:
        """What is read next is as found."""
        for row in self.rows:
            row.found = row.left = None

    def want(self, name: str, text: str) -> None:
        """Raises ValueError, and changes nothing then. An empty text takes the wish away."""
        row = self.row(name)
        if not text.strip():
            row.wanted = None
            return
        if not row.parameter.can_be_written:
            raise ValueError(f"{name} is only read")
        row.wanted = read_setting(row.parameter, text)
        if row.now is not None and same(row.parameter, row.wanted, row.now):
            row.wanted = None

    @property
    def pending(self) -> list[tuple[Parameter, Setting]]:
        """What is to be written, in the order in which it is safe."""
        found = [(row.parameter, row.wanted) for row in self.rows if row.wanted is not None]
        return sorted(found, key=lambda pair: pair[0].rank)

    def written(self, written: Written, now_s: float) -> None:
        row = self.row(written.name)
        row.good = written.good
        row.verdict = written.verdict if written.good else f"{written.verdict}: {written.words}"
        if row.found is None:
            row.found = written.before
        row.raw = b""
        if written.after is not None:
            row.now, row.now_s, row.left = written.after, now_s, written.after
        if written.good:
            row.wanted = None
            if written.verdict == "held":
                row.unstored = row.unstored or row.parameter.store
                row.unbooted = row.unbooted or row.parameter.reboot

    def undo(self) -> int:
        """Wants everything back as it was found; how many rows differ."""
        count = 0
        for row in self.rows:
            row.wanted = None
            if row.parameter.can_be_written and row.found is not None and not same(row.parameter, row.found, row.now):
                row.wanted = row.found
                count += 1
        return count

    def stored(self) -> None:
        for row in self.rows:
            row.unstored = False

    def lasted(self, readings: Iterable[Reading], now_s: float) -> list[str]:
        """After a power cycle: takes readings, and says which settings are not as they were left."""
        before = {row.parameter.name: row.left for row in self.rows if row.left is not None}
        self.read(readings, now_s)
        lost = []
        for name, left in before.items():
            row = self.row(name)
            row.unbooted = False
            if row.good and same(row.parameter, left, row.now):
                row.verdict, row.unstored = "lasted", False
            elif row.good:
                row.verdict, row.good = f"did not last: it was left at {row.text(left)}", False
                lost.append(f"{name} is {row.text(row.now)}, it was left at {row.text(left)}")
            else:
                lost.append(f"{name}: {row.verdict}")
        return lost

    @property
    def open_points(self) -> list[str]:
        """What would be lost or left undone by going away now."""
        kinds: dict[str, list[str]] = {}
        for row in self.rows:
            if row.state:
                kinds.setdefault(row.state, []).append(row.parameter.name)
        return [f"{state}: {', '.join(names)}" for state, names in kinds.items()]
