"""Watch: starting and stopping, pace, limits, what is acknowledged, how it is looked at."""

from __future__ import annotations

import asyncio

from ordolex.core.text.counts import counted
from ordolex.core.text.digits import exact
from ordolex.core.text.visible import visible_text
from ordolex.core.watch.round import Round, RoundError, RoundItem
from ordolex.io.system.faults import Fault
from ordolex.tui.desks.watch.at import SPANS_S, WatchAt
from ordolex.tui.widgets.prompts import Pick, Picture


async def go(at: WatchAt) -> None:
    """Starts a round, or stops the one that runs."""
    watches = at.session.watches
    if watches.watch is not None:
        name = visible_text(watches.watch.round.name)
        choices = [("no", "Let it run"), ("yes", "Stop it")]
        if await at.ask(Pick(f"Stop {name}?", choices, "Its values stay in the book.")) == "yes":
            await asyncio.wrap_future(watches.stop())
            at.show()
            at.say(f"{name} is stopped; its values are in the book", "good")
        return
    names = [round_.name for round_ in watches]
    if not names:
        at.say("The book has no round: n makes one", "unsure")
        return
    chosen = names[0]
    if len(names) > 1:
        rows = [(name, f"{visible_text(name)}   {_what(watches[name])}") for name in names]
        picked = await at.ask(Pick("Which round?", rows))
        if picked is None:
            return
        chosen = picked
    await start(at, chosen)


def _what(round_: Round) -> str:
    links, items = len(round_.link), len(round_.item)
    return f"{counted(items, 'item')} on {counted(links, 'link')}"


async def start(at: WatchAt, name: str, broker: str = "") -> bool:
    """Whether it runs then. What does not fit its line is said before it runs."""
    from ordolex.session.watching_alone import plans_of

    watches = at.session.watches
    try:
        plans = await asyncio.to_thread(plans_of, watches[name])
        bad = [plan for plan in plans if not plan.fits]
        if bad:
            rows = [f"{plan.link}: {plan.words}" for plan in bad]
            rows += [f"  {one.words}: {one.gain:.0%} less" for plan in bad for one in plan.advice]
            choices = [("no", "Go back"), ("yes", "Run it all the same: as often as the line can")]
            if await at.ask(Pick("This does not fit its line", choices, visible_text("\n".join(rows)))) != "yes":
                return False
        await asyncio.wrap_future(watches.start(name, broker))
    except (Fault, RoundError) as error:
        at.say(str(error), "bad")
        return False
    at.view.mark, at.view.end_us = None, None
    if at.session.links.chosen is None and watches[name].link:
        link = at.session.links.at(watches[name].link[0].endpoint)
        if link is not None:
            at.session.links.choose(link)
    at.show()
    at.say(f"{visible_text(name)} runs: Space puts an item into the chart, l sets its limits, p pauses", "good")
    return True


def pause(at: WatchAt) -> None:
    watch = at.watch
    paused = not watch.paused
    at.session.watches.do(lambda running: running.pause(paused))
    at.say("paused: nothing is asked" if paused else "it goes on")


async def rest(at: WatchAt) -> None:
    name = at.item.item.name
    at.say(await asyncio.wrap_future(at.session.watches.do(lambda running: running.rest(name))))


def once(at: WatchAt) -> None:
    at.session.watches.do(lambda running: running.once())
    at.say("one pass of all questions")


async def faster(at: WatchAt) -> None:
    await _pace(at, 2.0)


async def slower(at: WatchAt) -> None:
    await _pace(at, 0.5)


async def _pace(at: WatchAt, factor: float) -> None:
    pace = await asyncio.wrap_future(at.session.watches.do(lambda running: running.pace(factor)))
    share = max((work.plan().share * pace for work in at.watch.works), default=0.0)
    over = ": more than the fullest line can, it is asked as often as that goes" if share > 1 else ""
    at.say(f"{pace:g} × the pace of the round{over}", "unsure" if over else "plain")


def chart(at: WatchAt) -> None:
    """Puts what is under the cursor into the chart, or takes it out."""
    under = at.under
    charted = at.view.charted
    if under.id in charted:
        charted.remove(under.id)
    elif len(charted) >= 6:
        at.say("Six items are in the chart already; Space on one of them takes it out", "unsure")
    elif len({at.plotted[one].unit for one in [*charted, under.id] if one in at.plotted}) > 2:
        at.say("The chart has two axes: two units are in it already", "unsure")
    else:
        charted.append(under.id)
    at.show()


