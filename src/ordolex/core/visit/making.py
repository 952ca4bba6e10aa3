"""The report out of what a book holds. No clock and no file: times come in words, and the book's rows as they are."""

from __future__ import annotations

from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass, field

from ordolex.core.device.settings_table import SettingRow, SettingsTable
from ordolex.core.port.endpoint import endpoint_or_none
from ordolex.core.protocols.passing import Passing
from ordolex.core.record.items import Event, LinkRecord
from ordolex.core.record.tried import tried
from ordolex.core.relay.plan import RelayPlan, offered_words
from ordolex.core.sheet import Sheet
from ordolex.core.tables.complete import complete
from ordolex.core.tables.table import Table
from ordolex.core.text.counts import counted
from ordolex.core.text.visible import visible
from ordolex.core.visit.bring_up import KIND as BRING_UP
from ordolex.core.visit.bring_up import earlier
from ordolex.core.visit.cable import Cable, cable_of
from ordolex.core.visit.facts import TYPED, contradictions, facts_of
from ordolex.core.visit.moved import moved
from ordolex.core.visit.reach import reached
from ordolex.core.visit.report import (
    Changed,
    ChartPart,
    DeviceSettings,
    Exchange,
    LinkPart,
    OpenPoint,
    Proof,
    Report,
    TablePart,
    Told,
    Urgency,
)
from ordolex.core.visit.since import DIFFERS, Since
from ordolex.core.visit.watched import passed, still_standing

MOST_ROWS, MOST_EXCHANGES, MOST_TRIED = 400, 12, 40
_MOST_BYTES = 48
When = Callable[[int], str]
"""Microseconds UTC → the time in words, in the zone of the report."""


@dataclass(slots=True)
class Material:
    """events   of the visits that are reported, in order
    heard    link → bytes heard and sent
    tables   with the event that kept each
    """

    site: str
    program: str
    links: Sequence[LinkRecord]
    events: Sequence[Event]
    visits: Sequence[tuple[int, int, int | None, str]] = ()
    sheets: Mapping[str, Sheet] = field(default_factory=dict)
    heard: Mapping[int, tuple[int, int]] = field(default_factory=dict)
    tables: Sequence[tuple[Event, Table]] = ()
    charts: Sequence[ChartPart] = ()
    chain: tuple[str, str] = ("", "")
    bag: Sequence[str] = ()
    since: Sequence[Since] = ()
    relays: Sequence[RelayPlan] = ()


def report_of(found: Material, when: When, *, zone: str, by: str = "", made_us: int = 0,
              remarks: Sequence[str] = ()) -> Report:  # fmt: skip
    names = {link.id: link.name for link in found.links}
    times = [event.utc_us for event in found.events]
    period = f"{when(min(times))} to {when(max(times))}" if times else "nothing was recorded"
    report = Report(found.site, period, when(made_us), by, zone, found.program, remarks=list(remarks))
    report.visits = [
        Told(when(began), f"visit {number}, until {when(ended)}" if ended else f"visit {number}, its end is not known",
             program) for number, began, ended, program in found.visits
    ]  # fmt: skip
    for link in found.links:
        own = [event for event in found.events if event.link == link.id]
        if own or found.heard.get(link.id, (0, 0)) != (0, 0):
            report.links.append(_link(link, own, found, when))
            report.open_points += _open(link, own, found)
    report.tables = [_table(event, table, names, when) for event, table in found.tables]
    report.open_points += [
        OpenPoint(Urgency.LATER, names.get(event.link, ""), f"table {table.name}: {complete(table).words}")
        for event, table in _latest(found.tables) if complete(table).words != "no gaps"
    ]  # fmt: skip
    report.open_points += [
        OpenPoint(Urgency.NOTE, names.get(event.link, ""), f"{when(event.utc_us)}: {event.text}")
        for event in found.events if event.kind == "note" and event.text and not _is_own(event)
    ]  # fmt: skip
    report.open_points += [
        OpenPoint(Urgency.NOTE, plan.name, f"relay {plan.name}: {words}")
        for plan in found.relays for words in [offered_words(plan.ends[0], plan.allow)] if words
    ]  # fmt: skip
    report.open_points += still_standing(found.events, names)
    report.open_points += [
        OpenPoint(Urgency.LATER, row.link, f"{row.what}: {row.then}, and found {row.now}")
        for row in found.since if row.state == DIFFERS
    ]  # fmt: skip
    gone = moved(found.events, found.links, found.sheets)
    report.open_points += [OpenPoint(Urgency.SOON, "", f"to put back: {what}") for what in gone.owed]
    report.open_points.sort(key=lambda point: point.urgency)
    report.restored = [Told(when(event.utc_us), event.text) for event in gone.back]
    report.to_restore = [
        *gone.owed,
        *(f"{link}: {what}; no note says that it was moved" for link, what in gone.unknown),
    ]
    report.charts, report.bag = list(found.charts), list(found.bag)
    report.chain, report.chain_hash = found.chain
    report.summary = _summary(report)
    return report


