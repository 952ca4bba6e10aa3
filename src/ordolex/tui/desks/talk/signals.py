"""Talk: the line's signals, and how the device's screen is shown."""

from __future__ import annotations

import asyncio
from dataclasses import replace

from ordolex.core.text.counts import counted
from ordolex.core.text.visible import visible_text
from ordolex.io.system.clock import mono_s
from ordolex.io.system.faults import Fault
from ordolex.tui.desks.talk.at import TalkAt
from ordolex.tui.widgets.prompts import Pick, Picture

_SIGNALS = [("on", "on"), ("off", "off"), ("pulse", "off for half a second, then on")]
_PULSE_S = 0.5


def reset(at: TalkAt) -> None:
    link = at.link
    odd = at.session.talks.of(link).screen.reset()
    at.say(f"the screen is reset; what had changed it: {odd}" if odd else "the screen is reset", "good")


def clear(at: TalkAt) -> None:
    link = at.link
    talk = at.session.talks.of(link)
    talk.rows.clear()
    talk.screen.clear()
    at.show_anew()
    at.say("the view is empty; everything is in Keep (F8)")


def turn_echo(at: TalkAt) -> None:
    link = at.link
    talk = at.session.talks.of(link)
    talk.local_echo = not talk.local_echo
    words = "on: what is sent stands underlined on the device's screen (Ctrl+D)" if talk.local_echo else "off"
    at.say(f"local echo is {words}")


def turn_answers(at: TalkAt) -> None:
    talk = at.session.talks.of(at.link)
    talk.answers_device = not talk.answers_device
    talk.screen.take_answers()  # what it asked before is not answered late
    if talk.answers_device:
        at.say("its questions about the terminal are answered from now on, as a VT102 would; Keep has each answer")
    else:
        at.say("what the device asks about the terminal is not answered; nothing goes out that nobody typed")


def turn_low(at: TalkAt) -> None:
    link = at.link
    low = link.outputs != "low"
    if not at.change_link(replace(link, outputs="low" if low else "")):
        return
    how = "low" if low else "high"
    at.say(f"from the next opening on DTR and RTS are {how}; some systems raise them for a moment all the same")


def turn_wrap(at: TalkAt) -> None:
    view = at.screen
    view.wrap = not view.wrap
    view.refresh()
    at.say("wide lines are broken at the window's edge" if view.wrap else "a wide screen is panned")


async def show_signals(at: TalkAt) -> None:
    link = at.link
    view = at.session.view(link)
    errors, evidence = view.evidence.errors, view.evidence
    rows = view.signals.lines(mono_s())
    rows += ["", f"line errors since it was opened, of {counted(evidence.heard, 'byte')} heard"]
    kinds = {
        "framing": errors.framing,
        "parity": errors.parity,
        "breaks": errors.breaks,
        "overrun": errors.overruns,
    }
    rows += [f"{name:10} {count:>8}" for name, count in kinds.items()]
    rows += ["", f"flow control {evidence.line.flow.value}"]
    await at.ask(Picture(f"The line of {visible_text(link.name)}", rows, "Esc goes back"))


async def send_break(at: TalkAt) -> None:
    try:
        await at.on_links(at.runner.lines.send_break(0.25))
    except Fault as fault:
        at.say(str(fault), "bad")
    else:
        at.tell("break of 250 ms sent", good=True)


async def dtr(at: TalkAt) -> None:
    await _signal(at, "dtr")


async def rts(at: TalkAt) -> None:
    await _signal(at, "rts")


async def _signal(at: TalkAt, what: str) -> None:
    runner = at.runner
    try:
        how = await at.ask(Pick(what.upper(), _SIGNALS))
        if how is None:
            return
        for on in {"on": [True], "off": [False], "pulse": [False, True]}[how]:
            outputs = runner.lines.set_outputs(dtr=on) if what == "dtr" else runner.lines.set_outputs(rts=on)
            await at.on_links(outputs)
            if how == "pulse" and not on:
                await asyncio.sleep(_PULSE_S)
    except Fault as fault:
        at.say(str(fault), "bad")
    else:
        at.tell(f"{what.upper()} {'off for half a second, on again' if how == 'pulse' else how}", good=True)
