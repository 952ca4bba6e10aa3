"""A guided bring-up, stage by stage: what the desks can do, one after the other, on one link. Every outcome is an event
of the link, and what is asked of a device is what the desks ask: nothing goes out that nobody chose."""

from __future__ import annotations

import asyncio
from collections.abc import Callable, Coroutine, Sequence
from concurrent.futures import Future
from dataclasses import replace
from typing import Any, TypeVar

from ordolex.core.advice.by_hand import HAND_TESTS
from ordolex.core.advice.causes import Cause, causes
from ordolex.core.advice.next_step import odd_when_clear
from ordolex.core.line.notation import read_line
from ordolex.core.link.exchange import Answer
from ordolex.core.link.ladder import Rung
from ordolex.core.link.question import Question, Verdict
from ordolex.core.link.state import Evidence
from ordolex.core.match.verdict import inverted_advice
from ordolex.core.port.endpoint import read_endpoint
from ordolex.core.protocols.codecs import AtCodec
from ordolex.core.protocols.families import FAMILIES, Family
from ordolex.core.record.items import LinkRecord
from ordolex.core.sheet import Sheet
from ordolex.core.sheet.parameters import Bus
from ordolex.core.sheet.ranking import Ranked, ranked
from ordolex.core.text.patterns import search
from ordolex.core.text.visible import visible
from ordolex.core.visit.bring_up import KIND, STAGE, BringUp, Outcome, Standing
from ordolex.core.wiring.connectors import ENDS
from ordolex.core.wiring.solve import Bag, Solution, solve
from ordolex.core.wiring.words import chain_line, end_title
from ordolex.io.device.identity import identify, identity_of
from ordolex.io.device.modbus import ModbusUnit
from ordolex.io.link.runner import LinkRunner
from ordolex.io.match import asks
from ordolex.io.match.options import Options
from ordolex.io.match.trials import Match
from ordolex.io.own.sheets import all_sheets
from ordolex.io.ports.survey import PortFacts
from ordolex.io.system.clock import utc_us
from ordolex.io.system.faults import Fault
from ordolex.session.device import device_of, took
from ordolex.session.links import line_of
from ordolex.session.matches import match as match_settings
from ordolex.session.matches import remember, source_of, take_settings
from ordolex.session.session import Session

T = TypeVar("T")
_UNITS = range(1, 248)
_LEADS_BY, _ENOUGH = 4, 6
"""So many points a sheet must be ahead of the next, and have at all, to be taken without being chosen."""
_LOOK_S, _LINES_TOLD_S, _TALKS_S, _SENTENCE_S = 0.05, 0.6, 4.0, 15.0
"""How long a port is waited for to tell its control lines; a device to say something more by itself; and to say what
its sheet has."""
_MANY = 20
"""Questions in vain from which on a match speaks for something else than settings."""
LAMPS = HAND_TESTS["lamp"].outcomes
"""What somebody who looks at the device can say of it."""