def _is_own(event: Event) -> bool:
    """Remarks of the program's own, which say again what stands elsewhere."""
    return event.text.startswith(("asking ", "control lines", "held back", "the last ", "front panel", "ratio:"))


def _summary(report: Report) -> list[str]:
    proven = [link for link in report.links if link.proof is not None]
    out = [f"{counted(len(report.links), 'link')} worked on, {len(proven)} of them proven by a right answer."]
    devices = [device for link in report.links for device in link.settings]
    changes = [row for device in devices for row in device.rows if row.changed]
    if changes:
        count = sum(any(row.changed for row in device.rows) for device in devices)
        same = sum(row.left == row.found for row in changes)
        back = f"; {same} of them as found again" if same else ""
        out.append(f"{counted(len(changes), 'setting')} changed on {counted(count, 'device')}, each read back{back}.")
    typed = sum(len(link.procedures) for link in report.links)
    if typed:
        out.append(f"{counted(typed, 'step')} of procedures recorded.")
    if report.tables:
        out.append(f"{counted(len(report.tables), 'table')} pulled.")
    if report.charts:
        out.append(f"{counted(len(report.charts), 'value')} watched over time.")
    soon = sum(point.urgency is Urgency.SOON for point in report.open_points)
    points = counted(len(report.open_points), "open point")
    out.append(f"{points}, {soon} of them to settle now." if report.open_points else "No open point is known.")
    return out


# ---- one link


def _link(link: LinkRecord, events: Sequence[Event], found: Material, when: When) -> LinkPart:
    sheet = found.sheets.get(link.sheet)
    heard, sent = found.heard.get(link.id, (0, 0))
    part = LinkPart(link.name, link.endpoint, link.line or "none", _rung(events, when), heard, sent)
    facts = facts_of(link, events, sheet)
    part.facts = [(fact, when(fact.at_us) if fact.at_us else "") for fact in facts]
    part.contradictions = contradictions(facts)
    part.proof = _proof(events, sheet, when, link.reads_in)
    dials = sheet is not None and sheet.family.dials
    part.reached = reached(link, events, heard, part.proof, dials=dials, when=when)
    part.settings = [_settings(name, unit, events, found) for name, unit in _devices(events)]
    part.procedures = [Told(when(e.utc_us), e.text) for e in events if e.kind == "procedure"]
    part.measured = [Told(when(e.utc_us), e.text) for e in events if e.kind == "run"]
    part.measured += [
        Told(when(e.utc_us), e.text)
        for e in events
        if e.kind == "note" and e.text.startswith(("front panel", "ratio:"))
    ]
    part.watched = passed(events, when, MOST_TRIED)
    rows = [row for row in tried(events) if row.what]
    part.tried = [Told(when(row.at_us), row.what, row.effect) for row in rows[-MOST_TRIED:]]
    part.hidden = _hidden(link)
    part.cable = _cable(link, sheet, events)
    part.exchanges = _exchanges(events, sheet, when, link.reads_in)
    return part


def _rung(events: Sequence[Event], when: When) -> str:
    last = next((event for event in reversed(events) if event.kind == "rung"), None)
    if last is None:
        return "never opened"
    reached = [str(event.detail.get("to")) for event in events if event.kind == "rung"]
    order = ("Absent", "Present", "Held", "Heard", "Clear", "Proven")
    best = max((name for name in reached if name in order), key=order.index, default="")
    return f"{last.detail.get('to')} since {when(last.utc_us)}; the highest it came to is {best}"


def _proof(events: Sequence[Event], sheet: Sheet | None, when: When, charset: str) -> Proof | None:
    right = [
        e for e in events if e.kind == "answer" and e.detail.get("verdict") == "right" and e.detail.get("answer_hex")
    ]
    if not right:
        return _proof_otherwise(events, when)
    last = right[-1]
    asked, answered = bytes.fromhex(str(last.detail["question_hex"])), bytes.fromhex(str(last.detail["answer_hex"]))
    words = _said(asked, answered, sheet, charset)
    ms = _ms(last.detail.get("last_ms"))
    return Proof(when(last.utc_us), *words, asked.hex(" "), answered.hex(" "), ms, len(right))


