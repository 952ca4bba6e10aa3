"""The frame around every desk: the top bar, the rail of links, the one-line status and the keys."""

from __future__ import annotations

from rich.style import Style
from rich.text import Text
from textual.widget import Widget

from ordolex.core.advice.next_step import NOT_TRIED
from ordolex.core.link.ladder import RUNGS, Rung
from ordolex.core.record.items import LinkRecord
from ordolex.core.text.visible import visible_text
from ordolex.io.book.recorder import RecorderStatus
from ordolex.io.book.room import HARDLY_ANY, LITTLE, Room
from ordolex.io.link.view import LinkView
from ordolex.io.system.clock import mono_s
from ordolex.tui.job import Job
from ordolex.tui.theme import BAD, GOOD, LINE_OPEN, LINE_TIED, OPEN_KNOT, PALETTES, TIED, UNSURE, Palette
from ordolex.tui.widgets.wording import age, cut, size


class Painted(Widget):
    """A widget that draws one Text, and draws it anew only when what it shows has changed."""

    def __init__(self, id: str | None = None) -> None:
        super().__init__(id=id)
        self._shown: object = None
        self._ready: tuple[object, Text] | None = None

    @property
    def ink(self) -> Palette:
        return PALETTES.get(self.app.theme, PALETTES["ordolex-dark"])

    def paint(self) -> Text:
        raise NotImplementedError

    def show(self) -> None:
        text = self.paint()
        key = (text.plain, tuple(text.spans), self.app.theme)
        if key != self._shown:
            self._shown = key
            self._ready = ((self.size, self.app.theme), text)
            self.refresh()

    def render(self) -> Text:
        if self._ready is not None and self._ready[0] == (self.size, self.app.theme):
            return self._ready[1]
        return self.paint()


class HeadLine(Painted):
    """The first line of a desk. It has a height of its own, so that a new text never lays the screen out anew."""

    DEFAULT_CSS = "HeadLine { height: 1; margin-bottom: 1; } .tight HeadLine { margin-bottom: 0; }"

    def __init__(self, id: str | None = None) -> None:
        super().__init__(id=id)
        self.text = Text()

    def paint(self) -> Text:
        return self.text


_HOURS = 24.0  # a disk that will be full sooner than this is told of


class TopBar(Painted):
    DEFAULT_CSS = "TopBar { height: 1; background: $bar; dock: top; }"

    def __init__(self) -> None:
        super().__init__(id="topbar")
        self.site = ""
        self.desks: list[tuple[str, str]] = []
        self.desk = ""
        self.status = RecorderStatus(True)
        self.room: Room | None = None

    def paint(self) -> Text:
        ink, width = self.ink, self.size.width
        text = Text(no_wrap=True)
        text.append(" Ordolex ", ink.style("ground", bold=True, on="copper"))
        right = Text()
        if self.status.keeping:
            right.append_text(self._room())
            right.append(f"{TIED} kept ", ink.style("moss"))
        else:
            right.append(f" {BAD} NOT KEPT ", ink.style("ground", bold=True, on="brick"))
        desks = self._desks("  ")
        if len(text.plain) + len(desks.plain) + len(right.plain) > width:  # a narrow screen: rather without the name
            desks = self._desks(" ")
            if len(text.plain) + len(desks.plain) + len(right.plain) > width:
                text = Text(no_wrap=True)
        room = width - len(text.plain) - len(desks.plain) - len(right.plain) - 2
        site = cut(visible_text(self.site), room - 2) if room > 8 else ""
        text.append(f"  {site}" if site else "", ink.style("ink", bold=True))
        text.append_text(desks)
        text.append(" " * max(1, width - len(text.plain) - len(right.plain)))
        text.append_text(right)
        return text

    def _desks(self, gap: str) -> Text:
        ink, desks = self.ink, Text()
        for key, name in self.desks:
            here = name == self.desk
            desks.append(f"{gap}{key} ", ink.style("copper" if here else "dim"))
            desks.append(name, ink.style("ink" if here else "dim", bold=here) + Style(underline=here))
        return desks

    def _room(self) -> Text:
        """What the disk still takes, once that is little or the book grows fast."""
        room = self.room
        if room is None or (room.left >= LITTLE and (room.hours is None or room.hours >= _HOURS)):
            return Text()
        until = f", full in {room.hours:.0f} h" if room.hours is not None and room.hours < 100 else ""
        urgent = room.left < HARDLY_ANY or (room.hours is not None and room.hours < 1)
        words = f"{BAD if urgent else UNSURE} disk: {size(room.left)} left{until}  "
        return Text(words, self.ink.style("brick" if urgent else "straw"))