def zoom_in(at: WatchAt) -> None:
    at.view.span = max(0, at.view.span - 1)
    at.show()


def zoom_out(at: WatchAt) -> None:
    at.view.span = min(len(SPANS_S) - 1, at.view.span + 1)
    at.show()


def earlier(at: WatchAt) -> None:
    at.view.move(-0.5)
    at.show()


def later(at: WatchAt) -> None:
    at.view.move(0.5)
    at.show()


def mark_left(at: WatchAt) -> None:
    at.view.mark = 1 if at.view.mark is None else at.view.mark + 1
    at.show()


def mark_right(at: WatchAt) -> None:
    if at.view.mark is not None:
        at.view.mark = at.view.mark - 1 if at.view.mark > 1 else None
    at.show()


def turn_over(at: WatchAt) -> None:
    at.turn_over()


def acknowledge(at: WatchAt) -> None:
    count = at.watch.alarms.acknowledge()
    at.say(f"{count} acknowledged" if count else "nothing stands that was not acknowledged", "good")


# ---- an item's limits


def limits_reading(text: str) -> str:
    """`6 .. 14 hysteresis 0.2 delay 5 stuck 60 band 0.01`. Raises ValueError."""
    limits = read_limits(text)
    said = [f"{name.replace('_', ' ')} {exact(value)}" for name, value in limits.items() if value]
    return ", ".join(said) or "no limits"


_WORDS = {"hysteresis": "hysteresis", "delay": "delay_s", "stuck": "stuck_after_s", "band": "dead_band"}


def read_limits(text: str) -> dict[str, float | None]:
    """Raises ValueError."""
    words = [word.rstrip(",;") for word in text.split()]
    out: dict[str, float | None] = {
        "low": None, "high": None, "hysteresis": 0.0, "delay_s": 0.0, "stuck_after_s": 0.0, "dead_band": 0.0,
    }  # fmt: skip
    place = next((at for at, word in enumerate(words) if word.lower() in _WORDS), len(words))
    bounds = " ".join(words[:place]).replace("..", " .. ").split()
    if bounds:
        if bounds.count("..") != 1:
            raise ValueError("write low .. high, such as 6 .. 14, or 6 .. for the low one alone")
        at = bounds.index("..")
        if at > 1 or len(bounds) - at > 2:
            raise ValueError("one number stands before .. and one behind it")
        out["low"] = _number(bounds[0]) if at == 1 else None
        out["high"] = _number(bounds[at + 1]) if len(bounds) > at + 1 else None
    rest = words[place:]
    if len(rest) % 2:
        raise ValueError(f"a number belongs behind {rest[-1]}")
    for word, value in zip(rest[::2], rest[1::2], strict=True):
        if word.lower() not in _WORDS:
            raise ValueError(f"{word!r} is none of {', '.join(_WORDS)}")
        out[_WORDS[word.lower()]] = _number(value)
    low, high = out["low"], out["high"]
    if low is not None and high is not None and low >= high:
        raise ValueError("low must be less than high")
    return out


def _number(text: str) -> float:
    try:
        value = float(text)
    except ValueError:
        raise ValueError(f"{text!r} is no number") from None
    if value != value or abs(value) == float("inf"):
        raise ValueError(f"{text} is no number that can be")
    return value


async def limits(at: WatchAt) -> None:
    state = at.item
    item = state.item
    low = "" if item.low is None else exact(item.low)
    high = "" if item.high is None else exact(item.high)
    now = f"{low} .. {high}".strip() if low or high else ""
    more = (("hysteresis", item.hysteresis), ("delay", item.delay_s), ("stuck", item.stuck_after_s),
            ("band", item.dead_band))  # fmt: skip
    now += "".join(f" {word} {exact(value)}" for word, value in more if value)
    typed = await at.line(
        f"Limits of {visible_text(item.name)}{f' in {state.unit}' if state.unit else ''}", now.strip(), limits_reading,
        "low .. high, then hysteresis N, delay S, stuck S, band N as wanted; empty: none",
    )  # fmt: skip
    if typed is not None:
        await _change(at, item.name, dict(read_limits(typed)))


