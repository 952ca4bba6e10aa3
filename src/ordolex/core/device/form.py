"""The form of a procedure, checked before anything is typed: addresses, masks, names, and how they fit together.

Sources: RFC 950 and RFC 4632 (contiguous masks), RFC 1123, 2.1 (host names), RFC 1918 and RFC 3927 (ranges).
"""

from __future__ import annotations

import re
from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass
from ipaddress import IPv4Address, IPv4Interface, IPv4Network

from ordolex.core.sheet.procedures import PlanField, Procedure
from ordolex.core.text.counts import counted
from ordolex.core.text.digits import exact
from ordolex.core.text.patterns import fullmatch
from ordolex.core.text.refusals import shape_words

_LABEL = re.compile(r"[A-Za-z0-9](?:[A-Za-z0-9-]{0,61}[A-Za-z0-9])?")


def applies(condition: str, values: Mapping[str, str]) -> bool:
    """Whether `field=value` holds; an empty condition does."""
    if not condition:
        return True
    name, _, wanted = condition.partition("=")
    return values.get(name, "").strip().lower() == wanted.strip().lower()


def address_fault(text: str) -> str:
    """Why a text is no IPv4 address; empty where it is one."""
    parts = text.strip().split(".")
    if len(parts) != 4:
        return f"{counted(len(parts), 'octet')}, an address has four"
    for part in parts:
        if not part.isdecimal() or not part.isascii():
            return f"{part!r} is no number from 0 to 255"
        if int(part) > 255:
            return f"{part} is more than 255"
        if len(part) > 1 and part[0] == "0":
            return f"{part} begins with 0; some devices read that as octal, write {int(part)}"
    return ""


def mask_fault(text: str) -> str:
    """Why a text is no contiguous mask."""
    fault = address_fault(text)
    if fault:
        return fault.replace("an address has", "a mask has")
    bits = int(IPv4Address(text.strip()))
    ones = f"{bits:032b}"
    if "01" in ones:
        at = next(n for n, octet in enumerate(text.strip().split("."), 1) if "01" in ones[: 8 * n])
        return f"not contiguous: octet {at} sets a bit behind one that is not set"
    return "masks out nothing: every address would be a neighbour" if not bits else ""


def host_fault(text: str) -> str:
    if len(text) > 63:
        return "longer than 63 characters"
    if not _LABEL.fullmatch(text):
        odd = sorted({c for c in text if not (c.isascii() and (c.isalnum() or c == "-"))})
        return f"{''.join(odd)!r} cannot stand in a host name" if odd else "begins or ends with a hyphen, or is empty"
    return ""


def domain_fault(text: str) -> str:
    if len(text) > 253:
        return "longer than 253 characters"
    for label in text.rstrip(".").split("."):
        fault = host_fault(label)
        if fault:
            return f"{label!r}: {fault}"
    return ""


def field_fault(field: PlanField, text: str) -> str:
    """What is wrong with one value by itself; empty where nothing is."""
    text = text.strip()
    if not text:
        return "" if field.optional else f"is empty{f'; {field.owner} supplies it' if field.owner else ''}"
    match field.kind:
        case "ipv4" | "gateway" | "second-jack":
            return address_fault(text)
        case "mask":
            return mask_fault(text)
        case "host":
            return host_fault(text)
        case "domain":
            return domain_fault(text)
        case "number":
            return _number_fault(field, text)
        case "choice":
            return "" if text in field.choices else f"{text!r} is none of {', '.join(field.choices)}"
    if field.pattern and not fullmatch(field.pattern, text):
        return f"{text!r} cannot be: {shape_words(field.pattern)}"
    return "" if text.isprintable() else "holds characters that cannot be typed"


def _number_fault(field: PlanField, text: str) -> str:
    try:
        value = float(text)
    except ValueError:
        return f"{text!r} is no number"
    if field.low is not None and value < field.low:
        return f"{text} is less than {exact(field.low)}"
    return f"{text} is more than {exact(field.high)}" if field.high is not None and value > field.high else ""


