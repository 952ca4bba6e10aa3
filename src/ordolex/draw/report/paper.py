"""The report as a PDF: an embedded font, bookmarks, page numbers, tables that go on over pages with their heads."""

from __future__ import annotations

from collections.abc import Sequence
from datetime import UTC, datetime

from fpdf import FPDF
from fpdf.enums import Align

from ordolex.core.text.counts import counted
from ordolex.core.visit.cable import Cable, cable_shape
from ordolex.core.visit.chart import chart_shape
from ordolex.core.visit.report import ChartPart, LinkPart, Report, TablePart, Told
from ordolex.core.wiring.drawn import Tone
from ordolex.draw.report.texts import fonts, printed

FORMATS = ("A4", "Letter")
_INK, _DIM, _ACCENT, _ALARM = (28, 42, 42), (92, 107, 107), (47, 111, 98), (140, 47, 36)
_LINE, _SMALL = 5.0, 4.2
"""Height of a line of text, and of one in a table, in mm."""
_TONES = {Tone.GOOD: _ACCENT, Tone.BAD: _ALARM}
_MOST_LINES = 12
"""Lines that one cell of a table may have."""
WATCHED = "Limits passed, and what else began and ended"


class _Paper(FPDF):
    def __init__(self, report: Report, form: str) -> None:
        super().__init__(format=form)
        self._foot = printed(f"{report.site}, {report.period}", most=90)
        self.set_margins(18, 16)
        self.set_auto_page_break(True, 18)
        for style in ("", "B"):
            self.add_font("text", style, fonts()[style])
        self.add_font("mono", "", fonts()["mono"])
        self.alias_nb_pages("{pages}")
        self.set_title(printed(f"{report.site}: visit report", most=120))
        self.set_author(printed(report.by or "", most=120))
        self.set_creator(report.program)
        self.set_creation_date(datetime.now(UTC))
        self.add_page()

    def footer(self) -> None:
        self.set_y(-13)
        self.set_font("text", "", 7.5)
        self.set_text_color(*_DIM)
        self.cell(0, 5, self._foot, align=Align.L)
        self.set_x(self.l_margin)
        self.cell(0, 5, f"page {self.page_no()} of {{pages}}", align=Align.R)

    # ---- text

    def say(self, text: str, size: float = 9.5, colour: tuple[int, int, int] = _INK, style: str = "") -> None:
        self.set_font("text", style, size)
        self.set_text_color(*colour)
        self.multi_cell(0, _LINE * size / 9.5, printed(text, style), new_x="LMARGIN", new_y="NEXT", align=Align.L)

    def code(self, text: str) -> None:
        self.set_font("mono", "", 7.5)
        self.set_text_color(*_DIM)
        self.multi_cell(0, _SMALL, printed(text, "mono"), new_x="LMARGIN", new_y="NEXT", align=Align.L)

    def heading(self, text: str, level: int) -> None:
        if self.will_page_break(24):
            self.add_page()
        self.ln(5 if level == 0 else 3)
        words = printed(text, "B", most=110)
        self.start_section(words, level)
        self.say(words, 13 if level == 0 else 10, _INK if level == 0 else _ACCENT, "B")
        if level == 0:
            self.set_draw_color(*_ACCENT)
            self.line(self.l_margin, self.get_y(), self.w - self.r_margin, self.get_y())
        self.ln(1.5)

    # ---- tables

    def rows(self, heads: Sequence[str], rows: Sequence[Sequence[str]], shares: Sequence[float]) -> None:
        """`shares` say how wide each column is. The heads stand again on each page."""
        widths = [self.epw * share / sum(shares) for share in shares]
        self._heads(heads, widths)
        for row in rows:
            self.set_font("text", "", 8)
            cells = [self._cut(printed(cell), width) for cell, width in zip(row, widths, strict=True)]
            height = _SMALL * max(1, *(len(cell) for cell in cells))
            if self.get_y() + height > self.page_break_trigger:
                self.add_page()
                self._heads(heads, widths)
            self._row(cells, widths, height)

    def _heads(self, heads: Sequence[str], widths: Sequence[float]) -> None:
        if any(heads):
            self.set_font("text", "", 7.5)
            self.set_text_color(*_DIM)
            for head, width in zip(heads, widths, strict=True):
                self.cell(width, _SMALL, self._cut(printed(head, most=60), width)[0])
            self.ln(_SMALL + 0.8)

    def _row(self, cells: Sequence[list[str]], widths: Sequence[float], height: float) -> None:
        top = self.get_y()
        self.set_font("text", "", 8)
        self.set_text_color(*_INK)
        left = self.l_margin
        for lines, width in zip(cells, widths, strict=True):
            for number, line in enumerate(lines):
                self.text(left + self.c_margin, top + number * _SMALL + 3.0, line)
            left += width
        self.set_xy(self.l_margin, top + height + 0.8)
        self.set_draw_color(213, 221, 221)
        self.line(self.l_margin, top + height + 0.4, self.w - self.r_margin, top + height + 0.4)

    def _cut(self, text: str, width: float) -> list[str]:
        """The text in lines that fit the column."""
        room, lines = width - 2.5, [""]
        for word in text.split(" "):
            joined = f"{lines[-1]} {word}" if lines[-1] else word
            if self.get_string_width(joined) <= room:
                lines[-1] = joined
                continue
            if lines[-1]:
                lines.append("")
            while self.get_string_width(word) > room and len(word) > 1:
                fits = max(1, int(len(word) * room / self.get_string_width(word)))
                while fits > 1 and self.get_string_width(word[:fits]) > room:
                    fits -= 1
                lines[-1], word = word[:fits], word[fits:]
                lines.append("")
            lines[-1] = word
        return lines if len(lines) <= _MOST_LINES else [*lines[: _MOST_LINES - 1], "…"]

    def told(self, rows: Sequence[Told], *, effect: bool = False) -> None:
        if effect:
            self.rows(("when", "what", "what came of it"), [(r.when, r.words, r.effect) for r in rows], (3, 7, 4))
        else:
            self.rows(("when", "what"), [(r.when, r.words) for r in rows], (3, 11))

    # ---- a chart

    def chart(self, chart: ChartPart) -> None:
        high, left = 40.0, 18.0
        if self.will_page_break(high + 24):
            self.add_page()
        self.heading(chart.title, 1)
        self.say(chart.words, 8.5)
        wide, top = self.epw - left, self.get_y() + 2
        shape = chart_shape(chart, wide, high)
        x0 = self.l_margin + left
        self.set_draw_color(213, 221, 221)
        self.rect(x0, top, wide, high)
        self.set_font("text", "", 7)
        for y, label in shape.ticks:
            self.line(x0, top + y, x0 + wide, top + y)
            self.set_text_color(*_DIM)
            self.set_xy(self.l_margin, top + y - 2)
            self.cell(left - 2, 4, label, align=Align.R)
        for y, label in shape.limits:
            self.set_draw_color(*_ALARM)
            self.set_dash_pattern(1.5, 1)
            self.line(x0, top + y, x0 + wide, top + y)
            self.set_dash_pattern()
            self.set_text_color(*_ALARM)
            self.set_xy(x0 + wide - 40, top + y - 4)
            self.cell(39, 4, label, align=Align.R)
        self.set_draw_color(*_ACCENT)
        for line in shape.lines:
            self.polyline(
                [(x0 + x, top + y) for x, y in line] if len(line) > 1 else [(x0 + line[0][0], top + line[0][1])] * 2
            )
        self.set_text_color(*_DIM)
        self.set_xy(x0, top + high + 0.5)
        self.cell(wide / 2, 4, printed(chart.from_words))
        self.cell(wide / 2, 4, printed(chart.to_words), align=Align.R)
        self.set_xy(self.l_margin, top + high + 6)

    # ---- a cable

    def cable(self, cable: Cable) -> None:
        shape = cable_shape(cable, self.epw)
        if self.will_page_break(shape.high + 16):
            self.add_page()
        self.heading("Cable", 1)
        self.say(cable.words, 8.5)
        x0, y0 = self.l_margin, self.get_y() + 1
        for x1, y1, x2, y2, tone in shape.wires:
            self.set_draw_color(*_TONES.get(tone, _DIM))
            self.line(x0 + x1, y0 + y1, x0 + x2, y0 + y2)
        self.set_draw_color(*_DIM)
        for x, y, wide, high in shape.boxes:
            self.rect(x0 + x, y0 + y, wide, high)
        self.set_draw_color(*_INK)
        self.set_fill_color(255, 255, 255)
        self.set_font("text", "", 6)
        self.set_text_color(*_INK)
        for x, y, number in shape.pins:
            self.circle(x0 + x, y0 + y, 1.7, style="DF")
            self.set_xy(x0 + x - 4, y0 + y - 2)
            self.cell(8, 4, number, align=Align.C)
        self.set_text_color(*_DIM)
        for x, y, text, align in shape.labels:
            words = printed(text, most=40)
            shift = {"left": 0.0, "middle": self.get_string_width(words) / 2, "right": self.get_string_width(words)}
            self.text(x0 + x - shift[align], y0 + y, words)
        self.set_xy(self.l_margin, y0 + shape.high)


