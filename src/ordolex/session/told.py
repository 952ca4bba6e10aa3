"""What is known of each link besides its bytes, for the causes: how tests by hand came out, what a match inferred."""

from __future__ import annotations

from ordolex.core.advice.causes import Inferred, Told
from ordolex.core.line.settings import LineSettings
from ordolex.core.link.ladder import Rung
from ordolex.io.link.view import LinkView


class ToldOfLinks:
    def __init__(self) -> None:
        self._outcomes: dict[int, dict[str, int]] = {}
        self._inferred: dict[int, Inferred] = {}
        self.in_vain: dict[int, int] = {}
        """Questions of a link's last match, where nothing at all was heard."""
        self.matched: dict[int, tuple[LineSettings, str]] = {}
        """What the last match of a link found that is no matter of settings, and the link's settings then."""

    def came_out(self, link: int, test: str, outcome: int) -> None:
        self._outcomes.setdefault(link, {})[test] = outcome

    def forget(self, link: int) -> None:
        self._outcomes.pop(link, None)

    def infer(self, link: int, inferred: Inferred) -> None:
        self._inferred[link] = inferred

    def matched_words(self, link: int, now: LineSettings) -> str:
        """What a match found on this link besides settings, while the port is still as it was then."""
        line, words = self.matched.get(link, (None, ""))
        return words if line == now else ""

    def of(self, view: LinkView, line: LineSettings, *, bus: bool) -> Told:
        """An inference counts as long as the port is as it was then."""
        inferred = self._inferred.get(view.link)
        if inferred is not None and inferred.heard_at != line:
            inferred = None
        proven = view.evidence.rung is Rung.PROVEN
        return Told(
            view.signals.inputs,
            inferred,
            dict(self._outcomes.get(view.link, {})),
            bus,
            proven,
            self.in_vain.get(view.link, 0),
            far=view.endpoint.startswith("rfc2217://"),
            without_line=not view.evidence.has_line,
        )
