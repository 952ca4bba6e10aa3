"""A round of one question, made in the same way at every desk: it is asked once, its answer split into columns, and the
technician names them."""

from __future__ import annotations

import asyncio

from ordolex.core.bus.units import with_unit
from ordolex.core.record.items import LinkRecord
from ordolex.core.sheet.fields import ValueField
from ordolex.core.sheet.parameters import Bus
from ordolex.core.text.counts import counted
from ordolex.core.text.escapes import named, to_bytes
from ordolex.core.text.number_in import doubtful_in
from ordolex.core.text.visible import visible_text
from ordolex.core.watch.extract import split
from ordolex.core.watch.round import Round, RoundItem
from ordolex.io.device.base import Trouble
from ordolex.io.device.text import TextDevice
from ordolex.io.link.runner import LinkRunner
from ordolex.io.system.faults import Fault
from ordolex.session.watches import link_of
from ordolex.tui.desks.at import At
from ordolex.tui.desks.roll_call import Taken
from ordolex.tui.readings import bytes_reading, repeat_reading
from ordolex.tui.widgets.prompts import Pick
from ordolex.tui.widgets.wording import cut

_WAIT_S = 2.0
_ENDS = {"LF": "\\n", "CR": "\\r", "CR LF": "\\r\\n"}
"""Line ends as they are typed."""


async def of_question(at: At, link: LinkRecord, runner: LinkRunner) -> Round | None:
    """None where it was left, or nothing came."""
    history = at.session.talks.of(link).history
    last = history[-1] if history else link.first_question
    end = _ENDS.get(link.line_end, "")
    asked = await at.line(
        "What to ask again and again", last if last.endswith(end) else last + end, bytes_reading,
        "with its line end, as it goes out; it is asked once now",
    )  # fmt: skip
    if asked is None:
        return None
    every = await at.line("How often, in ms", "1000", repeat_reading, "F7 Watch shows the values")
    if every is None:
        return None
    sheet = at.session.devices.sheet_of(link)
    device = TextDevice(runner, sheet.bus if sheet is not None else Bus(), at=sheet is not None and sheet.family.dials)
    try:
        (text, *_), _ = await asyncio.wrap_future(at.session.hub.call(device.said(to_bytes(asked), _WAIT_S)))
    except (Trouble, Fault) as error:
        at.say(f"{visible_text(asked)}: {error}; nothing is asked again", "unsure")
        return None
    words = await _named(at, visible_text(asked), text)
    if words is None:
        return None
    name, fields = words
    items = [
        RoundItem(
            name=wanted, link=link.name, ask=asked, value=field, unit=field.unit, every_s=int(every) / 1000,
            timeout_s=_timeout_s(every),
        )
        for wanted, field in fields.items()
    ]  # fmt: skip
    return Round(name=name, site=at.session.site, link=[link_of(link)], item=items)


async def of_units(at: At, link: LinkRecord, taken: Taken) -> Round | None:
    """The question of a unit scan to all that answered: each unit's columns under the names given once. None where it
    was left."""
    every = await at.line("How often each is asked, in ms", "1000", repeat_reading, "F7 Watch shows the values")
    if every is None:
        return None
    words = await _named(at, f"unit {visible_text(taken.right[0].unit)}", taken.right[0].said)
    if words is None:
        return None
    name, fields = words
    items = [
        RoundItem(
            name=f"{one.unit} {wanted}", link=link.name, ask=named(with_unit(taken.template, one.unit)), value=field,
            unit=field.unit, every_s=int(every) / 1000, timeout_s=_timeout_s(every),
        )
        for one in taken.right
        for wanted, field in fields.items()
    ]  # fmt: skip
    return Round(name=name, site=at.session.site, link=[link_of(link)], item=items)


def _timeout_s(every_ms: str) -> float:
    return max(0.5, min(5.0, int(every_ms) / 1000))


async def _named(at: At, what: str, text: str) -> tuple[str, dict[str, ValueField]] | None:
    """An answer split into columns, which the technician names, and a name for the round."""
    comma = await _has_comma(at, text)
    if comma is None:
        return None
    found = split(text, comma=comma)
    if not found:
        at.say(f"{what}: nothing in the answer can be a value", "unsure")
        return None
    shown = [f"{field.name}: {visible_text(str(one.value))} {field.unit}" for field, one in found]
    names = await at.line(
        f"Names of {counted(len(found), 'value')}", ", ".join(field.name for field, _ in found),
        lambda text: names_reading(text, [str(one.value) for _, one in found]),
        f"in this order: {'; '.join(shown)[:150]}; - leaves one out",
    )  # fmt: skip
    name = await name_of(at) if names is not None else None
    if names is None or name is None:
        return None
    wanted = zip(_names(names), found, strict=True)
    return name, {one: field.model_copy(update={"name": one}) for one, (field, _) in wanted if one != "-"}


async def _has_comma(at: At, text: str) -> bool | None:
    """Whether its numbers have a decimal comma; asked where it cannot be known. None where that was left."""
    doubtful = doubtful_in(text)
    if not doubtful:
        return False
    choices = [("two", f"two values, {doubtful.replace(',', ' and ')}"), ("one", "one number with a decimal comma")]
    answer = await at.ask(Pick(f"What is {doubtful}?", choices, visible_text(cut(text.strip(), 100))))
    return None if answer is None else answer == "one"


def _names(text: str) -> list[str]:
    return [part.strip() for part in text.split(",")]


def names_reading(text: str, values: list[str]) -> str:
    """Raises ValueError."""
    names = _names(text)
    if len(names) != len(values):
        raise ValueError(f"{len(values)} names with commas between; - for one that is left out")
    kept = [name for name in names if name != "-"]
    if not kept or not all(kept):
        raise ValueError("each needs a name")
    if len(set(kept)) < len(kept):
        raise ValueError("two have the same name")
    return visible_text(
        "   ".join(f"{name} = {value}" for name, value in zip(names, values, strict=True) if name != "-")
    )


def round_name_reading(text: str) -> str:
    """Raises ValueError."""
    if not text.strip() or len(text.strip()) > 60:
        raise ValueError("a name of up to 60 characters")
    return "kept in the book under this name"


async def name_of(at: At) -> str | None:
    """A name for the round; one that is there is asked about."""
    watches = at.session.watches
    number = 1
    while (name := f"round {number}") in watches:
        number += 1
    typed = await at.line("Name of the round", name, round_name_reading, "the book keeps it under this name")
    if typed is None:
        return None
    typed = typed.strip()
    if typed in watches:
        choices = [("no", "Go back"), ("yes", "Put the new one in its place; its values stay")]
        if await at.ask(Pick(f"{visible_text(typed)} is there already", choices)) != "yes":
            return None
    return typed