def checklist(site: str, title: str, zone: str, rows: Sequence[Sequence[str]], form: str = "A4") -> bytes:
    """A list to tick on paper, as PDF: (box, kind, what, for which) each."""
    pdf = _Paper(Report(site, title, "", "", zone, "Ordolex"), form)
    pdf.say(site, 17, _INK, "B")
    pdf.say(title, 11)
    pdf.ln(3)
    pdf.rows(("", "kind", "what", "for"), rows, (0.6, 2, 9, 4))
    return bytes(pdf.output())


def paper(report: Report, form: str = "A4") -> bytes:
    """The PDF. `form` is one of FORMATS."""
    pdf = _Paper(report, form)
    pdf.say(report.site, 18, _INK, "B")
    pdf.say(f"Visit report, {report.period}", 11)
    by = f" by {report.by}" if report.by else ""
    pdf.say(f"made {report.made}{by}; times in {report.zone}; {report.program}", 8, _DIM)
    pdf.heading("Summary", 0)
    for line in report.summary:
        pdf.say(f"•  {line}")
    for remark in report.remarks:
        pdf.ln(1)
        pdf.say(remark)
    pdf.heading(f"Open points ({len(report.open_points)})", 0)
    if report.open_points:
        points = [(point.urgency.words, point.link, point.words) for point in report.open_points]
        pdf.rows(("when", "link", "what"), points, (2, 4, 10))
    else:
        pdf.say("None is known.")
    for link in report.links:
        _link(pdf, link)
    if report.tables:
        pdf.heading("Tables", 0)
        for table in report.tables:
            _table(pdf, table)
    if report.charts:
        pdf.heading("Charts", 0)
        for chart in report.charts:
            pdf.chart(chart)
    if report.restored:
        pdf.heading("Put back at the end", 0)
        pdf.told(report.restored)
    if report.bag:
        pdf.heading("The bag", 0)
        for line in report.bag:
            pdf.say(f"•  {line}")
    _appendix(pdf, report)
    return bytes(pdf.output())


