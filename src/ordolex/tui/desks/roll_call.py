"""A unit scan of the units on a line, at whichever desk it is wanted: who answers, who is missing, new or moved."""

from __future__ import annotations

from collections.abc import Mapping
from concurrent.futures import Future
from dataclasses import dataclass
from typing import ClassVar

from rich.segment import Segment
from rich.text import Text
from textual.app import ComposeResult
from textual.binding import Binding, BindingType
from textual.containers import Vertical
from textual.events import Key

from ordolex.core.bus.roll_call import Called, Row, Standing, roll_call, summary
from ordolex.core.bus.units import UnitsError, as_ranges, has_place, read_callees, with_unit
from ordolex.core.match.wishes import read_units
from ordolex.core.record.items import LinkRecord
from ordolex.core.text.charsets import text_of
from ordolex.core.text.escapes import to_bytes
from ordolex.core.text.visible import visible_text
from ordolex.io.device.roll_call import Caller, ModbusCaller, TextCaller, enough_ms
from ordolex.io.link.runner import LinkRunner
from ordolex.session.units import expected_of, keep_roll_call, listen_and_call
from ordolex.tui.desks.at import At
from ordolex.tui.readings import bytes_reading, callees_reading, units_reading, wait_reading
from ordolex.tui.theme import BAD, GOOD, PALETTES, UNSURE
from ordolex.tui.widgets.prompt import Prompt
from ordolex.tui.widgets.row_view import RowView
from ordolex.tui.widgets.wording import cut
from ordolex.tui.widgets.words import Words

_GLYPHS = {
    Standing.ANSWERS: (GOOD, "moss"), Standing.NEW: ("+", "straw"), Standing.MOVED: ("→", "straw"),
    Standing.OTHER: (UNSURE, "straw"), Standing.DOUBLED: (UNSURE, "brick"), Standing.UNCLEAR: (UNSURE, "straw"),
    Standing.MISSING: (BAD, "brick"),
}  # fmt: skip


@dataclass(frozen=True, slots=True)
class Taken:
    """What was done with a unit scan: a unit chosen, or all that answered to be watched.

    template  the question, where it was one of the technician's own
    """

    unit: str
    right: tuple[Called, ...]
    template: bytes
    watch: bool = False


