"""Talk: the questions and menus of a link's sheet, as they are typed."""

from __future__ import annotations

from ordolex.core.record.items import LinkRecord
from ordolex.core.text.escapes import named, to_bytes
from ordolex.session.session import Session


def commands_of(session: Session, link: LinkRecord) -> list[tuple[str, str]]:
    """(what is typed, what it means) of the sheet's questions; the line end is the link's."""
    sheet = session.devices.sheet_of(link)
    if sheet is None:
        return []
    menus = [(named(to_bytes(m.enter).rstrip(b"\r\n")), f"menu {m.name}: {m.means}") for m in sheet.menu]
    found = [(q.question().data.rstrip(b"\r\n"), q) for q in sheet.question]
    return menus + [(named(data), f"{q.name}{': ' if q.means else ''}{q.means}") for data, q in found if data]
