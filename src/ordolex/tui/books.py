"""Which book is worked in: those that were open lately, another file, or a new one."""

from __future__ import annotations

import asyncio
from datetime import datetime
from pathlib import Path
from typing import TYPE_CHECKING

from ordolex.core.text.visible import visible_text
from ordolex.io.own import places
from ordolex.io.system.files import path_of, private_folder
from ordolex.tui.leaving import leave
from ordolex.tui.readings import file_reading, new_file_reading
from ordolex.tui.widgets.prompts import Pick
from ordolex.tui.widgets.wording import cut, size

if TYPE_CHECKING:
    from ordolex.tui.app import OrdolexApp
    from ordolex.tui.everywhere import FrameAt

_SUFFIX = ".ordolex"


async def choose_at_start(app: OrdolexApp) -> None:
    """Enter goes on with the last one, which is open already."""
    rows = await asyncio.to_thread(_rows, app.recent)
    chosen = await app.push_screen_wait(Pick("Which book? Enter goes on with the last one", rows))
    if chosen is not None and Path(chosen) != app.recent[0]:
        app.next_book = Path(chosen)
        app.exit()


async def books(at: FrameAt) -> None:
    """This book is closed properly before another is opened."""
    here = at.session.book.path.resolve()
    recent = [path for path in await asyncio.to_thread(places.recent_books) if path != here]
    rows = await asyncio.to_thread(_rows, recent)
    more = [("new", "Make a new book"), ("file", "Open a book from a file")]
    chosen = await at.ask(Pick(f"Books; this one is {visible_text(cut(str(here), 70))}", [*more, *rows]))
    if chosen == "new":
        folder = await asyncio.to_thread(private_folder, places.books())
        hint = f"a name of the site; it ends in {_SUFFIX}"
        typed = await at.line("Make a new book at", f"{folder / 'new site'}{_SUFFIX}", new_file_reading, hint)
        chosen = typed and typed.removesuffix(_SUFFIX) + _SUFFIX
    elif chosen == "file":
        chosen = await at.line("Open the book", "", file_reading, f"a file that ends in {_SUFFIX}")
    if not chosen:
        return
    at.app.next_book = path_of(chosen)
    if not await leave(at):
        at.app.next_book = None


def _rows(paths: list[Path]) -> list[tuple[str, str]]:
    out = []
    for path in paths:
        try:
            facts = path.stat()
        except OSError:
            continue
        when = f"{datetime.fromtimestamp(facts.st_mtime):%d %b %Y %H:%M}"
        out.append(
            (str(path), visible_text(f"{cut(path.stem, 34):34} {when}  {size(facts.st_size):>9}  {path.parent}"))
        )
    return out