def plan_faults(
    procedure: Procedure, values: Mapping[str, str], own: Iterable[str] = (), heard: Iterable[str] = ()
) -> dict[str, str]:
    """Field → what is wrong with it, by itself or beside the others. `own` are this computer's addresses such as
    `192.0.2.7/24`, `heard` addresses that others were seen to use."""
    used = [field for field in procedure.field if applies(field.only_if, values)]
    faults = {field.name: fault for field in used if (fault := field_fault(field, values.get(field.name, "")))}
    good = [field for field in used if field.name not in faults and values.get(field.name, "").strip()]
    networks: dict[str, IPv4Network] = {}
    jacks = jacks_of(good)
    for jack in jacks:
        address, fault = values[jack.address].strip(), ""
        if jack.mask:
            network = IPv4Network(f"{address}/{values[jack.mask].strip()}", strict=False)
            fault = _place_fault(IPv4Address(address), network) or _beside(network, networks)
            networks[jack.address] = network
            gateway_fault = _gateway_fault(values[jack.gateway].strip(), address, network) if jack.gateway else ""
            if gateway_fault:
                faults[jack.gateway] = gateway_fault
        fault = fault or _taken_fault(address, own, heard)
        if fault:
            faults[jack.address] = fault
    for field in good:
        if field.kind == "second-jack" and field.name not in networks and field.name not in faults:
            fault = _beside(IPv4Network(values[field.name].strip()), networks)
            if fault:
                faults[field.name] = fault
    return faults


@dataclass(frozen=True, slots=True)
class Jack:
    """Names of fields that belong together: an address, with the mask and the gateway of its network (or "")."""

    address: str
    mask: str = ""
    gateway: str = ""


def jacks_of(fields: Sequence[PlanField]) -> list[Jack]:
    """Which fields are of one network jack: those that their sheet names so, else those whose names have the same
    number or ending, else the nearest. An address without a mask, in a form that has masks, is another's, such as that
    of a name server."""
    addresses = [
        n for n, field in enumerate(fields) if field.kind in ("ipv4", "second-jack") and not _is_service(field)
    ]
    masks = [n for n, field in enumerate(fields) if field.kind == "mask"]
    gateways = [n for n, field in enumerate(fields) if field.kind == "gateway"]
    if not masks:
        return [Jack(fields[n].name) for n in addresses if fields[n].kind == "ipv4"][:1]
    out, left = [], list(addresses)
    for mask in masks:
        if not left:
            break
        address = _nearest(fields, mask, left)
        left.remove(address)
        of_it = [n for n in gateways if _nearest(fields, n, addresses) == address]
        out.append(Jack(fields[address].name, fields[mask].name, fields[of_it[0]].name if of_it else ""))
    return out


def _nearest(fields: Sequence[PlanField], one: int, others: Sequence[int]) -> int:
    return min(others, key=lambda other: _apart(fields, one, other))


def _apart(fields: Sequence[PlanField], one: int, other: int) -> tuple[bool, bool, bool, int]:
    """How far two fields are from belonging to one jack."""
    a, b = fields[one], fields[other]
    digits = [re.sub(r"\D", "", field.name) for field in (a, b)]
    words = [set(re.split(r"[_\d]+", field.name.lower())) for field in (a, b)]
    return (
        a.jack != b.jack,
        digits[0] != digits[1],
        not (words[0] & words[1] - {""}),
        abs(one - other) * 2 + (other > one),
    )


def _is_service(field: PlanField) -> bool:
    """Whether it is the address of somebody else, that the device is to ask."""
    return (
        re.search(
            r"dns|name ?serv|ntp|time ?serv|syslog|server|host|peer|target", f"{field.name} {field.label}".lower()
        )
        is not None
    )


def _beside(network: IPv4Network, others: Mapping[str, IPv4Network]) -> str:
    other = next((other for other in others.values() if other.overlaps(network)), None)
    return f"lies in {other} too; two jacks in one subnet shut each other out" if other is not None else ""


def _taken_fault(address: str, own: Iterable[str], heard: Iterable[str]) -> str:
    if any(str(IPv4Interface(mine).ip) == address for mine in own):
        return "is this computer's own address"
    return "is in use: it was heard from another device" if address in set(heard) else ""


def _place_fault(address: IPv4Address, network: IPv4Network) -> str:
    if network.prefixlen < 31 and address == network.network_address:
        return f"is the name of the network {network} itself"
    if network.prefixlen < 31 and address == network.broadcast_address:
        return f"is the broadcast address of {network}"
    if address.is_multicast or address.is_loopback or address.is_unspecified:
        return "cannot be a device's address"
    return ""


def _gateway_fault(gateway: str, address: str, network: IPv4Network) -> str:
    if IPv4Address(gateway) not in network:
        return f"does not lie in {network}"
    return "is the device's own address" if gateway == address else ""
