"""Talk: the line over the conversation. What is shown, whether the port is open, what is waited for."""

from __future__ import annotations

from rich.text import Text

from ordolex.core.record.items import LinkRecord
from ordolex.core.talk.echo import LEAST, beside_the_typed, echo_hint
from ordolex.core.text.charsets import UNCHOSEN, text_of
from ordolex.core.text.visible import visible_text
from ordolex.io.link.view import LinkView
from ordolex.io.system.clock import mono_s
from ordolex.session.session import Session
from ordolex.session.stands_at import call_words, came_aside, prompt_of
from ordolex.tui.desks.talk.at import Remembered
from ordolex.tui.theme import Palette
from ordolex.tui.widgets.screen_view import ScreenView
from ordolex.tui.widgets.wording import cut, short_span

_ECHO_ROWS = 60  # the last rows, in which the echo of what was typed is looked for
_SIGNALS_FROM = 96  # width below which the control lines are in Ctrl+B only


def headline(
    session: Session, link: LinkRecord, how: Remembered, view: ScreenView, ink: Palette, *, following: bool, width: int
) -> Text:
    talk, is_open = session.talks.of(link), session.is_open(link)
    head = Text(visible_text(link.name), ink.style("ink", bold=True))
    if how.on_screen:
        words = f"   its screen, {talk.screen.size[0]} × {talk.screen.size[1]}, {link.reads_in}"
        off = view.cut_off
        head.append(words + (f"   {off} wider: Shift+arrows" if off else ""), ink.style("dim"))
        if talk.answers_device:
            head.append("   its questions are answered", ink.style("copper"))
        elif talk.asked_about_terminal:
            head.append("   it asks about the terminal: Ctrl+B answers", ink.style("straw"))
    else:
        head.append(f"   {how.shown.value}", ink.style("dim"))
        if link.reads_in != UNCHOSEN:
            head.append(f", {link.reads_in}", ink.style("dim"))
    _append_state(head, session, link, ink)
    modem = call_words(session, link)
    if modem and is_open:
        head.append(f"   {modem}", ink.style("copper" if talk.call.up else "dim"))
    hint, signals = _echo_hint(session, link), session.view(link).signals.short
    if hint:
        head.append(f"   {hint}", ink.style("straw"))
    elif is_open and signals and width >= _SIGNALS_FROM:
        head.append(f"   {signals}", ink.style("dim"))
    if not following:
        head.append("   scrolled back, PgDn goes forward", ink.style("straw"))
    return head


def _waiting(view: LinkView) -> str:
    """For what, since when, and how long the last right answer took."""
    sent_s, proof = view.evidence.last_sent_s, view.evidence.proof
    since = "" if sent_s is None else f" {max(0.0, mono_s() - sent_s):.1f} s"
    took = f"; the last right one took {proof.ms:.0f} ms" if proof is not None and proof.question else ""
    return f"waiting{since} for the answer to {cut(visible_text(view.asking), 24)}{took}"


def _append_state(head: Text, session: Session, link: LinkRecord, ink: Palette) -> None:
    view = session.view(link)
    if not session.is_open(link):
        head.append("   not open: Ctrl+O opens it", ink.style("straw"))
    elif view.asking:
        head.append("   " + _waiting(view), ink.style("straw"))
    elif view.evidence.last_heard_s is not None:
        quiet = mono_s() - view.evidence.last_heard_s
        if quiet >= 1:
            head.append(f"   quiet {short_span(quiet)}", ink.style("dim"))
        talk = session.talks.of(link)
        aside, prompt = came_aside(talk), visible_text(text_of(prompt_of(talk), link.charset).strip())
        if aside and prompt:
            words = f"   it still stands at {cut(prompt, 24)}; {cut(aside, 30)} came by itself"
            head.append(words, ink.style("straw"))


def _echo_hint(session: Session, link: LinkRecord) -> str:
    """What the echo of what was typed tells, where the technician works with echoes at all."""
    talk = session.talks.of(link)
    if not (talk.by_key or talk.local_echo):
        return ""
    rows = talk.rows[-_ECHO_ROWS:]
    lines = [at for at, row in enumerate(rows) if row.direction == "tx" and len(row.data.strip()) >= LEAST]
    if lines:  # whole lines: the last of them; single keys are looked at together
        rows = rows[lines[-1] :]
    passed = [(row.direction == "tx", row.data) for row in rows if row.direction in ("tx", "rx")]
    return echo_hint(*beside_the_typed([*passed, (False, talk.conversation.unfinished)]), local=talk.local_echo)