def _link(pdf: _Paper, link: LinkPart) -> None:
    pdf.heading(link.name, 0)
    pdf.say(f"{link.endpoint}, {link.line}")
    pdf.say(link.rung)
    pdf.say(f"{counted(link.heard, 'byte')} heard, {link.sent} sent", 8, _DIM)
    if link.reached:
        pdf.heading("How far it came, from the PC outwards", 1)
        layers = [(f"{n}  {r.layer}", r.state, r.words) for n, r in enumerate(link.reached, 1)]
        pdf.rows(("layer", "by the record", "what tells it"), layers, (3, 2.6, 12))
    if link.facts:
        pdf.heading("What is known", 1)
        facts = [(f.subject, f.value, f.source, when, f.proof or "said only") for f, when in link.facts]
        pdf.rows(("what", "value", "from", "when", "what shows it"), facts, (3, 5, 4, 3.4, 4))
        for line in link.contradictions:
            pdf.say(f"These do not agree: {line}", 8.5, _ALARM)
    _proof(pdf, link)
    if link.cable is not None:
        pdf.cable(link.cable)
    for device in link.settings:
        pdf.heading(f"Settings: {device.device}", 1)
        rows = [(row.name, row.found, row.left, row.state) for row in device.rows]
        pdf.rows(("setting", "as found", "as left", "what remains"), rows, (4, 4, 4, 4))
    lists = (("Procedures", link.procedures), ("Measurements", link.measured), (WATCHED, link.watched))
    for words, told in lists:
        if told:
            pdf.heading(words, 1)
            pdf.told(told)
    if link.tried:
        pdf.heading("What was tried, and what it changed", 1)
        pdf.told(link.tried, effect=True)
    if link.hidden:
        pdf.heading("Not visible on this way", 1)
        for line in link.hidden:
            pdf.say(f"•  {line}", 8.5)


def _proof(pdf: _Paper, link: LinkPart) -> None:
    if link.proof is not None:
        pdf.heading("Proof", 1)
        proof = link.proof
        count = f"; {counted(proof.right, 'right answer')} in all" if proof.right else ""
        pdf.say(f"{proof.when}, after {proof.ms}{count}", 8.5)
        pdf.say(f"asked: {proof.asked}")
        if proof.asked_hex:
            pdf.code(proof.asked_hex)
        pdf.say(f"answered: {proof.answered}")
        if proof.answered_hex:
            pdf.code(proof.answered_hex)
    else:
        pdf.say("Not proven: no question was answered rightly.", 9.5, _ALARM, "B")


def _table(pdf: _Paper, table: TablePart) -> None:
    pdf.heading(table.title, 1)
    pdf.say(table.words, 8.5)
    if not table.columns:
        return
    sizes = [max(len(column), *(len(row[n]) for row in table.rows[:60]), 3) for n, column in enumerate(table.columns)]
    pdf.rows(table.columns, table.rows, [min(size, 40) for size in sizes])
    if table.more:
        pdf.say(f"{table.more} more rows are in the CSV file.", 8, _DIM)


def _appendix(pdf: _Paper, report: Report) -> None:
    pdf.heading("Appendix: exchanges", 0)
    for link in report.links:
        if link.exchanges:
            pdf.heading(link.name, 1)
            rows = [
                (e.when, f"{e.asked}  [{e.asked_hex}]", f"{e.answered}  [{e.answered_hex}]", e.verdict)
                for e in link.exchanges
            ]
            pdf.rows(("when", "asked", "answered", "worth"), rows, (3, 5, 7, 1.8))
    pdf.heading("How to check this", 0)
    pdf.say(report.chain)
    if report.chain_hash:
        pdf.say("SHA-256 of the last segment of the record:")
        pdf.code(report.chain_hash)
    pdf.say(
        "`ordolex verify` holds this folder against manifest.json, and the book against its own chain. Both show a"
        " change; who may write both could also make both anew, so keep the number above apart from them."
    )
    if report.visits:
        pdf.heading("Visits of the book", 1)
        pdf.told(report.visits)
