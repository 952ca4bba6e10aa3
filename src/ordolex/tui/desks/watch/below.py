"""Watch: the line above the table, and the two below it."""

from __future__ import annotations

from datetime import datetime

from rich.text import Text

from ordolex.core.text.counts import counted
from ordolex.core.text.digits import exact, short
from ordolex.core.text.visible import visible_text
from ordolex.core.watch.state import ItemState
from ordolex.io.system.clock import mono_s
from ordolex.session.session import Session
from ordolex.session.watches import Watches
from ordolex.tui.desks.watch.at import KeptRow, View
from ordolex.tui.desks.watch.drawing import Row, number
from ordolex.tui.theme import Palette
from ordolex.tui.widgets.wording import cut


def headline(session: Session, view: View, ink: Palette) -> Text:
    """Which round, how it goes, and what stands now."""
    watches = session.watches
    watch = watches.watch
    head = Text(no_wrap=True)
    if watch is None:
        kept = [round_.name for round_ in watches]
        head.append("Watch", ink.style("ink", bold=True))
        if watches.ran:
            head.append(
                f"   {visible_text(watches.ran)} ran when the book was left: Enter starts it", ink.style("straw")
            )
        elif kept:
            head.append(f"   {counted(len(kept), 'round')} in the book: Enter starts", ink.style("straw"))
        for name, why in watches.unreadable.items():
            head.append(f"   ✗ {visible_text(name)}: {visible_text(why)}", ink.style("brick"))
        _heard(watches, head, ink)
        return head
    head.append(visible_text(watch.round.name), ink.style("ink", bold=True))
    length = mono_s() - watch.began_s
    head.append(
        f"   {'paused' if watch.paused else 'runs'} {_length(length)}", ink.style("straw" if watch.paused else "moss")
    )
    resting = sum(len(work.schedule.resting) for work in watch.works)
    if resting and not watch.paused:
        head.append(f"   {counted(resting, 'device')} paused", ink.style("straw"))
    pace = watch.works[0].schedule.pace if watch.works else 1.0
    if pace != 1:
        head.append(f"   {pace:g} × the pace of the round", ink.style("copper"))
    standing, waiting = watch.alarms.all, watch.alarms.open
    if standing:
        first = next((one for one in standing if one.first_up), standing[0])
        stand = "stands" if len(standing) == 1 else "stand"
        words = f"   ▲ {len(standing)} {stand}, {len(waiting)} not acknowledged; first up: {first.item} {first.what}"
        head.append(visible_text(words), ink.style("brick", bold=bool(waiting)))
    publisher = watches.running.publisher if watches.running is not None else None
    if publisher is not None:
        head.append(f"   {visible_text(publisher.words)}", ink.style("dim"))
    _heard(watches, head, ink)
    return head


def _heard(watches: Watches, head: Text, ink: Palette) -> None:
    if watches.listening is not None:
        head.append(f"   heard from {visible_text(watches.listening.words)}", ink.style("dim"))


def _length(seconds: float) -> str:
    if seconds < 120:
        return f"{seconds:.0f} s"
    return f"{seconds / 60:.0f} min" if seconds < 7200 else f"{seconds / 3600:.1f} h"


def lines(session: Session, row: Row | None, width: int, ink: Palette) -> Text:
    """What is known of the row under the cursor, and the newest condition."""
    watch = session.watches.watch
    text = Text(no_wrap=True)
    state = row if isinstance(row, ItemState) else None
    if isinstance(row, KeptRow):
        words = f"{visible_text(row.plotted.group)}   Space puts it into the chart, c compares, x exports"
        text.append(cut(words, width), ink.style("dim"))
    if watch is None:
        return text
    if state is not None:
        item = state.item
        text.append(visible_text(item.name), ink.style("ink", bold=True))
        said = item.ask.strip() or (f"register {item.modbus.at}" if item.modbus else "") or (
            f"{item.derive} of {', '.join(item.of)}" if item.derive else "heard by itself" if item.hear else item.read
        )  # fmt: skip
        limits = [
            f"{word} {exact(value)}" for word, value in (("low", item.low), ("high", item.high)) if value is not None
        ]
        parts = [said, f"every {item.every_s:g} s", *limits]
        if state.mean is not None:
            parts.append(
                f"min {short(state.low)}, mean {short(state.mean)}, max {short(state.high)}, {state.missing} missing"
            )
        if state.words:
            parts.append(state.words)
        elif state.late_s >= 0.05:
            parts.append(f"{state.late_s * 1000:.0f} ms late")
        room = width - len(item.name) - 3
        text.append(cut("   " + visible_text("   ".join(parts)), room), ink.style("brick" if state.words else "dim"))
    text.append("\n")
    standing = watch.alarms.all
    if standing:
        said = ", ".join(
            f"{one.item} {one.what} since {datetime.fromtimestamp(one.since_us / 1e6):%H:%M:%S}"
            f" ({number(one.value)}){'' if not one.acknowledged else ' seen'}"
            for one in standing[:6]
        )
        text.append(cut(visible_text(f"▲ {said}"), width - 24), ink.style("brick"))
        text.append("   a acknowledges", ink.style("dim"))
    else:
        quiet = "nothing is out of limits, stuck or silent"
        if any(s.item.low is None and s.item.high is None for s in watch.states.values()):
            quiet += ", of what has limits (l sets them)"
        text.append(quiet, ink.style("dim"))
    return text
