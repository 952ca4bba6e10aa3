"""Relay: named runs on a path, before and after a change, compared and drawn."""

from __future__ import annotations

import asyncio

from ordolex.core.net.addresses import read_target
from ordolex.core.relay.path_runs import PathRun, beside_words, difference, figures
from ordolex.core.text.visible import visible_text
from ordolex.io.system.faults import Fault
from ordolex.io.system.files import path_of
from ordolex.tui.desks.relay import doing
from ordolex.tui.desks.relay.at import RelayAt, Shown
from ordolex.tui.readings import drawing_reading
from ordolex.tui.widgets.prompts import Pick, Picture
from ordolex.tui.widgets.wording import clock_time

_TIMES = 40


async def measure(at: RelayAt) -> None:
    name = at.plan.name
    how = await at.ask(
        Pick(
            "How is the path measured?",
            [
                ("question", "One question of the device, asked again and again"),
                ("loop", "Numbered blocks that come back: a loop, an echo plug, or a radio set to give them back"),
            ],
        )
    )
    if how is None:
        return
    question = await doing.question_for(at) if how == "question" else None
    if how == "question" and question is None:
        return
    known = list(at.session.relays.path_runs)
    named = await at.line(
        "Name of the run", f"run {len(known) + 1}", run_name_reading, "such as before, or short antenna"
    )
    said = await at.line("What was so meanwhile", "", _anything, "such as: fibre, two converters") if named else None
    beside = (
        await at.line(
            "A second host to watch meanwhile", "", beside_reading, "what the run does to the rest; empty: none"
        )
        if said is not None
        else None
    )
    if named is None or said is None or beside is None:
        return
    conditions = {"note": said.strip()} if said.strip() else {}

    def changed(done: int) -> None:
        at.looked.doing = f"measuring: {done} of {_TIMES}"

    try:
        run = await asyncio.wrap_future(
            at.session.relays.measure(name, named.strip(), conditions, question, _TIMES, changed, beside.strip())
        )
    except Fault as fault:
        at.say(str(fault), "bad")
        return
    finally:
        at.looked.doing = ""
    before = at.looked.before or (known[-1] if known else None)
    at.looked.before = before
    at.show(Shown.RUNS)
    words = _words(run)
    found = difference(before, run) if before is not None else None
    at.say(f"{words}; against {before.name}: {found.words()}" if found is not None and before else words, "good")


def _words(run: PathRun) -> str:
    values = figures(run)
    trips = f"median {values['median_ms']:.1f} ms" if values["median_ms"] is not None else "no round trip"
    return (
        f"{visible_text(run.name)}: {trips}, {run.sent} sent, {run.lost} lost, {run.wrong} wrong, {run.doubled} twice"
    )


def take_before(at: RelayAt) -> None:
    if at.run_chosen is None:
        at.say("← and → turn to Runs; the one under the cursor is taken", "unsure")
        return
    at.looked.before = at.run_chosen
    at.say(f"others are compared with {visible_text(at.run_chosen.name)} now")


async def show(at: RelayAt) -> None:
    run = at.run_chosen
    assert run is not None
    values = figures(run)
    rows = [f"{name:12} {value}" for name, value in run.conditions.items()]
    rows += ["", *(f"{name:12} {value:.3f}" for name, value in values.items() if value is not None)]
    rows += [f"{'sent':12} {run.sent}, {run.lost} lost, {run.wrong} wrong, {run.doubled} twice"]
    for name, rate in (("taken", run.out_bytes_s), ("came back", run.back_bytes_s)):
        if rate is not None:
            rows.append(f"{name:12} {rate / 1000:.1f} kB/s")
    rows += ["", beside_words(run)] if run.beside else []
    await at.ask(Picture(f"{visible_text(run.name)}, {clock_time(run.at_us)}", rows, "Esc goes back"))


async def draw(at: RelayAt) -> None:
    runs = [at.looked.before] if at.looked.before is not None else []
    runs += [at.run_chosen] if at.run_chosen is not None and at.run_chosen not in runs else []
    if not runs:
        at.say("← and → turn to Runs; c takes one to compare with, the one under the cursor is the other", "unsure")
        return
    path = await at.line("File for the drawing", "runs.svg", drawing_reading, "SVG or PDF by its ending")
    if path is None:
        return

    def write() -> str:
        target = path_of(path)
        from ordolex.draw.runs import runs_figure
        from ordolex.draw.sheet import drawn
        from ordolex.io.system.files import write_new

        write_new(target, [drawn(runs_figure(runs), target)])
        return f"written: {target}"

    try:
        at.say(await asyncio.to_thread(write), "good")
    except Fault as fault:
        at.say(str(fault), "bad")


def run_name_reading(text: str) -> str:
    """Raises ValueError."""
    if not text.strip() or len(text) > 40:
        raise ValueError("a name of up to 40 characters")
    return "kept in the book with its conditions"


def beside_reading(text: str) -> str:
    """Raises AddressError or ValueError."""
    return f"round trips to {read_target(text).text}, before, during and after" if text.strip() else "none is watched"


def _anything(text: str) -> str:
    return "kept with the run" if text.strip() else "nothing more than path, rate and time"