async def rename(at: WatchAt) -> None:
    """Another unit for the item; its name stays, for its values are kept under it."""
    unit = await at.line("Unit", at.item.unit, lambda text: text.strip() or "none", "as it is shown, such as mg/l")
    if unit is not None:
        await _change(at, at.item.item.name, {"unit": unit.strip()})


async def interval(at: WatchAt) -> None:
    item = at.item.item

    def reading(text: str) -> str:
        if not 0.02 <= _number(text) <= 604_800:
            raise ValueError("from 0.02 s to 7 days, in seconds")
        return f"every {_number(text):g} s"

    typed = await at.line("Seconds between two readings", f"{item.every_s:g}", reading, "of this item")
    if typed is not None:
        await _change(at, item.name, {"every_s": float(typed)})


async def _change(at: WatchAt, name: str, what: dict[str, object]) -> None:
    """Changes an item of the round, in the book and in what runs. Only limits and unit change without a new start."""
    watches = at.session.watches
    round_ = at.watch.round
    kept = watches[round_.name]
    try:
        changed = [_with(item, what) if item.name == name else item for item in kept.item]
        whole = Round.model_validate(kept.model_dump() | {"item": [item.model_dump() for item in changed]})
        watches.keep(whole)
    except (ValueError, Fault) as error:
        at.say(str(error), "bad")
        return
    if "every_s" in what:
        await start(at, round_.name)
        return
    changed_item = _with(at.watch.states[name].item, what)
    await asyncio.wrap_future(watches.do(lambda running: running.change_item(changed_item)))
    at.show()
    at.say(f"{visible_text(name)}: kept in the round", "good")


def _with(item: RoundItem, what: dict[str, object]) -> RoundItem:
    return RoundItem.model_validate(item.model_dump() | what)


async def plan(at: WatchAt) -> None:
    """What of each line's time it takes, by what was measured while it runs, and what would make more room."""
    rows = []
    for work in at.watch.works:
        one = work.plan()
        rows += [f"{work.name}   {one.line}", f"  {one.words}; {work.real_share:.0%} really used"]
        for poll, seconds in zip(one.polls, one.seconds, strict=True):
            turn = next(turn for turn in work.schedule.turns if turn.key == poll.key)
            late = f"{max(turn.late_s) * 1000:.0f} ms late at most" if turn.late_s else "not asked yet"
            rare = f", asked {turn.rarely:g} times more rarely: it is silent" if turn.rarely > 1 else ""
            rows.append(f"    {seconds * 1000:6.0f} ms  {', '.join(poll.items)[:60]}   {late}{rare}")
        rows += [f"  {advice.words}: {advice.gain:.0%} less" for advice in one.advice]
    await at.ask(Picture("Line time", [visible_text(row) for row in rows], "Esc goes back"))


async def drop(at: WatchAt) -> None:
    watches = at.session.watches
    names = [r.name for r in watches if watches.watch is None or r.name != watches.watch.round.name]
    if not names:
        at.say(
            "There is no round to delete but the one that runs" if watches.watch else "The book has no round", "unsure"
        )
        return
    chosen = await at.ask(Pick("Delete which round?", [(n, visible_text(n)) for n in names], "Its values stay."))
    if chosen is not None:
        watches.drop(chosen)
        at.show()
        at.say(f"{visible_text(chosen)} is deleted; its values stay in the book", "good")


async def call_units(at: WatchAt) -> None:
    """A unit scan of the link under the cursor: who is missing, new or moved, of those that the round asks or that were
    there before."""
    from ordolex.tui.desks.roll_call import by_protocol, by_question

    name = at.item.item.link
    work = next((work for work in at.watch.works if work.name == name), None)
    link = next((link for link in at.session.links if work is not None and link.id == work.id), None)
    if work is None or link is None or not work.runner.is_open:
        at.say("Its port is not open: a unit scan needs one", "unsure")
        return
    speaks = work.source.speaks
    if speaks.startswith("modbus-"):
        await by_protocol(at, link, work.runner, speaks.removeprefix("modbus-"))
    else:
        await by_question(at, link, work.runner)
