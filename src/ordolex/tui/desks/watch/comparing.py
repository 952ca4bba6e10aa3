"""Watch: a span of time with the one before it, and two instruments at the same times."""

from __future__ import annotations

import asyncio

from ordolex.core.text.visible import visible_text
from ordolex.core.watch.samples import Sample
from ordolex.core.watch.stats import beside, compared, figures
from ordolex.tui.desks.watch.at import Plotted, WatchAt
from ordolex.tui.widgets.prompts import Pick, Picture

_APART = 3.0
"""Own values that stand further apart than so many intervals are not joined by a line between them."""


async def compare(at: WatchAt) -> None:
    chosen = at.chosen_ones
    how: str | None = "spans"
    if len(chosen) == 2 and chosen[0].unit == chosen[1].unit:
        names = " and ".join(visible_text(one.name) for one in chosen)
        rows = [("beside", f"{names}, at the same times"), ("spans", "The span shown, with as long before it")]
        how = await at.ask(Pick("Compare what?", rows))
    if how == "spans":
        await _spans(at, chosen)
    elif how == "beside":
        await _beside(at, chosen[0], chosen[1])


async def _spans(at: WatchAt, chosen: list[Plotted]) -> None:
    """The span that is shown, against the one of the same length before it."""
    first, last = at.view.stretch()
    length = last - first
    values = at.session.book.reader.values

    def read() -> list[str]:
        rows = []
        for one in chosen:
            now = _numbers(list(values.between(one.id, first, last)))
            before = _numbers(list(values.between(one.id, first - length, first - 1)))
            found = compared(before, now)
            rows.append(visible_text(f"{one.name} {f'in {one.unit}' if one.unit else ''}"))
            rows += [f"  before  {figures(before).words}", f"  shown   {figures(now).words}"]
            rows.append(f"  {found.words}" if found is not None else "  too few values to compare")
            if found is not None:
                rows.append(f"  {found.after.independent:.0f} of {found.after.count} values count as independent")
            rows.append("")
        return rows

    rows = await asyncio.to_thread(read)
    await at.ask(
        Picture("The span shown, and as long before it", rows, "the noise is twice the standard error; Esc goes back")
    )


async def _beside(at: WatchAt, one: Plotted, other: Plotted) -> None:
    """The one that comes more often is read between its values, at the times of the other."""
    often, rare = sorted((one, other), key=lambda plotted: plotted.every_s)
    first, last = at.view.stretch()
    values = at.session.book.reader.values

    def read() -> list[str]:
        own, theirs = (_moments(list(values.between(p.id, first, last))) for p in (often, rare))
        found = beside(own, theirs, round(_APART * often.every_s * 1e6))
        unit = f" {often.unit}" if often.unit else ""
        return [
            f"{often.name} ({often.group})", f"  {figures([value for _, value in own]).words}", "",
            f"{rare.name} ({rare.group})", f"  {figures([value for _, value in theirs]).words}", "",
            f"{often.name} less {rare.name}:{unit}", f"  {found.words}", "",
            "A clock that is wrong on one side shows as a difference where values change fast:",
            "import it again with another offset where that is so.",
        ]  # fmt: skip

    rows = await asyncio.to_thread(read)
    await at.ask(
        Picture("Two at the same times", [visible_text(row) for row in rows], "of the span shown; Esc goes back")
    )


def _numbers(samples: list[Sample]) -> list[float | None]:
    return [float(s.value) if isinstance(s.value, float | int) else None for s in samples]


def _moments(samples: list[Sample]) -> list[tuple[int, float]]:
    return [(s.utc_us, float(s.value)) for s in samples if isinstance(s.value, float | int)]
