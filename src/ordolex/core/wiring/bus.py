"""The check of an RS-485 bus: loads, terminators, bias, length and stubs against the rate.

Rules and their sources: 32 unit loads (TIA-485-A, 3.4); termination at both ends and only there, and bias at one place
(Modbus serial line specification V1.02, 3.4); length against rate: 1200 m up to 100 kbit/s and then the product of
length and rate at most 10^8 m bit/s (TIA/EIA-422-B annex, used for 485 too); a stub has at most 20 m (Modbus serial
line V1.02, 3.4), and its round trip takes less than a tenth of a bit, at 5 ns a metre.
"""

from __future__ import annotations

import tomllib
from collections.abc import Sequence
from dataclasses import dataclass
from typing import Any

_LOADS = 32.0
_LENGTH_M, _PRODUCT = 1200.0, 1e8
_NS_PER_M = 5.0
_STUB_SHARE = 0.1
_STUB_M = 20.0


class BusError(ValueError):
    """A bus that cannot be: the message says which part."""


@dataclass(frozen=True, slots=True)
class Node:
    """at_m: metres from one end of the trunk. loads: unit loads, 1 for an old transceiver, 1/8 for a new one."""

    name: str
    at_m: float
    loads: float = 1.0
    terminator: bool = False
    bias: bool = False
    stub_m: float = 0.0


@dataclass(frozen=True, slots=True)
class Verdict:
    """One rule: whether it is kept, the figures, and where the rule is from."""

    rule: str
    kept: bool
    text: str
    source: str


def read_bus(text: str) -> tuple[list[Node], int]:
    """A bus from TOML: `baud = 19200`, then a `[[node]]` each with the fields of Node. Raises BusError."""
    try:
        raw = tomllib.loads(text)
        rows = raw.pop("node")
        baud = raw.pop("baud")
        if raw or not isinstance(baud, int) or not isinstance(rows, list):
            raise BusError("a bus is `baud = 19200` and a list of [[node]], nothing else")
        return [_node(row) for row in rows], baud
    except (ValueError, RecursionError) as error:  # also a number of thousands of digits
        raise BusError(f"the bus is no TOML: {error}") from error
    except KeyError as error:
        raise BusError(f"{error} is missing; a bus is `baud = 19200` and a list of [[node]]") from error


def _node(row: dict[str, Any]) -> Node:
    kinds = {"name": str, "at_m": (int, float), "loads": (int, float), "terminator": bool, "bias": bool,
             "stub_m": (int, float)}  # fmt: skip
    for key, value in row.items():
        if key not in kinds:
            raise BusError(f"node {row.get('name', '?')!r}: {key!r} is not known; known are {', '.join(kinds)}")
        if not isinstance(value, kinds[key]):  # type: ignore[arg-type]
            raise BusError(f"node {row.get('name', '?')!r}: {key} {value!r} cannot be")
    return Node(row["name"], row["at_m"], *(row.get(key, default) for key, default in _DEFAULTS.items()))


_DEFAULTS: dict[str, Any] = {"loads": 1.0, "terminator": False, "bias": False, "stub_m": 0.0}


def check_bus(nodes: Sequence[Node], baud: int) -> list[Verdict]:
    """All rules on one bus. Raises BusError for fewer than two nodes, negative lengths or a rate that cannot be."""
    if len(nodes) < 2:
        raise BusError("a bus has at least two nodes")
    if baud <= 0:
        raise BusError(f"baud: {baud} cannot be")
    for node in nodes:
        if node.at_m < 0 or node.stub_m < 0 or node.loads < 0:
            raise BusError(f"{node.name}: lengths and loads are not negative")
    order = sorted(nodes, key=lambda n: n.at_m)
    length = order[-1].at_m - order[0].at_m
    return [_loads(nodes), _terminators(order), _bias(nodes), _length(length, baud), _stubs(nodes, baud)]


def _loads(nodes: Sequence[Node]) -> Verdict:
    total = sum(node.loads for node in nodes)
    return Verdict("loads", total <= _LOADS, f"{total:g} unit loads of {_LOADS:g}", "TIA-485-A, 3.4")


def _terminators(order: Sequence[Node]) -> Verdict:
    source = "Modbus serial line V1.02, 3.4"
    ends = {order[0].at_m, order[-1].at_m}
    inner = [n.name for n in order if n.terminator and n.at_m not in ends]
    bare = [n.name for n in (order[0], order[-1]) if not any(m.terminator for m in order if m.at_m == n.at_m)]
    twice = [n.name for n in (order[0], order[-1]) if sum(m.terminator for m in order if m.at_m == n.at_m) > 1]
    faults = [f"take it off {name}" for name in inner] + [f"one is missing at {name}" for name in bare]
    faults += [f"two at {name}" for name in twice]
    return Verdict("terminators", not faults, "; ".join(faults) or "one at each end", source)


def _bias(nodes: Sequence[Node]) -> Verdict:
    having = [n.name for n in nodes if n.bias]
    text = f"at {', '.join(having)}" if having else "none: the idle state of the bus is undefined"
    if len(having) > 1:
        text += ": keep one, take the others off"
    return Verdict("bias", len(having) == 1, text, "Modbus serial line V1.02, 3.4")


def _length(length: float, baud: int) -> Verdict:
    most = min(_LENGTH_M, _PRODUCT / baud)
    return Verdict(
        "length", length <= most, f"{length:g} m of at most {most:.0f} m at {baud} baud", "TIA/EIA-422-B, annex A"
    )


def _stubs(nodes: Sequence[Node], baud: int) -> Verdict:
    most = min(_STUB_M, _STUB_SHARE * 1e9 / baud / (2 * _NS_PER_M))
    long = [f"{n.name} {n.stub_m:g} m" for n in nodes if n.stub_m > most]
    text = f"longer than {most:.1f} m: {', '.join(long)}" if long else f"all under {most:.1f} m"
    return Verdict("stubs", not long, text, "Modbus serial line V1.02, 3.4: 20 m; round trip under a tenth of a bit")
