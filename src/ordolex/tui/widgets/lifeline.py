"""The lifeline: the chosen link from the laptop to the device, one knot a rung, the evidence and its age beneath.

At the first knot that is not tied stands what is most likely wrong and the one test that tells.
"""

from __future__ import annotations

from textwrap import wrap

from rich.text import Text

from ordolex.core.advice.causes import NOTHING_TOLD
from ordolex.core.advice.next_step import ASK, advise
from ordolex.core.link.ladder import RUNGS, Rung
from ordolex.core.link.state import Evidence
from ordolex.core.record.items import LinkRecord
from ordolex.core.text.visible import visible_text
from ordolex.io.link.view import LinkView
from ordolex.io.system.clock import mono_s
from ordolex.tui.theme import LINE_OPEN, LINE_TIED, NEXT, OPEN_KNOT, TIED
from ordolex.tui.widgets.frame import Painted, sureness
from ordolex.tui.widgets.wording import age, count, cut, endpoint_short

_WIDE = 92

_SHORTEST_NAME = 8


class Lifeline(Painted):
    DEFAULT_CSS = """
    Lifeline { height: 6; background: $surface; padding: 1 1 0 1; }
    Lifeline.folded { height: 4; padding: 0 1; }
    Lifeline.flat { height: 2; padding: 0 1; }
    """

    def __init__(self) -> None:
        super().__init__(id="lifeline")
        self.link: LinkRecord | None = None
        self.view: LinkView | None = None
        self.question, self.ask = "", ASK
        self.matched = ""
        """What a match found that is no matter of settings; it goes before the causes, which are guesses beside it."""

        self.told = NOTHING_TOLD

    def paint(self) -> Text:
        if self.link is None or self.view is None:
            return Text("No link yet. Choose a port in Find (F2) and press Enter.", self.ink.style("dim"))
        if self.size.width >= _WIDE and not self.has_class("folded", "flat"):
            return self._long()
        return self._short()

    def _long(self) -> Text:
        ink, width = self.ink, self.content_size.width
        assert self.link is not None and self.view is not None
        rung = self.view.evidence.rung
        name = cut(visible_text(self.link.name), 18)
        last = max(26, len(name) + 13)
        column = (width - 3 - last) // 4
        lines = [Text(no_wrap=True) for _ in range(3)]
        lines[0].append("PC ", ink.style("dim"))
        for line in lines[1:]:
            line.append(" " * 3)
        details = _details(self.view.evidence, self.view, mono_s())
        for step, (first, second) in zip(RUNGS, details, strict=True):
            glyph, stroke, colour, bold = self._knot(step, rung)
            lines[0].append(glyph, ink.style(colour, bold=True))
            lines[0].append(f" {step.word} ", ink.style("ink" if bold else "dim", bold=bold))
            wide = last if step is Rung.PROVEN else column
            stretch = 2 if step is Rung.PROVEN else column - len(step.word) - 3
            lines[0].append(stroke * stretch, ink.style(colour))
            marked = step == rung + 1
            lines[1].append(_cell(first, wide), ink.style("straw" if marked else "ink"))
            lines[2].append(_cell(second, wide), ink.style("dim"))
        lines[0].append(f" {name}", ink.style("ink" if rung is Rung.PROVEN else "dim", bold=True))
        return Text("\n", no_wrap=True).join([*lines, self._advice(width, rows=2)])

    def _short(self) -> Text:
        ink, width = self.ink, self.content_size.width
        assert self.view is not None
        rung = self.view.evidence.rung
        top = Text(no_wrap=True)
        words = width >= 52
        for step in RUNGS:
            glyph, stroke, colour, bold = self._knot(step, rung)
            top.append(glyph, ink.style(colour, bold=True))
            label = step.word if words or step == rung else ""
            top.append(f" {label}" if label else "", ink.style("ink" if bold else "dim", bold=bold))
            if step is not Rung.PROVEN:
                top.append(f" {stroke * (2 if words else 1)} ", ink.style(colour))
        room = width - len(top.plain) - 3
        if self.link is not None and room >= _SHORTEST_NAME:
            top.append(f"   {cut(visible_text(self.link.name), room)}", ink.style("ink", bold=True))
        rows = [top]
        if not self.has_class("flat"):
            at = max(0, rung - 1)
            first, second = _details(self.view.evidence, self.view, mono_s())[at]
            rows.append(Text(cut(f"{first}, {second}".strip(", "), width), ink.style("ink")))
        rows.append(self._advice(width, rows=1 if self.has_class("flat") else 2))
        return Text("\n", no_wrap=True).join(rows)

    def _knot(self, step: Rung, rung: Rung) -> tuple[str, str, str, bool]:
        if step <= rung:
            return TIED, LINE_TIED, sureness(rung), True
        return (NEXT if step == rung + 1 else OPEN_KNOT), LINE_OPEN, "straw" if step == rung + 1 else "faint", False

    def _advice(self, width: int, rows: int = 1) -> Text:
        words, colour = self._advice_words()
        room = max(12, width - 6)
        lines = wrap(visible_text(words), room, max_lines=rows, placeholder=" …", subsequent_indent=" " * 6)
        return Text("\n".join(lines), self.ink.style(colour), no_wrap=True)

    def _advice_words(self) -> tuple[str, str]:
        assert self.view is not None
        if self.view.returning:
            return f"✗ Gone. Opening it again: {self.view.returning}", "brick"
        evidence = self.view.evidence
        spoilt = evidence.rung in (Rung.HELD, Rung.HEARD) or (evidence.rung is Rung.CLEAR and evidence.bad_lately > 0)
        if self.matched and spoilt:
            return f"Next  Match found: {self.matched}", "straw"
        advice = advise(self.view.evidence, mono_s(), self.question, self.ask, self.told)
        if advice is not None:
            weighs = " F12 weighs the causes." if advice.causes and Rung.HELD <= evidence.rung < Rung.PROVEN else ""
            return f"Next  {advice.sentence}{weighs}", "straw"
        proof = self.view.evidence.proof
        if proof is None:
            return "", "moss"
        asked = proof.question or "device → PC only, nothing can be asked"
        return f"✓ {asked} → {proof.answer}", "moss"