class Bringing:
    """link   what is brought up; None until a port was taken
    now    what goes on just now, in words, for who watches
    match  the latest one
    sheets those that fit what it said, the likeliest first, once they were looked for
    """

    def __init__(self, session: Session, link: LinkRecord | None = None) -> None:
        self.session, self.link = session, link
        self.steps = BringUp()
        self.now = ""
        self.match: Match | None = None
        self.sheets: list[Ranked] = []
        self._lamp: int | None = None
        self._answered = b""
        """The question that a match found answered."""
        self._identity = ""
        self._talks = False
        self._working: Future[Any] | None = None

    # ---- what is told, skipped, or done by hand

    def took(self, stage: str, standing: Standing, words: str) -> Outcome:
        """Keeps what came of a stage."""
        outcome = Outcome(stage, standing, words, utc_us())
        self.steps.take(outcome)
        if self.link is not None:
            self.session.keep_event(self.link, KIND, f"bring-up, {outcome.text}", outcome.as_dict())
        return outcome

    def skip(self, stage: str) -> Outcome:
        return self.took(stage, Standing.SKIPPED, "nobody looked")

    def told(self, stage: str, words: str) -> Outcome:
        """Done by hand: it is what somebody says, and no more."""
        return self.took(stage, Standing.SAID, words)

    def stop(self) -> bool:
        """Whether something was under way."""
        going = self._working
        if going is None or going.done():
            return False
        going.cancel()
        return True

    async def _do(self, work: Coroutine[Any, Any, T]) -> T:
        """Among the links, so that it can be stopped from outside."""
        return await self._waited(self.session.hub.call(work))

    async def _waited(self, future: Future[T]) -> T:
        """Raises a Fault where it is stopped."""
        self._working = future
        try:
            return await asyncio.wrap_future(future)
        except asyncio.CancelledError:
            task = asyncio.current_task()
            if task is not None and task.cancelling():
                raise
            raise Fault("it was stopped by hand", "it goes on where it was left") from None

    # ---- the stages

    def powered(self, lamp: int | None) -> Outcome:
        """`lamp` is the number of one of LAMPS; None where nobody looked."""
        self._lamp = lamp
        self._tell_lamp()
        if lamp is None:
            return self.took("powered", Standing.UNSURE, "nobody looked at it; only an answer shows it then")
        words = LAMPS[lamp].words
        if lamp == 0:
            return self.took("powered", Standing.BAD, f"{words}: switch it on, or see what feeds it")
        return self.took("powered", Standing.SAID, words)

    def _tell_lamp(self) -> None:
        if self.link is not None and self._lamp is not None:
            self.session.told.came_out(self.link.id, "lamp", self._lamp)

    def likely_ports(self) -> list[tuple[PortFacts, str]]:
        """Ports that can be taken, each with why it may be the one, the likeliest first."""
        session = self.session
        there = [port for port in session.ports.all if port.may_be_opened or port.holder == "us"]
        out = []
        for port in there:
            link = session.links.at(port.endpoint)
            why = ""
            if self.link is not None and link is not None and link.id == self.link.id:
                why = "it is the chosen link's"
            elif len(there) == 1:
                why = "it is the only one that is free"
            elif link is not None:
                why = f"the link {link.name} of this book"
            out.append((port, why))
        return sorted(out, key=lambda pair: not pair[1])

    async def take_port(self, endpoint: str, why: str) -> Outcome:
        """Opens it; the link is made where the book has none for it, without a sheet: what it is, is still to be
        seen."""
        session = self.session
        port = session.ports.of(endpoint)
        try:
            link = session.links.at(endpoint)
            if link is None:
                sticker = port.sticker if port is not None and port.sticker not in ("", "any") else ""
                has_line = read_endpoint(endpoint).has_line
                line = sticker or ("9600 8N1" if has_line else "")
                link = session.links.keep(endpoint, line, "sticker" if sticker else "not known yet")
                link = session.links.change(replace(link, sheet="", first_question="", line_end="LF"))
            self.link = link
            session.links.choose(link)
            self._tell_lamp()
            if not session.is_open(link):
                await asyncio.wrap_future(session.open(link))
            await self._do(_until(lambda: self._inputs() is not None, _LINES_TOLD_S))
        except Fault as fault:
            return self.took("port", Standing.BAD, str(fault))
        what = f"{port.name}, {port.what}" if port is not None else endpoint
        serial = f", serial number {port.serial}" if port is not None and port.serial else ""
        return self.took("port", Standing.GOOD, f"{what}{serial}; {why}. It is held")

    def chain(self, far: str, bag: Bag) -> Solution:
        """The best chain of the bag from this port to an end, by its name in ENDS; takes milliseconds to a second."""
        return solve(ENDS[self.near_end], ENDS[far], bag)

    @property
    def near_end(self) -> str:
        port = self.session.ports.of(self.link.endpoint) if self.link is not None else None
        native = self.link is not None and read_endpoint(self.link.endpoint).kind == "serial"
        return "dte-de9" if native and port is not None and not port.identity else "usb"

    def take_chain(self, far: str, solution: Solution) -> Outcome:
        """That it is so plugged is what somebody says; what the control lines show stands beside it."""
        seen = self._lines_seen()
        if solution.finding is None:
            return self.took("cable", Standing.BAD, f"{solution.why or 'no chain from the bag works'}; {seen}")
        names = "PC", end_title(ENDS[far])
        line = chain_line(ENDS[self.near_end], ENDS[far], solution.finding, names)
        return self.took("cable", Standing.SAID, f"{line}; {seen}")

    def cable_not_known(self) -> Outcome:
        return self.took("cable", Standing.UNSURE, f"nobody said which connector it has; {self._lines_seen()}")

    def _inputs(self) -> frozenset[str] | None:
        runner = self._runner_or_none()
        return runner.view().signals.inputs if runner is not None else None

    def _lines_seen(self) -> str:
        inputs = self._inputs()
        if inputs is None:
            return "this port tells no control lines"
        on = sorted(inputs & {"CTS", "DSR", "DCD"})
        if on:
            return f"{', '.join(on)} on: something at the far end is powered and joined"
        return "CTS, DSR and DCD are off: nothing drives them, as with three wires, a wrong crossing or no power"

    async def settings_as(self, text: str, source: str) -> Outcome:
        """Raises SettingsError for settings that are none."""
        line = read_line(text).settings
        link = self._link()
        try:
            self.link = self.session.links.change(replace(link, line=line.text, source=source))
            await self._do(self._runner().retune(line))
        except Fault as fault:
            return self.took("settings", Standing.BAD, str(fault))
        return self.took("settings", Standing.SAID, f"{line.text}, {source}; only what comes shows whether it is so")

    async def match_settings(self, questions: Sequence[Question] = (), give_up_s: float = 120.0) -> Outcome:
        """Listens first, then asks what is harmless; of one that is named by its sheet, what that says."""
        link, session = self._link(), self.session
        sheet = session.devices.sheet_of(link)
        if not read_endpoint(link.endpoint).has_line:
            return self.took("settings", Standing.UNSURE, "raw TCP has no line settings; the box at the far end has")
        options = Options(questions or asks.chosen(sheet), give_up_s=give_up_s)
        usual = [line_of(other) for other in session.links if other.id != link.id and other.line][:3]
        if link.source not in ("", "not known yet"):
            usual = [line_of(link), *usual]  # what somebody has read somewhere is asked at first

        def changed(match: Match) -> None:
            self.match, self.now = match, match.now

        try:
            match = await self._do(match_settings(self._runner(), options, sheet, usual, (), changed))
        except Fault as fault:
            return self.took("settings", Standing.BAD, str(fault))
        finally:
            self.now = ""
        self.match = match
        remember(session, link, match)
        tries = f"{len(match.trials)} trial{'s' * (len(match.trials) != 1)}, {match.seconds:.0f} s"
        if match.found is not None and match.inverted:
            return self.took("settings", Standing.BAD, f"{match.found.text}, but {_lower(inverted_advice())}")
        if match.found is not None:
            take_settings(session, link, match.found, source_of(match), match)
            self.link = next(one for one in session.links if one.id == link.id)
            if match.answered and match.trials:
                self._answered = match.trials[-1].sent
            return self.took("settings", Standing.GOOD, f"{match.found.text}: {match.evidence}; {tries}")
        if match.captures:
            words = match.verdict.words if match.verdict is not None else match.now
            return self.took("settings", Standing.BAD, f"not found: {words}; {tries}")
        asked = sum(bool(trial.sent) for trial in match.trials)
        if not asked:
            return self.took(
                "settings", Standing.BAD, f"nothing came in {match.seconds:.0f} s, and nothing was asked yet"
            )
        if asked >= _MANY:
            session.told.came_out(link.id, "match", 1)
        return self.took("settings", Standing.BAD, f"nothing was heard at any setting that was tried; {tries}")

    async def wake(self) -> Outcome:
        sheet = self._sheet()
        if sheet is None or not (sheet.wake or sheet.harmless):
            return self.took("wake", Standing.SKIPPED, "no sheet says what wakes it; nothing was sent")
        future = self.session.wake(self._link(), sheet)
        if future is None:
            return self.took("wake", Standing.BAD, "the port is not open")
        try:
            words, answer = await self._waited(future)
        except Fault as fault:
            return self.took("wake", Standing.BAD, str(fault))
        came = answer is not None and bool(answer.data)
        return self.took("wake", Standing.GOOD if came or "brought" in words else Standing.UNSURE, words)

    async def prove(self, typed: bytes | None = None) -> Outcome:
        """Asks what was typed, else what its sheet or the match knows, else what instruments of IEEE 488.2 know. What
        is proven at the settings of now is not asked again."""
        try:
            evidence = await self._do(_seen(self._runner()))
            if evidence.rung is Rung.PROVEN and typed is None:
                return self.took("proof", Standing.GOOD, _proof_words(evidence))
            question = self._question(typed)
            answer = await self._do(self._runner().ask(question, at_once=True))
            evidence = await self._do(_seen(self._runner()))
        except Fault as fault:
            return self.took("proof", Standing.BAD, str(fault))
        if answer.verdict is Verdict.RIGHT and evidence.rung is Rung.PROVEN:
            return self.took("proof", Standing.GOOD, _proof_words(evidence))
        if typed is None and question.codec is None and evidence.heard and answer.verdict is not Verdict.ECHO:
            await self._do(_until(lambda: self._heard() > evidence.heard, _TALKS_S))
            if self._heard() > evidence.heard:
                await self._do(_until(lambda: self._rung() >= Rung.CLEAR, _TALKS_S))
            now = await self._do(_seen(self._runner()))
            if now.heard > evidence.heard:
                self._talks = True
                checks = f", {now.checks_right} checksums right" if now.checks_right else ""
                if now.rung < Rung.CLEAR:
                    words = "it talks by itself, and what comes does not read: other settings, or no plain text"
                    return self.took("proof", Standing.BAD, words)
                words = f"it talks by itself and reads clear{checks}; it did not answer {question.text}"
                return self.took("proof", Standing.UNSURE, f"{words}: heard, not proven")
        return self.took("proof", Standing.BAD, _why_not(question, answer))

    def _rung(self) -> Rung:
        runner = self._runner_or_none()
        return runner.view().evidence.rung if runner is not None else Rung.ABSENT

    def _heard(self) -> int:
        runner = self._runner_or_none()
        return runner.view().evidence.heard if runner is not None else 0

    async def recognise(self) -> Outcome:
        """Waits for what the sheet says that the device talks like: a proof in one direction."""
        sheet, runner = self._sheet(), self._runner()
        if sheet is None or not sheet.talks:
            return self.took("proof", Standing.UNSURE, "no sheet says what it would say by itself")
        try:
            await self._do(_recognised(runner, sheet.talks))
            evidence = await self._do(_seen(runner))
        except Fault as fault:
            return self.took("proof", Standing.BAD, str(fault))
        if evidence.rung is Rung.PROVEN:
            return self.took("proof", Standing.GOOD, _proof_words(evidence))
        why = "reads clear" if evidence.rung is Rung.CLEAR else "does not read clear"
        return self.took("proof", Standing.UNSURE, f"what it says {why}, and is not what its sheet has")

    def _question(self, typed: bytes | None) -> Question:
        sheet = self._sheet()
        known = [entry.question() for entry in sheet.question] if sheet is not None else []
        known += asks.of_sheet(sheet) if sheet is not None else []
        known += [question for family in FAMILIES.values() for question in family.harmless(list(_UNITS[:10]))]
        wanted = typed if typed is not None else self._answered
        if wanted:
            return next((question for question in known if question.data == wanted), Question(wanted))
        if sheet is not None:
            own = [entry.question() for entry in sheet.harmless if entry.like]
            if sheet.family.framed:
                own = list(sheet.family.harmless((self.session.devices.unit_of(self._link()),))) or own
            if own:
                return own[0]
        return Question(b"*IDN?\n")

    async def identify(self) -> Outcome:
        """What it says that it is: by its sheet, else by the protocol that it was proven with."""
        if self._talks:
            return self.took("identity", Standing.UNSURE, "it talks by itself; it was not asked who it is")
        try:
            self._identity = await self._who()
        except Fault as fault:
            return self.took("identity", Standing.BAD, str(fault))
        if not self._identity:
            return self.took("identity", Standing.UNSURE, "it does not say who it is, or how to ask is not known")
        self.link = self.session.links.change(replace(self._link(), identity=self._identity))
        return self.took("identity", Standing.GOOD, f"it says {visible(self._identity.encode())}")

    async def _who(self) -> str:
        runner, sheet = self._runner(), self._sheet()
        if sheet is not None:
            return await self._do(identify(runner, sheet, self.session.devices.unit_of(self._link())))
        family, unit = self.spoken
        if family.framing in ("rtu", "ascii"):
            self.link = self.session.links.change(replace(self._link(), unit=unit))
            return await self._do(identity_of(ModbusUnit(runner, family.framing, unit, Bus())))
        if family.dials:
            answer = await self._do(runner.ask(Question(b"ATI\r", codec=AtCodec(b"ATI\r"))))  # V.250, 6.1.3
        else:
            own = b"/?!\r\n" if family.name == "meter" else b"*IDN?\n"
            answer = await self._do(runner.ask(self._question(own), at_once=True))
        if answer.verdict is not Verdict.RIGHT:
            return ""
        lines = [line.strip() for line in answer.data.decode("latin-1").splitlines()]
        return ", ".join(line for line in lines if line and line not in ("OK", "ATI"))

    @property
    def spoken(self) -> tuple[Family, int]:
        """The protocol that the link was proven with, as far as that is known, and the unit that answered."""
        for family in FAMILIES.values():
            for unit in _UNITS:
                if self._answered in [question.data for question in family.harmless((unit,))]:
                    return family, unit
                if not family.addressed:
                    break
        return FAMILIES["text"], 1

    async def look_for_sheets(self) -> list[Ranked]:
        """Those for which anything speaks, the likeliest first: by what it says that it is, or by itself."""
        known = list(all_sheets()[0].values())
        if self._talks:
            said = await self._do(_said_as_one_has(self._runner(), [one.talks for one in known if one.talks]))
            why = "what it says by itself reads as the sheet has it"
            self.sheets = [Ranked(one, 8, why) for one in known if one.talks and search(one.talks, said) is not None]
        elif self._identity:
            family, _ = self.spoken
            speaks = family.name if self._answered and family.name != "text" else ""
            rows = ranked(known, self._identity, speaks)[:12]
            enough = [one for one in rows if one.points >= _ENOUGH]
            self.sheets = enough or rows  # the same maker alone is worth naming only where nothing better is
        return self.sheets

    def clear_choice(self) -> Ranked | None:
        """The sheet that may be taken without being chosen: enough speaks for it, and clearly less for any other."""
        rows = self.sheets
        leads = bool(rows) and (len(rows) == 1 or rows[0].points >= rows[1].points + _LEADS_BY)
        return rows[0] if leads and rows[0].points >= _ENOUGH else None

    def take_sheet(self, name: str, why: str) -> Outcome:
        """Raises a BookFault."""
        sheet = all_sheets()[0].get(name)
        if sheet is None:
            return self.took("sheet", Standing.BAD, f"there is no sheet {name}; `ordolex sheet list` names them")
        self.link = self.session.links.change(replace(self._link(), sheet=name, line_end=sheet.line_end))
        fits = Standing.GOOD if why and not why.startswith("chosen") else Standing.SAID
        return self.took("sheet", fits, f"{name}: {why or 'chosen'}")

    def no_sheet(self) -> Outcome:
        return self.took("sheet", Standing.UNSURE, "nothing that it said speaks for one of the sheets")

    async def read_found(self) -> Outcome:
        """All its settings; the first reading of this visit stays as found."""
        table = self.session.devices.table_of(self._link())
        if table is None:
            return self.took("found", Standing.SKIPPED, "no sheet says what could be read; nothing was asked")
        runner = self._runner()
        device = device_of(runner, table, self.session.devices.patience.get(self._link().id))
        done = 0

        def changed(reading: Any) -> None:
            nonlocal done
            done += 1
            self.now = f"{done} of {len(table.rows)}: {reading.name}"

        try:
            readings = await self._do(device.read([row.parameter for row in table.rows], changed))
        except Fault as fault:
            return self.took("found", Standing.BAD, str(fault))
        finally:
            self.now = ""
        read = took(runner, table, readings)
        bad = f"; {read.bad[0].name}: {read.bad[0].outcome.value}, {read.bad[0].words}" if read.bad else ""
        words = f"{len(readings) - len(read.bad)} of {len(readings)} read{', as found' if read.first else ''}{bad}"
        good = Standing.GOOD if not read.bad else Standing.UNSURE if len(read.bad) < len(readings) else Standing.BAD
        return self.took("found", good, words)

    # ---- where it stands

    def stands(self) -> tuple[Rung, list[Cause]]:
        """The rung, and the likeliest causes where it is not proven. Looked at from any thread."""
        runner = self._runner_or_none()
        link = self.link
        if runner is None or link is None:
            return Rung.ABSENT if link is None else Rung.PRESENT, []
        evidence = runner.view().evidence
        if evidence.rung in (Rung.PROVEN, Rung.ABSENT, Rung.PRESENT):
            return evidence.rung, []
        if not evidence.signs.data and self.match is not None and self.match.captures:
            return evidence.rung, []  # it was heard: what may make a line silent is no matter here
        told = self._told_now()
        found = odd_when_clear(evidence, told) if evidence.rung is Rung.CLEAR else causes(evidence.signs, told)
        return evidence.rung, found[:3]

    def _told_now(self) -> Any:
        """What is known besides the bytes, at this moment and not at the last drawing."""
        link = self._link()
        sheet = self._sheet()
        bus = sheet is not None and sheet.family.addressed
        return self.session.told.of(self._runner().view(), line_of(link), bus=bus)

    # ---- short ways

    def _link(self) -> LinkRecord:
        if self.link is None:
            raise Fault("no port was taken yet", f"do {STAGE['port'].title.lower()} first")
        return self.link

    def _runner_or_none(self) -> LinkRunner | None:
        return self.session.runner(self.link) if self.link is not None else None

    def _runner(self) -> LinkRunner:
        runner = self.session.runner(self._link())
        if runner is None or not runner.is_open:
            raise Fault("the port is not open", f"do {STAGE['port'].title.lower()} again")
        return runner

    def _sheet(self) -> Sheet | None:
        return self.session.devices.sheet_of(self._link())