class UnitsCall(Prompt[Taken | None]):
    DEFAULT_CSS = """
    UnitsCall { align: center middle; background: $background 60%; }
    UnitsCall > Vertical { width: 112; max-width: 96%; height: 84%; background: $bar; padding: 1 2; }
    UnitsCall Static { height: auto; background: $bar; }
    UnitsCall RowView { background: $bar; margin: 1 0; }
    """
    BINDINGS: ClassVar[list[BindingType]] = [
        Binding("escape", "stop", "stop"), Binding("enter", "take", "take"), Binding("w", "watch", "watch"),
        Binding("b", "beside", "call beside"),
    ]  # fmt: skip

    def __init__(
        self, at: At, caller: Caller, units: list[str], expected: Mapping[str, str], asked: str, template: bytes
    ) -> None:
        super().__init__()
        self._at, self._caller, self._units, self._expected = at, caller, units, expected
        self._asked, self._template = asked, template
        self._called: dict[str, Called] = {}
        self._arrived: list[Called] = []
        self._work: Future[tuple[list[Called], str]] | None = None
        self._result = ""
        self._kept = self._others = False
        self._head, self._foot = (Words(id=f"call-{part}") for part in ("head", "foot"))
        self._list: list[Row] = []
        self._rows: RowView[Row] = RowView(
            self._draw, "listening first, then calling", with_cursor=True, id="call-rows"
        )

    def compose(self) -> ComposeResult:
        with Vertical():
            yield self._head
            yield self._rows
            yield self._foot

    def on_mount(self) -> None:
        self._call(beside_others=False)
        self.set_interval(0.05, self._turn)
        self._rows.following = False
        self._rows.focus()
        self._turn()

    def _call(self, *, beside_others: bool) -> None:
        self._result, self._kept = "", False
        left = [unit for unit in self._units if unit not in self._called]
        work = listen_and_call(self._caller, left, self._arrived.append, beside_others=beside_others)
        self._work = self._at.session.hub.call(work)

    @property
    def _over(self) -> bool:
        return self._work is None or self._work.done()

    def _turn(self) -> None:
        new = self._arrived[: len(self._arrived)]
        del self._arrived[: len(new)]
        self._called |= {one.unit: one for one in new}
        if self._over and not self._kept:
            self._kept = True
            self._end()
        self._show()

    def _end(self) -> None:
        """It is over: what was found goes into the record."""
        assert self._work is not None
        if self._work.cancelled():
            self._result = f"stopped; {len(self._units) - len(self._called)} were not called"
        elif (fault := self._work.exception()) is not None:
            self._result = str(fault)
        else:
            called, others = self._work.result()
            self._called |= {one.unit: one for one in called}
            self._others = bool(others)
            self._result = others
        if self._called:
            asked = {unit: one for unit, one in self._expected.items() if unit in self._called or not self._result}
            rows = roll_call(asked, list(self._called.values()))
            runner, expected, said = self._caller.runner, self._expected, self._asked
            self._at.session.hub.soon(lambda: keep_roll_call(runner, rows, expected, said))

    def _show(self) -> None:
        ink = PALETTES.get(self.app.theme, PALETTES["ordolex-dark"])
        over = self._over
        # who was not called yet is not missing
        expected = {u: i for u, i in self._expected.items() if u in self._called or (over and not self._result)}
        known = dict(self._expected) if over and not self._result else expected
        self._list = _sorted(roll_call(known, list(self._called.values())), self._units)
        if not over and self._expected:
            self._list = [row for row in self._list if row.words != "it was not called"]
        self._rows.show_rows_here(self._list)
        head = Text(
            f"Unit scan at {self._caller.runner.line.text}: {visible_text(self._asked)}\n", ink.style("ink", bold=True)
        )
        if self._result:
            head.append(visible_text(self._result), ink.style("brick"))
        elif over:
            head.append(summary(self._list, len(self._units), len(self._expected)), ink.style("ink"))
        else:
            head.append(
                f"{len(self._called)} of {len(self._units)} called, {self._caller.timeout_s * 1000:.0f} ms each",
                ink.style("dim"),
            )
        self._head.put(head)
        self._foot.put(Text(self._next(), ink.style("straw")))

    def _next(self) -> str:
        if not self._over:
            return "Esc stops"
        if self._others:
            return "b calls the others all the same, into that traffic. Esc goes back"
        measured = [one for one in self._called.values() if one.ms is not None]
        if not measured:
            return "None answered: rate, parity, A and B changed over, the wrong question, or power. Esc goes back"
        enough = f"a time-out of {enough_ms(measured)} ms is enough for what was measured"
        watch = ", w asks all that answered again and again (Watch)" if self._template else ""
        return f"Next  Enter takes the unit under the cursor{watch}, Esc goes back; {enough}"

    def _draw(self, row: Row, width: int) -> list[Segment]:
        ink = PALETTES.get(self.app.theme, PALETTES["ordolex-dark"])
        glyph, colour = _GLYPHS[row.standing]
        one = row.called
        ms = f"{one.ms:.0f} ms" if one.ms is not None else ""
        said = row.words if row.standing in (Standing.DOUBLED, Standing.UNCLEAR, Standing.MISSING) else ""
        said = said or "; ".join(filter(None, (one.identity or _line(one.said), row.words)))
        return [
            Segment(f"{one.unit:>8}  ", ink.style("ink", bold=True)),
            Segment(f"{glyph} {row.standing.value:16}", ink.style(colour)),
            Segment(f"{ms:>8}  ", ink.style("dim")),
            Segment(cut(visible_text(said), max(0, width - 38)), ink.style("ice" if one.right else "dim")),
        ]

    def on_key(self, event: Key) -> None:
        step = self._rows.steps_by(event.key)
        if step is not None:
            self._rows.go_to(self._rows.cursor + step)
            event.stop()
            event.prevent_default()

    def _right(self) -> tuple[Called, ...]:
        return tuple(row.called for row in self._list if row.called.right)

    def action_stop(self) -> None:
        if self._over:
            self.dismiss(None)
        elif self._work is not None:
            self._work.cancel()

    def action_take(self) -> None:
        if self._over and self._list:
            self.dismiss(Taken(self._list[self._rows.cursor].called.unit, self._right(), self._template))

    def action_beside(self) -> None:
        if self._over and self._others:
            self._others = False
            self._call(beside_others=True)

    def action_watch(self) -> None:
        if self._over and self._template and self._right():
            self.dismiss(Taken("", self._right(), self._template, watch=True))