def _cell(text: str, width: int) -> str:
    return f"{cut(text, width - 1):<{width}}"


def _details(evidence: Evidence, view: LinkView, now_s: float) -> list[tuple[str, str]]:
    """For each rung: the evidence, and its age."""

    def since(step: Rung) -> str:
        at = evidence.since_s[step - 1]
        return "" if at is None else age(now_s - at)

    rung = evidence.rung
    opened = age(now_s - evidence.opened_s) if evidence.opened_s is not None else ""
    heard = "" if evidence.last_heard_s is None else age(now_s - evidence.last_heard_s)
    return [
        (endpoint_short(view.endpoint), since(Rung.PRESENT)),
        (evidence.settings if rung >= Rung.HELD else "not open", opened),
        (f"{count(evidence.heard)} bytes" if rung >= Rung.HELD else "", heard),
        _clear(evidence),
        _proof(evidence, view, now_s),
    ]


def _clear(evidence: Evidence) -> tuple[str, str]:
    if not evidence.heard and not evidence.errors.total:
        return "", ""
    if evidence.errors.total:
        kinds = evidence.errors
        worst = max(
            ((kinds.framing, "framing errors"), (kinds.parity, "parity errors"), (kinds.breaks, "breaks"),
             (kinds.overruns, "overruns"))
        )  # fmt: skip
        return f"{count(worst[0])} {worst[1]}", _of_last(evidence.bad_lately, evidence)
    if evidence.bad_lately:
        return f"{evidence.bad_lately} of {evidence.seen_lately} unreadable", "no line errors"
    if evidence.checks_right:
        s = "s" * (evidence.checks_right != 1)
        wrong = f"{count(evidence.checks_wrong)} wrong" if evidence.checks_wrong else "none wrong"
        return f"{count(evidence.checks_right)} checksum{s} ok", wrong
    return "readable text" if evidence.rung >= Rung.CLEAR else "too few to tell", _of_last(0, evidence)


def _of_last(bad: int, evidence: Evidence) -> str:
    """How many are bad, of all that was heard or of the last of it, which is what is judged; short, for a narrow
    place."""
    some = "all" if evidence.seen_lately == evidence.heard else "last"
    if not bad:
        return f"{some} {evidence.seen_lately} clean"
    return f"{bad} bad of {'' if some == 'all' else 'last '}{evidence.seen_lately}"


def _proof(evidence: Evidence, view: LinkView, now_s: float) -> tuple[str, str]:
    if evidence.proof is not None and not evidence.proof.question:
        return "said as its sheet has it", f"device → PC, {age(now_s - evidence.proof.at_s)}"
    if evidence.proof is not None:
        ms = f"{evidence.proof.ms:.0f} ms"
        return f"{visible_text(evidence.proof.question)} answered", f"{ms}, {age(now_s - evidence.proof.at_s)}"
    if view.asking:
        return f"asking {visible_text(view.asking)}", ""
    if evidence.rung < Rung.HELD:
        return "", ""
    if evidence.unjudged:
        return "answered: is it right?", "nobody has said so"
    if evidence.unanswered:
        return "not answered", f"{evidence.unanswered} of {evidence.asked} asked"
    return ("not asked yet", "") if not evidence.asked else ("no right answer yet", f"{evidence.asked} asked")
