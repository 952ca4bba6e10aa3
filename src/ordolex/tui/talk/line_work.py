"""Talk: the list of what can be done with a line, and its signals."""

from __future__ import annotations

import asyncio
from dataclasses import replace

from textual import work

from ordolex.core.record.items import LinkRecord
from ordolex.core.text.visible import visible_text
from ordolex.io.link.runner import LinkRunner
from ordolex.io.system.clock import mono_s
from ordolex.io.system.faults import Fault
from ordolex.tui.talk.jobs import Jobs
from ordolex.tui.talk.leaving import Leaving
from ordolex.tui.talk.rates import Rates
from ordolex.tui.talk.reach import Reach
from ordolex.tui.talk.said import Said
from ordolex.tui.talk.sending import Files
from ordolex.tui.widgets.prompts import Pick, Picture
from ordolex.tui.widgets.screen_view import ScreenView

WITH_THIS_LINE = [
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
    ("earlier", "Search what was sent earlier, to send it again or edit it"),
    ("signals", "Control lines, flow control and error counters"),
    ("low", "Open with DTR and RTS low, or high again: for a device that resets on DTR; kept with the link"),
    ("echo", "Local echo on or off: show what is typed on the device's screen"),
    ("wrap", "Break the lines of a wide screen, or pan it"),
    ("roll", "Tick off points as they are tested, with the list that remains"),
    ("layers", "How far does it reach? Layer by layer, and each direction"),
    ("tried", "What was changed, one thing after the other, and what it did"),
    ("census", "Who talks in sentences (NMEA 0183), and what was measured"),
    ("dial", "Modem: dial a place of the address book"),
    ("escape", "Modem: back to its command state, the call stays up"),
    ("hang up", "Modem: hang up"),
    ("hand over", "Release the port and keep DTR on, for another program"),
]
_SIGNALS = [("on", "on"), ("off", "off"), ("pulse", "off for half a second, then on")]
_PULSE_S = 0.5


class LineWork(Said, Rates, Jobs, Files, Reach, Leaving):
    """The part of the desk Talk that works on the line."""

    @work
    async def action_more(self) -> None:
        what = await self.app.push_screen_wait(Pick("With this line", WITH_THIS_LINE))
        if what is not None:
            await self._with_this_line(what)

    @work
    async def do_from_menu(self, what: str) -> None:
        """One entry of the menu, chosen elsewhere."""
        await self._with_this_line(what)

    async def _with_this_line(self, what: str) -> None:
        link = self.session.chosen
        if link is None:
            self.say("No link is chosen. F2 shows the ports; Enter there opens one.", "unsure")
            return
        at_once = {
            "reset": self._reset,
            "clear": self._clear,
            "echo": self._turn_echo,
            "wrap": self._turn_wrap,
            "low": self._turn_low,
        }
        closed_too = {
            "command": self._command, "pick": self._pick, "search": self._search, "facts": self._facts,
            "charset": self._choose_charset, "earlier": self._earlier, "signals": self._show_signals,
            "layers": self._show_layers, "tried": self._show_tried, "census": self._show_census,
        }  # fmt: skip
        works = {
            "rate": self._change_rate, "clean": self._clean_rates, "repeat": self._repeat, "rubout": self._rubout,
            "lists": self._pull_lists, "boot": self._wait_for_boot, "roll": self._call_roll,
            "dial": self._dial, "escape": self._escape, "hang up": self._hang_up,
        }  # fmt: skip
        if what in at_once:
            at_once[what](link)
        elif what in closed_too:
            await closed_too[what](link)
        elif (opened := self._open_link()) is not None:
            link, runner = opened
            if what == "hand over":
                await self._hand_over(link)
            elif what in works:
                await works[what](link, runner)
            else:
                await self._signal(what, link, runner)

    def _reset(self, link: LinkRecord) -> None:
        odd = self.session.talk(link).screen.reset()
        self.say(f"the screen is reset; what had changed it: {odd}" if odd else "the screen is reset", "good")

    def _clear(self, link: LinkRecord) -> None:
        talk = self.session.talk(link)
        talk.rows.clear()
        talk.screen.clear()
        self.link_changed()
        self.say("the view is empty; everything is in Keep (F8)")

    def _turn_echo(self, link: LinkRecord) -> None:
        talk = self.session.talk(link)
        talk.local_echo = not talk.local_echo
        words = "on: what is sent stands underlined on the device's screen (Ctrl+D)" if talk.local_echo else "off"
        self.say(f"local echo is {words}")

    def _turn_low(self, link: LinkRecord) -> None:
        low = link.outputs != "low"
        self.session.change_link(replace(link, outputs="low" if low else ""))
        how = "low" if low else "high"
        self.say(f"from the next opening on DTR and RTS are {how}; some systems raise them for a moment all the same")

    def _turn_wrap(self, link: LinkRecord) -> None:
        view = self.query_one(ScreenView)
        view.wrap = not view.wrap
        view.refresh()
        self.say("wide lines are broken at the window's edge" if view.wrap else "a wide screen is panned")

    async def _show_signals(self, link: LinkRecord) -> None:
        view = self.session.view(link)
        errors, evidence = view.evidence.errors, view.evidence
        rows = view.signals.lines(mono_s())
        rows += ["", f"line errors since it was opened, of {evidence.heard} bytes heard"]
        kinds = {
            "framing": errors.framing,
            "parity": errors.parity,
            "breaks": errors.breaks,
            "overrun": errors.overruns,
        }
        rows += [f"{name:10} {count:>8}" for name, count in kinds.items()]
        rows += ["", f"flow control {evidence.line.flow.value}"]
        await self.app.push_screen_wait(Picture(f"The line of {visible_text(link.name)}", rows, "Esc goes back"))

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
