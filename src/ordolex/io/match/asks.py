"""What may be asked of a device that only speaks when asked, each question with what a right answer to it is."""

from __future__ import annotations

from collections.abc import Iterable, Sequence
from itertools import chain

from ordolex.core.link.question import Question
from ordolex.core.match.order import with_units
from ordolex.core.protocols.codecs import FramedCodec, ModbusCodec
from ordolex.core.protocols.families import FAMILIES
from ordolex.core.protocols.framed import Frame, wrap
from ordolex.core.protocols.modbus.crc import crc16
from ordolex.core.protocols.modbus.frames import Rtu
from ordolex.core.sheet import Sheet
from ordolex.core.text.escapes import to_bytes

_UNITS = (2, 3, 4, 5)
"""Asked besides unit 1, the last of all: they are the usual ones where a bus has several."""
_VALUES = 2
"""Of a framed device, how many are asked for."""
_SHORTEST_FRAME = 4
_MANY = (1, 2, 3, 4, 5, 10, 16, 100, 247)
"""Asked where it is known that it is a bus."""


def generic(units: Sequence[int] = ()) -> list[Question]:
    """Harmless for what is usual: line ends, the identity of instruments, the attention of modems, one register of the
    first units, the sign-on of meters. Where `units` are said, they are asked, before all else."""
    plain = [Question(data) for data in (b"\r", b"\n", b"*IDN?\n")]
    if units:
        asked = [FAMILIES[name].harmless(units) for name in ("modbus-rtu", "modbus-ascii")]
        return [*chain.from_iterable(asked), *plain]
    named = [FAMILIES[name].harmless((1,)) for name in ("at", "modbus-rtu", "modbus-ascii", "meter")]
    return [*plain, *chain.from_iterable(named), *FAMILIES["modbus-rtu"].harmless(_UNITS)]


def chosen(sheet: Sheet | None, units: Sequence[int] = (), typed: Sequence[bytes] | None = None) -> list[Question]:
    """What is asked: what was typed, also where that is nothing; else what the sheet gives, else what is usual. What
    was typed and is a known question is judged as that; `units` stand for `{unit}`, and in place of the sheet's own."""
    offered = (of_sheet(sheet, units) if sheet is not None else []) or generic(units)
    if typed is None:
        return offered
    known = {question.data: question for question in offered}
    return [known.get(one) or _typed(one) for text in typed for one in with_units(text, units or (1,))]


def _typed(data: bytes) -> Question:
    """What was typed as a whole Modbus frame is judged as one: its answer is binary, and short."""
    if (
        len(data) < _SHORTEST_FRAME
        or not 1 <= data[0] <= 247
        or crc16(data[:-2]) != int.from_bytes(data[-2:], "little")
    ):
        return Question(data)
    return Question(data, codec=ModbusCodec(Rtu(), data[0], data[1:-2], f"unit {data[0]}, as it was typed"))


def of_family(family: str) -> list[Question]:
    """The harmless questions of one protocol, for who knows it. Raises ValueError for one that has none."""
    questions = FAMILIES[family].harmless(_MANY) if family in FAMILIES else []
    if not questions:
        raise ValueError(f"no questions are known for {family}")
    return questions


def of_sheet(sheet: Sheet, units: Sequence[int] = ()) -> list[Question]:
    """The sheet's harmless questions, what wakes its device, and those of the protocol that it speaks: first where it
    is asked in frames with an address. None where it gives nothing to ask. `units` are asked in place of its own."""
    own = [question.question() for question in sheet.harmless]
    own += [Question(to_bytes(text)) for text in sheet.wake]
    spoken = sheet.family.harmless(units or (sheet.bus.unit,)) + _in_its_frames(sheet, units)
    out = spoken + own if sheet.family.addressed else own + spoken
    return [each for question in out for each in _for_units(question, units)]


def _in_its_frames(sheet: Sheet, units: Sequence[int]) -> list[Question]:
    """What a device with frames of its own is asked for its first values. Only a check makes an answer a right one."""
    asks = list(dict.fromkeys(one.payload.ask for one in sheet.parameter if one.payload is not None))[:_VALUES]
    if sheet.frame is None or not asks:
        return []
    plan = sheet.frame.plan()
    out = []
    for unit in (units or (sheet.bus.unit,)) if plan.address else (sheet.bus.unit,):
        for ask in asks:
            sent = wrap(plan, Frame(unit, bytes.fromhex(ask)))
            codec = FramedCodec(plan, sent, f"unit {unit}: {ask}", unit) if plan.check else None
            out.append(Question(sent, codec=codec, harmless=True))
    return out


def _for_units(question: Question, units: Sequence[int]) -> Iterable[Question]:
    """Text that carries `{unit}`, for each of them."""
    if question.codec is not None or b"{unit}" not in question.data:
        return [question]
    return [Question(data, like=question.like) for data in with_units(question.data, units or (1,))]
