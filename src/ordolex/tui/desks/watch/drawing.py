"""Watch: the rows of the table. A link with its line's time, and under it its items."""

from __future__ import annotations

from datetime import datetime

from rich.segment import Segment
from rich.text import Text

from ordolex.core.text.digits import exact, short
from ordolex.core.text.visible import visible_text
from ordolex.core.watch.samples import Quality
from ordolex.core.watch.state import ItemState
from ordolex.io.watch.listening import Far
from ordolex.io.watch.watch import LinkWork
from ordolex.tui.desks.watch.at import KeptRow
from ordolex.tui.theme import BAD, GOOD, NEXT, OPEN_KNOT, UNSURE, Palette
from ordolex.tui.widgets.wording import cut

_BARS = "▁▂▃▄▅▆▇█"
_JUST_NOW_S = 0.7
_STATES = {
    Quality.GOOD: (GOOD, "moss"), Quality.STALE: (OPEN_KNOT, "straw"), Quality.NO_ANSWER: (BAD, "brick"),
    Quality.REFUSED: (BAD, "brick"), Quality.NOT_READABLE: (UNSURE, "straw"), Quality.OUT_OF_LIMITS: ("▲", "brick"),
    Quality.STUCK: ("=", "straw"),
}  # fmt: skip

Row = LinkWork | ItemState | KeptRow | Far | str
"""A link, an item, values of the book, what somebody else published, or a heading."""


def widths(width: int) -> dict[str, int]:
    """Cells of the columns; what does not fit is left out, the least needed first."""
    if width >= 118:
        return {"name": 22, "value": 16, "state": 15, "age": 8, "line": 20, "figures": 36}
    if width >= 92:
        return {"name": 20, "value": 15, "state": 15, "age": 8, "line": 16, "figures": 0}
    return {"name": 18, "value": 14, "state": 15, "age": 7, "line": max(0, width - 60), "figures": 0}


def heading(width: int, ink: Palette) -> Text:
    w = widths(width)
    words = f"    {'item':{w['name']}}{'value':>{w['value'] - 1}} {'state':{w['state']}}{'age':>{w['age']}}  "
    words += f"{'last minutes':{w['line']}}" if w["line"] > 11 else ""
    if w["figures"]:
        words += f"{'min':>9}{'mean':>9}{'max':>9}{'missing':>8}"
    return Text(cut(words, width), ink.style("dim"), no_wrap=True)


def kept_heading(width: int, ink: Palette) -> Text:
    """Over what is in the book, while nothing runs."""
    w = widths(width)
    words = f"    {'item':{w['name']}}{'newest':>{w['value'] - 1}} from when to when, and of which link"
    return Text(cut(words, width), ink.style("dim"), no_wrap=True)


def number(value: float | str | None) -> str:
    """A value in at most twelve places."""
    if value is None:
        return "–"
    return visible_text(value) if isinstance(value, str) else short(value)


def item_segments(state: ItemState, now_s: float, width: int, charted: bool, ink: Palette) -> list[Segment]:
    w = widths(width)
    quality = state.quality(now_s)
    glyph, colour = _STATES[quality] if quality is not None else (NEXT, "dim")
    fresh = state.changed_s is not None and now_s - state.changed_s < _JUST_NOW_S
    shows = quality is not None and quality.has_value and state.newest is not None
    value = f"{number(state.newest)} {state.unit}".strip() if shows else "–"
    style = ink.style("dim") if quality is Quality.STALE else ink.style("copper" if fresh else "ice", bold=fresh)
    word = state_word(state, quality)
    out = [
        Segment(f"  {'◆' if charted else ' '} ", ink.style("copper")),
        Segment(f"{cut(visible_text(state.item.name), w['name'] - 1):{w['name']}}", ink.style("ink")),
        Segment(f"{cut(value, w['value'] - 2):>{w['value'] - 1}} ", style),
        Segment(f"{cut(f'{glyph} {word}', w['state'] - 1):{w['state']}}", ink.style(colour)),
        Segment(f"{_age(state, now_s):>{w['age']}}  ", ink.style("dim")),
        Segment(f"{_small_line(state, w['line'] - 1):{w['line']}}", ink.style("ice")),
    ]
    if w["figures"]:
        out.append(Segment(_figures(state), ink.style("dim")))
    return out


def state_word(state: ItemState, quality: Quality | None) -> str:
    """The state in a word; which limit it is out of, where it is out of one."""
    if state.resting:
        return "paused"
    if quality is None:
        return "not asked yet"
    if quality is Quality.OUT_OF_LIMITS:
        which = "low" if "low" in state.guard.standing else "high"
        limit = state.item.low if which == "low" else state.item.high
        return f"{which}, {exact(limit)}" if limit is not None else which
    return quality.word


def _age(state: ItemState, now_s: float) -> str:
    if state.newest_s is None:
        return ""
    seconds = max(0.0, now_s - state.newest_s)
    return f"{seconds:.1f} s" if seconds < 10 else f"{seconds:.0f} s" if seconds < 600 else f"{seconds / 60:.0f} min"


