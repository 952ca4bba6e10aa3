"""A sheet made from what was asked and answered, at whichever desk it is wanted."""

from __future__ import annotations

import asyncio
import re
from collections.abc import Sequence
from dataclasses import replace

from ordolex.core.record.items import LinkRecord
from ordolex.core.sheet.base import SheetError
from ordolex.core.sheet.draft import Asked, asked_in, draft
from ordolex.core.text.counts import counted
from ordolex.core.text.visible import visible_text
from ordolex.io.own.sheets import all_sheets, save_own
from ordolex.io.system.faults import Fault
from ordolex.tui.desks.at import At
from ordolex.tui.widgets.wording import cut


async def from_conversation(at: At, link: LinkRecord) -> None:
    """All questions of the link that were answered; the technician says which change nothing."""
    events = await asyncio.to_thread(at.session.book.reader.known.events_of, "answer", link=link.id)
    asked = asked_in(event.detail for event in events)[:40]
    if not asked:
        at.say("Nothing was asked and answered on this link yet: ask first, then make a sheet of it", "unsure")
        return
    likely = [str(number) for number, one in enumerate(asked, 1) if one.words.endswith("?")]
    listed = "\n".join(
        visible_text(f"{number:>3}  {one.words[:30]:30}  {cut(one.answers[0], 40)}")
        for number, one in enumerate(asked, 1)
    )
    typed = await at.line(
        "Which questions change nothing?", " ".join(likely), lambda text: harmless_reading(text, asked),
        f"their numbers; only those are ever asked unbidden\n{listed}",
    )  # fmt: skip
    if typed is None:
        return
    numbers = {int(part) for part in typed.split()}
    await save(at, link, [replace(one, harmless=number in numbers) for number, one in enumerate(asked, 1)])


def harmless_reading(text: str, asked: Sequence[Asked]) -> str:
    """Raises ValueError."""
    parts = text.split()
    if not all(part.isdecimal() and 1 <= int(part) <= len(asked) for part in parts):
        raise ValueError(f"numbers from 1 to {len(asked)}, with blanks between")
    return visible_text(", ".join(asked[int(part) - 1].words for part in parts) or "none: nothing is asked unbidden")[
        :300
    ]


async def save(at: At, link: LinkRecord, asked: Sequence[Asked]) -> None:
    """Under a name, in the technician's own folder; the link takes it if he wants."""
    there = all_sheets()[0]
    name = await at.line(
        "Name of the sheet",
        _proposed(link.name),
        lambda text: _name_reading(text, there),
        "a file of this name, yours to edit",
    )
    device = (
        await at.line("Which device is it?", link.name, _words_reading, "as it is called on site") if name else None
    )
    if name is None or device is None:
        return
    source = {"matched": "found by Match", "sticker": "sticker"}.get(link.source, link.source or "typed")
    try:
        text = draft(name.strip(), device.strip(), link.line or "any", source, asked)
        path = await asyncio.to_thread(save_own, name.strip(), text)
    except (SheetError, Fault) as error:
        at.say(str(error), "bad")
        return
    changed = at.change_link(replace(link, sheet=name.strip())) if not link.sheet else False
    took = "; the link has it now" if changed else ""
    questions = counted(len(asked), "question")
    at.say(f"{questions}, a draft that wants your words{took}: {path}", "good")


def _proposed(name: str) -> str:
    return re.sub(r"[^a-z0-9]+", "-", name.lower()).strip("-")[:40] or "sheet"


def _name_reading(text: str, there: object) -> str:
    if not re.fullmatch(r"[a-z0-9][a-z0-9-]{0,59}", text.strip()):
        raise ValueError("small letters, digits and hyphens")
    if text.strip() in there:  # type: ignore[operator]
        raise ValueError("there is a sheet of this name; choose another")
    return f"{text.strip()}.toml"


def _words_reading(text: str) -> str:
    if not text.strip():
        raise ValueError("give it a name")
    return text.strip()[:100]
