"""A first sheet from what was asked and answered: questions with a pattern of their answers, and where values stand.

It is a draft: what a question means, and that it changes nothing, only the technician knows.
"""

from __future__ import annotations

import re
from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass, field

from ordolex.core.sheet.fields import ValueField
from ordolex.core.sheet.sheet import read_sheet
from ordolex.core.text.charsets import text_of
from ordolex.core.text.escapes import named

_NUMBER = re.compile(r"[+-]?\d+(?:\.\d+)?")
_LONGEST = 200


@dataclass(frozen=True, slots=True)
class Asked:
    """send     as it went out, line end and all
    answers  what came, cleanly, each without its line end; more than one tells what of it changes
    values   where values stand in it, if the technician named them
    """

    send: bytes
    answers: tuple[str, ...]
    values: tuple[ValueField, ...] = ()
    timeout_s: float = 1.0
    harmless: bool = False
    name: str = ""
    between: str = field(default="")

    @property
    def words(self) -> str:
        return named(self.send).removesuffix("<LF>").removesuffix("<CR>")


def asked_in(details: Iterable[Mapping[str, object]]) -> list[Asked]:
    """The questions of a conversation that were answered without line errors, in the order in which they were first
    asked. `details` are those of the record's events of kind `answer`."""
    found: dict[bytes, list[str]] = {}
    slowest: dict[bytes, float] = {}
    for detail in details:
        send, answer = (bytes.fromhex(str(detail.get(key, ""))) for key in ("question_hex", "answer_hex"))
        if not send or not answer or detail.get("line_errors") or detail.get("verdict") == "wrong":
            continue
        text = text_of(answer).strip()
        if text and answer.strip() != send.strip():
            found.setdefault(send, []).append(text)
            ms = detail.get("last_ms")
            slowest[send] = max(slowest.get(send, 0.0), float(ms) if isinstance(ms, int | float) else 0.0)
    return [
        Asked(send, tuple(dict.fromkeys(answers)), timeout_s=max(0.5, round(3 * slowest[send] / 1000, 1)))
        for send, answers in found.items()
    ]


def pattern_of(answers: Sequence[str]) -> str:
    """A pattern for the whole of an answer: its words as they are, its numbers with as many decimals as they had. Empty
    where the answers have not the same words."""
    shapes = {tuple(_NUMBER.split(answer)) for answer in answers}
    if len(shapes) != 1 or any(len(answer) > _LONGEST or "\n" in answer for answer in answers):
        return ""
    (words,) = shapes
    columns = list(zip(*(_NUMBER.findall(answer) for answer in answers), strict=True))
    numbers = [_number_like(column) for column in columns]
    out = _escaped(words[0])
    for number, word in zip(numbers, words[1:], strict=True):
        out += number + _escaped(word)
    return out


def _number_like(texts: Sequence[str]) -> str:
    decimals = {len(text.partition(".")[2]) for text in texts}
    always = all(text[0] in "+-" for text in texts) and any(text[0] == "+" for text in texts)
    sign = r"[+-]" if always else r"[+-]?"  # of numbers that happened to be negative nothing is known
    if decimals == {0}:
        return sign + r"\d+"
    return sign + (rf"\d+\.\d{{{next(iter(decimals))}}}" if len(decimals) == 1 else r"\d+(\.\d+)?")


def _escaped(text: str) -> str:
    return re.sub(r"([\\.^$*+?{}\[\]|()])", r"\\\1", text)


def draft(name: str, device: str, line: str, source: str, asked: Sequence[Asked]) -> str:
    """The sheet as TOML, which `read_sheet` reads. Raises SheetError for what it would not."""
    import tomli_w

    ends = [end for one in asked for end in [_line_end(one.send)]]
    line_end = max(set(ends), key=ends.count) if ends else "LF"
    taken: set[str] = set()
    questions = []
    for one in asked:
        question: dict[str, object] = {
            "name": _own(one.name or one.words or "line end", taken),
            "send": named(one.send),
        }
        like = pattern_of(one.answers)
        if like:
            question["like"] = like
        question |= {"timeout_s": one.timeout_s, "harmless": one.harmless}
        question["means"] = ""
        if one.between:
            question["between"] = one.between
        if one.values:
            question["value"] = [field.model_dump(mode="json", exclude_defaults=True) for field in one.values]
        questions.append(question)
    head = {"name": name, "device": device, "line_end": line_end, "line": {"settings": line, "source": source}}
    text = (
        "# A draft, made from a conversation. Say what each question means, and whether it is harmless: only those that"
        " change\n# nothing. docs/sheets.md describes every key; `ordolex sheet check` says whether it can be read.\n"
    )
    text += tomli_w.dumps(head | {"question": questions})
    read_sheet(text, f"{name}.toml")
    return text


def _line_end(send: bytes) -> str:
    for end, word in ((b"\r\n", "CR LF"), (b"\r", "CR"), (b"\n", "LF")):
        if send.endswith(end):
            return word
    return "none"


def _own(name: str, taken: set[str]) -> str:
    name = name.strip()[:60] or "question"
    number, own = 1, name
    while own in taken:
        number += 1
        own = f"{name} {number}"
    taken.add(own)
    return own