def _proof_otherwise(events: Sequence[Event], when: When) -> Proof | None:
    """A list that came whole, values as the sheet expects them, or what a device that only talks says: no question by
    itself was answered then."""
    last = next((e for e in reversed(events) if e.kind == "rung" and e.detail.get("to") == "Proven"), None)
    if last is None:
        return None
    asked = str(last.detail.get("asked") or "nothing: it was told by what it says by itself")
    said = str(last.detail.get("said") or "what it was is not in the record")
    return Proof(when(last.utc_us), asked, said, "", "", _ms(last.detail.get("ms")), 0)


def _ms(value: object) -> str:
    return f"{value:.0f} ms" if isinstance(value, int | float) else "a time that was not measured"


def _said(asked: bytes, answered: bytes, sheet: Sheet | None, charset: str) -> tuple[str, str]:
    """Question and answer in words."""
    frames = Passing()
    question = frames.sent(asked) or _cut(asked, charset)
    found = frames.heard(answered) if answered and frames.waits else None
    meant = sheet.family.in_words(asked, answered) if sheet is not None and not frames.waits else []
    words = (found[1] if found is not None else "") or "; ".join(meant) or _cut(answered, charset)
    return question, words or "no answer"


def _cut(data: bytes, charset: str) -> str:
    """What there is room for, with how much more there was."""
    more = f" … {counted(len(data) - _MOST_BYTES, 'byte')} more" if len(data) > _MOST_BYTES else ""
    return visible(data[:_MOST_BYTES], charset) + more


def _devices(events: Sequence[Event]) -> list[tuple[str, int]]:
    """(sheet, unit) of each device behind the link whose settings were read or set, in the order in which they came."""
    found: dict[tuple[str, int], None] = {}
    for event in events:
        if event.kind in ("found", "set") and event.detail.get("sheet"):
            found[str(event.detail["sheet"]), int(event.detail.get("unit", -1))] = None
    return list(found)


def _settings(name: str, unit: int, events: Sequence[Event], found: Material) -> DeviceSettings:
    sheet = found.sheets.get(name)
    told = [(e.kind, e.detail) for e in events if e.kind in ("found", "set")]
    if sheet is not None:
        table = SettingsTable(sheet, unit)
        table.remember([(kind, detail, 0) for kind, detail in told])
        title = f"{sheet.device}, unit {unit}" if sheet.family.addressed else sheet.device
        held = {
            str(detail.get("name")) for kind, detail in told
            if kind == "set" and detail.get("verdict") == "held"
            and (detail.get("sheet"), detail.get("unit")) == (name, unit)
        }  # fmt: skip
        shown = [row for row in table.rows if row.found is not None or row.left is not None]
        return DeviceSettings(title, [_row(row, row.parameter.name in held) for row in shown])
    rows: dict[str, Changed] = {}
    for kind, detail in told:
        if (detail.get("sheet"), detail.get("unit")) != (name, unit):
            continue
        for key, value in dict(detail.get("values", {})).items() if kind == "found" else ():
            rows.setdefault(key, Changed(key, str(value), "", ""))
        if kind == "set" and detail.get("name"):
            key, after = str(detail["name"]), detail.get("after")
            before = rows[key].found if key in rows else str(detail.get("before", ""))
            rows[key] = Changed(
                key,
                before,
                "" if after is None else str(after),
                str(detail.get("verdict", "")),
                detail.get("verdict") == "held",
            )
    return DeviceSettings(f"{name}, unit {unit}; its sheet is not here", list(rows.values()))


def _row(row: SettingRow, changed: bool) -> Changed:
    unit = row.parameter.unit

    def said(value: object) -> str:
        return f"{row.text(value)} {unit}".strip() if value is not None else ""  # type: ignore[arg-type]

    return Changed(row.parameter.name, said(row.found), said(row.left), row.state, changed)


def _cable(link: LinkRecord, sheet: Sheet | None, events: Sequence[Event]) -> Cable | None:
    """Of a serial link whose device's connector its sheet knows; with what was said of how it is plugged."""
    end = endpoint_or_none(link.endpoint)
    if sheet is None or not sheet.wiring_end or (end is not None and end.kind == "tcp"):
        return None
    told = [
        o.words for o in earlier([(e.utc_us, e.detail) for e in events if e.kind == BRING_UP]) if o.stage == "cable"
    ]
    told += [str(e.detail.get("value")) for e in events if e.kind == TYPED and e.detail.get("subject") == "cable"]
    return cable_of("usb" if link.adapter else "dte-de9", sheet.wiring_end, told[-1] if told else "")


