"""Talk: the line of entry, or the pad for single keys; beneath it what would go out."""

from __future__ import annotations

from rich.text import Text
from textual.app import ComposeResult
from textual.containers import Horizontal, Vertical
from textual.suggester import Suggester, SuggestFromList
from textual.widget import Widget
from textual.widgets import Static

from ordolex.core.port.endpoint import read_endpoint
from ordolex.core.record.items import LinkRecord
from ordolex.core.text.charsets import CharsetError
from ordolex.core.text.counts import counted
from ordolex.core.text.escapes import EscapeError, named, to_bytes
from ordolex.core.text.keys import BACKSPACE, ENTER
from ordolex.core.text.visible import hex_pairs
from ordolex.session.links import line_of
from ordolex.session.session import LINE_ENDS, Session
from ordolex.session.stands_at import line_came, secret_prompt
from ordolex.session.talks import Talk
from ordolex.tui.desks.sending import sending_words
from ordolex.tui.desks.talk.commands import commands_of
from ordolex.tui.desks.talk.masking import Masking
from ordolex.tui.theme import PALETTES, SENT, Palette
from ordolex.tui.widgets.entry_line import EntryLine
from ordolex.tui.widgets.key_pad import KeyPad
from ordolex.tui.widgets.wording import cut
from ordolex.tui.widgets.words import Words

_SLOW_S = 0.3  # a line that takes longer says how long


