"""What the recorder takes, and the rows that it makes of it."""

from __future__ import annotations

import json
from collections.abc import Iterable, Iterator
from dataclasses import dataclass
from typing import Any

from ordolex.core.link.judge import LineErrors
from ordolex.core.record.chain import Hashed
from ordolex.core.record.items import Chunk, Event
from ordolex.core.watch.samples import Sample
from ordolex.io.book.values import Message
from ordolex.io.system.files import storable

ITEM_COST = 200
"""Bytes of memory that an entry takes besides its data."""


@dataclass(frozen=True, slots=True)
class Read:
    """Values of a round, and what is to be published of them."""

    samples: list[Sample]
    messages: list[Message]


Entry = Chunk | Event | Read


def cost(item: Entry) -> int:
    return ITEM_COST * (len(item.samples) + len(item.messages)) if isinstance(item, Read) else ITEM_COST


def chunk_rows(items: Iterable[Entry], visit: int, chain: Hashed) -> Iterator[tuple[Any, ...]]:
    for chunk in items:
        if isinstance(chunk, Chunk):
            errors = chunk.errors or LineErrors()
            row = (
                chain.chunk_to + 1, visit, chunk.link, chunk.direction, chunk.utc_us, chunk.mono_us,
                chunk.last_mono_us, errors.framing, errors.parity, errors.breaks, errors.overruns, chunk.data,
            )  # fmt: skip
            chain.chunk(row)
            yield row


def event_rows(items: Iterable[Entry], visit: int, chain: Hashed) -> Iterator[tuple[Any, ...]]:
    for e in items:
        if isinstance(e, Event):
            detail, text = _as_json(e.detail), storable(e.text)
            row = (chain.event_to + 1, visit, e.link, e.utc_us, e.mono_us, e.kind, text, detail)
            chain.event(row)
            yield row


def _as_json(detail: dict[str, Any]) -> str:
    text = json.dumps(detail)
    if "\\ud" in text:  # an emoji, or a byte of a name that is no UTF-8
        text = json.dumps(json.loads(storable(json.dumps(detail, ensure_ascii=False))))
    return text
