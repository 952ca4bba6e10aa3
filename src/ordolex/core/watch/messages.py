"""What is published: topics and payloads, one form for the broker and for the command line (docs/watch.md)."""

from __future__ import annotations

import json
import re
from datetime import UTC, datetime
from typing import Any

from ordolex.core.watch.samples import Sample

ROOT = "ordolex"
_NOT_IN_TOPICS = str.maketrans({"/": "_", "+": "_", "#": "_", "\0": "_"})


def level(name: str) -> str:
    """A name as one level of a topic (MQTT 5, 4.7.1: neither separator nor wildcards)."""
    return name.strip().translate(_NOT_IN_TOPICS).lstrip("$")[:100] or "_"


def state_topic(site: str) -> str:
    return f"{ROOT}/{level(site)}/state"


def value_topic(site: str, link: str, item: str) -> str:
    return f"{ROOT}/{level(site)}/value/{level(link or 'computed')}/{level(item)}"


def event_topic(site: str, link: str, item: str) -> str:
    return f"{ROOT}/{level(site)}/event/{level(link or 'computed')}/{level(item)}"


def iso(utc_us: int) -> str:
    """RFC 3339, to the millisecond."""
    return datetime.fromtimestamp(utc_us / 1e6, UTC).isoformat(timespec="milliseconds").replace("+00:00", "Z")


def value_of(link: str, item: str, unit: str, sample: Sample) -> dict[str, Any]:
    out: dict[str, Any] = {
        "time": iso(sample.utc_us), "link": link, "item": item, "value": sample.value, "unit": unit,
        "quality": sample.quality.word,
    }  # fmt: skip
    return out | ({"words": sample.words} if sample.words else {})


def event_of(utc_us: int, link: str, item: str, what: str, on: bool, value: object, unit: str) -> dict[str, Any]:
    return {
        "time": iso(utc_us), "link": link, "item": item, "event": what, "state": "begins" if on else "ends",
        "value": value, "unit": unit,
    }  # fmt: skip


def payload(content: dict[str, Any]) -> str:
    """One line of JSON, in which no control code of somebody else's reaches a terminal."""
    text = json.dumps(content, ensure_ascii=False, separators=(",", ":"), allow_nan=False)
    return _CODES.sub(lambda found: f"\\u{ord(found[0]):04x}", text)


_CODES = re.compile("[\x7f-\x9f\u061c\u200e\u200f\u2028-\u202e\u2066-\u2069\ufeff]")
"""What JSON leaves as it is and a terminal, or a line of text, does not."""
