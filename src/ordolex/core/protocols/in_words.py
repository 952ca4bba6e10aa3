"""What an answer means, in words, where a standard says so: modem results, signal and registration, error queues."""

from __future__ import annotations

import re

from ordolex.core.protocols.at.cellular import words_of
from ordolex.core.protocols.at.results import S_REGISTERS, ranges_of, read_reply, values_of
from ordolex.core.protocols.instrument import read_error, read_quantity
from ordolex.core.protocols.sentences import sentences, talkers, transducers
from ordolex.core.text.charsets import text_of


def of_modem(question: bytes, answer: bytes) -> list[str]:
    """Sentences on a modem's answer; none where it says all by itself."""
    reply = read_reply(question, answer)
    out = [f"{line}: {words}" for line in reply.lines if (words := words_of(line))]
    register = re.fullmatch(rb"AT\s*S(\d{1,2})\?\s*", question.upper())
    if register and reply.lines and (means := S_REGISTERS.get(int(register[1]))):
        out.append(f"S{int(register[1])}, {means}: {reply.lines[0].lstrip('0') or '0'}")
    if question.strip().endswith(b"=?"):
        out += [words for line in reply.lines if (words := _test_words(line))]
    if reply.result and not reply.good:
        out.append(reply.words)
    return out


def _test_words(line: str) -> str:
    """A test command's answer: what each value may be (V.250, 5.4.4.3 and 5.7.3.1)."""
    name, values = values_of(line)
    parts = []
    for value in values:
        try:
            ranges = ranges_of(value) if value.strip("()") else []
        except ValueError:
            return ""
        parts.append(", ".join(f"{low}" if low == high else f"{low} to {high}" for low, high in ranges) or "nothing")
    return f"{name} takes {'; then '.join(parts)}" if parts and name.startswith("+") else ""


def of_instrument(question: bytes, answer: bytes) -> list[str]:
    """The same of any other device that speaks text."""
    text = text_of(answer).strip()
    if question.upper().strip().lstrip(b":").startswith((b"SYST:ERR", b"SYSTEM:ERROR")):
        try:
            error = read_error(text)
        except ValueError:
            return []
        return [f"{error.kind}: {error.words}"] if error.number else []
    try:
        read_quantity(text)
    except ValueError as trouble:
        return [str(trouble)] if "9.9" in str(trouble) else []
    return []


def census(data: bytes) -> list[str]:
    """Who talks in NMEA 0183 sentences, how often, and the latest value of each transducer."""
    rows = [f"{address:8} {count:>6} sentences" for address, count in talkers(data).most_common()]
    latest = {one.name: one for fields in sentences(data) for one in transducers(fields)}
    return rows + [f"{one.name:12} {one.value:g} {one.unit:4} {one.kind}" for one in latest.values()]
