"""What can be wrong with a bench's plan."""

from __future__ import annotations


class PlanError(ValueError):
    """A plan that cannot be served. The message says which device and what would be right."""
