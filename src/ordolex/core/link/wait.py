"""How long to wait for an answer, proposed from the answers measured so far."""

from __future__ import annotations

from collections.abc import Sequence

SHORTEST_MS = 100


def proposed_wait_ms(measured_ms: Sequence[float]) -> int:
    """Twice the slowest of the measured answers, rounded up to 50 ms, and 100 at least; 500 where none was measured."""
    if not measured_ms:
        return 500
    return max(SHORTEST_MS, -(-int(2 * max(measured_ms)) // 50) * 50)