def _small_line(state: ItemState, width: int) -> str:
    """The latest values, as high as they are; a missing one is a gap."""
    values = [value for _, value in list(state.recent)[-max(0, width) :]] if width > 2 else []
    numbers = [value for value in values if value is not None]
    if not numbers:
        return ""
    low, high = min(numbers), max(numbers)
    span = high - low
    return "".join(" " if v is None else _BARS[round((v - low) / span * 7)] if span > 0 else _BARS[3] for v in values)


def _figures(state: ItemState) -> str:
    if not state.count or state.mean is None:
        return f"{'':27}{state.missing or '':>8}"
    figures = "".join(f"{short(value, 8):>9}" for value in (state.low, state.mean, state.high))
    return f"{figures}{state.missing or '':>8}"


def link_segments(work: LinkWork, width: int, closed: str, ink: Palette) -> list[Segment]:
    """The link's name, and how much of its line's time is planned and really used."""
    plan = work.plan()
    name = cut(visible_text(work.name), 28)
    out = [Segment(f"  {name}  ", ink.style("ink", bold=True))]
    if closed or not work.runner.is_open:
        words = closed or work.runner.returning.words or "its port is not open"
        out.append(Segment(cut(visible_text(f"{BAD} {words}"), width - len(name) - 5), ink.style("brick")))
        return out
    out.append(Segment(f"{plan.line}  ", ink.style("dim")))
    if not work.source.polls:
        out.append(Segment("talks by itself", ink.style("dim")))
        return out
    cells = 12
    real = round(min(1.0, work.real_share) * cells)
    planned = min(cells, max(1, round(min(1.0, plan.share) * cells)))
    bar = "".join("█" if at < real else "░" if at < planned else "·" for at in range(cells))
    colour = "brick" if not plan.fits else "straw" if plan.share > 0.8 else "moss"
    words = f" line time {plan.share:.0%} planned, {work.real_share:.0%} used"
    late = max((turn.late_s[-1] for turn in work.schedule.turns if turn.late_s), default=0.0)
    words += f", {late * 1000:.0f} ms late" if late >= 0.02 else ""
    words += "" if plan.fits else f"; {BAD} does not fit"
    out.append(Segment(bar, ink.style(colour)))
    out.append(Segment(cut(words, max(0, width - len(name) - len(plan.line) - 18)), ink.style("dim")))
    return out


def kept_segments(row: KeptRow, width: int, charted: bool, ink: Palette) -> list[Segment]:
    """Values that are in the book and are not asked for now: the newest, and from when to when."""
    w = widths(width)
    plotted = row.plotted
    value = f"{number(row.newest)} {plotted.unit}".strip()
    days = "" if width < 92 else "%d %b "
    first, last = (datetime.fromtimestamp(at / 1e6).strftime(days + "%H:%M:%S") for at in (row.first_us, row.last_us))
    where = f"   {visible_text(plotted.link_name)}" if plotted.link_name else ""
    out = [
        Segment(f"  {'◆' if charted else ' '} ", ink.style("copper")),
        Segment(f"{cut(visible_text(plotted.name), w['name'] - 1):{w['name']}}", ink.style("ink")),
        Segment(f"{cut(value, w['value'] - 2):>{w['value'] - 1}} ", ink.style("dim")),
    ]
    room = width - 5 - w["name"] - w["value"]
    out.append(Segment(cut(f"{first} to {last}{where}", room), ink.style("dim")))
    return out


def far_segments(row: Far, width: int, there: bool, ink: Palette) -> list[Segment]:
    """A value that somebody else published, by its sender's time; of a site that went, it is not of now."""
    w = widths(width)
    if not row.item:
        glyph, colour = (GOOD, "moss") if row.quality == "online" else (BAD, "brick")
        return [Segment(f"    {glyph} the site says that it is {visible_text(row.quality)}", ink.style(colour))]
    good = there and row.quality == "good"
    value = f"{number(row.value)} {visible_text(row.unit)}".strip()
    word = visible_text(row.quality) if there else "not of now"
    moment = _local(row.time)
    out = [
        Segment(f"    {cut(visible_text(row.item), w['name'] - 1):{w['name']}}", ink.style("ink")),
        Segment(f"{cut(value, w['value'] - 2):>{w['value'] - 1}} ", ink.style("ice" if good else "dim")),
        Segment(
            f"{cut(f'{GOOD if good else UNSURE} {word}', w['state'] - 1):{w['state']}}",
            ink.style("moss" if good else "straw"),
        ),
    ]
    room = width - 5 - w["name"] - w["value"] - w["state"]
    out.append(Segment(cut(f"{moment}   {visible_text(row.link)}", room), ink.style("dim")))
    return out


def _local(text: str) -> str:
    """The sender's time as one of this computer's."""
    try:
        return datetime.fromisoformat(text).astimezone().strftime("%d %b %H:%M:%S")
    except (ValueError, OverflowError, OSError):
        return visible_text(text[:20]) or "no time given"
