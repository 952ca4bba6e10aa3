"""Talk: calls of a modem. Its address book, dialling, back to commands, hanging up."""

from __future__ import annotations

from ordolex.core.protocols.at.call import State
from ordolex.core.protocols.at.results import AtReply
from ordolex.core.record.items import Event, LinkRecord
from ordolex.core.text.visible import visible_text
from ordolex.io.device.modem import dial, escape, hang_up
from ordolex.io.link.runner import LinkRunner
from ordolex.io.system.clock import mono_s, utc_us
from ordolex.tui.readings import place_reading
from ordolex.tui.widgets.prompts import Pick
from ordolex.tui.works import Sending, Works


class Calls(Works):
    """The part of the desk that works a modem."""

    def call_words(self, link: LinkRecord) -> str:
        """The modem's state, in words; nothing for what is no modem."""
        sheet = self.session.sheet_of(link)
        if sheet is None or not sheet.family.dials:
            return ""
        return self.session.talk(link).call.state.value

    def call_is_up(self, link: LinkRecord) -> bool:
        return bool(self.call_words(link)) and self.session.is_open(link) and self.session.talk(link).call.up

    async def _dial(self, link: LinkRecord, runner: LinkRunner) -> None:
        if self.session.talk(link).call.up:
            self.say("A call is up already; hang it up first (Ctrl+B)", "unsure")
            return
        places = self._places(link)
        last = self._last_results(link)
        choices = [
            (
                name,
                f"{visible_text(name):24} {visible_text(number):18} {visible_text(last.get(number, 'never dialled'))}",
            )
            for name, number in places.items()
        ]
        chosen = await self.app.push_screen_wait(Pick("Dial", [*choices, ("", "a new place …")]))
        if chosen is None:
            return
        if not chosen:
            typed = await self._line(
                "Name and number", "", place_reading, "such as: Intake weir = 555 0141; it is kept"
            )
            if typed is None:
                return
            chosen, _, number = (part.strip() for part in typed.partition("="))
            places[chosen] = number
            self._note(link, "place", f"address book: {chosen}, {number}", {"name": chosen, "number": number})
        await self._call(link, runner, chosen, places[chosen])

    async def _call(self, link: LinkRecord, runner: LinkRunner, name: str, number: str) -> None:
        sending = Sending(f"dialling {visible_text(name)}, {visible_text(number)}")
        try:
            reply: AtReply | None = await self._do(link, sending, dial(runner, number))
        except ValueError as error:
            self.say(str(error), "bad")
            return
        if reply is None:
            return
        words = reply.words or "no answer of the modem"
        self._note(link, "dialled", f"dialled {name}, {number}: {words}", {"number": number, "result": words})
        self._tell(link, visible_text(f"{name}: {words}"), good=reply.good)

    async def _escape(self, link: LinkRecord, runner: LinkRunner) -> None:
        if self.session.talk(link).call.state is not State.DATA:
            self.say("No call is in its data state; commands are taken already", "unsure")
            return
        reply: AtReply | None = await self._do(link, Sending("a second of silence, +++, silence"), escape(runner))
        if reply is not None:
            words = (
                "commands again; the call is still up, ATO goes back to it"
                if reply.good
                else "it did not take the escape"
            )
            self._tell(link, words, good=reply.good)

    async def _hang_up(self, link: LinkRecord, runner: LinkRunner) -> None:
        await self.end_call(link, runner)

    async def end_call(self, link: LinkRecord, runner: LinkRunner) -> bool:
        """Whether the call is ended now."""
        self.session.drain(link)
        call = self.session.talk(link).call
        job = hang_up(runner, in_data=call.state is State.DATA)
        words: str | None = await self._do(link, Sending("hanging up"), job)
        if words is None:
            return False
        self.session.drain(link)
        call.dropped()
        self._tell(link, words, good=True)
        return True

    # ---- the address book

    def _places(self, link: LinkRecord) -> dict[str, str]:
        """What comes with the sheet, and what was added in this book."""
        sheet = self.session.sheet_of(link)
        places = dict(sheet.dial) if sheet is not None else {}
        for event in self.session.book.reader.events_of("place"):
            places[str(event.detail["name"])] = str(event.detail["number"])
        return places

    def _last_results(self, link: LinkRecord) -> dict[str, str]:
        events = self.session.book.reader.events_of("dialled")
        return {str(event.detail["number"]): f"last {event.detail['result']}" for event in events}

    def _note(self, link: LinkRecord, kind: str, text: str, detail: dict[str, object]) -> None:
        self.session.book.recorder.note(Event(link.id, utc_us(), round(mono_s() * 1e6), kind, text, detail))
