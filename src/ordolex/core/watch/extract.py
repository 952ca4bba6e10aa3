"""Values out of an answer: by the fields that a sheet or a round gives, or split into columns by itself."""

from __future__ import annotations

import math
import re
from collections.abc import Sequence
from dataclasses import dataclass
from typing import Literal

from ordolex.core.protocols.instrument import no_value
from ordolex.core.sheet.fields import ValueField
from ordolex.core.text.digits import scaled
from ordolex.core.text.nmea0183 import verdict
from ordolex.core.text.number_in import NUMBER, POINT, as_written, doubt_of, first_in, goes_on, part_of, with_points
from ordolex.core.text.patterns import found_in
from ordolex.core.text.refused import stands_instead
from ordolex.core.watch.samples import Quality, Value

_UNIT = r"[A-Za-z%°/³²µΩ][A-Za-z%°/³²µΩ0-9]{0,9}"
_WITH_UNIT = re.compile(rf"({NUMBER})\s*({_UNIT})?")
_KEYED = re.compile(rf"([A-Za-z][\w. -]{{0,30}}?)\s*[=:]\s*({NUMBER})(?:\s*({_UNIT})(?!\w)(?!\s*[=:]))?(?![\w.:])")
_PIECE = re.compile(rf"(?<![\w.]){NUMBER}(?:\s?{_UNIT}(?!\s*[+-]?\.?\d)(?!\w))?(?![\w.:-])|\S+")
_BETWEEN = re.compile(r"[,;\t|]|\s{2,}")
_WITH_COMMA = re.compile(r"[+-]?\d+,\d+")
_MOST_COLUMNS = 64
_LONGEST_TEXT = 200


@dataclass(frozen=True, slots=True)
class Extracted:
    """A value, or the quality and the words that say why there is none."""

    value: Value | None
    quality: Quality = Quality.GOOD
    words: str = ""


def extract(fields: Sequence[ValueField], text: str, between: str = "", like: str = "") -> dict[str, Extracted]:
    """Each field's value in one answer. `between` stands between columns; `like` is the pattern whose groups fields may
    name."""
    return {field.name: _one(field, text, between, like) for field in fields}


def _one(field: ValueField, text: str, between: str, like: str) -> Extracted:
    piece = _piece(field, text if field.group else _pointed(text, field), between, like)
    if isinstance(piece, Extracted):
        return piece
    return typed(piece, field)


def _pointed(text: str, field: ValueField) -> str:
    return with_points(text) if field.comma else text


def typed(piece: str, field: ValueField) -> Extracted:
    """The text of one value as what it is."""
    bare = piece.strip()
    if bare in field.none or (not bare and "" in field.none):
        return Extracted(None, Quality.NOT_READABLE, f"the device has no value: {bare or 'nothing'}")
    if field.kind == "text":
        return Extracted((as_written(bare) if field.comma else bare)[:_LONGEST_TEXT])
    found = re.fullmatch(rf"({NUMBER})\s*(.*)", bare)
    if found is None or re.match(rf"[-.,:/'’{POINT}]?\d", found[2]):
        whole = goes_on(bare, *found.span(1)) if found is not None and not field.comma else ""
        said = as_written(bare) if field.comma else bare
        return Extracted(None, Quality.NOT_READABLE, doubt_of(whole) if whole else f"{said[:40]!r} is no number")
    if field.unit and found[2] and not _same_unit(found[2], field.unit):
        return Extracted(None, Quality.NOT_READABLE, f"the unit is {found[2][:10]!r} now, it was {field.unit!r}")
    number = float(found[1])
    if not math.isfinite(number):
        return Extracted(None, Quality.NOT_READABLE, f"{bare[:40]} is no number that can be")
    if why := no_value(number):
        return Extracted(None, Quality.NOT_READABLE, why)
    return Extracted(scaled(number, field.scale, field.offset))


def first_number(text: str) -> Extracted:
    """The first number of an answer, where nothing says where its value stands."""
    found = first_in(text)
    if found is None:
        return Extracted(None, Quality.NOT_READABLE, f"no number in {text.strip()[:40]!r}")
    whole = goes_on(text, *found.span())
    if whole:
        return Extracted(None, Quality.NOT_READABLE, doubt_of(whole))
    number = float(found[0])
    why = no_value(number) if math.isfinite(number) else "no number that can be"
    return Extracted(None, Quality.NOT_READABLE, why) if why else Extracted(number)


def _same_unit(one: str, other: str) -> bool:
    return one.strip().lower().lstrip("°") == other.strip().lower().lstrip("°")