def _hidden(link: LinkRecord) -> list[str]:
    """What cannot be seen on this way, so that its absence says nothing."""
    endpoint = endpoint_or_none(link.endpoint)
    if endpoint is None:
        return []
    if endpoint.kind == "serial":
        return ["voltages and edges: a serial port tells bytes, control lines and line errors only"]
    if endpoint.has_line:
        return ["voltages and edges, and when exactly a byte came: the network lies between"]
    return ["line settings, line errors and control lines: plain bytes over the network carry none of them"]


def _exchanges(events: Sequence[Event], sheet: Sheet | None, when: When, charset: str) -> list[Exchange]:
    out = []
    for event in [e for e in events if e.kind == "answer" and e.detail.get("question_hex")][-MOST_EXCHANGES:]:
        asked, answered = (bytes.fromhex(str(event.detail[key])) for key in ("question_hex", "answer_hex"))
        said = _said(asked, answered, sheet, charset)
        shown = tuple(f"{one[:_MOST_BYTES].hex(' ')}{' …' * (len(one) > _MOST_BYTES)}" for one in (asked, answered))
        out.append(Exchange(when(event.utc_us), *said, str(event.detail.get("verdict", "")), shown[0], shown[1]))
    return out


def _open(link: LinkRecord, events: Sequence[Event], found: Material) -> list[OpenPoint]:
    best = {str(event.detail.get("to")) for event in events if event.kind == "rung"}
    out = [] if "Proven" in best else [
        OpenPoint(Urgency.LATER, link.name, "not proven: no question was answered rightly")
    ]  # fmt: skip
    soon = [*_not_settled(events, found), *_not_held(events), *_not_finished(link, events, found)]
    out += [OpenPoint(Urgency.SOON, link.name, words) for words in soon]
    sheet = found.sheets.get(link.sheet)
    shipped = list(sheet.shipped) if sheet is not None else []
    if sheet is not None and sheet.bus.common:
        shipped.append(f"all of these ship as unit {sheet.bus.unit}: a second one on the line would answer too")
    out += [
        OpenPoint(Urgency.NOTE, link.name, f"as it ships: {words}; whether that was changed, look") for words in shipped
    ]
    against = contradictions(facts_of(link, events, sheet))
    return out + [OpenPoint(Urgency.NOTE, link.name, words) for words in against]


def _not_settled(events: Sequence[Event], found: Material) -> list[str]:
    """Settings that are not stored, or that need a restart."""
    out = []
    for name, unit in _devices(events):
        sheet = found.sheets.get(name)
        if sheet is not None:
            table = SettingsTable(sheet, unit)
            table.remember([(e.kind, e.detail, e.utc_us) for e in events if e.kind in ("found", "set")])
            who = f" (unit {unit})" if sheet.family.addressed else ""
            out += [f"{point}{who}" for point in table.open_points]
    return out


def _not_held(events: Sequence[Event]) -> list[str]:
    """Settings of which the last change did not hold."""
    last = {
        (str(e.detail["name"]), str(e.detail.get("unit"))): e
        for e in events if e.kind == "set" and e.detail.get("name")
    }  # fmt: skip
    return [e.text for e in last.values() if e.detail.get("verdict") not in ("held", "unchanged", None)]


def _not_finished(link: LinkRecord, events: Sequence[Event], found: Material) -> list[str]:
    """Procedures that were stopped, or typed and not made to last."""
    last = {
        f"{e.detail['procedure']} {e.detail.get('which')}": e for e in events
        if e.kind == "procedure" and e.detail.get("procedure") and e.detail.get("what") != "as found"
    }  # fmt: skip
    out = [e.text for e in last.values() if e.detail.get("trouble")]
    return out + [
        f"{e.detail['procedure']}: typed, and not made to last" for e in last.values()
        if not e.detail.get("trouble") and e.detail.get("what") == "typed"
        and _finishes(str(e.detail["procedure"]), link, found)
    ]  # fmt: skip


def _finishes(name: str, link: LinkRecord, found: Material) -> bool:
    sheet = found.sheets.get(link.sheet)
    return sheet is not None and any(p.name == name and p.finish for p in sheet.procedure)


# ---- tables


def _latest(tables: Sequence[tuple[Event, Table]]) -> list[tuple[Event, Table]]:
    """The last of each list on each link; `tables` begins with the latest."""
    out: dict[tuple[int, str], tuple[Event, Table]] = {}
    for event, table in tables:
        out.setdefault((event.link, table.name), (event, table))
    return list(out.values())


def _table(event: Event, table: Table, names: Mapping[int, str], when: When) -> TablePart:
    title = f"{names.get(event.link, 'book')}: {table.name}, {when(event.utc_us)}"
    words = f"{counted(len(table.rows), 'row')}, {complete(table).words}"
    return TablePart(title, words, table.columns, table.rows[:MOST_ROWS], max(0, len(table.rows) - MOST_ROWS))
