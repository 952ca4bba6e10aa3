"""How something under way on a link is shown: what it is, how far it is, how it is stopped."""

from __future__ import annotations

from rich.text import Text

from ordolex.core.text.visible import visible_text
from ordolex.session.works import Sending
from ordolex.tui.theme import Palette


def sending_words(sending: Sending, ink: Palette) -> Text:
    text = Text(sending.what, ink.style("copper", bold=True), no_wrap=True)
    if sending.progress is not None and sending.progress.total:
        share = sending.progress.sent / sending.progress.total
        done = round(share * 20)
        text.append(f"   {'█' * done}{'░' * (20 - done)} {share:.0%}", ink.style("copper"))
        text.append(f"   {sending.progress.left_s:.0f} s left", ink.style("ink"))
    if sending.now:
        text.append(f"   {visible_text(sending.now)}", ink.style("ink"))
    text.append("   Esc stops", ink.style("dim"))
    return text
