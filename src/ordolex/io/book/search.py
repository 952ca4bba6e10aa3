"""Rows of a book that a sieve lets through. Where it asks for bytes, only chunks that hold them are read as rows."""

from __future__ import annotations

from collections.abc import Iterator
from itertools import chain

from ordolex.core.export import rows_of
from ordolex.core.link.conversation import Direction, Row
from ordolex.core.sieve import Sieve
from ordolex.io.book.reader import BookReader


def rows_with(reader: BookReader, sieve: Sieve) -> Iterator[tuple[int, Row]]:
    """(link, row), by link and kind in the order of the record; sort them by time where that matters."""
    if sieve.wanted is None:
        for link, row in rows_of(reader.timeline(sieve.link)):
            if sieve.passes(link, row):
                yield link, row
        return
    wanted, fold = sieve.wanted
    way = {Direction.SENT: "tx", Direction.HEARD: "rx"}.get(sieve.direction) if sieve.direction is not None else None
    ids = reader.find(wanted, sieve.link, way, fold=fold) if sieve.direction is not Direction.NOTE else iter(())
    groups = (rows_of(group) for group in reader.around(ids, len(wanted)))
    notes = rows_of(reader.events_with(sieve.text, sieve.link))
    for link, row in chain(chain.from_iterable(groups), notes):
        if sieve.passes(link, row):
            yield link, row
