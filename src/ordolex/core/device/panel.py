"""What a meter's front panel shows, computed from what it measures and the ratios that are set in it."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass

from ordolex.core.device.ratios import Compared, Ratio, compare
from ordolex.core.sheet.metering import Panel
from ordolex.core.sheet.parameters import Setting


@dataclass(frozen=True, slots=True)
class PanelValue:
    """`measured` is what was read, `ratios` what it is multiplied with; `trouble` says why it cannot be computed."""

    panel: Panel
    measured: float = 0.0
    ratios: tuple[Ratio, ...] = ()
    trouble: str = ""

    @property
    def computed(self) -> float:
        value = self.measured * self.panel.scale
        for ratio in self.ratios:
            value *= ratio.factor
        return value

    @property
    def words(self) -> str:
        if self.trouble:
            return f"{self.panel.name}: {self.trouble}"
        times = "".join(f" × {ratio.text}" for ratio in self.ratios)
        times += f" × {self.panel.scale:g}" if self.panel.scale != 1 else ""
        return f"{self.panel.name}: {self.measured:.5g}{times} = {self.computed:.5g} {self.panel.unit}".rstrip()

    def beside(self, shown: float) -> Compared:
        """Compared with what the technician sees there."""
        return compare(self.measured * self.panel.scale, shown, *self.ratios)


def panel_value(panel: Panel, values: Mapping[str, Setting | None]) -> PanelValue:
    """`values` are parameters as they were read; what is missing makes no number."""
    numbers: dict[str, float] = {}
    for name in (panel.of, *(side for ratio in panel.ratios for side in ratio)):
        value = values.get(name)
        try:
            numbers[name] = float(value) if value is not None else float("nan")
        except ValueError:
            numbers[name] = float("nan")
        if numbers[name] != numbers[name]:
            return PanelValue(panel, trouble=f"{name} was not read")
    ratios = tuple(Ratio(numbers[primary], numbers[secondary]) for primary, secondary in panel.ratios)
    if any(not ratio.primary or not ratio.secondary for ratio in ratios):
        return PanelValue(panel, numbers[panel.of], trouble="a side of a ratio is 0")
    return PanelValue(panel, numbers[panel.of], ratios)
