"""Reads line settings in every notation that stickers, manuals and people use.

The text is cut into tokens (a compact format like 8N1, a number, a parity word, a label such as "stop bits", a flow
control word), labels take the value beside them, and what is left over is placed by what it can only be. Nothing is
guessed silently: what the text does not say is listed in `assumed`.
"""

from __future__ import annotations

import re
from dataclasses import dataclass, field

from ordolex.core.line.settings import SHORTENED, Flow, LineSettings, Parity, SettingsError

ASSUMED_BAUD = 9600
"""The commonest factory setting, used (and said to be assumed) where a text gives only a format such as 8N1."""


@dataclass(frozen=True, slots=True)
class ReadLine:
    """What a text said: the settings, and the names of the parts that it did not say."""

    settings: LineSettings
    assumed: tuple[str, ...]

    @property
    def read_as(self) -> str:
        """One sentence for the person who typed it."""
        if not self.assumed:
            return self.settings.text
        return f"{self.settings.text} ({', '.join(self.assumed)} assumed)"


@dataclass(slots=True)
class _Token:
    kind: str  # number, parity, none, flow, label
    text: str
    value: str | float = ""
    colon: bool = False  # a label that announces the value after it
    used: bool = False


_PARITY_WORDS = {
    "n": Parity.NONE, "e": Parity.EVEN, "o": Parity.ODD, "m": Parity.MARK, "s": Parity.SPACE,
    "even": Parity.EVEN, "odd": Parity.ODD, "mark": Parity.MARK, "space": Parity.SPACE,
}  # fmt: skip
_NUMBER_WORDS = {"one": 1.0, "two": 2.0, "five": 5.0, "six": 6.0, "seven": 7.0, "eight": 8.0}
_IN_OTHER_WORDS = tuple(
    (re.compile(rf"(?<![^\W\d_])(?:{pattern})(?![^\W\d_])"), word)
    for pattern, word in (
        (r"rs\s*-?\s*(?:232|422|485)(?:\s*-?\s*[a-f])?|com\s*\d{1,3}\s*:|(?:half|full|halb|voll)[\s-]*duplex", " "),
        (r"[234]\s*-?\s*(?:wires?|draht|dr(?:ä|ae)hte|fils)", " "),
        (r"(?:start-stop|asynchron\w*|async|seriell?e?|serial)", " "),
        (r"datenbits?|bits? de donn(?:é|e)es|bits? de datos|bits? di dati|databit(?:ar|er)?", "data bits"),
        (
            r"stopp-?bits?|bits? d\s*['\u2019]?\s*arr(?:ê|e)ts?|bits? de stops?|bits? de parada|bits? di stop",
            "stop bits",
        ),
        (r"stopp?bit(?:ar|ter|er)", "stop bits"),
        (r"parit(?:ä|ae)t|parit(?:é|e)|paridad|parit(?:à|a')|pariteit|paritet|paridade", "parity"),
        (r"(?:ü|ue)bertragungsrate|geschwindigkeit|vitesse|d(?:é|e)bit|velocidad|velocit(?:à|a')", "baud"),
        (r"ungerade|impaire?|impar|dispari|oneven|udda|ulige|oddetall", "odd"),
        (r"gerade|paire|par|pari|j(?:ä|a)mn|lige|partall", "even"),
        (r"keine?|ohne|sans|aucune?|sin|ningun[oa]|nessun[oa]?|geen|ingen|inget|sem|nenhuma", "no"),
        (r"und|et|y|og|och|en", "and"),
    )
)
"""What stickers say in German, French, Spanish, Italian, Dutch, Swedish, Danish and Norwegian; and what says nothing of
the settings, such as the kind of line."""
_LABELS = (
    ("flow", r"flow\s*-?control|flow|hand-?shak(?:e|ing)"),
    ("stop", r"stop\s*-?bits?|stops?|sb"),
    ("data", r"data\s*-?bits?|data\s*length|word\s*length|character\s*length|data|bits?|db"),
    ("parity", r"parity"),
    (
        "baud",
        r"baud\s*-?rate|bit\s*-?rate|line\s*speed|baud|bauds|speed|rate|bd|bps|bits?/s(?:ec)?|bits?\s*per\s*second",
    ),
)
_LABEL_ORDER = ("baud", "flow", "stop", "data", "parity")
_SEPARATOR = re.compile(r"[\s,;:/@|()\[\]=_+&-]+|\.(?!\d)")
_STOP = r"1[.,]5|[0-9]"
_FLOW = (
    (Flow.RTS_CTS, r"rts\s*[/-]?\s*cts|hardware|hard|hw|h/w"),
    (Flow.XON_XOFF, r"xon\s*[/-]?\s*xoff|software|soft|sw|s/w"),
    (Flow.DTR_DSR, r"dtr\s*[/-]?\s*dsr"),
)
_GLUED = re.compile(rf"(\d{{2,}}?)([0-9])([neoms])({_STOP})(?![\w.])")
_FORMAT = re.compile(rf"([0-9])\s*[-/,. ]?\s*([neoms])\s*[-/,. ]?\s*({_STOP})(?![\w])")
_FORMAT_PARITY_FIRST = re.compile(rf"([neoms])\s*[-/,. ]?\s*([0-9])\s*[-/,. ]?\s*({_STOP})(?![\w])")
_KILO = re.compile(r"(\d+)k(\d+)?(?![\w.])|(\d+)k(\d)(?=\d[neoms]\d)")
_NUMBER = re.compile(
    r"(\d{1,3}(?:[,']\d{3})+(?!\d)|\d+(?:\.\d+)?)\s*(k|m)?(?=baud|bauds|bd|bps|bits?|[^a-z]|$|[neoms]\W*\d)"
)
_WORD = re.compile(r"\d\w+|[^\W\d_]+|\S")