def _piece(field: ValueField, text: str, between: str, like: str) -> str | Extracted:
    """The text of one value, or why there is none."""
    if field.group:
        placed = found_in(like, text) if like else None
        if placed is None:
            return Extracted(None, Quality.NOT_READABLE, f"it said {text.strip()[:40]!r}")
        text, found = placed
        if found.span() == found.span(field.group) and stands_instead(text, found.start()):
            return Extracted(None, Quality.NOT_READABLE, f"it said {text.strip()[:40]!r}")
        whole = (
            part_of(text, found.span(), found.span(field.group), like)
            if field.kind == "number" and found[field.group]
            else ""
        )
        if whole and not (field.comma and _WITH_COMMA.fullmatch(whole)):
            return Extracted(None, Quality.NOT_READABLE, doubt_of(whole))
        return _pointed(str(found[field.group] or ""), field)
    if field.key:
        behind = r"\s*[=:]\s*([^,;|\r\n]*?)(?=\s+[A-Za-z][\w. -]*?[=:]|[,;|\r\n]|$)"
        keyed = re.search(rf"(?<![\w.]){re.escape(field.key)}{behind}", text)
        if keyed is None:
            return Extracted(None, Quality.NOT_READABLE, f"no {field.key} in {text.strip()[:40]!r}")
        whole = goes_on(text, *keyed.span(1)) if field.kind == "number" and not field.comma else ""
        return Extracted(None, Quality.NOT_READABLE, doubt_of(whole)) if whole else keyed[1]
    if field.sentence:
        return _of_sentence(field, text)
    if field.places is not None:
        first, last = field.places
        line = next((line for line in text.splitlines() if line.strip()), "")
        if len(line) < first:
            return Extracted(None, Quality.NOT_READABLE, f"the line has {len(line)} characters, none at {first}")
        return line[first - 1 : last]
    pieces = pieces_of(text, between)
    if field.column > len(pieces):
        return Extracted(None, Quality.NOT_READABLE, f"{len(pieces)} columns came, none is number {field.column}")
    return pieces[field.column - 1]


def _of_sentence(field: ValueField, text: str) -> str | Extracted:
    for line in reversed(text.splitlines()):
        line = line.strip()
        body = line[1:].partition("*")[0].split(",")
        if not line.startswith(("$", "!")) or body[0] != field.sentence:
            continue
        if all(verdict(line.encode(charset, "replace")) is False for charset in ("utf-8", "latin-1")):
            return Extracted(None, Quality.NOT_READABLE, "the sentence's check is wrong")
        if field.column < len(body):
            return body[field.column]
        return Extracted(None, Quality.NOT_READABLE, f"the sentence has {len(body) - 1} fields")
    return Extracted(None, Quality.NOT_READABLE, f"no sentence {field.sentence} in what came")


def pieces_of(text: str, between: str = "") -> list[str]:
    """The columns of an answer's lines: at `between`, or at commas, semicolons, tabs, bars and wide gaps; where none of
    them is there, numbers with the unit behind them, and words."""
    out: list[str] = []
    for line in text.splitlines():
        line = line.strip()
        if not line:
            continue
        if between:
            parts = line.split(between)
        elif _BETWEEN.search(line):
            parts = _BETWEEN.split(line)
        else:
            parts = [found[0] for found in _PIECE.finditer(line)]
        out += [part.strip() for part in parts]
    return out[:_MOST_COLUMNS]


def split(text: str, *, comma: bool = False) -> list[tuple[ValueField, Extracted]]:
    """An answer without a sheet, as columns: a field for each, named after its key where it has one, with what stands
    in it now. The technician names them anew, and says whether numbers have a decimal `comma` (see `doubtful_in`)."""
    fields = _fields_of(with_points(text) if comma else text)
    if comma:
        fields = [field.model_copy(update={"comma": True}) for field in fields]
    return [(field, _one(field, text, "", "")) for field in fields]


def _fields_of(text: str) -> list[ValueField]:
    keyed = list(_KEYED.finditer(text))
    if keyed:
        fields = [ValueField(name=found[1].strip(), key=found[1].strip(), unit=found[3] or "") for found in keyed]
        return list({field.name: field for field in fields}.values())
    lines = [line.strip() for line in text.splitlines() if line.strip()]
    if lines and lines[-1].startswith(("$", "!")) and "," in lines[-1]:
        body = lines[-1][1:].partition("*")[0].split(",")
        return [_column(n, piece, sentence=body[0]) for n, piece in enumerate(body) if n and piece]
    pieces = pieces_of(text)
    loose = not any(_BETWEEN.search(line) for line in lines)
    made = []
    for number, piece in enumerate(pieces, 1):
        is_number = _is_number(piece)
        before, behind = pieces[number - 2] if number > 1 else "", pieces[number] if number < len(pieces) else ""
        if not piece or (loose and not is_number and _is_number(behind)):
            continue  # a word before a number is its name
        named = loose and is_number and before and not _is_number(before)
        made.append(_column(number, piece, name=before if named else ""))
    return made


def _is_number(piece: str) -> bool:
    return _WITH_UNIT.fullmatch(piece) is not None


def _column(number: int, piece: str, sentence: str = "", name: str = "") -> ValueField:
    found = _WITH_UNIT.fullmatch(piece)
    kind: Literal["number", "text"] = "number" if found else "text"
    unit = (found[2] or "") if found else ""
    return ValueField(name=name or f"value {number}", column=number, sentence=sentence, kind=kind, unit=unit)