def _lower(text: str) -> str:
    return text[:1].lower() + text[1:]


async def _until(so: Callable[[], bool], seconds: float) -> None:
    """Until it is so, or the time is over."""
    for _ in range(int(seconds / _LOOK_S)):
        if so():
            return
        await asyncio.sleep(_LOOK_S)


async def _recognised(runner: LinkRunner, talks: str) -> None:
    """Listens until the device says what its sheet has, or the time is over."""
    heard = bytearray()

    def look() -> bool:
        found = search(talks, heard.decode("latin-1"))
        if found is not None:
            runner.recognise(found.group())
        return found is not None

    with runner.tap.heard_by(lambda data, *_: heard.extend(data)):
        await _until(look, _SENTENCE_S)


async def _said_as_one_has(runner: LinkRunner, patterns: Sequence[str]) -> str:
    """What it says, until that fits one of these patterns or the time is over."""
    heard = bytearray()

    def fits() -> bool:
        return any(search(pattern, heard.decode("latin-1")) is not None for pattern in patterns)

    with runner.tap.heard_by(lambda data, *_: heard.extend(data)):
        await _until(fits, _SENTENCE_S)
    return heard.decode("latin-1")


async def _seen(runner: LinkRunner) -> Evidence:
    return runner.view().evidence


def _proof_words(evidence: Evidence) -> str:
    proof = evidence.proof
    if proof is None:
        return "a right answer"
    if not proof.question:
        return f"it said {visible(proof.answer.encode())[:80]}, as its sheet has it: device → PC only"
    return f"{proof.question} → {visible(proof.answer.encode())[:80]}, {proof.ms:.0f} ms"


def _why_not(question: Question, answer: Answer) -> str:
    asked = question.text
    if not answer.data:
        return f"no answer to {asked} in {question.timeout_s:g} s"
    if answer.errors.total:
        return f"{len(answer.data)} bytes with {answer.errors.words()} came to {asked}: the line settings do not fit"
    said = visible(answer.data[:60])
    match answer.verdict:
        case Verdict.ECHO:
            return f"{asked} came back by itself: a loopback, or a device that echoes"
        case Verdict.WRONG:
            return f"{asked} was answered {said}; right would be {question.expected}"
        case _:
            return f"{asked} was answered {said}; whether that is right is not known"