_LONGEST = 200
"""Characters of a notation. The longest that people write has 60; a number of 400 digits is no number of ours."""


def read_line(text: str) -> ReadLine:
    """Line settings from `text`.

    Raises SettingsError, whose message names the part of the text or of the settings that cannot be right.
    """
    if not text.strip():
        raise SettingsError("line settings", "line settings: nothing was given; write them like 9600 8N1")
    if len(text) > _LONGEST:
        raise SettingsError(
            "line settings", f"line settings: {len(text)} characters are none; write them like 9600 8N1"
        )
    plain = text.strip().lower()
    for pattern, word in _IN_OTHER_WORDS:
        plain = pattern.sub(word, plain)
    tokens = _tokens(plain)
    parts = _Parts(text)
    _take_labelled(tokens, parts)
    _place_the_rest(tokens, parts)
    return parts.result()


@dataclass
class _Parts:
    source: str
    found: dict[str, float | Parity | Flow] = field(default_factory=dict)

    def put(self, part: str, value: float | Parity | Flow) -> None:
        if part in self.found and self.found[part] != value:
            raise SettingsError(part, f"{part}: given twice, as {_say(self.found[part])} and as {_say(value)}")
        self.found[part] = value

    def result(self) -> ReadLine:
        assumed = tuple(p for p in ("baud", "data bits", "parity", "stop bits") if p not in self.found)
        if len(assumed) == 4:
            raise SettingsError(
                "line settings",
                f"line settings: no rate and no format in {self.source!r}; write them like 9600 8N1",
            )
        get = self.found.get
        return ReadLine(
            LineSettings(
                baud=_whole(get("baud", ASSUMED_BAUD)),
                data_bits=int(get("data bits", 8)),
                parity=Parity(str(get("parity", Parity.NONE))),
                stop_bits=float(get("stop bits", 1.0)),
                flow=Flow(str(get("flow control", Flow.NONE))),
            ),
            assumed,
        )


def _say(value: object) -> str:
    if isinstance(value, Parity):
        return value.word
    return f"{value:g}" if isinstance(value, int | float) else str(value)


def _whole(value: object) -> int:
    assert isinstance(value, int | float)
    if value != int(value):
        meant = f"; write {value:g}k if {value * 1000:g} is meant" if value * 1000 % 300 == 0 else ""
        raise SettingsError("baud", f"baud: {value:g} is not a whole number of bits a second{meant}")
    return int(value)


def _tokens(text: str) -> list[_Token]:
    tokens: list[_Token] = []
    at = 0
    while at < len(text):
        gap = _SEPARATOR.match(text, at)
        if gap:
            if tokens and tokens[-1].kind == "label" and re.search(r"[:=]", gap[0]):
                tokens[-1].colon = True
            at = gap.end()
            continue
        at = _one_token(text, at, tokens)
    return tokens


def _one_token(text: str, at: int, tokens: list[_Token]) -> int:
    """Appends what stands at `at`; the place behind it."""
    for flow, pattern in _FLOW:
        found = re.compile(rf"(?:{pattern})(?![\w])").match(text, at)
        if found:
            tokens.append(_Token("flow", found[0], flow.value))
            return found.end()
    found = _GLUED.match(text, at)
    if found:
        tokens.append(_Token("number", found[1], float(found[1])))
        _append_format(tokens, found[0], found[2], found[3], found[4])
        return found.end()
    found = _FORMAT.match(text, at)
    if found:
        _append_format(tokens, found[0], found[1], found[2], found[3])
        return found.end()
    found = _FORMAT_PARITY_FIRST.match(text, at)
    if found:
        _append_format(tokens, found[0], found[2], found[1], found[3])
        return found.end()
    return _number_or_word(text, at, tokens)


