"""Relays of a session: kept in the book, run among its links, and not let go by halves."""

from __future__ import annotations

import socket
from collections.abc import Iterator
from dataclasses import replace
from pathlib import Path

import pytest

from ordolex.core.relay.plan import RelayPlan
from ordolex.io.book.book import Book
from ordolex.io.link.hub import Hub
from ordolex.io.own import places
from ordolex.io.relay.notices import ask_to_stop, running
from ordolex.io.system.faults import PortHeld
from ordolex.session.session import Session
from tests.conftest import until


@pytest.fixture
def session(tmp_path: Path) -> Iterator[Session]:
    book = Book(tmp_path / "b.ordolex")
    made = Session(book, Hub(book.recorder))
    yield made
    made.hub.stop()
    book.close()


@pytest.fixture
def listener() -> Iterator[socket.socket]:
    with socket.create_server(("127.0.0.1", 0)) as made:
        yield made


def kept(session: Session, name: str, listener: socket.socket) -> RelayPlan:
    return session.relays.keep(RelayPlan(name, f"virtual:{name}", f"tcp://127.0.0.1:{listener.getsockname()[1]}"))


async def test_an_end_of_a_relay_is_not_released_by_itself(session: Session, listener: socket.socket) -> None:
    plan = kept(session, "one", listener)
    session.relays.start("one").result(20)
    await until(lambda: (view := session.relays.view("one")) is not None and view.b.held_s is not None)
    links = [session.links.at(end.text) for end in plan.ends]
    assert all(link is not None and session.is_open(link) for link in links), "they are links like all others"
    for link in links:
        assert link is not None
        with pytest.raises(PortHeld, match="an end of the relay one; Enter in Relay"):
            session.release(link)
    session.relays.stop("one").result(20)
    assert not any(session.is_open(link) for link in links if link is not None)
    assert session.relays.view("one") is None and not list(places.virtual_ports().glob("one"))
    assert links[1] is not None
    device = session.links.change(replace(links[1], charset="CP850"))
    session.relays.start("one").result(20)
    runner = session.runner(device)
    assert runner is not None and runner.charset == "CP850", "what was chosen for a link holds in a relay"
    session.relays.stop("one").result(20)


async def test_relays_are_kept_and_end_with_the_session_or_when_asked_from_elsewhere(
    session: Session, listener: socket.socket, tmp_path: Path
) -> None:
    for name in ("one", "two"):
        kept(session, name, listener)
        session.relays.start(name).result(20)
    await until(lambda: {notice.name for notice in running()} == {"one", "two"})
    assert ask_to_stop("one") and not ask_to_stop("three")
    await until(lambda: session.relays.running == ["two"])
    session.hub.stop()
    assert not list(places.virtual_ports().glob("[a-z]*")) and running() == []
    session.relays.drop("one")
    session.book.close()
    again = Book(tmp_path / "b.ordolex")
    assert [plan.name for plan in again.reader.known.relays()] == ["two"]
    again.close()
