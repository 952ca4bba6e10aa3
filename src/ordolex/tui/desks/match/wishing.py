"""Match: how it is done. What may be asked, how long is waited, which units and formats, what is known beforehand."""

from __future__ import annotations

from dataclasses import replace

from ordolex.core.match.wishes import read_data_bits, read_units
from ordolex.core.text.counts import counted
from ordolex.core.text.escapes import named, to_bytes
from ordolex.tui.desks.match.at import HINTS, MatchAt
from ordolex.tui.readings import bytes_reading, data_bits_reading, units_reading, wait_reading
from ordolex.tui.widgets.prompts import Pick


async def how_to_match(at: MatchAt) -> None:
    wishes = at.wishes
    bits = " ".join(str(bits) for bits in wishes.options.data_bits)
    units = " ".join(str(unit) for unit in wishes.units)
    choices = [
        ("questions", f"Questions: {_questions(at)}"),
        ("wait", f"Wait for each answer: {wishes.options.wait_s * 1000:.0f} ms"),
        ("units", f"Unit IDs, for questions with {{unit}}: {units}"),
        ("bits", f"Data bits to weigh: {bits}"),
        ("hint", f"What is known of the device: {HINTS[wishes.hint]}"),
    ]
    what = await at.ask(Pick("How to match", choices))
    if what == "questions":
        await _ask_questions(at)
    elif what == "wait":
        hint = "slow devices and long ways need more. Enter takes it"
        typed = await at.line("Wait for each answer, ms", f"{wishes.options.wait_s * 1000:.0f}", wait_reading, hint)
        if typed is not None:
            wishes.options = replace(wishes.options, wait_s=int(typed) / 1000)
    elif what == "units":
        hint = "write {unit} in a question where its number belongs, such as {unit}?\\r"
        typed = await at.line("Unit IDs", units, units_reading, hint)
        if typed is not None:
            wishes.units = read_units(typed)
    elif what == "hint":
        hinted = await at.ask(Pick("What is known of the device?", list(HINTS.items())))
        if hinted is not None:
            _take_hint(at, hinted)
    elif what == "bits":
        typed = await at.line("Data bits", bits, data_bits_reading, "5 and 6 are rare, and cost time and certainty")
        if typed is not None:
            _weigh(at, read_data_bits(typed))


def _questions(at: MatchAt) -> str:
    return " ; ".join(named(question.data) for question in at.wishes.questions(at.session, at.link))


def _weigh(at: MatchAt, bits: tuple[int, ...]) -> None:
    at.wishes.options = replace(at.wishes.options, data_bits=bits)
    at.board.weigh(bits)
    at.show()


def _take_hint(at: MatchAt, hint: str) -> None:
    """What the technician knows: only formats, or only questions, that fit it."""
    at.wishes.hint = hint
    at.say(f"the next match takes it that {HINTS[hint]}" if hint else "the next match takes nothing as known")
    _weigh(at, (7,) if hint == "7" else (8,) if hint in ("8", "modbus-rtu") else (7, 8))


async def _ask_questions(at: MatchAt) -> None:
    hint = "several with ; between them. Only what is harmless to every device: it goes out at many settings"

    def reading(text: str) -> str:
        return counted(len([bytes_reading(part.strip()) for part in text.split(";") if part.strip()]), "question")

    typed = await at.line("What may be asked", _questions(at), reading, hint)
    if typed is not None:
        at.wishes.asks = [to_bytes(part.strip()) for part in typed.split(";") if part.strip()]
        at.say(f"{counted(len(at.wishes.asks), 'question')} may be asked")