def _line(text: str) -> str:
    """An answer in one row; of registers their values alone."""
    return "   ".join(text.removeprefix("registers ").splitlines())


def _sorted(rows: list[Row], units: list[str]) -> list[Row]:
    place = {unit: number for number, unit in enumerate(units)}
    return sorted(rows, key=lambda row: place.get(row.called.unit, len(place)))


# ---- asked for


async def by_protocol(at: At, link: LinkRecord, runner: LinkRunner, framing: str) -> Taken | None:
    """Units of a protocol with addresses."""
    expected = expected_of(at.session.book.reader.known.events_of("scan", link=link.id))
    hint = "one register of each is asked for; nothing is changed"
    typed = await at.line("Which unit IDs?", "1-32", units_reading, hint)
    wanted = await _expected(at, expected) if typed is not None else None
    if typed is None or wanted is None:
        return None
    units = [str(number) for number in read_units(typed) if number]  # 0 is a broadcast: nobody answers it
    return await at.ask(UnitsCall(at, ModbusCaller(runner, framing), units, wanted, f"units {typed.strip()}", b""))


async def by_question(at: At, link: LinkRecord, runner: LinkRunner) -> Taken | None:
    """Units of a device that is asked in text: the question says where the unit belongs."""
    expected = expected_of(at.session.book.reader.known.events_of("scan", link=link.id))
    history = at.session.talks.of(link).history
    last = next((text for text in reversed(history) if has_place(text.encode("latin-1", "replace"))), "{unit}\\r")
    template = await at.line(
        "Question to each unit",
        last,
        template_reading,
        "{unit} stands for it, {unit:02} with two digits; with its line end",
    )
    if template is None:
        return None
    at.session.talks.of(link).history.append(template)
    typed = await at.line(
        "Which units?", as_ranges(list(expected)) or "A-H", callees_reading, "such as A-F, 1-32 or A B 17"
    )
    wanted = await _expected(at, expected) if typed is not None else None
    if typed is None or wanted is None:
        return None
    from ordolex.core.link.wait import proposed_wait_ms

    measured = at.session.book.reader.known.answer_ms()
    slowest = (
        f"the slowest of {len(measured)} answers took {max(measured):.0f}" if measured else "no answer was measured yet"
    )
    wait = await at.line("How long to wait for each, in ms", str(proposed_wait_ms(measured)), wait_reading, slowest)
    if wait is None:
        return None
    data = to_bytes(template)
    caller = TextCaller(runner, data, int(wait) / 1000)
    return await at.ask(UnitsCall(at, caller, read_callees(typed), wanted, f"{template} to {typed.strip()}", data))


async def _expected(at: At, before: dict[str, str]) -> dict[str, str] | None:
    """Who should be there: as last time, as a list says, or nobody knows."""
    hint = "a list of yours, or of the last unit scan; empty: whoever answers"
    typed = await at.line("Which should be there?", as_ranges(list(before)), expected_reading, hint)
    if typed is None:
        return None
    return {unit: before.get(unit, "") for unit in read_callees(typed)} if typed.strip() else {}


def template_reading(text: str) -> str:
    """Raises ValueError."""
    reading = bytes_reading(text)
    if not has_place(to_bytes(text)):
        raise ValueError("write {unit} where the unit's letter or number belongs, such as {unit}\\r")
    return f"{reading}; to unit 7: {visible_text(text_of(with_unit(to_bytes(text), '7')))}"


def expected_reading(text: str) -> str:
    """Raises ValueError."""
    if not text.strip():
        return "whoever answers"
    try:
        units = read_callees(text)
    except UnitsError as error:
        raise ValueError(str(error)) from error
    return f"{len(units)} should be there"
