"""Talk: the list of what can be done with a line, and its signals."""

from __future__ import annotations

import asyncio

from textual import work

from ordolex.core.record import LinkRecord
from ordolex.io.faults import Fault
from ordolex.io.runner import LinkRunner
from ordolex.tui.talk.jobs import Jobs
from ordolex.tui.talk.rates import Rates
from ordolex.tui.talk.said import Said
from ordolex.tui.talk.sending import Files
from ordolex.tui.widgets.prompts import Pick

_MORE = [
    ("command", "A question of the device's sheet"),
    ("pick", "Choose from the device's list or menu, by name"),
    ("search", "Search the conversation"),
    ("facts", "Facts in what it said: addresses, versions, serial numbers"),
    ("boot", "Wait while it boots, without touching it"),
    ("break", "Break, 250 ms"),
    ("dtr", "DTR: on, off, or off for half a second"),
    ("rts", "RTS: on, off, or off for half a second"),
    ("rate", "Change the rate, of the device and of the port in lock step"),
    ("clean", "Find the fastest clean rate"),
    ("lists", "Pull lists from the device into tables"),
    ("repeat", "Ask again and again, with a table of the values"),
    ("rubout", "Which of Backspace and Delete does the device take?"),
    ("charset", "Character set"),
    ("reset", "Reset the device's screen"),
    ("clear", "Clear the view; the record stays"),
]
_SIGNALS = [("on", "on"), ("off", "off"), ("pulse", "off for half a second, then on")]
_PULSE_S = 0.5


class LineWork(Said, Rates, Jobs, Files):
    """The part of the desk Talk that works on the line."""

    @work
    async def action_more(self) -> None:
        what = await self.app.push_screen_wait(Pick("With this line", _MORE))
        link = self.session.chosen
        if what is None or link is None:
            return
        talk = self.session.talk(link)
        if what == "command":
            await self._command(link)
        elif what == "pick":
            await self._pick(link)
        elif what == "search":
            await self._search(link)
        elif what == "facts":
            await self._facts(link)
        elif what == "charset":
            await self._choose_charset(link)
        elif what == "reset":
            odd = talk.screen.reset()
            self.say(f"the screen is reset; what had changed it: {odd}" if odd else "the screen is reset", "good")
        elif what == "clear":
            talk.rows.clear()
            talk.screen.clear()
            self.link_changed()
            self.say("the view is empty; everything is in Keep (F8)")
        elif (opened := self._open_link()) is not None:
            link, runner = opened
            works = {
                "rate": self._change_rate, "clean": self._clean_rates, "repeat": self._repeat, "rubout": self._rubout,
                "lists": self._pull_lists, "boot": self._wait_for_boot,
            }  # fmt: skip
            if what in works:
                await works[what](link, runner)
            else:
                await self._signal(what, link, runner)

    async def _signal(self, what: str, link: LinkRecord, runner: LinkRunner) -> None:
        try:
            if what == "break":
                await asyncio.wrap_future(self.session.hub.call(runner.send_break(0.25)))
                self._tell(link, "break of 250 ms sent", good=True)
                return
            how = await self.app.push_screen_wait(Pick(what.upper(), _SIGNALS))
            if how is None:
                return
            for on in {"on": [True], "off": [False], "pulse": [False, True]}[how]:
                outputs = runner.set_outputs(dtr=on) if what == "dtr" else runner.set_outputs(rts=on)
                await asyncio.wrap_future(self.session.hub.call(outputs))
                if how == "pulse" and not on:
                    await asyncio.sleep(_PULSE_S)
        except Fault as fault:
            self.say(str(fault), "bad")
        else:
            self._tell(
                link, f"{what.upper()} {'off for half a second, on again' if how == 'pulse' else how}", good=True
            )
