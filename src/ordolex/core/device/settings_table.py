"""The settings of one device as they are worked on: as found, now, wanted, as left, and what became of each change."""

from __future__ import annotations

from bisect import bisect_right
from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass, field
from typing import Any

from ordolex.core.device.setting import Outcome, Reading, Written, read_setting, same, shown
from ordolex.core.sheet import Sheet
from ordolex.core.sheet.parameters import Parameter, Setting


@dataclass(frozen=True, slots=True)
class Then:
    """A setting in an earlier visit, which began at `utc_us`: as it was found, and as it was left."""

    utc_us: int
    found: Setting | None
    left: Setting | None

    @property
    def end(self) -> Setting | None:
        """What it was when that visit was over, as far as is known."""
        return self.left if self.left is not None else self.found


@dataclass(slots=True)
class SettingRow:
    """found    as it was read first in this visit; None until then
    now      as it was read last, `now_s` when
    wanted   what is to be; None where nothing is
    left     what was read back behind the last change
    verdict  in words, of the last reading or change
    earlier  as it was in earlier visits, the last one behind
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
    earlier: list[Then] = field(default_factory=list)

    @property
    def was_left(self) -> Then | None:
        """The visit before in which it was known."""
        return next((then for then in reversed(self.earlier) if then.end is not None), None)

    @property
    def found_otherwise(self) -> bool:
        """Whether it was found in another way than it was left: of what can be set, or is text. What is measured is
        another at every reading."""
        then = self.was_left
        counts = self.parameter.can_be_written or isinstance(self.found, str)
        return then is not None and self.found is not None and counts and not same(self.parameter, self.found, then.end)

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
                if row.found_otherwise:  # what was set in an earlier visit is not there any more
                    row.unstored = row.unbooted = False

    def remember(self, events: Iterable[tuple[str, Mapping[str, Any], int]], visits: Sequence[int] = ()) -> None:
        """Takes what the book holds of this device at this unit, oldest first: what was read first stays as found, and
        what was left stays as left. Each event is its kind, its detail and its time; those of other devices are passed
        over. `visits` are the times at which visits began: each keeps its own, and the last one is that of now."""
        rows = {row.parameter.name: row for row in self.rows}
        now = 0
        for kind, detail, utc_us in events:
            if (detail.get("sheet"), detail.get("unit")) != (self.sheet.name, self.unit):
                continue
            visit = max(0, bisect_right(visits, utc_us) - 1)
            if visit != now:
                self._ended(visits[now])
                now = visit
            if kind == "found":
                if detail.get("anew"):
                    self.begin_anew(utc_us)
                for name, value in detail.get("values", {}).items():
                    if name in rows and rows[name].found is None:
                        rows[name].found = value
            elif detail.get("stored"):
                self.stored()
            elif detail.get("name") in rows:
                rows[detail["name"]].was_set(detail)
        if visits and now != len(visits) - 1:
            self._ended(visits[now])

    def _ended(self, began_us: int) -> None:
        """A visit that began then is over: what is read next is as found in another."""
        for row in self.rows:
            if row.found is not None or row.left is not None:
                row.earlier.append(Then(began_us, row.found, row.left))
            row.found = row.left = None

    @property
    def found_otherwise(self) -> list[SettingRow]:
        """Those that were found in another way than the visit before left them."""
        return [row for row in self.rows if row.found_otherwise]

    def differences_first(self) -> None:
        """Those that were found otherwise stand first; the others keep their order."""
        order = [parameter.name for parameter in self.sheet.parameter]
        self.rows.sort(key=lambda row: (not row.found_otherwise, order.index(row.parameter.name)))

    def begin_anew(self, utc_us: int = 0) -> None:
        """What is read next is as found; what was stays as an earlier one, of this time."""
        self._ended(utc_us)

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

    def undo(self, to: tuple[int, str] | None = None) -> int:
        """Wants everything back as it was found in this visit, or as it was in an earlier one: `to` is when that began,
        and `found` or `left`. How many rows differ from now."""
        count = 0
        for row in self.rows:
            row.wanted = None
            value = row.found
            if to is not None:
                then = next((one for one in row.earlier if one.utc_us == to[0]), None)
                value = None if then is None else then.found if to[1] == "found" else then.end
            if row.parameter.can_be_written and value is not None and not same(row.parameter, value, row.now):
                row.wanted = value
                count += 1
        return count

    @property
    def earlier_visits(self) -> list[int]:
        """When those began in which something of this device was read or set, the last one first."""
        return sorted({then.utc_us for row in self.rows for then in row.earlier}, reverse=True)

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
