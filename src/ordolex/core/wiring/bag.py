"""The bag's file: which parts are at hand, and parts of one's own. TOML text in, parts out.

[[part]]
name = "straight cable DE-9"      # a part of the catalogue
count = 2

[[part]]
name = "grey cable, blower"       # one's own
a = "DE-9 socket"
b = "3-way block plug"
wires = "2-1 3-2 5-3"

[[part]]
name = "grey cable, spare"
like = "grey cable, blower"       # as another, here or in the catalogue

[[part]]
name = "converter from the drawer"   # with electronics: what each side is, instead of wires
a_is = "dce-de9"
b_is = "rs485-block2"
"""

from __future__ import annotations

import json
import re
import tomllib
from collections.abc import Mapping
from typing import Any

from ordolex.core.wiring.connectors import ENDS, PINS, Face, Gender
from ordolex.core.wiring.parts import CATALOGUE, Part, PartError, wires
from ordolex.core.wiring.solve import Bag

_MOST = 1_000_000  # of whatever a cost is counted in
_KEYS = frozenset({"name", "count", "cost", "a", "b", "wires", "like", "a_is", "b_is"})


def read_bag(text: str) -> Bag:
    """Raises PartError, whose message names the part and what would be right."""
    try:
        raw = tomllib.loads(text)
    except (ValueError, RecursionError) as error:  # also a number of thousands of digits
        raise PartError(f"the bag is no TOML: {error}") from error
    rows = raw.get("part", [])
    if not isinstance(rows, list) or not all(isinstance(row, dict) for row in rows) or set(raw) - {"part"}:
        raise PartError("a bag is a list of [[part]], and nothing else")
    named: dict[str, Mapping[str, Any]] = {}
    for row in rows:
        name = row.get("name")
        if not isinstance(name, str) or not name.strip():
            raise PartError("a part has no name; give it one")
        if name in named:
            raise PartError(f"part {name!r} stands twice; give it a count instead")
        if set(row) - _KEYS:
            raise PartError(
                f"part {name!r}: {sorted(set(row) - _KEYS)[0]!r} is not known; known are {', '.join(sorted(_KEYS))}"
            )
        named[name] = row
    return {name: (_part(name, named, ()), _count(name, row)) for name, row in named.items()}


def _count(name: str, row: Mapping[str, Any]) -> int:
    count = row.get("count", 1)
    if not isinstance(count, int) or isinstance(count, bool) or not 0 <= count <= 99:
        raise PartError(f"part {name!r}: count {count!r} cannot be; it is a number from 0 to 99")
    return count


def _part(name: str, named: Mapping[str, Mapping[str, Any]], above: tuple[str, ...]) -> Part:
    if name in above:
        raise PartError(f"part {name!r} is like itself: {' → '.join((*above, name))}")
    row = named.get(name)
    if row is None or not set(row) & (_KEYS - {"name", "count", "cost"}):
        if name in CATALOGUE:
            return _priced(CATALOGUE[name], name, row or {})
        raise PartError(
            f"part {name!r} is not in the catalogue and has no ends; give it a, b and wires, or a_is and b_is"
        )
    if "like" in row:
        return _priced(_part(str(row["like"]), named, (*above, name)), name, row)
    if {"a_is", "b_is"} & set(row):
        return _priced(_active(name, row), name, row)
    if not {"a", "b", "wires"} <= set(row):
        raise PartError(f"part {name!r} lacks {sorted({'a', 'b', 'wires'} - set(row))[0]!r}; give it a, b and wires")
    try:
        joints = wires(str(row["wires"]))
    except PartError as error:
        raise PartError(f"part {name!r}: {error}") from error
    return _priced(Part(name, (_face(name, row["a"]), _face(name, row["b"])), joints), name, row)


def _active(name: str, row: Mapping[str, Any]) -> Part:
    """A part with electronics: two ends, each with the connector of that end unless `a` or `b` names another."""
    if "wires" in row:
        raise PartError(f"part {name!r}: it has wires, or it is something at each side (a_is, b_is), never both")
    sides = []
    for side in ("a", "b"):
        end = ENDS.get(str(row.get(f"{side}_is", "")))
        if end is None:
            raise PartError(f"part {name!r}: {side}_is names no end; choose one of {', '.join(ENDS)}")
        sides.append((end, _face(name, row[side]) if side in row else end.face))
    (end_a, face_a), (end_b, face_b) = sides
    return Part(name, (face_a, face_b), inside=(end_a, end_b))


def _priced(part: Part, name: str, row: Mapping[str, Any]) -> Part:
    cost = row.get("cost", part.cost)
    if not isinstance(cost, int | float) or isinstance(cost, bool) or not 0 <= cost <= _MOST:
        raise PartError(f"part {name!r}: cost {cost!r} cannot be")
    return Part(name, part.faces, part.wires, part.inside, float(cost))


def _face(name: str, text: object) -> Face:
    connector, _, gender = str(text).rpartition(" ")
    if connector not in PINS or gender not in ("plug", "socket"):
        raise PartError(f"part {name!r}: {text!r} is no end; write one of {', '.join(PINS)}, then plug or socket")
    return Face(connector, Gender(gender))


def with_count(text: str, name: str, count: int) -> str:
    """The bag's text with so many of a part; everything else, remarks too, stays as it is written."""
    head, *blocks = re.split(r"(?m)^(?=\[\[part\]\])", text)
    for at, block in enumerate(blocks):
        if tomllib.loads(block)["part"][0].get("name") == name:
            if re.search(r"(?m)^count\s*=", block):
                blocks[at] = re.sub(r"(?m)^count\s*=\s*\d+", f"count = {count}", block, count=1)
            else:
                blocks[at] = re.sub(r"(?m)^(name\s*=.*)$", rf"\1\ncount = {count}", block, count=1)
            return head + "".join(blocks)
    new = f"[[part]]\nname = {json.dumps(name, ensure_ascii=False)}\ncount = {count}\n"
    return head + "".join(blocks) + ("" if not text or text.endswith("\n\n") else "\n") + new
