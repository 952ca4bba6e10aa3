"""What a book knows beyond its bytes: what was proven, pulled, tried and named in this visit and in earlier ones."""

from __future__ import annotations

import json
from typing import TYPE_CHECKING

from ordolex.core.record.items import Event
from ordolex.io.book.rows import EVENT, BookFile

if TYPE_CHECKING:
    from ordolex.core.relay.path_runs import PathRun
    from ordolex.core.relay.plan import RelayPlan
    from ordolex.core.tables.table import Table

STOPPED = "stopped after "
"""How the end of a match that was stopped by hand is noted."""


class Known:
    def __init__(self, file: BookFile) -> None:
        self._file = file

    def last_proven_link(self) -> int | None:
        """The link whose rise to Proven is the latest."""
        row = self._file.read(
            "SELECT link FROM event WHERE kind = 'rung' AND text LIKE '%→ Proven' ORDER BY id DESC LIMIT 1"
        ).fetchone()
        return None if row is None else int(row[0])

    def answer_ms(self, count: int = 50) -> list[float]:
        """How long the latest answered questions took until their last byte, newest first, in ms."""
        rows = self._file.read(
            "SELECT json_extract(detail, '$.last_ms') FROM event"
            " WHERE kind = 'answer' AND json_extract(detail, '$.last_ms') IS NOT NULL ORDER BY id DESC LIMIT ?",
            (count,),
        )
        return [float(ms) for (ms,) in rows]

    def stopped_match(self, link: int) -> set[tuple[str, bytes]]:
        """(line settings, bytes sent) that brought nothing in the last match on this link, where that was stopped
        before its end, in this visit or an earlier one; empty where it was not."""
        ends = self._file.read(
            "SELECT id, text FROM event WHERE kind = 'match' AND link = ? ORDER BY id DESC LIMIT 50", (link,)
        ).fetchall()
        whole = next((id_ for id_, text in ends if not text.startswith(STOPPED)), 0)
        if not ends or ends[0][0] == whole:
            return set()
        rows = self._file.read(
            "SELECT json_extract(detail, '$.line'), json_extract(detail, '$.sent_hex') FROM event"
            " WHERE kind = 'trial' AND link = ? AND id > ? AND json_extract(detail, '$.heard_hex') = ''"
            " AND json_extract(detail, '$.sent_hex') <> ''",
            (link, whole),
        )
        return {(line, bytes.fromhex(sent)) for line, sent in rows}

    def table(self, link: int, name: str) -> Table | None:
        """The latest table of this name that was pulled on a link."""
        from ordolex.core.tables.table import Table

        row = self._file.read(
            "SELECT detail FROM event WHERE kind = 'table' AND link = ? AND json_extract(detail, '$.name') = ?"
            " ORDER BY id DESC LIMIT 1",
            (link, name),
        ).fetchone()
        return None if row is None else Table.of(json.loads(row[0]))

    def tables(self) -> list[tuple[Event, Table]]:
        """All tables of the book, the latest first."""
        from ordolex.core.tables.table import Table

        rows = self._file.read(f"SELECT {EVENT} FROM event WHERE kind = 'table' ORDER BY id DESC")
        return [(event, Table.of(event.detail)) for event in map(self._file.event, rows)]

    def table_before(self, event: Event) -> Table | None:
        """The table of the same list that was pulled before this one."""
        from ordolex.core.tables.table import Table

        row = self._file.read(
            "SELECT detail FROM event WHERE kind = 'table' AND link = ? AND id < ?"
            " AND json_extract(detail, '$.name') = ? ORDER BY id DESC LIMIT 1",
            (event.link, event.id, event.detail.get("name")),
        ).fetchone()
        return None if row is None else Table.of(json.loads(row[0]))

    def held_at(self, utc_us: int) -> list[tuple[int, str]]:
        """(link, endpoint) of the ports that were held at a moment, in the order in which they were opened."""
        rows = self._file.read(
            "SELECT link, kind, detail, visit FROM event WHERE utc_us <= ?"
            " AND kind IN ('opened', 'back', 'released', 'lost') ORDER BY utc_us, id",
            (utc_us,),
        )
        held: dict[int, str] = {}
        known: dict[int, str] = {}
        now = None
        for link, kind, detail, visit in rows:
            if visit != now:
                now, held = visit, {}  # what an earlier visit held ended with it
            if kind == "opened":
                known[link] = str(json.loads(detail).get("endpoint", ""))
            if kind in ("opened", "back"):
                held[link] = known.get(link, "")
            else:
                held.pop(link, None)
        return list(held.items())

    def adapters(self) -> dict[str, str]:
        """Identity → the name that the technician gave it."""
        return dict(self._file.read("SELECT identity, name FROM adapter").fetchall())

    def relays(self) -> list[RelayPlan]:
        """By name; none in a book from before there were some."""
        if not self._file.read("SELECT 1 FROM sqlite_master WHERE name = 'relay'").fetchone():
            return []
        from ordolex.core.relay.plan import plan_of

        rows = self._file.read("SELECT plan FROM relay ORDER BY name")
        return [plan_of(json.loads(plan)) for (plan,) in rows]

    def path_runs(self) -> list[PathRun]:
        """Measured runs on paths, in the order in which they were made."""
        from ordolex.core.relay.path_runs import path_run_of

        return [path_run_of(event.detail) for event in self.events_of("path")]

    def events_of(self, *kinds: str, link: int | None = None) -> list[Event]:
        """The events of some kinds, in order: for what is looked for while somebody waits."""
        marks = ", ".join("?" * len(kinds))
        where = f" WHERE kind IN ({marks})" + (" AND link = ?" if link is not None else "")
        values = (*kinds, link) if link is not None else kinds
        return [
            self._file.event(row) for row in self._file.read(f"SELECT {EVENT} FROM event{where} ORDER BY id", values)
        ]
