"""Conditions that people write: `oxygen < 6 for 30s`, `"blower current" > 4 and pump is silent`.

condition = term { "or" term }        term = factor { "and" factor }
factor    = "not" factor | "(" condition ")" | test [ "for" time ]
test      = name ( "<" | "<=" | ">" | ">=" | "=" | "!=" ) number | name "is" word
word      = low | high | stuck | silent | good
name      = letters, digits, blanks, - _ . / as far as they go, or anything in quotes
"""

from __future__ import annotations

import operator
import re
from collections.abc import Callable, Mapping
from dataclasses import dataclass, field

_TOKEN = re.compile(
    r"""\s*(?:(?P<quoted>"[^"]*"|'[^']*')|(?P<time>\d+(?:\.\d+)?(?:ms|s|min|h|d)\b)|(?P<number>[+-]?(?:\d+\.?\d*|\.\d+)(?:[eE][+-]?\d+)?(?![\w]))"""
    r"""|(?P<sign><=|>=|!=|==|[<>=()])|(?P<word>[^\W\d][\w./-]*|\d[\w./-]*))"""
)
_SIGNS: dict[str, Callable[[float, float], bool]] = {
    "<": operator.lt, "<=": operator.le, ">": operator.gt, ">=": operator.ge, "=": operator.eq, "==": operator.eq,
    "!=": operator.ne,
}  # fmt: skip
TIMES = {"ms": 0.001, "s": 1.0, "min": 60.0, "h": 3600.0, "d": 86_400.0}
STATES = ("low", "high", "stuck", "silent", "good")
_KEYWORDS = ("and", "or", "not", "is", "for")


class ConditionError(ValueError):
    """A condition that cannot be read; the message shows where."""


@dataclass(frozen=True, slots=True)
class Now:
    """What is known of an item at a moment: its value, if it has one now, and the states that it is in."""

    value: float | str | None
    states: tuple[str, ...] = ()


Holds = Callable[[Mapping[str, Now], float], bool]


def _any(parts: list[Holds], known: Mapping[str, Now], at_s: float) -> bool:
    """All of them are looked at: each counts for how long it has been so."""
    so = [part(known, at_s) for part in parts]
    return any(so)


def _all(parts: list[Holds], known: Mapping[str, Now], at_s: float) -> bool:
    so = [part(known, at_s) for part in parts]
    return all(so)


@dataclass(slots=True)
class _Test:
    """One test, with how long it has been so."""

    names: tuple[str, ...]
    holds: Callable[[Mapping[str, Now]], bool]
    for_s: float = 0.0
    since_s: float | None = None

    def now(self, known: Mapping[str, Now], at_s: float) -> bool:
        if not self.holds(known):
            self.since_s = None
            return False
        if self.since_s is None:
            self.since_s = at_s
        return at_s - self.since_s >= self.for_s


@dataclass(slots=True)
class Condition:
    """`names` are the items that it speaks of."""

    text: str
    _now: Holds
    names: set[str] = field(default_factory=set)

    def holds(self, known: Mapping[str, Now], at_s: float) -> bool:
        """Whether it is so now. Call it with each new value: `for` counts from the first time that it was so."""
        return self._now(known, at_s)


def read_condition(text: str) -> Condition:
    """Raises ConditionError."""
    reader = _Reader(text)
    now = reader.condition()
    if reader.at < len(reader.tokens):
        raise reader.trouble("'and', 'or' or the end")
    return Condition(text, now, reader.names)


class _Reader:
    def __init__(self, text: str) -> None:
        self.text, self.at, self.names = text, 0, set[str]()
        self.tokens: list[tuple[str, str, int]] = []
        place = 0
        while text[place:].strip():
            found = _TOKEN.match(text, place)
            if found is None:
                raise ConditionError(_pointed(text, len(text) - len(text[place:].lstrip()), "no such sign"))
            kind = str(found.lastgroup)
            self.tokens.append((kind, found[kind], found.start(kind)))
            place = found.end()

    def trouble(self, wanted: str) -> ConditionError:
        place = self.tokens[self.at][2] if self.at < len(self.tokens) else len(self.text)
        return ConditionError(_pointed(self.text, place, f"here should stand {wanted}"))

    def _peek(self) -> tuple[str, str]:
        return self.tokens[self.at][:2] if self.at < len(self.tokens) else ("", "")

    def _is(self, word: str) -> bool:
        if self._peek()[1].lower() == word and self._peek()[0] in ("word", "sign"):
            self.at += 1
            return True
        return False

    def condition(self) -> Holds:
        parts = [self._term()]
        while self._is("or"):
            parts.append(self._term())
        return parts[0] if len(parts) == 1 else lambda known, at: _any(parts, known, at)

    def _term(self) -> Holds:
        parts = [self._factor()]
        while self._is("and"):
            parts.append(self._factor())
        return parts[0] if len(parts) == 1 else lambda known, at: _all(parts, known, at)

    def _factor(self) -> Holds:
        if self._is("not"):
            inner = self._factor()
            return lambda known, at: not inner(known, at)
        if self._is("("):
            inside = self.condition()
            if not self._is(")"):
                raise self.trouble("')'")
            return inside
        test = self._test()
        if self._is("for"):
            kind, text = self._peek()
            if kind != "time":
                raise self.trouble("a time such as 30s or 5min")
            number = re.match(r"[\d.]+", text)
            assert number is not None
            test.for_s = float(number[0]) * TIMES[text[number.end() :]]
            self.at += 1
        return test.now

    def _test(self) -> _Test:
        name = self._name()
        kind, text = self._peek()
        if self._is("is"):
            state = self._peek()[1].lower()
            if state not in STATES:
                raise self.trouble(f"one of {', '.join(STATES)}")
            self.at += 1
            return _Test((name,), lambda known: name in known and state in known[name].states)
        if kind != "sign" or text not in _SIGNS:
            raise self.trouble("<, <=, >, >=, =, != or 'is'")
        self.at += 1
        kind, number = self._peek()
        if kind != "number":
            raise self.trouble("a number")
        self.at += 1
        compare, bound = _SIGNS[text], float(number)

        def holds(known: Mapping[str, Now]) -> bool:
            value = known[name].value if name in known else None
            return isinstance(value, float | int) and compare(float(value), bound)

        return _Test((name,), holds)

    def _name(self) -> str:
        kind, text = self._peek()
        if kind == "quoted":
            self.at += 1
            self.names.add(text[1:-1])
            return text[1:-1]
        words: list[str] = []
        while self._peek()[0] in ("word", "number") and (not words or self._peek()[1].lower() not in _KEYWORDS):
            if not words and self._peek()[1].lower() in _KEYWORDS:
                break
            words.append(self._peek()[1])
            self.at += 1
        if not words:
            raise self.trouble("the name of an item")
        self.names.add(" ".join(words))
        return " ".join(words)


def _pointed(text: str, place: int, words: str) -> str:
    return f"{words}, at {place + 1}:\n  {text}\n  {' ' * place}^"
