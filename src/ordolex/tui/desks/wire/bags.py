"""Wire: the bag at hand, and how many of each part are in it."""

from __future__ import annotations

from ordolex.core.wiring.parts import PartError
from ordolex.io.own.bag import bag_file, keep_count, named_bags
from ordolex.io.system.faults import Fault
from ordolex.tui.desks.wire.at import WireAt
from ordolex.tui.widgets.prompts import Pick


async def bag_at_hand(at: WireAt) -> None:
    name = at.wiring.bag_name
    choices = [("=", f"how many of a part are in “{name}” …"), ("+", "another bag …")]
    choices += [(f"use {other}", f"use “{other}”") for other in named_bags() if other != name]
    answer = await at.ask(Pick(f"The bag at hand: {name}", choices))
    if answer == "=":
        await _count_parts(at)
    elif answer == "+":
        hint = "the car, the bench; it begins with the usual parts. Enter makes it"
        typed = await at.line("Name of the bag", "", _bag_words, hint)
        if typed is not None:
            _use(at, typed.strip())
    elif answer is not None:
        _use(at, answer.removeprefix("use "))


def _use(at: WireAt, name: str) -> None:
    wiring = at.wiring
    wiring.use_bag(name)
    at.say(wiring.bag_fault or f"“{name}” is the bag at hand", "bad" if wiring.bag_fault else "good")
    at.work_out()


async def _count_parts(at: WireAt) -> None:
    """A part, then its number, until Esc."""
    while True:
        counts = {name: count for name, (_, count) in at.wiring.bag.items()}
        choices = [(name, f"{counts.get(name, 0)} ×  {part.text}") for name, part in at.wiring.parts.items()]
        name = await at.ask(Pick(f"In “{at.wiring.bag_name}”; Esc when it is right", choices))
        if name is None:
            return
        count = str(counts.get(name, 0))
        typed = await at.line(f"How many: {name}", count, _count_words, "0 to 99; Enter keeps it")
        if typed is None:
            continue
        try:
            keep_count(bag_file(at.wiring.bag_name), name, int(typed))
        except (Fault, PartError) as fault:
            at.say(str(fault), "bad")
            return
        _use(at, at.wiring.bag_name)


def _bag_words(text: str) -> str:
    """Raises ValueError for what is no name."""
    try:
        bag_file(text.strip())
    except Fault as fault:
        raise ValueError(str(fault)) from fault
    return "a bag that is there" if text.strip() in named_bags() else "a new bag"


def _count_words(text: str) -> str:
    if not text.isdigit() or int(text) > 99:
        raise ValueError("give a number, 0 to 99")
    return f"{int(text)} of it"
