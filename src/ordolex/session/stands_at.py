"""Where a device stands: the prompt that it waits at, what came by itself since, and what is still open there."""

from __future__ import annotations

import re
from itertools import islice
from typing import TYPE_CHECKING

from ordolex.core.link.secrets import asks_for_secret, asks_once_more
from ordolex.core.record.items import LinkRecord
from ordolex.core.talk.conversation import Direction, Row
from ordolex.core.text.charsets import text_of
from ordolex.core.text.visible import visible_text

if TYPE_CHECKING:
    from ordolex.session.session import Session
    from ordolex.session.talks import Talk

_FEW_ASIDE, _LOOK_BACK = 4, 24
_LOOK_FAR_BACK = 400
_DIGITS = re.compile(rb"\d+")


def prompt_of(talk: Talk) -> bytes:
    """The line without an end that the device stands at; nothing where it does not. A few lines that came by themselves
    after it do not change where it stands; a device that talks on and on stands nowhere."""
    if talk.conversation.unfinished:
        return talk.conversation.unfinished
    prompt, aside = _stands_at(talk)
    return prompt if len(aside) <= _FEW_ASIDE else b""


def prompt_left(talk: Talk) -> bytes:
    """The same, but however often the same few lines came by themselves, as an alarm does every few seconds: what was
    open at that prompt is open still, and the secret is asked for still. Numbers do not make lines different ones."""
    if talk.conversation.unfinished:
        return talk.conversation.unfinished
    prompt, aside = _stands_at(talk, _LOOK_FAR_BACK)
    return prompt if prompt and len(_kinds(aside)) <= _FEW_ASIDE else b""


def prompt_cut(talk: Talk) -> bytes:
    """The same, also where what came by itself ended the line of the prompt a moment after that had come. Such a line
    looks like any whole line: it is for whoever knows the prompt by its words."""
    prompt, aside = _stands_at(talk, _LOOK_FAR_BACK, cut=True)
    return prompt if prompt and len(_kinds(aside)) <= _FEW_ASIDE else b""


def secret_prompt(talk: Talk) -> tuple[bytes, bytes]:
    """Where the device stands, and the line above that: what decides whether it asks for a secret."""
    if not talk.conversation.unfinished:
        ended = prompt_cut(talk)
        if not ended:  # at none at all, as a device that talks on and on: what is above is asked of nobody
            return b"", b""
        over = above_prompt(talk, cut=True)
        if asks_for_secret(ended, over) or asks_once_more(ended):
            return ended, over
    return prompt_left(talk), above_prompt(talk)


def above_prompt(talk: Talk, *, cut: bool = False) -> bytes:
    """The last whole line that came before the one at which the device stands, or the last one where it stands at none.
    What came by itself behind the prompt is not above it. `cut` as at `prompt_cut`."""
    last, at_prompt = b"", bool(talk.conversation.unfinished)
    for row in islice(reversed(talk.rows), _LOOK_FAR_BACK):
        if row.direction is Direction.SENT:
            break
        if row.direction is not Direction.HEARD or not row.data.strip():
            continue
        if not at_prompt and _is_stand(talk, row.data, cut):
            at_prompt = True
        elif at_prompt and row.data.endswith((b"\r", b"\n")):
            return row.data.strip()
        else:
            last = last or row.data.strip()
    return b"" if at_prompt else last


def line_came(talk: Talk, since: int) -> bool:
    """Whether a whole line came since there were `since` rows."""
    return any(
        row.direction is Direction.HEARD and row.data.endswith((b"\r", b"\n")) and row.data.strip()
        for row in islice(reversed(talk.rows), max(0, min(talk.added - since, _LOOK_BACK)))
    )


def came_aside(talk: Talk) -> str:
    """What the device said by itself, last, in the middle of the prompt at which it stands."""
    prompt, aside = _stands_at(talk)
    return aside[0].shown if prompt and 0 < len(aside) <= _FEW_ASIDE else ""


def call_words(session: Session, link: LinkRecord) -> str:
    """The modem's state, in words; nothing for what is no modem."""
    sheet = session.devices.sheet_of(link)
    return session.talks.of(link).call.state.value if sheet is not None and sheet.family.dials else ""


def call_is_up(session: Session, link: LinkRecord) -> bool:
    return bool(call_words(session, link)) and session.is_open(link) and session.talks.of(link).call.up


def still_open(session: Session, link: LinkRecord) -> str:
    """The prompt at which the device's sheet says that something is still open, or the call that is up; nothing where
    neither is."""
    if call_is_up(session, link):
        return "a call that is up."
    sheet = session.devices.sheet_of(link)
    if sheet is None or sheet.leave is None or not session.is_open(link):
        return ""
    from ordolex.core.text import patterns

    talk = session.talks.of(link)
    prompt = text_of(prompt_left(talk) or prompt_cut(talk), link.charset)
    return visible_text(prompt.strip()) if patterns.search(sheet.leave.open, prompt) else ""


def _kinds(aside: list[Row]) -> set[bytes]:
    return {_DIGITS.sub(b"0", row.data.strip()) for row in aside}


def _is_stand(talk: Talk, data: bytes, cut: bool) -> bool:
    ended = data.endswith((b"\r", b"\n"))
    return not ended or (cut and talk.stood_at.strip() != b"" and data.rstrip(b"\r\n") == talk.stood_at.rstrip(b"\r\n"))


def _stands_at(talk: Talk, back: int = _LOOK_BACK, *, cut: bool = False) -> tuple[bytes, list[Row]]:
    """The last line without an end since something was sent, and the whole lines after it, newest first."""
    aside: list[Row] = []
    for row in islice(reversed(talk.rows), back):
        if row.direction is Direction.SENT:
            break
        if row.direction is Direction.HEARD:
            if _is_stand(talk, row.data, cut):
                return row.data.rstrip(b"\r\n"), aside
            if row.data.strip():
                aside.append(row)
    return b"", aside
