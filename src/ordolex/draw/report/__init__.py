"""The report of a visit on paper (PDF) and as a page (HTML), both of one model."""

from ordolex.draw.report.page import page
from ordolex.draw.report.paper import checklist, paper

__all__ = ["checklist", "page", "paper"]
