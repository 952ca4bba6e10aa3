"""Short words for times and numbers, the same everywhere on the screen."""

from __future__ import annotations

from datetime import datetime


def age(seconds: float) -> str:
    """Such as `just now`, `7 s ago`, `3 min ago`. Whole seconds below a minute, then minutes: what steps more often is
    sent to the terminal more often, and tells nobody more."""
    if seconds < 1:
        return "just now"
    return f"{short_span(seconds)} ago"


def short_span(seconds: float) -> str:
    """Such as `7 s`, `3 min`, `2 h`: what is over of it."""
    if seconds < 60:
        return f"{max(0, int(seconds))} s"
    return f"{int(seconds / 60)} min" if seconds < 7200 else f"{int(seconds / 3600)} h"


def count(number: int) -> str:
    """Thousands apart by a thin gap: 1 204."""
    return f"{number:,}".replace(",", " ")


def size(number: int) -> str:
    for unit, of in (("GB", 1e9), ("MB", 1e6), ("kB", 1e3)):
        if number >= of:
            return f"{number / of:.1f} {unit}"
    return f"{number} B"


def clock_time(utc_us: int) -> str:
    """The technician's own time of day, with milliseconds."""
    moment = datetime.fromtimestamp(utc_us / 1e6)
    return f"{moment:%H:%M:%S}.{moment.microsecond // 1000:03d}"


def day(utc_us: int) -> str:
    return f"{datetime.fromtimestamp(utc_us / 1e6):%d %b}"


def cut(text: str, width: int) -> str:
    """Shortened to the width with an ellipsis; never longer."""
    return text if len(text) <= width else text[: max(0, width - 1)] + "…" if width > 0 else ""


def endpoint_short(endpoint: str) -> str:
    """An endpoint for a narrow place: without its scheme, or the last part of a path."""
    return endpoint.split("://", 1)[1] if "://" in endpoint else endpoint.removeprefix("/dev/")
