"""The last stages: who it is, which sheet fits, what it is set to."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import replace
from typing import Any

from ordolex.core.link.question import Question, Verdict
from ordolex.core.protocols.codecs import AtCodec
from ordolex.core.protocols.families import FAMILIES, Family
from ordolex.core.sheet.parameters import Bus
from ordolex.core.sheet.ranking import Ranked, ranked
from ordolex.core.text.charsets import text_of
from ordolex.core.text.patterns import search
from ordolex.core.text.visible import visible
from ordolex.core.visit.bring_up import Outcome, Standing
from ordolex.io.device.identity import identify, identity_of
from ordolex.io.device.modbus import ModbusUnit
from ordolex.io.link.runner import LinkRunner
from ordolex.io.own.sheets import all_sheets
from ordolex.io.system.faults import Fault
from ordolex.session.bringing.proof import question_for
from ordolex.session.bringing.state import Bringing, until
from ordolex.session.device import device_of, took

_LEADS_BY, _ENOUGH = 4, 6
"""So many points a sheet must be ahead of the next, and have at all, to be taken without being chosen."""
_SENTENCE_S = 15.0
_UNITS = range(1, 248)


async def ask_who(b: Bringing) -> Outcome:
    """What it says that it is: by its sheet, else by the protocol that it was proven with."""
    if b.talks:
        return b.took("identity", Standing.UNSURE, "it talks by itself; it was not asked who it is")
    try:
        b.identity = await _who(b)
    except Fault as fault:
        return b.took("identity", Standing.BAD, str(fault))
    if not b.identity:
        return b.took("identity", Standing.UNSURE, "it does not say who it is, or how to ask is not known")
    b.link = b.session.links.change(replace(b.the_link(), identity=b.identity))
    return b.took("identity", Standing.GOOD, f"it says {visible(b.identity.encode())}")


async def _who(b: Bringing) -> str:
    runner, sheet = b.runner(), b.sheet()
    if sheet is not None:
        return await b.do(identify(runner, sheet, b.session.devices.unit_of(b.the_link())))
    family, unit = spoken(b)
    if family.framing in ("rtu", "ascii"):
        b.link = b.session.links.change(replace(b.the_link(), unit=unit))
        return await b.do(identity_of(ModbusUnit(runner, family.framing, unit, Bus())))
    if family.dials:
        answer = await b.do(runner.ask(Question(b"ATI\r", codec=AtCodec(b"ATI\r"))))  # V.250, 6.1.3
    else:
        own = b"/?!\r\n" if family.name == "meter" else b"*IDN?\n"
        answer = await b.do(runner.ask(question_for(b, own), at_once=True))
    if answer.verdict is not Verdict.RIGHT:
        return ""
    lines = [line.strip() for line in text_of(answer.data, runner.charset).splitlines()]
    return ", ".join(line for line in lines if line and line not in ("OK", "ATI"))


def spoken(b: Bringing) -> tuple[Family, int]:
    """The protocol that the link was proven with, as far as that is known, and the unit that answered."""
    for family in FAMILIES.values():
        for unit in _UNITS:
            if b.answered in [question.data for question in family.harmless((unit,))]:
                return family, unit
            if not family.addressed:
                break
    return FAMILIES["text"], 1


async def look_for_sheets(b: Bringing) -> list[Ranked]:
    """Those for which anything speaks, the likeliest first: by what it says that it is, or by
    what it says by itself."""
    known = list(all_sheets()[0].values())
    if b.talks:
        said = await b.do(_said_as_one_has(b.runner(), [one.talks for one in known if one.talks]))
        why = "what it says by itself reads as the sheet has it"
        b.sheets = [Ranked(one, 8, why) for one in known if one.talks and search(one.talks, said) is not None]
    elif b.identity:
        family, _ = spoken(b)
        speaks = family.name if b.answered and family.name != "text" else ""
        rows = ranked(known, b.identity, speaks)[:12]
        enough = [one for one in rows if one.points >= _ENOUGH]
        b.sheets = enough or rows  # the same maker alone is worth naming only where nothing better is
    return b.sheets


def clear_choice(b: Bringing) -> Ranked | None:
    """The sheet that may be taken without being chosen: enough speaks for it, and clearly less for any other."""
    rows = b.sheets
    leads = bool(rows) and (len(rows) == 1 or rows[0].points >= rows[1].points + _LEADS_BY)
    return rows[0] if leads and rows[0].points >= _ENOUGH else None


def take_sheet(b: Bringing, name: str, why: str) -> Outcome:
    """Raises a BookFault."""
    sheet = all_sheets()[0].get(name)
    if sheet is None:
        return b.took("sheet", Standing.BAD, f"there is no sheet {name}; `ordolex sheet list` names them")
    b.link = b.session.links.change(replace(b.the_link(), sheet=name, line_end=sheet.line_end))
    fits = Standing.GOOD if why and not why.startswith("chosen") else Standing.SAID
    return b.took("sheet", fits, f"{name}: {why or 'chosen'}")


def no_sheet(b: Bringing) -> Outcome:
    named = ", ".join(one.sheet.name for one in b.sheets[:3])
    words = f"none was taken, of {named}" if named else "nothing that it said speaks for one of the sheets"
    return b.took("sheet", Standing.UNSURE, words)


async def read_found(b: Bringing) -> Outcome:
    """All its settings; the first reading of this visit stays as found."""
    table = b.session.devices.table_of(b.the_link())
    if table is None:
        return b.took("found", Standing.SKIPPED, "no sheet says what could be read; nothing was asked")
    runner = b.runner()
    device = device_of(runner, table, b.session.devices.patience.get(b.the_link().id))
    done = 0

    def changed(reading: Any) -> None:
        nonlocal done
        done += 1
        b.now = f"{done} of {len(table.rows)}: {reading.name}"

    try:
        readings = await b.do(device.read([row.parameter for row in table.rows], changed))
    except Fault as fault:
        return b.took("found", Standing.BAD, str(fault))
    finally:
        b.now = ""
    read = took(runner, table, readings, b.session.hub.soon)
    bad = f"; {read.bad[0].name}: {read.bad[0].outcome.value}, {read.bad[0].words}" if read.bad else ""
    words = f"{len(readings) - len(read.bad)} of {len(readings)} read{', as found' if read.first else ''}{bad}"
    good = Standing.GOOD if not read.bad else Standing.UNSURE if len(read.bad) < len(readings) else Standing.BAD
    return b.took("found", good, words)


async def _said_as_one_has(runner: LinkRunner, patterns: Sequence[str]) -> str:
    """What it says, until that fits one of these patterns or the time is over."""
    heard = bytearray()

    def fits() -> bool:
        return any(search(pattern, text_of(bytes(heard), runner.charset)) is not None for pattern in patterns)

    with runner.tap.heard_by(lambda data, *_: heard.extend(data)):
        await until(fits, _SENTENCE_S)
    return text_of(bytes(heard), runner.charset)
