"""Values in NMEA 0183 sentences: transducers, and a census of who talks. The checksum is in core.text.nmea0183."""

from __future__ import annotations

import re
from collections import Counter
from dataclasses import dataclass

from ordolex.core.text import nmea0183

_SENTENCE = re.compile(rb"[$!][\x20-\x7e]{3,90}?\*[0-9A-Fa-f]{2}")
_KINDS = {
    "C": "temperature", "A": "angle", "D": "distance", "P": "pressure", "H": "humidity", "V": "volume", "U": "voltage",
    "I": "current", "F": "frequency", "S": "switch", "G": "generic", "L": "salinity", "R": "flow", "N": "force",
    "T": "tachometer",
}  # fmt: skip


@dataclass(frozen=True, slots=True)
class Transducer:
    """One measurement of an XDR sentence. `unit` is the sentence's own letter, such as C, P or B."""

    name: str
    kind: str
    value: float
    unit: str


def sentences(data: bytes) -> list[list[str]]:
    """The fields of all sentences with a right checksum, the address (talker and formatter) first."""
    out = []
    for found in _SENTENCE.findall(data):
        if nmea0183.verdict(found):
            out.append(found[1:-3].decode("latin-1").split(","))
    return out


def transducers(fields: list[str]) -> list[Transducer]:
    """The measurements of an XDR sentence: groups of type, value, unit and name. Empty values are left out."""
    if not fields[0].endswith("XDR"):
        return []
    out = []
    for at in range(1, len(fields) - 3, 4):
        kind, value, unit, name = fields[at : at + 4]
        try:
            out.append(Transducer(name, _KINDS.get(kind, kind), float(value), unit))
        except ValueError:
            continue
    return out


def talkers(data: bytes) -> Counter[str]:
    """How often each address spoke, with a right checksum."""
    return Counter(fields[0] for fields in sentences(data))
