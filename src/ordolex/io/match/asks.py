"""What may be asked of a device that only speaks when asked, each question with what a right answer to it is."""

from __future__ import annotations

from collections.abc import Iterable, Sequence

from ordolex.core.link.question import Question
from ordolex.core.match.order import with_units
from ordolex.core.protocols.codecs import AtCodec, ModbusCodec
from ordolex.core.protocols.modbus.frames import Ascii, Framing, Rtu
from ordolex.core.sheet import Sheet
from ordolex.core.text.escapes import to_bytes

_ATTENTION = b"AT\r"
_READ_HOLDING = 3  # Modbus application protocol V1.1b3, 6.3
_SIGN_ON = b"/?!\r\n"
_UNITS = (2, 3, 4, 5)
"""Asked besides unit 1, the last of all: they are the usual ones where a bus has several."""
_WORDS = "an identification (IEC 62056-21, 6.3.2)"


def generic() -> list[Question]:
    """Harmless for what is usual: line ends, the identity of instruments, the attention of modems, one register of the
    first units, the sign-on of meters."""
    plain = [Question(data) for data in (b"\r", b"\n", b"*IDN?\n")]
    others = [_register(Rtu(), unit) for unit in _UNITS]
    return [*plain, _attention(), _register(Rtu(), 1), _register(Ascii(), 1), _sign_on(), *others]


def chosen(sheet: Sheet | None, units: Sequence[int] = (), typed: Sequence[bytes] | None = None) -> list[Question]:
    """What is asked: what was typed, also where that is nothing; else what the sheet gives, else what is usual. What
    was typed and is a known question is judged as that; `units` stand for `{unit}`, and in place of the sheet's own."""
    offered = (of_sheet(sheet, units) if sheet is not None else []) or generic()
    known = {question.data: question for question in offered}
    if typed is None:
        return offered
    return [known.get(one, Question(one)) for text in typed for one in with_units(text, units or (1,))]


def of_family(family: str) -> list[Question]:
    """The harmless questions of one protocol, for who knows it: `modbus-rtu`, `modbus-ascii`, `at`, `meter`."""
    match family:
        case "modbus-rtu" | "modbus-ascii":
            framing = Rtu() if family == "modbus-rtu" else Ascii()
            return [_register(framing, unit) for unit in (1, 2, 3, 4, 5, 10, 16, 100, 247)]
        case "at":
            return [_attention()]
        case "meter":
            return [_sign_on()]
    raise ValueError(f"no questions are known for {family}")


def of_sheet(sheet: Sheet, units: Sequence[int] = ()) -> list[Question]:
    """The sheet's harmless questions, what wakes its device, and a read of the protocol that it speaks; none where it
    gives nothing to ask. `units` are asked in place of the sheet's own."""
    out = [question.question() for question in sheet.harmless]
    out += [Question(to_bytes(text)) for text in sheet.wake]
    match sheet.speaks:
        case "modbus-rtu" | "modbus-ascii":
            framing = Rtu() if sheet.speaks == "modbus-rtu" else Ascii()
            out = [_register(framing, unit) for unit in units or (sheet.bus.unit,)] + out
        case "at":
            out.append(_attention())
        case "meter":
            out.append(_sign_on())
    return [each for question in out for each in _for_units(question, units)]


def _for_units(question: Question, units: Sequence[int]) -> Iterable[Question]:
    """Text that carries `{unit}`, for each of them."""
    if question.codec is not None or b"{unit}" not in question.data:
        return [question]
    return [Question(data, like=question.like) for data in with_units(question.data, units or (1,))]


def _register(framing: Framing, unit: int) -> Question:
    codec = ModbusCodec(framing, unit, bytes([_READ_HOLDING, 0, 0, 0, 1]), "register 0")
    return Question(codec.sent, codec=codec)


def _attention() -> Question:
    return Question(_ATTENTION, codec=AtCodec(_ATTENTION))


def _sign_on() -> Question:
    return Question(_SIGN_ON, like=r"(?s).*/[A-Z]{2}[A-Za-z][0-9].{0,30}", means=_WORDS, harmless=True)