class Rail(Painted):
    """The links of the book, each with its five knots."""

    DEFAULT_CSS = "Rail { width: 26; background: $surface; padding: 1 0; }"

    def __init__(self) -> None:
        super().__init__(id="rail")
        self.entries: list[tuple[LinkRecord, LinkView]] = []
        self.chosen = 0

    def paint(self) -> Text:
        ink, room = self.ink, self.size.width
        text = Text(no_wrap=True)
        text.append("  Links\n\n", ink.style("dim"))
        if not self.entries:
            text.append("  none yet: open a\n  port in Find\n", ink.style("dim"))
        fits = max(1, (self.size.height - 2) // 4)
        at = next((i for i, (link, _) in enumerate(self.entries) if link.id == self.chosen), 0)
        first = max(0, min(at - fits // 2, len(self.entries) - fits))
        for link, view in self.entries[first : first + fits]:
            self._one(text, link, view, ink, room)
        hidden = len(self.entries) - fits
        if hidden > 0:
            text.append(f"  and {hidden} more", ink.style("dim"))
        return text

    def _one(self, text: Text, link: LinkRecord, view: LinkView, ink: Palette, room: int) -> None:
        here = link.id == self.chosen
        mark = "▌ " if here else "  "
        text.append(mark, ink.style("copper"))
        text.append(_named(visible_text(link.name), room - 3) + "\n", ink.style("ink", bold=here))
        text.append(mark, ink.style("copper"))
        text.append_text(knots(view.evidence.rung, ink))
        text.append(f"  {cut(view.evidence.settings, room - 14)}\n", ink.style("dim"))
        text.append(mark, ink.style("copper"))
        text.append(cut(_last_word(view), room - 3) + "\n\n", ink.style("brick" if view.evidence.trouble else "dim"))


def _named(name: str, room: int) -> str:
    """A link that is named after its address is told from others by the end of that."""
    return f"…{name[-(room - 1) :]}" if "://" in name and len(name) > room else cut(name, room)


def _last_word(view: LinkView) -> str:
    evidence = view.evidence
    if view.returning:
        return f"{BAD} gone, {view.returning}"
    if evidence.trouble:
        return f"{UNSURE if evidence.trouble == NOT_TRIED else BAD} {evidence.trouble}"
    if evidence.rung >= Rung.HELD:
        if evidence.last_heard_s is None:
            return f"{evidence.rung.word}, nothing heard"
        heard = age(mono_s() - evidence.last_heard_s)
        return (
            f"{evidence.rung.word} {heard}" if evidence.rung == Rung.HEARD else f"{evidence.rung.word}, heard {heard}"
        )
    return evidence.rung.word if evidence.rung else "its port is looked for"


def sureness(rung: Rung) -> str:
    """The colour that says how sure we are."""
    return {Rung.ABSENT: "dim", Rung.PROVEN: "moss", Rung.CLEAR: "moss"}.get(rung, "straw")


def knots(rung: Rung, ink: Palette) -> Text:
    text = Text()
    for i, step in enumerate(RUNGS):
        tied = step <= rung
        if i:
            text.append(LINE_TIED if tied else LINE_OPEN, ink.style(sureness(rung) if tied else "faint"))
        text.append(TIED if tied else OPEN_KNOT, ink.style(sureness(rung) if tied else "faint"))
    return text


class StatusLine(Painted):
    """The last thing that the program has to say, with a glyph for how it went."""

    DEFAULT_CSS = "StatusLine { height: 1; background: $surface; padding: 0 1; }"

    def __init__(self) -> None:
        super().__init__(id="status")
        self._text, self._colour = "", "dim"

    def say(self, text: str, how: str = "plain") -> None:
        """how: good, bad, unsure or plain."""
        glyph, self._colour = {"good": (GOOD, "moss"), "bad": (BAD, "brick"), "unsure": (UNSURE, "straw")}.get(
            how, ("", "dim")
        )
        self._text = f"{glyph} {text}".strip()
        self.show()

    def paint(self) -> Text:
        return Text(cut(visible_text(self._text), self.size.width), self.ink.style(self._colour), no_wrap=True)


_MORE = ", more keys"


class KeyLine(Painted):
    """The keys of the desk; what does not fit is under Ctrl+P and F1."""

    DEFAULT_CSS = "KeyLine { height: 1; background: $bar; dock: bottom; padding: 0 1; }"

    def __init__(self) -> None:
        super().__init__(id="keys")
        self.commands: list[Job] = []

    def paint(self) -> Text:
        ink, room = self.ink, self.size.width
        text = Text(no_wrap=True)
        last = [c for c in self.commands if c.id in ("app.help", "app.leave")]
        first = [c for c in self.commands if c not in last]
        reserved = sum(len(c.shown_key) + len(c.footer) + 4 for c in last) + len(_MORE)
        fits, used = [], 0
        for command in first:
            piece = len(f"{command.shown_key} {command.footer}   ")
            if used + piece <= room - reserved + 3:
                fits.append(command)
                used += piece
        for command in [*fits, *last]:
            more = _MORE if command.id == "app.help" and len(fits) < len(first) else ""
            text.append(command.shown_key, ink.style("copper"))
            text.append(f" {command.footer}{more}   ", ink.style("ink"))
        return text
