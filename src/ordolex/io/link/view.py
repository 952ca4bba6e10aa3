"""What a link that runs looks like from outside, at one moment."""

from __future__ import annotations

from dataclasses import dataclass

from ordolex.core.link.signals import Signals
from ordolex.core.link.state import Evidence


@dataclass(frozen=True, slots=True)
class LinkView:
    """One moment of a running link, for whoever shows it."""

    link: int
    endpoint: str
    evidence: Evidence
    asking: str
    returning: str
    signals: Signals
