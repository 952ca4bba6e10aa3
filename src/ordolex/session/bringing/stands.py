"""Where a bring-up stands: the rung, and what is likely where it is not proven."""

from __future__ import annotations

from typing import Any

from ordolex.core.advice.causes import Cause, causes
from ordolex.core.advice.next_step import odd_when_clear
from ordolex.core.link.ladder import Rung
from ordolex.io.link.view import LinkView
from ordolex.session.bringing.state import Bringing, looked
from ordolex.session.links import line_of


async def stands_now(b: Bringing) -> tuple[Rung, list[Cause]]:
    """The same at this very moment, not as long as a look at the links is old."""
    runner = b.runner_or_none()
    return stands(b, await b.do(looked(runner)) if runner is not None else None)


def stands(b: Bringing, view: LinkView | None = None) -> tuple[Rung, list[Cause]]:
    """The rung, and the likeliest causes where it is not proven, as it stood at the last look at the links."""
    runner = b.runner_or_none()
    link = b.link
    if runner is None or link is None:
        return Rung.ABSENT if link is None else Rung.PRESENT, []
    view = view or b.session.view(link)
    evidence = view.evidence
    if evidence.rung in (Rung.PROVEN, Rung.ABSENT, Rung.PRESENT):
        return evidence.rung, []
    if not evidence.signs.data and b.match is not None and b.match.captures:
        return evidence.rung, []  # it was heard: what may make a line silent is no matter here
    told = _told(b, view)
    found = odd_when_clear(evidence, told) if evidence.rung is Rung.CLEAR else causes(evidence.signs, told)
    return evidence.rung, found[:3]


def _told(b: Bringing, view: LinkView) -> Any:
    """What is known besides the bytes."""
    link = b.the_link()
    sheet = b.sheet()
    bus = sheet is not None and sheet.family.addressed
    return b.session.told.of(view, line_of(link), bus=bus)
