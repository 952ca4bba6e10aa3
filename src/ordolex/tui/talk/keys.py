"""Talk, key by key: every key goes out at once; what is typed at a prompt for a secret is neither shown nor kept."""

from __future__ import annotations

from itertools import islice

from rich.text import Text
from textual.suggester import Suggester

from ordolex.core.link.secrets import asks_for_secret, head_of_command
from ordolex.core.record.items import LinkRecord
from ordolex.core.talk.conversation import Direction
from ordolex.core.text.charsets import CHARSETS
from ordolex.core.text.keys import BACKSPACE, ENTER, key_bytes
from ordolex.core.text.visible import hex_pairs
from ordolex.io.system.clock import mono_s
from ordolex.io.system.faults import Fault
from ordolex.tui.desks.base import Desk
from ordolex.tui.session import LINE_ENDS
from ordolex.tui.talks import Talk
from ordolex.tui.theme import Palette
from ordolex.tui.widgets.entry_line import EntryLine
from ordolex.tui.widgets.key_pad import KeyPad


def prompt_of(talk: Talk) -> bytes:
    """The line without an end that the device stands at; nothing where it does not. A few lines that came by themselves
    after it do not change where it stands; a device that talks on and on stands nowhere."""
    if talk.conversation.unfinished:
        return talk.conversation.unfinished
    prompt, aside = _stands_at(talk)
    return prompt if len(aside) <= _FEW_ASIDE else b""


def above_prompt(talk: Talk) -> bytes:
    """The last whole line that came before the one at which the device stands."""
    for row in islice(reversed(talk.rows), _LOOK_BACK):
        if row.direction is Direction.SENT:
            break
        if row.direction is Direction.HEARD and row.data.endswith((b"\r", b"\n")) and row.data.strip():
            return row.data.strip()
    return b""


def came_aside(talk: Talk) -> str:
    """What the device said by itself, last, in the middle of the prompt at which it stands."""
    prompt, aside = _stands_at(talk)
    return aside[0] if prompt and 0 < len(aside) <= _FEW_ASIDE else ""


def _stands_at(talk: Talk) -> tuple[bytes, list[str]]:
    """The last line without an end since something was sent, and the whole lines after it, newest first."""
    aside: list[str] = []
    for row in islice(reversed(talk.rows), _LOOK_BACK):
        if row.direction is Direction.SENT:
            break
        if row.direction is Direction.HEARD:
            if not row.data.endswith((b"\r", b"\n")):
                return row.data, aside
            if row.data.strip():
                aside.append(row.shown)
    return b"", aside


_FEW_ASIDE, _LOOK_BACK = 4, 24


class Masking:
    """Whether what is typed now is a secret: at a prompt that asks for one, or because the technician says so."""

    def __init__(self) -> None:
        self._prompt = b""
        self._above = b""
        self._said: bool | None = None

    def look(self, prompt: bytes, above: bytes = b"") -> None:
        """Another prompt: what was said of the one before is over. `above` is the line over it."""
        if prompt != self._prompt:
            self._prompt = prompt
            self._said = None
        self._above = above

    @property
    def asked(self) -> bool:
        """Whether the device asks for a secret."""
        return asks_for_secret(self._prompt, self._above)

    def turn_over(self) -> None:
        self._said = not self.on

    def over(self) -> None:
        """The secret was given."""
        self._said = False if self.asked else None

    @property
    def on(self) -> bool:
        return self._said if self._said is not None else self.asked


class KeyByKey(Desk):
    """The part of the desk Talk that takes single keys and secrets."""

    masking: Masking

    def link_by_key(self) -> LinkRecord | None:
        link = self.session.chosen
        return link if link is not None and self.session.talk(link).by_key else None

    def action_by_key(self) -> None:
        link = self.session.chosen
        if link is None:
            self.say("No link is chosen. F2 shows the ports", "unsure")
            return
        talk = self.session.talk(link)
        talk.by_key = not talk.by_key
        self.show_entry()
        self.say("every key goes out at once; F5 goes back to the line" if talk.by_key else "back to whole lines")

    def action_secret(self) -> None:
        self.masking.turn_over()
        self.show_entry()
        self.say(
            "what you type now is neither shown nor kept" if self.masking.on else "what you type is shown and kept"
        )

    def show_entry(self) -> None:
        """The line of entry, or the pad for single keys, and whether what is typed is hidden."""
        link = self.link_by_key()
        pad, line = self.query_one(KeyPad), self.query_one("#say", EntryLine)
        pad.display, line.display = link is not None, link is None
        line.password = self.masking.on
        line.suggester = None if self.masking.on else self.suggester()
        if link is not None:
            pad.update(_pad_words(self.ink, link, self.session.talk(link), self.masking.on))
        wanted = pad if link is not None else line
        if not wanted.has_focus and self.display:
            wanted.focus()
        self.preview()

    def suggester(self) -> Suggester | None:
        """What is offered while a line is typed; nothing while it is a secret."""
        raise NotImplementedError

    def preview(self) -> None:
        """What would go out, below the line of entry."""
        raise NotImplementedError

    def on_key_pad_pressed(self, event: KeyPad.Pressed) -> None:
        link = self.link_by_key()
        if link is None:
            return
        talk = self.session.talk(link)
        data = key_bytes(
            event.key, event.character, line_end=link.line_end, backspace=talk.backspace,
            codec=CHARSETS[talk.screen.charset],
        )  # fmt: skip
        if not data:
            return
        self.session.drain(link)
        kept = talk.echo.stopped(mono_s())
        if kept and not self.masking.on and event.key != "enter":
            self.masking.turn_over()
            self.show_entry()
            s = "s" * (kept > 1)
            self.say(f"its echo stopped, so what you type now is hidden; {kept} key{s} before it were kept", "unsure")
        if not self.session.is_open(link):
            self.say("The port is not open; Ctrl+O in line entry opens it", "bad")
        elif not self.masking.on:
            talk.echo.typed(data, mono_s())
            self.session.send(link, data)
        elif event.key == "enter":
            self.session.send_secret(link, b"", data)
            talk.echo.over()
            self.masking.over()
        else:
            self.session.send_secret(link, data, whole=False)

    def give_secret(self, link: LinkRecord, text: str) -> None:
        """Sends a line that nobody is to see, with its line end."""
        secret = text.encode(CHARSETS[self.session.talk(link).screen.charset], "replace")
        head = b"" if self.masking.asked else head_of_command(secret)
        secret = secret[len(head) :]
        try:
            if head:
                self.session.send(link, head)
            self.session.send_secret(link, secret, LINE_ENDS[link.line_end])
        except Fault as fault:
            self.say(str(fault), "bad")
            return
        self.masking.over()
        self.show_entry()
        self.say(f"sent {len(secret)} bytes that are not kept, and {link.line_end}", "good")


def _pad_words(ink: Palette, link: LinkRecord, talk: Talk, masked: bool) -> Text:
    text = Text("key by key", ink.style("copper", bold=True), no_wrap=True)
    enter = hex_pairs(ENTER.get(link.line_end, b"\r"))
    text.append(f"   Enter sends {enter}   Backspace sends {hex_pairs(BACKSPACE[talk.backspace])}", ink.style("ink"))
    if masked:
        text.append("   hidden: not shown, not kept", ink.style("straw"))
    text.append("   F5 goes back to the line", ink.style("dim"))
    return text
