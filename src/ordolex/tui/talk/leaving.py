"""Talk: opening, changing and leaving the line."""

from __future__ import annotations

import asyncio
from dataclasses import replace

from textual import work

from ordolex.core.line.notation import read_line
from ordolex.core.link.question import Question, Verdict
from ordolex.core.port.endpoint import read_endpoint
from ordolex.core.record.items import LinkRecord
from ordolex.core.text import patterns
from ordolex.core.text.escapes import named, to_bytes
from ordolex.core.text.visible import visible_text
from ordolex.io.system.faults import Fault
from ordolex.tui.readings import line_reading
from ordolex.tui.talk.calls import Calls
from ordolex.tui.talk.keys import prompt_of
from ordolex.tui.widgets.prompts import LinePrompt, Pick
from ordolex.tui.works import NO_LINK


class Leaving(Calls):
    """The part of the desk that opens and lets go."""

    def action_open_or_release(self) -> None:
        link = self.session.chosen
        if link is None:
            self.say(NO_LINK, "unsure")
        elif self.session.is_open(link):
            self._leave(link)
        else:
            self.post_message(self.OpenWanted(link))

    def still_open(self, link: LinkRecord) -> str:
        """The prompt at which the device's sheet says that something is still open, or the call that is up; nothing
        where neither is."""
        if self.call_is_up(link):
            return "a call that is up."
        sheet = self.session.sheet_of(link)
        leave = sheet.leave if sheet is not None else None
        prompt = prompt_of(self.session.talk(link)).decode("latin-1")
        open_there = leave is not None and self.session.is_open(link) and patterns.search(leave.open, prompt)
        return visible_text(prompt.strip()) if open_there else ""

    @work
    async def _leave(self, link: LinkRecord) -> None:
        """Releases the port; where the device's sheet says that something is still open there, asks first."""
        sheet = self.session.sheet_of(link)
        leave = sheet.leave if sheet is not None else None
        prompt = self.still_open(link)
        points = [point for of, point in self.session.open_points() if of.id == link.id]
        if points:
            choices = [("stay", "Stay: Set (F6) applies and stores"), ("release", "Release the port all the same")]
            title = "Not settled on the device"
            if await self.app.push_screen_wait(Pick(title, choices, "\n".join(points))) != "release":
                return
        if self.call_is_up(link):
            await self._leave_call(link)
            return
        if leave is not None and prompt:
            closing = named(to_bytes(leave.send))
            choices = [
                (
                    "properly",
                    f"Leave without saving: send {closing}, changes that are not stored are lost; release",
                ),
                ("release", "Just release the port, DTR goes off; the device stays where it is"),
                ("hand over", "Release the port and keep DTR on, for another program to go on"),
            ]
            choices.insert(0, ("stay", "Stay"))
            if leave.save:
                saving = named(to_bytes(leave.save))
                choices.insert(0, ("save", f"Store the changes first: send {saving}, and stay to see what it says"))
            if read_endpoint(link.endpoint).kind != "serial":
                del choices[-1]  # a port on the network drops its control lines by itself
            how = await self.app.push_screen_wait(Pick(f"The device stands at {prompt}", choices))
            if how == "hand over":
                await self._hand_over(link)
                return
            if how == "save":
                self.session.send(link, to_bytes(leave.save))
                self.say("sent what stores the changes; answer what it asks, then Ctrl+O again", "plain")
                return
            if how not in ("properly", "release"):
                return
            runner = self.session.runner(link)
            if how == "properly" and runner is not None:
                question = Question(to_bytes(leave.send), timeout_s=2.0, like=f"(?s).*{leave.done}.*")
                answer = await asyncio.wrap_future(self.session.hub.call(runner.ask(question)))
                if answer.verdict is not Verdict.RIGHT:
                    self.say("it did not say that it is closed; the port stays open. Ctrl+O asks again", "bad")
                    return
        self.post_message(self.ReleaseWanted(link))

    async def _leave_call(self, link: LinkRecord) -> None:
        """Hang up first, or leave the call running, as the technician says."""
        choices = [
            ("properly", "Hang up, then release the port"),
            ("release", "Just release the port; DTR drops, and most modems hang up by that"),
            ("hand over", "Release the port and keep DTR on: the call stays up"),
            ("stay", "Stay"),
        ]
        if read_endpoint(link.endpoint).kind != "serial":
            del choices[2]
        how = await self.app.push_screen_wait(Pick("A call is up", choices))
        runner = self.session.runner(link)
        if how == "properly" and runner is not None and not await self.end_call(link, runner):
            return
        if how == "hand over":
            await self._hand_over(link)
        elif how in ("properly", "release"):
            self.session.talk(link).call.dropped()
            self.post_message(self.ReleaseWanted(link))

    async def _hand_over(self, link: LinkRecord) -> None:
        """The port is free for another program, and the device does not notice: DTR stays on."""
        if read_endpoint(link.endpoint).kind != "serial":
            self.say("Only a port of this computer can keep DTR on; on the network the far end drops it", "unsure")
            return
        future = self.session.release(link, keep_dtr=True)
        if future is not None:
            await asyncio.wrap_future(future)
            self.say("the port is free, and DTR stays on: another program can go on with this line", "good")

    @work
    async def action_settings(self) -> None:
        link = self.session.chosen
        if link is None or not read_endpoint(link.endpoint).has_line:
            self.say(NO_LINK if link is None else "Raw TCP has no line settings", "unsure")
            return
        typed = await self.app.push_screen_wait(
            LinePrompt(
                f"Line settings of {visible_text(link.name)}",
                link.line,
                line_reading,
                "Enter sets the port at once, Esc leaves it as it is",
            )
        )
        if typed is None:
            return
        settings = read_line(typed).settings
        try:
            link = self.session.change_link(replace(link, line=settings.text, source="typed"))
        except Fault as fault:
            self.say(str(fault), "bad")
            return
        runner = self.session.runner(link)
        if runner is None:
            self.say(f"{settings.text} is kept for when the port is opened")
            return
        future = self.session.hub.call(runner.retune(settings))
        try:
            await asyncio.wrap_future(future)
        except Fault as fault:
            self.say(str(fault), "bad")
        else:
            self.say(f"The port is now at {settings.text}; what was proven at the old settings is no proof any more")
