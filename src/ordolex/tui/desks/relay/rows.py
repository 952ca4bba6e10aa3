"""Relay: the rows of what is in front."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import replace
from typing import Any

from ordolex.core.record.items import LinkRecord
from ordolex.core.relay.plan import RelayPlan
from ordolex.core.talk.conversation import Direction, Row
from ordolex.session.session import Session
from ordolex.tui.desks.relay.at import Looked, Shown

_SAID_ROWS = 400


def rows_of(session: Session, looked: Looked, relay: RelayPlan | None) -> Sequence[Any]:
    """Relays, hosts, measured runs, steps of a way, or what passed through this relay."""
    match looked.shown:
        case Shown.RELAYS:
            return list(session.relays)
        case Shown.BOXES:
            return [host for host in session.network.listed if host.holds(looked.sought)]
        case Shown.RUNS:
            return session.relays.path_runs
        case Shown.WAY:
            return session.network.steps
        case _:
            return _said(session, relay) if relay is not None else []


def _said(session: Session, plan: RelayPlan) -> list[Row]:
    """What both ends said, by time: the program's side as sent, the device's as heard."""
    rows: list[Row] = []
    for link, direction in zip(_links(session, plan), (Direction.SENT, Direction.HEARD), strict=False):
        session.talks.drain(link)
        heard = [row for row in session.talks.of(link).rows if row.direction is Direction.HEARD]
        rows += [replace(row, direction=direction, after_ms=None, charset=link.reads_in) for row in heard[-_SAID_ROWS:]]
    return sorted(rows, key=lambda row: row.at_us)[-_SAID_ROWS:]


def _links(session: Session, plan: RelayPlan) -> list[LinkRecord]:
    found = [session.links.at(end.text) for end in plan.ends]
    return [link for link in found if link is not None]
