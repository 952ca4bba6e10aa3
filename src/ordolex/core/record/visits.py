"""Visits of a book: its openings, of which several that follow each other soon are one visit, such as after a crash."""

from __future__ import annotations

from collections.abc import Sequence

SAME_VISIT_US = 4 * 3600 * 1_000_000
"""Openings that are nearer together than this, from the last thing recorded in one to the next, are one visit."""


def visit_starts(openings: Sequence[tuple[int, int]]) -> list[int]:
    """When visits began, out of (began, last known of it) of each opening, in order; UTC in microseconds."""
    starts: list[int] = []
    last = 0
    for began, known in openings:
        if not starts or began - last > SAME_VISIT_US:
            starts.append(began)
        last = max(last, began, known)
    return starts