def _append_format(tokens: list[_Token], text: str, data: str, parity: str, stop: str) -> None:
    tokens.append(_Token("data", text, float(data)))
    tokens.append(_Token("parity", text, _PARITY_WORDS[parity].value))
    tokens.append(_Token("stop", text, float(stop.replace(",", "."))))


def _number_or_word(text: str, at: int, tokens: list[_Token]) -> int:
    found = _KILO.match(text, at)
    if found:
        whole, rest = (found[1], found[2] or "") if found[1] else (found[3], found[4])
        tokens.append(_Token("number", found[0], int(whole) * 1000 + int((rest + "000")[:3])))
        return found.end()
    found = _NUMBER.match(text, at)
    if found:
        scale = {"k": 1000, "m": 1_000_000, None: 1}[found[2]]
        number = float(re.sub(r"[,']", "", found[1])) * scale
        tokens.append(_Token("number", found[0], round(number, 6)))
        return found.end()
    for name in _LABEL_ORDER:
        found = re.compile(rf"(?:{dict(_LABELS)[name]})(?![^\W\d_])").match(text, at)
        if found:
            tokens.append(_Token("label", found[0], name))
            return found.end()
    found = re.compile(r"one\s+and\s+a\s+half(?!\w)").match(text, at)
    if found:
        tokens.append(_Token("number", found[0], 1.5))
        return found.end()
    found = _WORD.match(text, at)
    assert found is not None
    _append_word(tokens, found[0])
    return found.end()


def _append_word(tokens: list[_Token], word: str) -> None:
    if word in _PARITY_WORDS:
        tokens.append(_Token("parity", word, _PARITY_WORDS[word].value))
    elif word in ("no", "none", "off", "non"):
        tokens.append(_Token("none", word))
    elif word in _NUMBER_WORDS:
        tokens.append(_Token("number", word, _NUMBER_WORDS[word]))
    elif word in ("and", "at", "with", "control"):
        return
    else:
        raise SettingsError("line settings", f"line settings: {word!r} is not understood; write them like 9600 8N1")


_TAKES = {"baud": ("number",), "data": ("number",), "stop": ("number",), "parity": ("parity", "none"),
          "flow": ("flow", "none")}  # fmt: skip
_PART = {"baud": "baud", "data": "data bits", "stop": "stop bits", "parity": "parity", "flow": "flow control"}


def _fits(label: str, token: _Token) -> bool:
    """Whether the value can belong to the label; wildly wrong numbers do not, so that they reach their own label."""
    if token.used or token.kind not in _TAKES[label]:
        return False
    if token.kind != "number":
        return True
    assert isinstance(token.value, int | float)
    return token.value >= 10 if label == "baud" else token.value < 10


def _take_labelled(tokens: list[_Token], parts: _Parts) -> None:
    for at, token in enumerate(tokens):
        if token.kind != "label":
            continue
        label = str(token.value)
        before = tokens[at - 1] if at else None
        after = tokens[at + 1] if at + 1 < len(tokens) else None
        order = (after, before) if token.colon else (before, after)
        for candidate in order:
            if candidate is not None and _fits(label, candidate):
                candidate.used = True
                _put(parts, label, candidate)
                break


def _put(parts: _Parts, label: str, token: _Token) -> None:
    if label == "parity":
        parts.put("parity", Parity.NONE if token.kind == "none" else Parity(str(token.value)))
    elif label == "flow":
        parts.put("flow control", Flow.NONE if token.kind == "none" else Flow(str(token.value)))
    else:
        assert isinstance(token.value, int | float)
        parts.put(_PART[label], token.value)


def _place_the_rest(tokens: list[_Token], parts: _Parts) -> None:
    """Values without a label, placed by what they can only be."""
    for token in tokens:
        if token.used or token.kind == "label":
            continue
        if token.kind == "number":
            _put(parts, _place_number(token, parts), token)
        elif token.kind == "none":
            _put(parts, "parity" if "parity" not in parts.found else "flow", token)
        else:
            _put(parts, token.kind, token)


def _doubt_shortened(baud: float) -> None:
    """A sticker's 96 mostly means 9600: which of the two is meant is asked, and not taken."""
    if baud in SHORTENED:
        message = (
            f"baud: {baud:g} is no usual rate; write {baud * 100:g} if that is meant, or '{baud:g} baud' if it is so"
        )
        raise SettingsError("baud", message)


def _place_number(token: _Token, parts: _Parts) -> str:
    assert isinstance(token.value, int | float)
    if token.value >= 10 or (token.value == 0 and "baud" not in parts.found):
        _doubt_shortened(token.value)
        return "baud"
    if token.value in (1.0, 1.5, 2.0):
        return "stop"
    if "data bits" in parts.found and "stop bits" not in parts.found:
        return "stop"
    return "data"