class Entry(Vertical):
    """`masking` says whether what is typed is a secret now, on the chosen link."""

    DEFAULT_CSS = """
    Entry { height: 2; }
    Entry Horizontal { height: 1; background: $surface; }
    Entry #mark { width: 3; color: $primary; text-style: bold; background: $surface; }
    Entry Input, Entry Input:focus { border: none; height: 1; padding: 0; background: $surface; width: 1fr; }
    Entry #preview { height: 1; color: $dim; background: $surface; padding: 0 0 0 3; }
    """

    def __init__(self, session: Session) -> None:
        super().__init__()
        self._session = session
        self._maskings: dict[int, Masking] = {}
        self._at_history = 0
        self._offered = ""
        self._stands: tuple[int, int, bytes] | None = None
        self._prompt = (b"", b"")
        self._line = EntryLine(clears=True, id="say")
        self._pad = KeyPad(id="keys")
        self._preview = Words(id="preview")

    def compose(self) -> ComposeResult:
        with Horizontal():
            yield Static(f" {SENT} ", id="mark", markup=False)
            yield self._line
            yield self._pad
        yield self._preview

    def on_mount(self) -> None:
        self._pad.display = False

    @property
    def masking(self) -> Masking:
        link = self._session.links.chosen
        return self._maskings.setdefault(link.id if link is not None else 0, Masking())

    # ---- the line

    def put(self, text: str) -> None:
        """Into the line, to be changed or sent."""
        self._line.put(text)

    def give(self, text: str) -> None:
        """As if it had been typed, and Enter pressed."""
        self._line.post_message(EntryLine.Given(self._line, text))
        self._line.value = ""

    def take_focus(self) -> None:
        self._line.focus()

    def link_changed(self) -> None:
        """What was offered for another link and touched by nobody gives way."""
        link = self._session.links.chosen
        history = self._session.talks.of(link).history if link is not None else []
        self._at_history = len(history)
        if self._line.value == self._offered:
            self._offered = link.first_question if link is not None and not history else ""
            self._line.put(self._offered, offered=True)

    def remember(self, text: str) -> None:
        """Among what was sent on the chosen link."""
        link = self._session.links.chosen
        history = self._session.talks.of(link).history if link is not None else []
        if text and (not history or history[-1] != text):
            history.append(text)
            self._line.suggester = self._suggester()
        self._at_history = len(history)

    def recall(self, step: int) -> None:
        """Something sent before, or after that again."""
        link = self._session.links.chosen
        history = self._session.talks.of(link).history if link is not None else []
        at = self._at_history + step
        if 0 <= at <= len(history):
            self._at_history = at
            self._line.put(history[at] if at < len(history) else "")

    def look_at_prompt(self, link: LinkRecord) -> None:
        """Whether what is typed is a secret now. One that was being typed does not come to light when the prompt goes
        on by itself, or another link is chosen: it is forgotten."""
        was_hidden, masking = self._line.password, self.masking
        talk = self._session.talks.of(link)
        came = masking.begun is not None and line_came(talk, masking.begun)
        stands = (link.id, talk.added, talk.conversation.unfinished)
        if stands != self._stands:  # nothing came since: it stands where it stood, and this is asked at each turn
            self._stands, self._prompt = stands, secret_prompt(talk)
        masking.look(*self._prompt, line_came=came)
        if masking.on == was_hidden:
            return
        if was_hidden:
            self._line.value = ""
        self.show()

    def _suggester(self) -> Suggester | None:
        link = self._session.links.chosen
        if link is None:
            return None
        known = [
            *reversed(self._session.talks.of(link).history),
            *(text for text, _ in commands_of(self._session, link)),
        ]
        return SuggestFromList(dict.fromkeys(known), case_sensitive=True)

    # ---- showing it

    def link_by_key(self) -> LinkRecord | None:
        link = self._session.links.chosen
        return link if link is not None and self._session.talks.of(link).by_key else None

    def show(self) -> None:
        """The line of entry, or the pad for single keys, and whether what is typed is hidden."""
        link = self.link_by_key()
        self._pad.display, self._line.display = link is not None, link is None
        self._line.password = self.masking.on
        self._line.suggester = None if self.masking.on else self._suggester()
        if link is not None:
            self._pad.put(_pad_words(self._ink, link, self._session.talks.of(link), self.masking.on))
        wanted = self._pad if link is not None else self._line
        if not wanted.has_focus and isinstance(self.parent, Widget) and self.parent.display:
            wanted.focus()
        self.preview()

    def on_input_changed(self) -> None:
        self.preview()

    def on_resize(self) -> None:
        self.preview()

    @property
    def _ink(self) -> Palette:
        return PALETTES.get(self.app.theme, PALETTES["ordolex-dark"])

    def preview(self) -> None:
        self._preview.put(self._would_send())

    def _would_send(self) -> Text:
        link, ink = self._session.links.chosen, self._ink
        if link is None or self._session.talks.of(link).by_key:
            return Text("")
        if self.masking.on:
            typed = counted(len(self._line.value), "character")
            words = f"hidden: {typed}, not shown and not kept; Ctrl+X shows what is typed"
            return Text(words, ink.style("straw"), no_wrap=True)
        under_way = self._session.works.on(link.id)
        if under_way is not None:
            return sending_words(under_way, ink)
        text = Text(f"ends with {link.line_end}", ink.style("ink"), no_wrap=True)
        try:
            data = to_bytes(self._line.value, link.reads_in) + LINE_ENDS[link.line_end]
        except (EscapeError, CharsetError) as error:
            return Text(f"✗ {error}", ink.style("brick"), no_wrap=True)
        if any(b < 32 or b >= 127 for b in data.rstrip(b"\r\n")):
            text.append(f"   {cut(named(data), 30)}", ink.style("copper"))
        text.append("   sends ", ink.style("dim"))
        text.append(cut(hex_pairs(data), max(20, self.size.width - 40)), ink.style("copper"))
        seconds = line_of(link).seconds_for(len(data))
        if seconds >= _SLOW_S and read_endpoint(link.endpoint).has_line:
            text.append(f"   {seconds:.1f} s on the line", ink.style("straw"))
        return text


def _pad_words(ink: Palette, link: LinkRecord, talk: Talk, masked: bool) -> Text:
    text = Text("key by key", ink.style("copper", bold=True), no_wrap=True)
    enter = hex_pairs(ENTER.get(link.line_end, b"\r"))
    text.append("   F5 goes back", ink.style("dim"))
    text.append(f"   Enter {enter}, Backspace {hex_pairs(BACKSPACE[talk.backspace])}", ink.style("ink"))
    if masked:
        text.append("   hidden, not kept", ink.style("straw"))
    text.append("   Shift+F1 is its F1", ink.style("dim"))
    return text
